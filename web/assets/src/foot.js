// The strip at the foot says what was done, with the way to take it back. It goes by itself
// after a while, stays away once it is closed until something else is done, and covers no
// field. By its key an act can be taken back for longer.
const lasts = 30_000, again = 8_000; // milliseconds it stays, and stays on after a hand was on it
const corners = ["", "foot-right", "foot-top"];
const fields = "input:not([type=hidden]), select, textarea, [contenteditable=true]";

import { sketch } from "./sketch.js";

let strip, timer, frame;

// done says what was done, and under which number it can be taken back, if it can.
export const done = (got) => document.dispatchEvent(new CustomEvent("done", { detail: got }));

function say(got) {
  if (!got?.said) return;
  const form = strip.querySelector("form"), says = strip.querySelector("[data-said]");
  says.textContent = says.title = got.said;
  form.hidden = !got.undo;
  form.action = got.to ?? "/undo";
  form.querySelector("button").dataset.key = "undo";
  if (got.undo) form.elements.undo.value = got.undo;
  stay(lasts);
}

const number = () => strip.querySelector("[name=undo]").value;

function stay(ms) {
  strip.hidden = false;
  settle();
  clearTimeout(timer);
  timer = setTimeout(() => { strip.hidden = true; }, ms);
}

function place() {
  cancelAnimationFrame(frame);
  frame = requestAnimationFrame(settle);
}

// settle puts the strip where it covers no field; where there is no such place, it is not
// seen. It stays where it is while a hand is on it.
function settle() {
  if (strip.hidden || strip.matches(":hover, :focus-within")) return;
  const all = [...document.querySelectorAll(fields)].filter((f) => !strip.contains(f) && f.checkVisibility()).map((f) => f.getBoundingClientRect());
  const free = corners.find((corner) => {
    strip.className = "foot " + corner;
    const r = strip.getBoundingClientRect();
    return !all.some((f) => f.left < r.right && f.right > r.left && f.top < r.bottom && f.bottom > r.top);
  });
  strip.className = free === undefined ? "foot foot-away" : "foot " + free;
}

export function foot() {
  strip = document.getElementById("foot");
  if (!strip) return;
  document.addEventListener("done", (e) => say(e.detail));
  strip.querySelector("[data-close]").addEventListener("click", () => { strip.hidden = true; sessionStorage.setItem("closed", number()); });
  for (const on of ["pointerenter", "focusin"]) strip.addEventListener(on, () => stay(lasts));
  for (const off of ["pointerleave", "focusout"]) strip.addEventListener(off, () => stay(again));
  for (const what of ["scroll", "resize", "focusin", "drawn"]) document.addEventListener(what, place, true);
  addEventListener("resize", place);
  addEventListener("load", settle); // before anybody can press it
  if (sketch()) { // what was done before it is not taken back from here
    strip.hidden = true;
    delete strip.querySelector("form button").dataset.key;
  }
  if (strip.hidden) return;
  if (sessionStorage.getItem("closed") === number()) strip.hidden = true;
  else stay(Number(strip.dataset.left) * 1000);
}
