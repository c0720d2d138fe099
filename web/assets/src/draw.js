import { handsOff, post } from "./ask.js";

const fields = (form) => [...form.elements].filter((f) => f.name && !["hidden", "button", "submit", "file"].includes(f.type));
const isBox = (f) => ["checkbox", "radio"].includes(f.type);
const stands = (f) => (isBox(f) ? f.checked : f.value);
const alike = (form, f) => fields(form).filter((o) => o.name === f.name);
const last = new WeakMap(); // what is being done with a form

// redraw sends a form as it is, with what is to be done, and lets put put in what the house
// draws from it: nothing where there is no connection. One is done after the other, nothing
// is taken from under a finger, and what is typed meanwhile stays.
export function redraw(form, what, put) {
  const next = (last.get(form) ?? Promise.resolve()).then(() => once(form, what, put));
  last.set(form, next.catch(() => {}));
  return next;
}

async function once(form, what, put) {
  const sent = new Map(fields(form).map((f) => [f, stands(f)]));
  const data = new URLSearchParams(new FormData(form));
  data.set("do", what);
  const html = (await post(form.action, data, { "X-Part": "1" }))?.text ?? "";
  await handsOff();
  const typed = fields(form).filter((f) => sent.has(f) && stands(f) !== sent.get(f));
  const kept = typed.map((f) => ({ f, i: alike(form, f).indexOf(f), on: f === document.activeElement }));
  put(html);
  for (const { f, i, on } of kept) {
    const now = alike(form, f)[i];
    if (!now || now === f) continue;
    if (isBox(f)) now.checked = f.checked; else now.value = f.value;
    if (!on) continue;
    now.focus();
    if (f.selectionStart != null) now.setSelectionRange(f.selectionStart, f.selectionEnd);
  }
}
