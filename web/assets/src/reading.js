// A copy that is read: words that are selected, by mouse, finger or key, can be asked about.
export const reading = () => ({
  at: null,
  init() {
    this.copy = this.$root.querySelector("[data-reading]");
    if (!this.copy || !this.$refs.bar) return;
    document.addEventListener("selectionchange", () => this.look());
  },
  // place gives where a point of the page is in the copy.
  place(node, offset) {
    if (node.nodeType === Node.TEXT_NODE) {
      const span = node.parentElement.closest("[data-at]");
      return span ? Number(span.dataset.at) + offset : null;
    }
    const next = node.childNodes[offset] ?? node;
    const span = next.nodeType === Node.ELEMENT_NODE ? next.matches("[data-at]") ? next : next.querySelector("[data-at]") : next.parentElement?.closest("[data-at]");
    return span ? Number(span.dataset.at) : null;
  },
  look() {
    const s = document.getSelection(), words = s.toString().trim();
    const inside = s.rangeCount && this.copy.contains(s.anchorNode) && this.copy.contains(s.focusNode);
    if (this.$refs.form.open) return;
    let from = null, to = null;
    if (inside && words) {
      const r = s.getRangeAt(0);
      from = this.place(r.startContainer, r.startOffset);
      to = this.place(r.endContainer, r.endOffset);
    }
    this.at = from !== null && to !== null && to > from ? { from, len: to - from, words } : null;
    this.$refs.bar.hidden = !this.at;
    if (this.at) this.$refs.words.textContent = words;
  },
  open() {
    if (!this.at) return;
    this.$refs.at.value = this.at.from;
    this.$refs.len.value = this.at.len;
    this.$refs.quote.textContent = this.at.words.length > 160 ? this.at.words.slice(0, 160) + "…" : this.at.words;
    this.$refs.bar.hidden = true;
    this.$refs.form.showModal();
  },
  shut() { this.$refs.form.close(); },
});
