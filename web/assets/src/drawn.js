import { redraw } from "./draw.js";

// A form whose parts follow from what is chosen in it: every choice is sent, and the
// house draws the form anew as it is then. Without scripts its buttons do the same.
export const drawn = () => ({
  init() {
    this.$root.addEventListener("change", (e) => { if (e.target.closest("[data-draw]")) this.draw("draw"); });
    this.$root.addEventListener("click", (e) => {
      const b = e.target.closest("button[name=do]");
      if (b && !["save", "try"].includes(b.value)) { e.preventDefault(); this.draw(b.value); }
    });
  },
  async draw(what) {
    const got = await redraw(this.$root, this.$refs.body, what, (html) => html.includes("data-reads"));
    this.$refs.lost.hidden = got.drawn; // otherwise it is said that it could not be drawn, and what was typed stays
    if (got.drawn && !got.stayed) [...this.$refs.body.querySelectorAll("select, input:not([type=hidden]), textarea")].at(-1)?.focus();
  },
});
