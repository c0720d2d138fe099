// Rich text: the copy of a piece, which saves by itself, and what is sent with a form.
import Quill from "quill/core";
import { Attributor, Scope } from "parchment";
import Bold from "quill/formats/bold";
import Italic from "quill/formats/italic";
import Link from "quill/formats/link";
import Header from "quill/formats/header";
import List from "quill/formats/list";
import Blockquote from "quill/formats/blockquote";

Quill.register({
  "formats/bold": Bold, "formats/italic": Italic, "formats/link": Link,
  "formats/header": Header, "formats/list": List, "formats/blockquote": Blockquote,
  "formats/advice": new Attributor("advice", "data-advice", { scope: Scope.BLOCK }), // what an outline says of a paragraph while it is empty
});

const pause = 1200; // milliseconds after the last key until it is saved

// Page is the sheet one writes on, with its toolbar.
class Page {
  constructor(root, label, placeholder) {
    this.root = root;
    this.quill = new Quill(root.querySelector("[data-editor]"), {
      placeholder,
      formats: ["bold", "italic", "link", "header", "list", "blockquote", "advice"],
      modules: { keyboard: { bindings: {
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
    const now = this.quill.getFormat()[name];
    const want = value ? (name === "header" ? Number(value) : value) : true;
    this.quill.format(name, now === want ? false : want, "user");
    this.quill.focus();
    this.marks();
  }

  openLink() {
    this.range = this.quill.getSelection(true);
    const input = this.link.querySelector("input");
    input.value = this.quill.getFormat(this.range).link || "";
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
    const at = this.quill.getFormat(range);
    for (const b of this.root.querySelectorAll("button[data-format]")) {
      const v = b.dataset.value;
      b.setAttribute("aria-pressed", String(v ? String(at[b.dataset.format]) === v : Boolean(at[b.dataset.format])));
    }
  }
}

// Typed is text that is sent with the form it stands in.
class Typed extends Page {
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

class Copy extends Page {
  constructor(root) {
    super(root, "Copy", "Write here. It is saved as you type.");
    this.url = root.dataset.url;
    this.version = Number(root.dataset.version);
    this.key = "copy " + this.url;
    this.state = root.querySelector("[data-state]");
    this.words = root.querySelector("[data-words]");
    this.dirty = false;
    this.quill.setContents(JSON.parse(root.dataset.copy), "silent");
    this.quill.history?.clear();
    this.recover();
    this.quill.on("text-change", (d, o, source) => { if (source === "user") this.changed(); });
    addEventListener("pagehide", () => { if (this.dirty) this.send(true); });
    document.addEventListener("submit", (e) => this.beforeSubmit(e), true);
  }

  // recover brings back what could not be sent before the page was closed.
  recover() {
    const kept = localStorage.getItem(this.key);
    if (!kept) return;
    const { version, ops } = JSON.parse(kept);
    if (JSON.stringify(ops) === JSON.stringify(this.quill.getContents().ops)) return localStorage.removeItem(this.key);
    this.version = version; // if there is a newer one, both are kept
    this.quill.setContents(ops, "silent");
    this.changed();
  }

  changed() {
    this.dirty = true;
    this.say("Writing…");
    try { localStorage.setItem(this.key, JSON.stringify({ version: this.version, ops: this.quill.getContents().ops })); } catch { /* no room: it is still sent */ }
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.save(), pause);
  }

  async save() {
    if (this.saving) return this.saving;
    this.saving = this.send(false);
    try { return await this.saving; } finally { this.saving = null; if (this.dirty && !this.stopped) this.timer = setTimeout(() => this.save(), this.failed ? 4000 : pause); }
  }

  async send(leaving) {
    clearTimeout(this.timer);
    this.dirty = false;
    this.say("Saving…");
    try {
      const res = await fetch(this.url, {
        method: "POST", keepalive: leaving, headers: { "Content-Type": "application/json", Accept: "application/json" },
        body: JSON.stringify({ base: this.version, ops: this.quill.getContents().ops }),
      });
      const got = await res.json();
      if (!res.ok) { this.dirty = true; this.failed = true; return this.say(got.problem, true); }
      this.failed = false;
      this.version = got.version;
      if (!this.dirty) localStorage.removeItem(this.key);
      if (got.aside) return this.both();
      this.words.textContent = got.words.toLocaleString("en-GB") + (got.words === 1 ? " word" : " words");
      this.say(`Saved ${got.at}`);
    } catch {
      this.dirty = true;
      this.failed = true;
      this.say("Not saved: the house cannot be reached. It is tried again by itself; keep this page open.", true);
    }
  }

  // both tells that somebody else saved meanwhile; the page shows both texts.
  both() {
    this.stopped = true;
    this.quill.disable();
    this.root.querySelector("[data-both]").hidden = false;
    this.say("Kept beside the copy");
  }

  // beforeSubmit saves what is not saved yet before a form on the page is sent.
  async beforeSubmit(e) {
    if (!this.dirty && !this.saving) return;
    e.preventDefault();
    e.stopPropagation();
    await this.saving;
    if (this.dirty) await this.save();
    if (!this.failed && !this.stopped) e.target.requestSubmit(e.submitter);
  }

  say(text, bad) {
    this.state.textContent = text;
    this.state.classList.toggle("text-short", Boolean(bad));
  }
}

for (const root of document.querySelectorAll("[data-copy]")) new Copy(root);
for (const root of document.querySelectorAll("[data-typed]")) new Typed(root);
