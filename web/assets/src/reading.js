// A copy that is read: words that are selected, by mouse, finger or key, can be asked about,
// and the point of a picture that is pressed.
export const reading = () => ({
  at: null,
  init() {
    this.copy = this.$root.querySelector("[data-reading]");
    if (!this.copy || !this.$refs.bar) return;
    document.addEventListener("selectionchange", () => this.look());
    for (const img of this.copy.querySelectorAll("figure img")) {
      img.dataset.file = /\/pictures\/(\d+)/.exec(img.src)?.[1] ?? "";
      img.tabIndex = 0; img.role = "button"; img.ariaDescription = "Ask about this picture";
      img.addEventListener("click", (e) => this.point(img, e));
      img.addEventListener("keydown", (e) => { if (["Enter", " "].includes(e.key)) { e.preventDefault(); this.point(img); } });
    }
  },
  // place gives where a point of the page is in the copy.
  place(node, offset) {
    if (node.nodeType === Node.TEXT_NODE) {
      const span = node.parentElement.closest("[data-at]");
      return span ? Number(span.dataset.at) + offset : null;
    }
    const next = node.childNodes[offset] ?? node;
    const span = next.nodeType === Node.ELEMENT_NODE ? next.matches("[data-at]") ? next : next.querySelector("[data-at]")
      : next.parentElement?.closest("[data-at]");
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
  // point opens the form for a query about a point of a picture; by key about its middle.
  point(img, e) {
    const r = img.getBoundingClientRect(), part = (v, from, size) => Math.min(100, Math.max(0, Math.round(((v - from) / size) * 100)));
    this.$refs.file.value = img.dataset.file;
    this.$refs.x.value = e ? part(e.clientX, r.left, r.width) : 50;
    this.$refs.y.value = e ? part(e.clientY, r.top, r.height) : 50;
    this.$refs.at.value = this.$refs.len.value = 0;
    this.$refs.what.textContent = e ? "Ask about this point of the picture" : "Ask about this picture";
    this.$refs.send.textContent = "Ask about it";
    this.$refs.quoted.hidden = true;
    this.$refs.form.showModal();
  },
  open() {
    if (!this.at) return;
    this.$refs.file.value = "";
    this.$refs.what.textContent = "Ask about these words";
    this.$refs.send.textContent = "Ask about them";
    this.$refs.quoted.hidden = false;
    this.$refs.at.value = this.at.from;
    this.$refs.len.value = this.at.len;
    this.$refs.quote.textContent = this.at.words.length > 160 ? this.at.words.slice(0, 160) + "…" : this.at.words;
    this.$refs.bar.hidden = true;
    this.$refs.form.showModal();
  },
  shut() { this.$refs.form.close(); },
});
