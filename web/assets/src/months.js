// A time line of months that are each as wide as another.

const two = (n) => String(n).padStart(2, "0");

// dayAt gives the day, as in ISO 8601, at a share of a line of so many months from the month of a day.
export function dayAt(first, months, share) {
  const [year, month] = first.split("-").map(Number);
  const at = Math.min(months - 1e-9, Math.max(0, share * months)), whole = Math.floor(at);
  const start = new Date(Date.UTC(year, month - 1 + whole, 1));
  const days = new Date(Date.UTC(year, month + whole, 0)).getUTCDate();
  return `${start.getUTCFullYear()}-${two(start.getUTCMonth() + 1)}-${two(1 + Math.floor((at - whole) * days))}`;
}

// isoDay writes a day as pages do: Thu 3 Dec.
export function isoDay(iso) {
  const parts = new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "short", timeZone: "UTC" }).formatToParts(new Date(iso));
  const of = (type) => parts.find((p) => p.type === type).value;
  return `${of("weekday")} ${of("day")} ${of("month")}`;
}
