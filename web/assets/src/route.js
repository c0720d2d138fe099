import { redraw } from "./draw.js";

// The editor of a route: every change is drawn anew by the server, from the form as
// it is; legs are moved by hand or with the buttons.
export const route = () => ({
  init() {
    this.$root.addEventListener("change", (e) => { if (!e.target.closest("[data-still]")) this.draw("draw", e.target); });
    this.$root.addEventListener("click", (e) => {
      const b = e.target.closest("button[name=do]");
      if (b && b.value !== "save") { e.preventDefault(); this.draw(b.value, b); }
    });
    this.$root.addEventListener("keydown", (e) => {
      const item = e.target.closest("[data-leg]");
      if (!item || !e.altKey || !["ArrowUp", "ArrowDown"].includes(e.key)) return;
      e.preventDefault();
      this.draw((e.key === "ArrowUp" ? "earlier:" : "later:") + item.dataset.leg, e.target);
    });
    this.$root.addEventListener("pointerdown", (e) => this.lift(e));
    this.$root.addEventListener("pointermove", (e) => this.carry(e));
    this.$root.addEventListener("pointerup", () => this.put());
    this.$root.addEventListener("pointercancel", () => this.settle());
  },
  draw(what, from) {
    const of = (e) => [e.name === "do" ? e.value : e.name, e.id], [was, wasId] = of(from);
    return redraw(this.$root, what, (html) => {
      this.$refs.lost.hidden = html.includes("data-route-answer");
      if (!this.$refs.lost.hidden) return; // what was typed stays as it is
      const on = document.activeElement, [focus, id] = on !== from && on?.name && this.$root.contains(on) ? of(on) : [was, wasId];
      const open = [...this.$root.querySelectorAll("details[open][data-more]")].map((d) => d.dataset.more);
      this.$refs.legs.innerHTML = html;
      for (const k of open) { const d = this.$root.querySelector(`[data-more="${CSS.escape(k)}"]`); if (d) d.open = true; }
      const again = (id && document.getElementById(id)) || [...this.$root.querySelectorAll("[name]")].find((e) => e.name === "do" ? e.value === focus : e.name === focus);
      (again ?? this.$root.querySelector("[data-new] input"))?.focus();
    });
  },
  lift(e) {
    const grip = e.target.closest("[data-grip]");
    if (!grip || e.button !== 0) return;
    e.preventDefault();
    this.held = grip.closest("[data-leg]");
    this.held.classList.add("lifted");
    grip.setPointerCapture(e.pointerId);
  },
  carry(e) {
    if (!this.held) return;
    const items = [...this.$root.querySelectorAll("[data-leg]")];
    this.over = items.filter((i) => e.clientY > i.getBoundingClientRect().top + i.offsetHeight / 2).length;
    items.forEach((i, k) => i.classList.toggle("target", k === this.over && i !== this.held));
  },
  put() {
    if (!this.held) return;
    const key = this.held.dataset.leg, was = [...this.$root.querySelectorAll("[data-leg]")].indexOf(this.held), over = this.over;
    const grip = this.held.querySelector("[data-grip]");
    this.settle();
    if (over === undefined) return;
    const to = over > was ? over - 1 : over;
    if (to !== was) this.draw(`move:${key}:${to}`, grip);
  },
  settle() {
    this.held?.classList.remove("lifted");
    for (const i of this.$root.querySelectorAll(".target")) i.classList.remove("target");
    this.held = null; this.over = undefined;
  },
});
