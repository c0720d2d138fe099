import { redraw } from "./draw.js";

// The editor of a route: every change is drawn anew by the server, from the form as
// it is; legs are moved by hand or with the buttons.
export const route = () => ({
  init() {
    this.$root.addEventListener("change", (e) => { if (!e.target.closest("[data-still]")) this.draw("draw"); });
    this.$root.addEventListener("click", (e) => {
      const b = e.target.closest("button[name=do]");
      if (b && b.value !== "save") { e.preventDefault(); this.draw(b.value); }
    });
    this.$root.addEventListener("keydown", (e) => {
      const item = e.target.closest("[data-leg]");
      if (!item || !e.altKey || !["ArrowUp", "ArrowDown"].includes(e.key)) return;
      e.preventDefault();
      this.draw((e.key === "ArrowUp" ? "earlier:" : "later:") + item.dataset.leg);
    });
    this.$root.addEventListener("pointerdown", (e) => this.lift(e));
    this.$root.addEventListener("pointermove", (e) => this.carry(e));
    this.$root.addEventListener("pointerup", () => this.put());
    this.$root.addEventListener("pointercancel", () => this.settle());
  },
  async draw(what) {
    const got = await redraw(this.$root, this.$refs.legs, what, (html) => html.includes("data-route-answer"));
    this.$refs.lost.hidden = got.drawn; // otherwise it is said that it could not be drawn, and what was typed stays
    if (got.drawn && !got.stayed) document.getElementById("name-" + what.split(":")[1])?.focus(); // a leg that is first now has no arrow up
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
    this.settle();
    if (over === undefined) return;
    const to = over > was ? over - 1 : over;
    if (to !== was) this.draw(`move:${key}:${to}`);
  },
  settle() {
    this.held?.classList.remove("lifted");
    for (const i of this.$root.querySelectorAll(".target")) i.classList.remove("target");
    this.held = null; this.over = undefined;
  },
});
