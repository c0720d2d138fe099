// What the leg in hand asks for before it is passed, and the button that passes it: both
// are asked for again whenever the piece, or its copy, has changed.
import { ask, handsOff } from "./ask.js";
import { put } from "./put.js";

export function followAsks() {
  const id = document.querySelector("[data-watch]")?.dataset.watch, parts = [...document.querySelectorAll("[data-asks]")];
  if (!id || !parts.length) return;
  let timer, busy = false, again = false;
  const typing = () => document.activeElement?.matches("[data-asks] :is(textarea, select, input:not([type=checkbox], [type=radio]))");
  const soon = (ms) => { clearTimeout(timer); timer = setTimeout(draw, ms); };
  async function draw() {
    if (busy) return void (again = true);
    if (typing()) return; // drawn once it is left
    busy = true; again = false;
    const got = await ask(location.pathname,
      { headers: { Accept: "application/json", "X-Pieces": id, "X-Parts": parts.map((p) => p.dataset.asks).join(",") } });
    await handsOff();
    busy = false;
    if (typing()) return void (again = true);
    for (const p of parts) {
      const html = got?.json?.parts?.[p.dataset.asks];
      if (html === undefined || html === p.drawn) continue;
      p.drawn = html;
      put(p, html);
    }
    if (again) soon(100);
  }
  document.addEventListener("focusout", () => { if (again) soon(50); });
  document.addEventListener("news", (e) => {
    if (e.detail.pieces && !e.detail.pieces.includes(Number(id))) return;
    again = true;
    soon(60 + 200 * Math.random());
  });
}
