// put draws a part of a page anew. What is unfolded stays so, what was typed in it meanwhile
// stays, and so do the focus and what is selected: keys go where they were going. since
// holds the fields as they stood when the new part was asked for; without it, what was
// typed is what differs from how the part was drawn last. It reports whether the focus, if
// it was in the part, is where it was.
export function put(el, html, since) {
  const folds = new Map(details(el)), on = el.contains(document.activeElement) ? document.activeElement : null;
  const typed = fields(el).filter((f) => (since ? since.has(f) && stands(f) !== since.get(f) : stands(f) !== drawn(f))).map((f) => [place(el, f), stands(f)]);
  const at = on && place(el, on), marked = on && selected(on);
  el.addEventListener("change", hush, true); // a field that goes says that it changed: it is not left, it goes on
  el.innerHTML = html;
  el.removeEventListener("change", hush, true);
  for (const [key, d] of all(el)) d.open = folds.get(key) ?? d.open;
  for (const [where, is] of typed) {
    const f = found(el, where);
    if (f) isBox(f) ? (f.checked = is) : (f.value = is);
  }
  if (!on) return true;
  const now = found(el, at);
  now?.focus({ preventScroll: true });
  if (now && marked) marked.whole ? now.select() : now.setSelectionRange(marked.from, marked.to);
  return Boolean(now);
}

const hush = (e) => e.stopPropagation();

// standing gives the fields of a form as they stand.
export const standing = (form) => new Map(fields(form).map((f) => [f, stands(f)]));

const all = (el) => [...el.querySelectorAll("details")].map((d, i) => [d.dataset.key ?? d.dataset.more ?? i, d]);
const details = (el) => all(el).map(([key, d]) => [key, d.open]);
const fields = (el) => [...el.querySelectorAll("input, textarea, select")].filter((f) => !["hidden", "button", "submit", "file"].includes(f.type));
const isBox = (f) => ["checkbox", "radio"].includes(f.type);
const stands = (f) => (isBox(f) ? f.checked : f.value);
const drawn = (f) => (isBox(f) ? f.defaultChecked : f.options ? ([...f.options].find((o) => o.defaultSelected) ?? f.options[0])?.value : f.defaultValue);

// selected gives what is selected in a field of text.
function selected(f) {
  if (!f.matches("input, textarea") || isBox(f) || f.selectionStart == null) return null;
  return { from: f.selectionStart, to: f.selectionEnd, whole: f.selectionEnd > f.selectionStart && f.selectionEnd - f.selectionStart === f.value.length };
}

// place is by what a part of the page is found again once it is drawn anew: which it is
// among those that are called the same, of the same piece if it is of one. What is said of
// one piece is never taken for what is said of another.
const called = (e) => {
  if (e.id) return "#" + e.id;
  const value = e.matches("button, [type=radio]") ? e.value : "";
  const says = e.matches("input, textarea, select") ? "" : e.dataset.date ?? e.textContent.trim();
  return `${e.tagName} ${e.name ?? ""} ${value} ${says}`;
};
const like = (el, name) =>
  [...el.querySelectorAll("a, button, summary, input, textarea, select, [tabindex], [id]")].filter((e) => called(e) === name);
const within = (el, piece) => (piece ? el.querySelector(`[data-piece="${CSS.escape(piece)}"]`) : el);
function place(el, e) {
  const of = e.closest("[data-piece]"), piece = of && of !== el && el.contains(of) ? of.dataset.piece : null;
  return [piece, called(e), like(within(el, piece), called(e)).indexOf(e)];
}
function found(el, [piece, name, i]) {
  const all = like(within(el, piece) ?? document.createElement("i"), name);
  return all[i] ?? all[0];
}
