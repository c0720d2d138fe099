// The drawing of a piece: its flag and the ends of its legs can be taken to another
// day, by hand or with the arrow keys. What would follow is said while they are held.
import { json } from "./ask.js";
import { askWhat } from "./what.js";

export const chart = () => ({
  held: null,
  init() {
    const d = this.$root.dataset;
    this.dates = d.dates.split(",");
    this.left = +d.left; this.unit = +d.unit; this.width = +d.width;
    this.said = new Map();
    this.$root.addEventListener("pointerdown", (e) => this.grab(e));
    this.$root.addEventListener("pointermove", (e) => this.drag(e));
    this.$root.addEventListener("pointerup", (e) => this.drop(e));
    this.$root.addEventListener("pointercancel", () => this.reset());
    this.$root.addEventListener("keydown", (e) => this.key(e));
    this.$root.addEventListener("focusout",
      (e) => { if (this.held?.byKey && e.target === this.held.el && !document.getElementById("what").open) this.reset(); });
  },
  // take begins to move a handle. A leg's end stands behind its last day, the flag before its day.
  take(el, byKey) {
    this.reset();
    const from = this.dates.indexOf(el.dataset.date);
    if (from < 0) return;
    this.held = { el, byKey, from, at: from, kind: el.dataset.drag };
    el.classList.add("held");
  },
  grab(e) {
    const el = e.target.closest("[data-drag]");
    if (!el || e.button !== 0) return;
    e.preventDefault();
    this.take(el, false);
    if (!this.held) return;
    this.held.start = e.clientX;
    this.scale = this.$root.querySelector("svg").getBoundingClientRect().width / this.width;
    el.setPointerCapture(e.pointerId);
    el.focus({ preventScroll: true });
  },
  drag(e) {
    if (!this.held || this.held.byKey) return;
    const days = Math.round((e.clientX - this.held.start) / this.scale / this.unit);
    this.to(this.held.from + days, e.clientX, e.clientY);
  },
  drop() {
    if (!this.held || this.held.byKey) return;
    this.held.at === this.held.from ? this.reset() : this.open();
  },
  key(e) {
    const el = e.target.closest("[data-drag]");
    if (!el) return;
    const step = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1, PageUp: 5, PageDown: -5 }[e.key];
    if (step) {
      e.preventDefault(); e.stopPropagation();
      if (this.held?.el !== el) this.take(el, true);
      if (!this.held) return;
      const r = el.getBoundingClientRect();
      this.to(this.held.at + step, r.left, r.bottom);
    } else if (e.key === "Enter" && this.held?.el === el && this.held.at !== this.held.from) {
      e.preventDefault(); this.open();
    } else if (e.key === "Escape" && this.held) {
      e.preventDefault(); e.stopPropagation(); this.reset();
    }
  },
  to(at, x, y) {
    const h = this.held;
    at = Math.min(Math.max(at, 0), this.dates.length - 1);
    this.x = x; this.y = y;
    if (at === h.at) return this.place();
    h.at = at;
    h.el.setAttribute("transform", `translate(${(at - h.from) * this.unit},0)`);
    h.el.setAttribute("aria-valuetext", this.dates[at]);
    this.tell();
  },
  form() {
    const h = this.held, date = this.dates[h.at];
    const data = { do: h.kind, piece: this.$root.dataset.piece };
    return h.kind === "pin" ? { ...data, leg: h.el.dataset.leg, due: date } : { ...data, date };
  },
  async tell() {
    const h = this.held, at = h.at, query = new URLSearchParams(this.form()).toString();
    let lines = this.said.get(query);
    if (!lines) {
      lines = (await json(`/pieces/${this.$root.dataset.piece}/what?${query}`))?.lines;
      if (lines) this.said.set(query, lines);
      lines ??= [{ text: "What this would do could not be worked out just now.", tone: "short" }];
    }
    if (this.held !== h || h.at !== at || h.shown) return;
    const tip = this.$refs.tip;
    tip.replaceChildren(...lines.map((l) => { const p = document.createElement("p"); p.className = l.tone; p.textContent = l.text; return p; }));
    tip.hidden = false;
    this.place();
    this.$refs.told.textContent = lines.map((l) => l.text).join(" ");
  },
  place() {
    const tip = this.$refs.tip;
    if (tip.hidden) return;
    tip.style.left = Math.min(this.x + 14, innerWidth - tip.offsetWidth - 12) + "px";
    tip.style.top = Math.min(this.y + 18, innerHeight - tip.offsetHeight - 12) + "px";
  },
  open() {
    const data = new FormData();
    for (const [k, v] of Object.entries(this.form())) data.set(k, v);
    this.$refs.tip.hidden = true;
    this.held.shown = true;
    const el = this.held.el;
    askWhat(data, () => { this.reset(); el.focus(); });
  },
  reset() {
    if (!this.held) return;
    const { el } = this.held;
    el.removeAttribute("transform");
    el.classList.remove("held");
    this.held = null;
    this.$refs.tip.hidden = true;
  },
});
