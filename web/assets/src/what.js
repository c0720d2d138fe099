// The dialog that says what a change would do, before it is done.
import { part, post } from "./ask.js";
import { sketch, within } from "./sketch.js";

export function show(html, then) {
  const box = document.getElementById("what"), body = box.querySelector(".what-body");
  for (const d of document.querySelectorAll("details.pop[open]")) d.open = false;
  body.innerHTML = html;
  if (!box.open) box.addEventListener("close", () => { body.replaceChildren(); then?.(); }, { once: true });
  if (!box.open) box.showModal();
  body.querySelector(".btn-main, .btn")?.focus({ preventScroll: true });
  box.scrollTop = 0;
}

// askWhat asks what the changes of a form would do and shows it; then is called when the dialog closes.
export async function askWhat(data, then) {
  if (!data.has("back")) data.set("back", location.pathname);
  if (sketch()) data.set("sketch", sketch());
  let html = (await post("/preview", new URLSearchParams(data), { "X-Part": "1" }))?.text ?? "";
  if (!html.includes("data-consequences")) html = `<p class="problem" role="alert">`
    + `This could not be worked out just now. Look whether you are still connected and signed in, then try again; nothing was changed.</p>`;
  show(html, then);
}

// showPart shows another page's part in the dialog.
export async function showPart(url) {
  const got = await part(within(url));
  if (got?.ok) return show(got.text);
  if (got) location.href = url; // which says what the matter is
}
