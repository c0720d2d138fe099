// The dialog that says what a change would do, before it is done.

function show(html, then) {
  const box = document.getElementById("what"), body = box.querySelector(".what-body");
  for (const d of document.querySelectorAll("details.pop[open]")) d.open = false;
  body.innerHTML = html;
  if (!box.open) box.addEventListener("close", () => { body.replaceChildren(); then?.(); }, { once: true });
  if (!box.open) box.showModal();
  body.querySelector(".btn-main, .btn")?.focus();
}

// askWhat asks what the changes of a form would do and shows it; then is called when the dialog closes.
export async function askWhat(data, then) {
  if (!data.has("back")) data.set("back", location.pathname);
  const res = await fetch("/preview", { method: "POST", headers: { "X-Part": "1" }, body: new URLSearchParams(data) });
  show(res.headers.get("Content-Type")?.startsWith("text/html") ? await res.text() : "<p class=\"problem\" role=\"alert\">This could not be worked out just now. Try again.</p>", then);
}

// showPart shows another page's part in the dialog.
export async function showPart(url) {
  const res = await fetch(url, { headers: { "X-Part": "1" } });
  if (!res.ok) { location.href = url; return; }
  show(await res.text());
}
