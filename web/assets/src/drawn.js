import { redraw } from "./draw.js";

// A form whose parts follow from what is chosen in it: every choice is sent, and the
// house draws the form anew as it is then. Without scripts its buttons do the same.
export const drawn = () => ({
  init() {
    this.$root.addEventListener("change", (e) => { if (e.target.closest("[data-draw]")) this.draw("draw", e.target); });
    this.$root.addEventListener("click", (e) => {
      const b = e.target.closest("button[name=do]");
      if (b && !["save", "try"].includes(b.value)) { e.preventDefault(); this.draw(b.value, b); }
    });
  },
  draw(what, from) {
    const all = () => [...this.$refs.body.querySelectorAll("select, input:not([type=hidden]), textarea, button")];
    const same = (e) => e.name === from.name && (e.name !== "do" || e.value === from.value), at = all().filter(same).indexOf(from);
    return redraw(this.$root, what, (html) => {
      this.$refs.lost.hidden = html.includes("data-reads"); // otherwise it is said that it could not be drawn
      if (!this.$refs.lost.hidden) return; // what was typed stays as it is
      const on = document.activeElement, moved = on !== from && on !== document.body && this.$refs.body.contains(on) && { i: all().indexOf(on), name: on.name };
      this.$refs.body.innerHTML = html;
      const like = all().filter(same), other = moved && all()[moved.i];
      (other && other.name === moved.name ? other : like[at] ?? like.at(-1))?.focus();
    });
  },
});
