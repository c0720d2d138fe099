import { handsOff, post } from "./ask.js";
import { put, standing } from "./put.js";

const last = new WeakMap(); // what is being done with a form

// redraw sends a form as it is, with what is to be done, and puts what the house draws from
// it in the place of a part of it, if that is what is expected. One is done after the other,
// nothing is taken from under a finger, and what is typed meanwhile stays. It reports
// whether it was drawn, and whether the focus is where it was.
export function redraw(form, part, what, expected) {
  const next = (last.get(form) ?? Promise.resolve()).then(() => once(form, part, what, expected));
  last.set(form, next.catch(() => {}));
  return next;
}

async function once(form, part, what, expected) {
  const sent = standing(form), data = new URLSearchParams(new FormData(form));
  data.set("do", what);
  const html = (await post(form.action, data, { "X-Part": "1" }))?.text ?? "";
  await handsOff();
  if (!expected(html)) return { drawn: false };
  form.dataset.redrawn = "yes"; // what stands in it now is not kept
  return { drawn: true, stayed: put(part, html, sent) };
}
