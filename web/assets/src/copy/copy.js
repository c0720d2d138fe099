// The copy of a piece: several people write in it at once, or propose.
import Quill from "quill/core";
import Delta from "quill-delta";
import History from "quill/modules/history";
import { notArrived } from "../ask.js";
import { Page } from "./page.js";
import { Line } from "./line.js";
import { meet } from "./marks.js";
import { asSet, fit, keyNear, plain, propose, set } from "./proposal.js";

// Steps are what can be taken back: what one did oneself, in the form in which it went
// onto the copy.
class Steps extends History {
  record(change, old) { if (!this.held) super.record(change, old); }
}
Quill.register("modules/history", Steps, true);

// wordsIn counts the words of a part of a copy with proposals left.
const wordsIn = (delta) => delta.ops.map((op) => (typeof op.insert !== "string" ? " " : op.attributes?.put ? "" : op.insert)).join("")
  .split(/\s+/).filter((w) => /[\p{L}\p{N}]/u.test(w)).length;

// grows is by how much a change makes the text longer.
const grows = (delta) => delta.ops.reduce((n, op) => n + (op.insert === undefined ? -(op.delete ?? 0) : op.insert.length ?? 1), 0);

export class Copy extends Page {
  constructor(root) {
    super(root, "Copy", "Write here. It is kept as you type.",
      { history: { userOnly: true, delay: 900, maxStack: 500 }, clipboard: { proposes: () => (this.writing ? 0 : this.me) } });
    this.me = Number(root.dataset.me);
    this.ahead = Number(root.dataset.now) - Date.now(); // how far the house's clock is from this one
    this.quill.setContents(meet(new Delta(JSON.parse(root.dataset.copy))), "silent");
    this.quill.history.clear();
    this.state = root.querySelector("[data-state]");
    this.mode = root.querySelector("[data-mode]");
    this.others = new Map();
    this.writing = root.dataset.writes === "yes";
    this.line = new Line(root.dataset.url, this.me, Number(root.dataset.seq), this.quill.getContents(), {
      changed: (delta) => this.theirs(delta),
      state: () => this.say(),
      composing: () => Boolean(this.quill.composition?.isComposing),
      anew: (doc) => { this.quill.setContents(meet(doc), "silent"); this.quill.history.clear(); this.dispatch(); },
      heard: (m) => this.hear(m),
      refused: (problem, ops) => this.refused(problem, ops),
    });
    this.line.rights = { writes: this.writing };
    this.quill.history.held = true;
    this.quill.on("text-change", (delta, old, source) => { if (source === "user") this.typed(delta, old); });
    this.quill.on("editor-change", () => this.moved(this.quill.getSelection()));
    this.quill.root.addEventListener("keydown", (e) => { this.forward = e.key === "Delete"; });
    this.quill.on("composition-end", () => setTimeout(() => this.line.catchUp())); // once it is made
    this.quill.root.addEventListener("blur", () => this.moved(null));
    this.mode?.addEventListener("click", () => this.turn());
    this.held = new Set(); // forms that wait to be sent
    this.asking = new Set(); // words that queries on their way are about
    document.addEventListener("submit", (e) => this.beforeSubmit(e), true);
    addEventListener("resize", () => this.draw());
    this.show();
    this.headings();
    root.querySelector("[data-outline]").addEventListener("toggle", () => this.headings());
    const alone = root.querySelector("[data-alone]");
    alone.addEventListener("click", () => {
      const on = document.body.classList.toggle("only-copy");
      alone.setAttribute("aria-pressed", String(on));
      alone.textContent = on ? "Everything again" : "Only the copy";
      this.quill.focus();
      this.draw();
    });
    document.addEventListener("keydown", (e) => {
      if (e.altKey && !e.ctrlKey && !e.metaKey && !e.shiftKey && e.code === "KeyD") { e.preventDefault(); alone.click(); }
    });
  }

  // headings lists the headings of the copy, to jump to.
  headings() {
    const list = this.root.querySelector("[data-headings]"), all = [...this.quill.root.querySelectorAll("h2, h3, h4")].filter((h) => h.textContent.trim());
    this.root.querySelector("[data-no-outline]").hidden = all.length > 0;
    list.replaceChildren(...all.map((h) => {
      const li = document.createElement("li"), b = document.createElement("button");
      b.type = "button"; b.className = "link !font-normal !text-ink text-left"; b.textContent = h.textContent;
      li.style.paddingLeft = `${(Number(h.tagName[1]) - 2) * 14}px`;
      b.addEventListener("click", () => {
        list.closest("details").open = false;
        this.quill.setSelection(this.quill.getIndex(Quill.find(h)), 0, "user");
        h.scrollIntoView({ block: "center" });
        this.quill.focus();
      });
      li.append(b);
      return li;
    }));
  }

  // typed makes of what the hand did what goes onto the copy: the words, or proposals.
  typed(delta, old) {
    const steps = this.quill.history;
    if (steps.ignoreChange) return this.send(delta); // a step back or forth is what it says
    const keeps = this.quill.clipboard.keeps, typed = fit(keeps ? delta : set(old, delta));
    const want = this.writing ? plain(old, typed, keeps) : propose(old, typed, keyNear(old, typed, this.me, Date.now() + this.ahead), keeps);
    const mend = delta.invert(old).compose(want);
    if (mend.ops.length) {
      meet(want);
      const at = this.quill.getSelection();
      steps.ignoreChange = true;
      this.quill.updateContents(mend, "silent");
      steps.ignoreChange = false;
      if (at) this.quill.setSelection(this.after(at.index, delta, typed, want), 0, "silent");
    }
    steps.held = false;
    steps.record(want, old);
    steps.held = true;
    this.send(want);
  }

  // asProposal gives an edit of a text as the proposal of it that this page would make.
  asProposal(old, edit, key) { return propose(new Delta(old), new Delta(edit), key).ops; }

  // after gives where the cursor goes once an edit has become a proposal: behind what was
  // typed; before what is cut going back, behind it going forth.
  after(index, delta, typed, want) {
    index = Math.max(0, index + grows(typed) - grows(delta));
    if (this.writing) return index;
    const cut = delta.ops.some((op) => op.delete), put = delta.ops.some((op) => op.insert !== undefined);
    if (!cut) return index;
    let at = 0, end = index;
    for (const op of want.ops) {
      const n = typeof op.insert === "string" ? op.insert.length : op.insert ? 1 : op.retain ?? 0;
      at += n;
      if (op.insert !== undefined || (op.retain && op.attributes)) end = at;
    }
    return put || this.forward ? end : index;
  }

  send(change) {
    this.carry(change);
    this.line.local(change);
    this.dispatch(change);
  }

  // theirs puts in what others changed.
  theirs(delta) {
    this.quill.updateContents(meet(delta), "api");
    this.carry(delta);
    for (const o of this.others.values()) if (o.place) {
      const end = delta.transformPosition(o.place.At + o.place.Len);
      o.place.At = delta.transformPosition(o.place.At);
      o.place.Len = Math.max(0, end - o.place.At);
    }
    this.draw();
    this.dispatch(delta);
  }

  // carry takes the places that somebody has in mind through a change.
  carry(delta) {
    for (const r of new Set([this.last, this.asked, ...this.asking])) if (r) {
      const end = delta.transformPosition(r.index + r.length);
      r.index = delta.transformPosition(r.index);
      r.length = Math.max(0, end - r.index);
    }
  }

  // dispatch tells the rest of the page that the text is another.
  dispatch(detail) {
    this.root.dispatchEvent(new CustomEvent("copy", { bubbles: true, detail }));
    clearTimeout(this.counting);
    this.counting = setTimeout(() => this.count(), 200);
    clearTimeout(this.comparing);
    this.comparing = setTimeout(() => this.line.compare(this.quill.getContents().ops.map((op) =>
      (typeof op.insert === "string" ? op.insert : "")).join("")), 2500);
  }

  // count shows how many words the copy has with proposals left, against what is asked.
  count() {
    this.words = wordsIn(this.quill.getContents());
    this.showCount();
  }

  // showCount shows as well how many of them are chosen.
  showCount(range = this.quill.hasFocus() ? this.quill.getSelection() : null) {
    const n = this.words ??= wordsIn(this.quill.getContents());
    const some = range?.length ? wordsIn(this.quill.getContents(range.index, range.length)) : 0;
    this.root.querySelector("[data-words]").textContent =
      (some ? some.toLocaleString("en-GB") + " of " : "") + n.toLocaleString("en-GB") + (n === 1 ? " word" : " words");
  }

  hear(m) {
    if (m.hand) this.show();
    if (m.kind === "place" || m.kind === "left") {
      m.place && m.kind === "place" ? this.others.set(m.page, { who: m.who, place: m.place }) : this.others.delete(m.page);
      this.draw();
    }
    if (m.kind === "hello") { this.others.clear(); this.moved(this.quill.getSelection()); }
    if (m.kind === "look") this.root.dispatchEvent(new CustomEvent("look", { bubbles: true }));
  }

  moved(range) {
    if (range) this.last = { ...range };
    if (range?.length || this.chosen) { clearTimeout(this.choosing); this.choosing = setTimeout(() => this.showCount(), 120); }
    this.chosen = range?.length;
    clearTimeout(this.telling);
    this.telling = setTimeout(() => {
      if (!this.line.open) return;
      if (this.line.waiting) return this.moved(this.quill.getSelection()); // it is said on what the house knows
      this.line.via.send({ place: range ? { base: this.line.seq, at: range.index, len: range.length } : { base: this.line.seq, gone: true } });
    }, 60);
  }

  // draw shows where the others are.
  draw() {
    const box = this.root.querySelector("[data-others]");
    box.replaceChildren(...[...this.others.values()].filter((o) => o.place).map((o) => {
      const b = this.quill.getBounds(Math.min(o.place.At + o.place.Len, this.quill.getLength() - 1));
      const el = document.createElement("span");
      el.className = "there";
      el.style.transform = `translate(${b.left}px, ${b.top}px)`;
      el.style.height = `${b.height}px`;
      el.dataset.who = o.who.split(" ")[0];
      return el;
    }));
    const names = [...new Set([...this.others.values()].map((o) => o.who.split(" ")[0]))];
    this.root.querySelector("[data-here]").textContent = names.length ? `${names.join(", ")} ${names.length > 1 ? "are" : "is"} here too` : "";
  }

  // show makes the page as what one may do with the copy.
  show() {
    const r = this.line.rights;
    this.quill.enable(!r.reads);
    if (!r.writes) this.writing = false;
    if (!this.mode) return;
    this.mode.textContent = r.reads ? "Reading" : this.writing ? "Writing" : "Proposing";
    this.mode.disabled = !r.writes;
    this.mode.title = r.because || (r.reads ? "You can read this copy." : this.writing ? "What you type is the copy. Press to propose instead."
      : r.writes ? "What you type is proposed. Press to write instead." : "What you type is proposed to whoever writes.");
    this.root.classList.toggle("is-proposing", !this.writing && !r.reads);
    const why = this.root.querySelector("[data-because]");
    if (why) { why.textContent = r.because ?? ""; why.hidden = !r.because; }
  }

  turn() {
    if (!this.line.rights.writes) return;
    this.writing = !this.writing;
    this.quill.history.clear(); // a step back would be of the other kind
    this.show();
    this.quill.focus();
  }

  at(range) { return asSet(super.at(range)); }

  say() {
    const l = this.line;
    if (!l) return;
    const keeps = "What you type is kept here, and sent by itself.";
    const why = l.out ? "You are signed out. Sign in in another tab." : l.trouble && l.waiting ? l.trouble : l.open ? "" : "Not connected.";
    const text = why ? `${why} ${l.waiting ? keeps : "You can go on writing."}` : l.waiting ? "Saving…" : "Saved";
    this.state.textContent = text;
    this.state.classList.toggle("text-short", Boolean(why));
    if (l.open && !l.waiting) for (const go of this.idle ?? []) go();
    if (l.open && !l.waiting) this.idle = [];
  }

  // rested waits until everything is taken, some seconds at most.
  rested() {
    if (this.line.open && !this.line.waiting) return Promise.resolve(true);
    return new Promise((go) => { (this.idle ??= []).push(() => go(true)); setTimeout(() => go(false), 4000); });
  }

  // beforeSubmit lets what was typed arrive before a form on the page is sent.
  async beforeSubmit(e) {
    const form = e.target;
    if (!this.line.waiting || e.defaultPrevented || form.closest("[data-margin]")) return; // what stands beside the copy waits by itself
    e.preventDefault();
    e.stopPropagation();
    if (this.held.has(form)) return; // pressed again meanwhile
    this.held.add(form);
    const arrived = await this.rested();
    this.held.delete(form);
    if (arrived && form.isConnected) form.requestSubmit(e.submitter);
    else this.refused(notArrived, []);
  }

  // refused gives back to whoever typed it what the house did not take.
  refused(problem, ops) {
    const text = ops.map((op) => (typeof op.insert === "string" ? op.insert : "")).join("").trim();
    const box = this.root.querySelector("[data-refused]");
    box.hidden = false;
    box.querySelector("p").textContent = problem + (text ? " What you typed:" : "");
    const kept = box.querySelector("textarea");
    kept.hidden = !text;
    kept.value += (kept.value && text ? "\n" : "") + text;
  }
}
