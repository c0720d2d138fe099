// What stands beside the copy: queries, and what is proposed. It is drawn by the house;
// here the two are tied together, and everything can be done by key.
import Quill from "quill/core";
import { ask, notArrived, part, post, unanswered } from "../ask.js";
import { done } from "../foot.js";
import { put } from "../put.js";

const parts = { A: "ask", N: "next", P: "previous", T: "take", L: "leave", R: "read" };

// marksOn gives whose marks an element of the copy has: the keys of proposals, and queries.
const marksOn = (el) => new Set([...el.attributes].flatMap(({ name, value }) => {
  const [, kind, key] = /^data-(?:break-)?(put|cut|set|query)(?:-(.+))?$/.exec(name) ?? [];
  return kind === "put" ? [value] : kind === "query" && key ? ["query " + key] : key ? [key] : [];
}));

// near is how far before a place a note begins; one that begins behind it is further than all others.
const near = (note, at) => (Number(note.dataset.at) <= at ? at - Number(note.dataset.at) : 1e9);

export class Margin {
  constructor(root, copy) {
    this.root = root; this.copy = copy; this.url = root.dataset.margin;
    this.sending = new Set();
    this.notes = root.querySelector("[data-notes]");
    this.form = root.querySelector("[data-ask]");
    const sheet = copy.root;
    sheet.addEventListener("copy", () => { if (this.marked()) this.soon(350); });
    sheet.addEventListener("look", () => this.soon(60));
    root.addEventListener("submit", (e) => this.submit(e), true);
    root.addEventListener("click", (e) => this.click(e));
    sheet.addEventListener("click", (e) => this.onWords(e));
    sheet.querySelector("[data-ask-button]")?.addEventListener("click", () => this.ask());
    this.form?.addEventListener("keydown", (e) => { if (e.key === "Escape") this.close(); });
    this.form?.querySelector("[data-close]")?.addEventListener("click", () => this.close());
    document.addEventListener("keydown", (e) => this.key(e));
    addEventListener("resize", () => this.badges());
    new ResizeObserver(() => this.badges()).observe(copy.quill.root);
    this.badges();
    if (location.hash.startsWith("#query-")) this.show(document.getElementById(location.hash.slice(1)));
  }

  // marked reports whether there is, or was, anything beside the copy.
  marked() { return Boolean(this.copy.quill.root.querySelector(".is-put, .is-cut, .is-set, .is-asked") || this.notes.querySelector(".noted")); }

  soon(ms) { clearTimeout(this.timer); this.timer = setTimeout(() => this.draw(), ms); this.badges(); }

  // draw asks for what stands beside the copy now, and keeps what is being typed there.
  async draw() {
    if (this.copy.line.waiting) return this.soon(200);
    const got = await part(this.url);
    if (!got?.ok) return; // it is drawn when there is a connection again
    const html = got.text;
    if (html === this.html) return;
    this.html = html;
    put(this.notes, html);
    this.badges();
    this.notes.dispatchEvent(new CustomEvent("drawn-margin", { bubbles: true }));
  }

  // place gives the element of the copy that a note is about.
  place(note) {
    const on = this.copy.quill.root;
    if (note.dataset.picture) return on.querySelector(`.picture[data-file="${CSS.escape(note.dataset.picture)}"]`);
    if (note.dataset.query) return on.querySelector(`[data-query-${CSS.escape(note.dataset.query)}]`);
    const keys = note.dataset.proposal.split(" "), [leaf] = this.copy.quill.getLeaf(Number(note.dataset.at) + 1);
    for (let el = leaf?.domNode.parentElement; el && el !== on; el = el.parentElement) { // one key has many places
      if (keys.some((k) => marksOn(el).has(k))) return el;
    }
    for (const key of keys) { // the text has moved on since the note was drawn
      const k = CSS.escape(key), marked = ["put", "cut", "set"].flatMap((m) => [m, "break-" + m]);
      const el = on.querySelector(marked.map((m) => (m.endsWith("put") ? `[data-${m}="${k}"]` : `[data-${m}-${k}]`)).join());
      if (el) return el;
    }
    return null;
  }

  // badges puts the number of each query behind its words.
  badges() {
    cancelAnimationFrame(this.frame);
    this.frame = requestAnimationFrame(() => {
      const box = this.copy.root.querySelector("[data-badges]"), origin = box.getBoundingClientRect();
      box.replaceChildren(...[...this.notes.querySelectorAll(".noted[data-query]:not(.is-settled)")].flatMap((note) => {
        const no = note.querySelector(".no")?.textContent;
        if (note.dataset.picture) return this.pinned(note, no, origin);
        const all = this.copy.quill.root.querySelectorAll(`[data-query-${CSS.escape(note.dataset.query)}]`), last = all[all.length - 1];
        if (!last || !no) return [];
        const rects = last.getClientRects(), r = rects[rects.length - 1];
        if (!r) return []; // the copy is out of sight
        const b = document.createElement("span");
        b.className = "no badge-no"; b.textContent = no;
        b.style.transform = `translate(${r.right - origin.left - 2}px, ${r.top - origin.top - 8}px)`;
        return [b];
      }));
    });
  }

  // pinned puts the number of a query on the point of a picture that it is about.
  pinned(note, no, origin) {
    const img = this.copy.quill.root.querySelector(`.picture[data-file="${CSS.escape(note.dataset.picture)}"] img`), r = img?.getBoundingClientRect();
    if (!r?.width || !no) return [];
    const b = document.createElement("span");
    b.className = "no badge-no"; b.textContent = no;
    const x = r.left - origin.left + (r.width * note.dataset.x) / 100 - 8, y = r.top - origin.top + (r.height * note.dataset.y) / 100 - 8;
    b.style.transform = `translate(${x}px, ${y}px)`;
    return [b];
  }

  // show brings a note and its words into view.
  show(note) {
    if (!note) return;
    note.closest("details")?.setAttribute("open", "");
    for (const el of document.querySelectorAll(".is-here")) el.classList.remove("is-here");
    const on = this.place(note);
    on?.classList.add("is-here");
    (on ?? note).scrollIntoView({ block: "center" });
    note.scrollIntoView({ block: "nearest" });
    note.focus({ preventScroll: true });
  }

  get list() { return [...this.notes.querySelectorAll("ol.notes > li > .noted:not(.is-settled)")]; }
  get at() { return document.activeElement?.closest?.(".noted") ?? this.notes.querySelector(".noted.is-at"); }

  step(by) {
    const list = this.list;
    if (!list.length) return;
    const i = list.indexOf(this.at);
    const to = list[i < 0 ? (by > 0 ? 0 : list.length - 1) : (i + by + list.length) % list.length];
    for (const n of list) n.classList.toggle("is-at", n === to);
    this.show(to);
  }

  next() { this.step(1); }
  previous() { this.step(-1); }
  take() { this.at?.querySelector("[name=do][value=take]")?.click(); }
  leave() { this.at?.querySelector("[name=do][value=leave]")?.click(); }
  read() { this.root.querySelector("[data-taken-toggle]")?.click(); }

  key(e) {
    if (!e.altKey || e.ctrlKey || e.metaKey || e.shiftKey) return;
    const act = parts[e.code.replace("Key", "")];
    if (!act || !e.code.startsWith("Key")) return;
    e.preventDefault();
    this[act]();
  }

  // ask opens the form for a query about the words that are chosen, or the whole piece.
  ask() {
    if (!this.form) return;
    const q = this.copy.quill, range = q.getSelection() ?? this.copy.last;
    const words = range?.length ? q.getText(range.index, range.length).trim() : "";
    const picture = range?.length === 1 ? q.getContents(range.index, 1).ops[0]?.insert?.picture : null;
    const f = this.form;
    f.hidden = false;
    f.elements.about.value = picture ? "picture" : words ? "words" : "piece";
    f.elements.picture.value = picture ?? "";
    const point = picture && this.copy.pointed?.file === picture ? this.copy.pointed : { x: 50, y: 50 };
    f.elements.x.value = point.x; f.elements.y.value = point.y;
    this.copy.asked = range && { ...range };
    f.querySelector("[data-about]").textContent = picture ? "About the point you pressed on the picture" : words
      ? `About “${words.length > 90 ? words.slice(0, 89) + "…" : words}”` : "About the whole piece. Choose words first to ask about them.";
    f.scrollIntoView({ block: "nearest" });
    f.elements.text.focus();
  }

  close() {
    this.form.hidden = true;
    this.copy.quill.focus();
  }

  // submit sends a form that stands beside the copy, once for each time it is answered.
  async submit(e) {
    e.preventDefault();
    e.stopPropagation();
    const form = e.target, about = form === this.form ? this.copy.asked : null, says = new URLSearchParams(new FormData(form, e.submitter));
    const what = `${form.action} ${says} ${about?.index} ${about?.length}`;
    if (this.sending.has(what)) return;
    this.sending.add(what);
    if (about) this.copy.asking.add(about);
    this.root.ariaBusy = "true";
    try {
      await this.send(form, new FormData(form, e.submitter), about);
    } finally {
      this.sending.delete(what);
      this.copy.asking.delete(about);
      if (!this.sending.size) this.root.ariaBusy = null;
    }
  }

  // send sends what stood in a form when it was pressed, once the text has arrived.
  async send(form, data, about) {
    const text = data.get("text"), i = this.list.indexOf(form.closest(".noted")); // which may be gone when the answer comes
    if (!(await this.copy.rested())) return this.copy.refused(notArrived, []);
    if (about) { // where the words are, by the text as the house has it now
      data.set("seq", this.copy.line.seq); data.set("at", about.index); data.set("len", about.length);
    }
    const problem = form.querySelector("[data-problem]");
    const res = await post(form.action, data), got = res?.json;
    if (res?.ok && got) {
      done(/\/(settle|proposals)$/.test(form.action) ? got : { said: got.said });
      if ((form.elements.text?.value ?? null) === text) { // otherwise something else stands in it by now
        form.reset();
        if (form === this.form) this.form.hidden = true;
      }
      form.closest("details")?.removeAttribute("open");
      if (problem) problem.hidden = true;
      await this.draw();
      const again = this.list;
      if (i >= 0 && again.length && form.matches(".acts")) this.show(again[Math.min(i, again.length - 1)]); // the next one to decide on
    } else {
      const why = got?.problem ?? unanswered;
      if (problem) { problem.textContent = why; problem.hidden = false; } else this.copy.refused(why, []);
    }
  }

  async click(e) {
    const read = e.target.closest("[data-taken-toggle]");
    if (read) return this.readTaken();
    if (e.target.closest("a, button, summary, textarea, input, select, label, form:not(.acts)")) return;
    const note = e.target.closest(".noted");
    if (note) this.show(note);
  }

  // onWords finds the note that belongs to marked words: by the innermost mark on them, and of what is proposed
  // under one key in many places, that which begins last before them.
  onWords(e) {
    if (getSelection().toString()) return;
    const editor = this.copy.quill.root, notes = [...this.notes.querySelectorAll(".noted")];
    let note = null;
    for (let el = e.target; el && el !== editor && editor.contains(el) && !note; el = el.parentElement) {
      const keys = marksOn(el), blot = keys.size && Quill.find(el), at = blot ? this.copy.quill.getIndex(blot) : 0;
      note = notes.find((n) => n.dataset.query && keys.has("query " + n.dataset.query))
        ?? notes.filter((n) => n.dataset.proposal?.split(" ").some((k) => keys.has(k)))
          .sort((a, b) => near(a, at) - near(b, at))[0];
    }
    if (!note) return;
    for (const n of this.list) n.classList.toggle("is-at", n === note);
    note.scrollIntoView({ block: "nearest" });
  }

  async readTaken() {
    const box = this.copy.root.querySelector("[data-as-taken]"), on = box.hidden;
    if (on) {
      const got = await ask(this.copy.line.url + "/taken");
      if (!got?.ok) return;
      box.innerHTML = got.text;
    }
    box.hidden = !on;
    this.copy.root.querySelector("[data-writing]").hidden = on;
    for (const b of this.root.querySelectorAll("[data-taken-toggle]")) {
      b.setAttribute("aria-pressed", String(on));
      b.textContent = on ? "Back to the proposals" : "Read as if taken";
    }
  }
}
