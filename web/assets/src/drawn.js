import { drawAnew } from "./draw.js";

// A form whose parts follow from what is chosen in it: every choice is sent, and the
// house draws the form anew as it is then. Without scripts its buttons do the same.
export const drawn = () => ({
  asked: 0,
  init() {
    this.$root.addEventListener("change", (e) => { if (e.target.closest("[data-draw]")) this.draw("draw", e.target); });
    this.$root.addEventListener("click", (e) => {
      const b = e.target.closest("button[name=do]");
      if (b && !["save", "try"].includes(b.value)) { e.preventDefault(); this.draw(b.value, b); }
    });
  },
  async draw(what, from) {
    const turn = ++this.asked, all = () => [...this.$refs.body.querySelectorAll("select, input:not([type=hidden]), textarea, button")];
    const same = (e) => e.name === from.name && (e.name !== "do" || e.value === from.value), at = all().filter(same).indexOf(from);
    const html = await drawAnew(this.$root, what);
    if (turn !== this.asked) return;
    this.$refs.lost.hidden = html.includes("data-reads"); // otherwise it is said that it could not be drawn
    if (!this.$refs.lost.hidden) return; // what was typed stays as it is
    this.$refs.body.innerHTML = html;
    const like = all().filter(same);
    (like[at] ?? like.at(-1))?.focus();
  },
});
