// What is found in the copy: each finding leads to its place, and what could be there
// instead is put there with one press.
import { part, post, unanswered } from "../ask.js";
import { put } from "../put.js";

export class Checks {
  constructor(root, copy) {
    this.root = root; this.copy = copy; this.url = root.dataset.checks;
    copy.root.addEventListener("copy", (e) => { this.carry(e.detail); this.soon(1200); });
    copy.root.addEventListener("look", () => this.soon(300));
    root.addEventListener("click", (e) => { const b = e.target.closest("[data-jump]"); if (b) this.jump(b); });
    root.addEventListener("submit", (e) => this.submit(e), true);
  }

  // carry takes the places of what was found through a change of the text.
  carry(delta) {
    if (!delta) return;
    for (const b of this.root.querySelectorAll("[data-jump]")) {
      const at = Number(b.dataset.jump), end = delta.transformPosition(at + Number(b.dataset.len));
      b.dataset.jump = delta.transformPosition(at);
      b.dataset.len = Math.max(0, end - b.dataset.jump);
    }
  }

  soon(ms) { clearTimeout(this.timer); this.timer = setTimeout(() => this.draw(), ms); }

  async draw() {
    if (this.copy.line.waiting || !this.copy.line.open) return this.soon(600);
    const got = await part(this.url);
    if (!got?.ok || this.copy.line.waiting || got.text === this.html) return; // it is looked at again with the next change
    this.html = got.text;
    put(this.root, got.text);
  }

  jump(b) {
    const q = this.copy.quill, at = Number(b.dataset.jump), len = Number(b.dataset.len);
    if (b.dataset.instead !== undefined && len) {
      const was = q.getText(at, len), to = b.dataset.instead;
      const text = /^\p{Lu}/u.test(was) && to ? to[0].toUpperCase() + to.slice(1) : to;
      q.updateContents([{ retain: at }, { insert: text }, { delete: len }].filter((op) => op.retain !== 0), "user");
      q.setSelection(at, text.length, "user");
    } else q.setSelection(at, len, "user");
    q.scrollSelectionIntoView();
    q.focus();
  }

  async submit(e) {
    e.preventDefault();
    e.stopPropagation();
    const res = await post(e.target.action, new URLSearchParams(new FormData(e.target, e.submitter)));
    if (!res?.ok) this.copy.refused(res?.json?.problem ?? unanswered, []);
    this.draw();
  }
}
