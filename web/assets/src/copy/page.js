// The sheet one writes on, with its toolbar: of a copy, and of text in a form.
import Quill from "quill/core";
import { Attributor, Scope } from "parchment";
import Bold from "quill/formats/bold";
import Italic from "quill/formats/italic";
import Link from "quill/formats/link";
import Header from "quill/formats/header";
import List from "quill/formats/list";
import Blockquote from "quill/formats/blockquote";
import { Clip, matchers } from "./clip.js";

Link.PROTOCOL_WHITELIST = ["http", "https", "mailto"];
Quill.register({
  "formats/bold": Bold, "formats/italic": Italic, "formats/link": Link,
  "formats/header": Header, "formats/list": List, "formats/blockquote": Blockquote,
  "modules/clipboard": Clip,
  "formats/advice": new Attributor("advice", "data-advice", { scope: Scope.BLOCK }), // what an outline says of a paragraph while it is empty
}, true);

export class Page {
  constructor(root, label, placeholder, modules = {}) {
    this.root = root;
    this.quill = new Quill(root.querySelector("[data-editor]"), {
      placeholder,
      modules: { ...modules, clipboard: { ...modules.clipboard, matchers }, keyboard: { bindings: {
        tab: { key: "Tab", handler: () => true }, "indent code-block": null, indent: null, outdent: null,
        advised: { key: "Enter", format: ["advice"], handler: (range, at) => this.goOn(range, at) },
      } } },
    });
    this.quill.root.setAttribute("aria-label", label);
    this.quill.root.setAttribute("role", "textbox");
    this.quill.root.setAttribute("aria-multiline", "true");
    this.quill.on("editor-change", () => this.marks());
    this.toolbar();
  }

  // goOn begins another paragraph behind one with advice, without the advice.
  goOn(range, at) {
    if (range.length) this.quill.deleteText(range.index, range.length, "user");
    this.quill.insertText(range.index, "\n", { advice: at.format.advice }, "user");
    this.quill.formatLine(range.index + 1, 1, "advice", false, "user");
    this.quill.setSelection(range.index + 1, "silent");
    return false;
  }

  toolbar() {
    const bar = this.root.querySelector("[data-toolbar]");
    bar.addEventListener("mousedown", (e) => { if (e.target.closest("button")) e.preventDefault(); });
    bar.addEventListener("click", (e) => {
      const b = e.target.closest("button[data-format]");
      if (b) this.format(b.dataset.format, b.dataset.value);
    });
    this.link = this.root.querySelector("[data-link]");
    this.link.addEventListener("keydown", (e) => {
      if (e.key === "Enter") { e.preventDefault(); this.setLink(); }
      if (e.key === "Escape") this.closeLink();
    });
    this.link.querySelector("button").addEventListener("click", () => this.setLink());
  }

  format(name, value) {
    if (name === "link") return this.openLink();
    const now = this.at()[name];
    const want = value ? (name === "header" ? Number(value) : value) : true;
    this.quill.format(name, now === want ? false : want, "user");
    this.quill.focus();
    this.marks();
  }

  // at is how the words at the cursor are set.
  at(range = this.quill.getSelection(true)) { return this.quill.getFormat(range); }

  openLink() {
    this.range = this.quill.getSelection(true);
    const input = this.link.querySelector("input");
    input.value = this.at(this.range).link || "";
    this.link.hidden = false;
    input.focus();
  }

  setLink() {
    const to = this.link.querySelector("input").value.trim();
    this.quill.setSelection(this.range);
    if (to && this.range.length === 0) this.quill.insertText(this.range.index, to, "link", to, "user");
    else this.quill.format("link", to || false, "user");
    this.closeLink();
  }

  closeLink() { this.link.hidden = true; this.quill.focus(); }

  // marks shows on the toolbar how the words at the cursor are set.
  marks() {
    const range = this.quill.getSelection();
    if (!range) return;
    const at = this.at(range);
    for (const b of this.root.querySelectorAll("button[data-format]")) {
      const v = b.dataset.value;
      b.setAttribute("aria-pressed", String(v ? String(at[b.dataset.format]) === v : Boolean(at[b.dataset.format])));
    }
  }
}

// Typed is text that is sent with the form it stands in.
export class Typed extends Page {
  constructor(root) {
    super(root, "Text of the guide", "Write here. It is kept with the form.");
    const form = root.closest("form"), text = form.querySelector("[data-text]"), key = root.dataset.kept;
    const now = () => JSON.stringify(this.quill.getContents().ops);
    this.quill.setContents(JSON.parse(root.dataset.typed), "silent");
    const base = form.elements.base.value, first = now(), kept = JSON.parse(localStorage.getItem(key) || "null");
    if (kept && kept.base === base && kept.text !== first) { this.quill.setContents(JSON.parse(kept.text), "silent"); text.value = kept.text; }
    this.quill.history?.clear();
    this.quill.on("text-change", () => {
      text.value = now();
      try { localStorage.setItem(key, JSON.stringify({ base, text: text.value })); } catch { /* no room: it is still in the form */ }
    });
    form.addEventListener("submit", () => { text.value = now(); });
  }
}
