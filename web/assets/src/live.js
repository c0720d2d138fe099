// What happens on other screens: one connection for a page that is looked at. What
// changed is asked for part by part, so that a page with two thousand pieces draws only
// the day, the leg or the row that is concerned.
import { ask, handsOff } from "./ask.js";
import { put } from "./put.js";

let at = document.documentElement.dataset.mark; // the last news that was heard
let source = null;
let queue = new Set(), everything = false, timer = null, busy = false, wait = false;
const held = new Map(); // piece → who has it in hand on another screen

export function listen() {
  if (!at) return;
  const open = () => {
    if (source || document.hidden) return;
    source = new EventSource("/live?after=" + encodeURIComponent(at));
    source.onmessage = (e) => { if (e.lastEventId) at = e.lastEventId; hear(JSON.parse(e.data)); };
  };
  const close = () => { source?.close(); source = null; };
  document.addEventListener("visibilitychange", () => (document.hidden ? close() : open()));
  addEventListener("pagehide", close);
  addEventListener("pageshow", open);
  open();
}

function hear(news) {
  if (news.kind === "changed" || news.kind === "written") document.dispatchEvent(new CustomEvent("news", { detail: news }));
  if (news.kind === "written") return;
  if (news.kind === "changed") {
    if (news.own && !document.querySelector("[data-view]")) return; // what one did oneself is on the page already
    news.pieces ? news.pieces.forEach((p) => queue.add(p)) : (everything = true);
    return soon();
  }
  const [piece] = news.pieces;
  news.kind === "held" ? held.set(piece, news.who) : held.delete(piece);
  mark();
}

// mark shows on a piece that somebody else has it in hand.
function mark() {
  for (const el of document.querySelectorAll("[data-held]")) { delete el.dataset.held; }
  for (const [piece, who] of held) for (const el of document.querySelectorAll(`[data-piece="${piece}"]`)) el.dataset.held = `${who} is moving it`;
}

// hold keeps the page as it is while something is in hand.
export function hold(on) { wait = on; if (!on) soon(); }

// typing reports whether somebody is filling in a form inside the view: what is typed is
// not drawn over.
function typing() {
  const on = document.activeElement;
  return Boolean(on?.closest("[data-part] form") && on.matches("input:not([type=checkbox], [type=radio]), select, textarea"));
}

document.addEventListener("focusout", () => setTimeout(soon, 0));

// soon draws what others changed, not all pages of the house in the same instant.
function soon() {
  if (wait || busy || typing() || !(queue.size || everything)) return;
  clearTimeout(timer);
  timer = setTimeout(() => { if (!typing()) draw(); }, 40 + 260 * Math.random());
}

// refresh draws what concerns some pieces now.
export async function refresh(pieces) {
  pieces.forEach((p) => queue.add(p));
  clearTimeout(timer);
  await draw(true);
}

// refreshAll draws the whole view again, as its address says now.
export async function refreshAll() {
  everything = true;
  clearTimeout(timer);
  await draw(true);
}

// draw asks for what has changed and puts it in its place; what others did waits until
// nobody types there, also when somebody begins to while it is asked for.
async function draw(own = false) {
  if (busy || wait) return;
  const view = document.querySelector("[data-view]");
  if (!view) return notice();
  busy = true;
  const pieces = [...queue], all = everything || pieces.length > 60;
  queue = new Set(); everything = false;
  try {
    if (await (all ? whole(view, own) : parts(view, pieces, own))) {
      mark();
      document.dispatchEvent(new CustomEvent("drawn"));
    }
  } catch { /* no connection; what is missed comes with the next news */
    everything = true;
    return void setTimeout(soon, 2000);
  } finally { busy = false; }
  soon();
}

async function parts(view, pieces, own) {
  const keys = new Set();
  for (const p of pieces) for (const el of view.querySelectorAll(`[data-piece="${p}"]`)) keys.add(el.closest("[data-part]")?.dataset.part);
  const res = await ask(location.href, { headers: { Accept: "application/json", "X-Pieces": pieces.join(","),
    "X-Parts": [...keys].filter(Boolean).join(",") } });
  if (!res) throw new Error("no connection");
  const got = res.json?.parts;
  if (!res.ok || !got) return void location.reload();
  await handsOff();
  if (wait || !own && typing()) { // taken up meanwhile: drawn when it is let go
    pieces.forEach((p) => queue.add(p));
    return false;
  }
  for (const [key, html] of Object.entries(got)) {
    const el = view.querySelector(`[data-part="${CSS.escape(key)}"]`);
    if (!el) return whole(view, own);
    if (el.innerHTML !== html) drawPart(el, html);
  }
  return true;
}

async function whole(view, own) {
  const res = await ask(location.href, { headers: { "X-Part": "main" } });
  if (!res) throw new Error("no connection");
  if (!res.ok) return void location.reload();
  const fresh = new DOMParser().parseFromString(res.text, "text/html").querySelector("[data-view]");
  await handsOff();
  if (wait || !own && typing()) { everything = true; return false; }
  const keys = (of) => [...of.querySelectorAll("[data-part]")].map((e) => e.dataset.part).join();
  if (fresh) for (const el of view.querySelectorAll("[data-part]")) {
    const now = fresh.querySelector(`[data-part="${CSS.escape(el.dataset.part)}"]`);
    if (now) drawPart(el, now.innerHTML);
  }
  if (fresh && keys(fresh) !== keys(view)) location.reload();
  return true;
}

// drawPart draws a part anew and keeps the focus, or gives it to the title of the piece
// that had it.
function drawPart(el, html) {
  const on = document.activeElement, piece = el.contains(on) && on.closest("[data-piece]")?.dataset.piece;
  if (!put(el, html) && piece) document.querySelector(`[data-view] [data-piece="${piece}"] a.title`)?.focus({ preventScroll: true });
}

// notice says on a page of one piece that it has changed.
function notice() {
  const el = document.querySelector("[data-watch]");
  if (el && (everything || queue.has(+el.dataset.watch))) el.hidden = false;
  queue = new Set(); everything = false;
}
