// Finding as one types: what is found appears below the field, and the arrow keys go
// through it.
import { part } from "./ask.js";

export const find = () => ({
  asked: 0,
  init() {
    const input = this.$refs.words, box = this.$refs.found;
    input.addEventListener("input", () => { clearTimeout(this.timer); this.timer = setTimeout(() => this.look(), 60); });
    input.addEventListener("focus", () => { if (box.childElementCount) this.show(true); });
    this.$root.addEventListener("focusout", (e) => { if (!this.$root.contains(e.relatedTarget)) this.show(false); });
    this.$root.addEventListener("keydown", (e) => this.key(e));
  },
  async look() {
    const input = this.$refs.words, turn = ++this.asked, q = input.value.trim();
    if (!q) { this.$refs.found.replaceChildren(); return this.show(false); }
    const got = await part("/find?q=" + encodeURIComponent(q));
    if (turn !== this.asked || !got?.ok) return; // Enter asks again
    this.$refs.found.innerHTML = got.text;
    const n = this.$refs.found.querySelectorAll("a").length;
    this.$refs.count.textContent = n ? `${n} found, go down to them with the arrow keys` : "Nothing found";
    this.show(document.activeElement === input);
  },
  show(on) { this.$refs.found.hidden = !on; this.$refs.words.setAttribute("aria-expanded", String(on)); },
  key(e) {
    const links = [...this.$refs.found.querySelectorAll("a")], at = links.indexOf(document.activeElement);
    if (e.key === "Escape") { this.show(false); this.$refs.words.focus(); this.show(false); }
    else if (e.key === "ArrowDown" && links.length) { e.preventDefault(); this.show(true); links[Math.min(at + 1, links.length - 1)].focus(); }
    else if (e.key === "ArrowUp" && at >= 0) { e.preventDefault(); (links[at - 1] ?? this.$refs.words).focus(); }
  },
});
