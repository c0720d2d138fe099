// The line between an open copy and the house. What is changed here goes out one edit at
// a time; what others change comes in, in the order the house gives it, and each is put
// behind the other so that all come to the same text. What is not yet taken is kept in
// this browser, and sent again after a break, a reload or a crash.
import Delta from "quill-delta";
import { ask } from "../ask.js";
import { whole } from "./proposal.js";
import { Polls, Socket } from "./transport.js";

const rest = 1500; // milliseconds until a lost line is made again
const plainFor = 10 * 60_000; // for how long plain requests are used once no WebSocket came through
const locks = navigator.locks; // tells whether another tab that wrote is still open

export class Line {
  // how: changed(delta) puts in what others changed; state() is told when something about
  // the line changed; heard(message) gets everything else; refused(problem) what was not taken.
  constructor(url, me, seq, doc, how) {
    this.url = url; this.me = me; this.seq = seq; this.how = how;
    this.doc = doc; // as the house has it
    this.page = Math.random().toString(36).slice(2, 12) + Date.now().toString(36);
    this.turn = 0;
    this.sent = null; // on its way: { turn, change }
    this.pending = null; // not sent yet
    this.keys = `copy ${url} ${me} `; // what others typed in this browser is theirs to send
    this.key = this.keys + this.page;
    this.open = false;
    this.later = []; // what was heard while a character is being made of several keys
    this.rights = { writes: false };
    locks?.request(this.key, () => new Promise(() => {})); // held as long as this page lives
    this.recover();
    this.connect();
    addEventListener("pagehide", () => this.leave());
    addEventListener("pageshow", (e) => { if (e.persisted) { this.closed = false; this.connect(); } });
    addEventListener("online", () => this.connect());
  }

  get waiting() { return Boolean(this.sent || this.pending); }

  // local takes what was changed here.
  local(change) {
    this.pending = this.pending ? this.pending.compose(change) : change;
    if (!this.pending.ops.length) this.pending = null;
    this.keep();
    this.flush();
  }

  flush() {
    if (!this.open || this.sent || !this.pending) return this.how.state();
    this.sent = { turn: ++this.turn, change: whole(this.pending) };
    this.pending = null;
    this.keep();
    this.send();
    this.how.state();
  }

  send() { this.via.send({ edit: { page: this.page, turn: this.sent.turn, base: this.seq, change: this.sent.change.ops } }); }

  // keep stores what is not taken yet, so that it outlives the page.
  keep() {
    try {
      if (!this.waiting) return localStorage.removeItem(this.key);
      localStorage.setItem(this.key, JSON.stringify(this.unsent()));
    } catch { /* no room: it is still on this page */ }
  }

  // unsent is what is not taken yet, as the house takes it in one piece.
  unsent() {
    const edit = this.sent ?? { turn: this.turn + 1, change: whole(this.pending) };
    const then = this.sent && this.pending ? { turn: this.turn + 1, change: whole(this.pending).ops } : undefined;
    return { page: this.page, turn: edit.turn, base: this.seq, change: edit.change.ops, then, at: Date.now() };
  }

  // leave sends what is left when the page is closed; what does not arrive is sent by the
  // next page.
  leave() {
    if (this.waiting) this.post(this.unsent(), true);
    this.closed = true;
    this.via?.close();
    this.via = null;
  }

  post(edit, leaving) {
    return ask(this.url, { method: "POST", keepalive: leaving, headers: { "Content-Type": "application/json", Accept: "application/json" },
      body: JSON.stringify(edit) });
  }

  // recover sends what pages that are gone could not send.
  async recover() {
    for (const key of Object.keys(localStorage).filter((k) => k.startsWith(this.keys) && k !== this.key)) {
      const edit = JSON.parse(localStorage.getItem(key) || "null");
      if (!edit) continue;
      const gone = locks ? await locks.request(key, { ifAvailable: true }, (lock) => Boolean(lock)) : Date.now() - edit.at > 10_000;
      if (!gone) continue;
      const res = await this.post(edit); // without an answer, the next page tries again
      if (res?.ok && res.json) localStorage.removeItem(key);
      else if (res?.json && res.status < 500 && res.status !== 404 && res.status !== 401) {
        this.how.refused(res.json.problem, [edit.change, edit.then?.change ?? []].flat());
        localStorage.removeItem(key);
      }
    }
  }

  // connect makes the line: a WebSocket, or plain requests where two of those in a row did
  // not come through.
  connect() {
    if (this.closed || this.via) return;
    clearTimeout(this.timer);
    const plain = this.failed >= 2 || Date.now() - (sessionStorage.getItem("no socket") ?? 0) < plainFor;
    const via = new (plain ? Polls : Socket)(this.url, this.page, this.seq, {
      seq: () => this.seq,
      hear: (m) => {
        if (this.via !== via) return;
        if (plain) sessionStorage.setItem("no socket", Date.now());
        this.failed = 0;
        this.out = false;
        this.hear(m);
      },
      ended: (why) => {
        if (this.via !== via) return;
        if (plain && why === "closed") sessionStorage.removeItem("no socket"); // the other way is tried again
        this.failed = plain || why === "cut" ? 0 : (this.failed ?? 0) + 1;
        this.out = why === "out";
        this.via = null; this.open = false; this.later = []; // it is told again
        this.how.state();
        if (!this.closed) this.timer = setTimeout(() => this.connect(), rest * (0.5 + Math.random()));
      },
    });
    this.via = via;
  }

  // catchUp hears what came while a character was being made.
  catchUp() { while (this.later.length && !this.how.composing()) this.hear(this.later.shift()); }

  hear(m) {
    if (this.how.composing()) return void this.later.push(m);
    if (m.hand) this.rights = m.hand;
    if (m.kind === "hello") {
      if (m.change) this.goBack(m);
      for (const e of m.edits ?? []) this.take(e);
      this.open = true;
      if (this.sent) this.send();
      this.flush();
    } else if (m.kind === "edit") {
      for (const e of m.edits) this.take(e);
      this.flush();
    } else if (m.kind === "nothing" && m.turn === this.sent?.turn) {
      this.sent.until = m.seq;
      this.spent();
      this.flush();
    } else if (m.kind === "refused") this.refuse(m);
    else if (m.kind === "anew" && m.seq === this.seq && !this.waiting) {
      this.doc = new Delta(m.change);
      this.how.anew(this.doc);
    }
    this.how.heard(m);
  }

  // goBack takes the text as it is in a house whose data went back to an earlier state.
  goBack(m) {
    const lost = [...(this.sent?.change.ops ?? []), ...(this.pending?.ops ?? [])];
    this.sent = this.pending = null;
    this.keep();
    this.seq = m.seq ?? 0;
    this.doc = new Delta(m.change);
    this.how.anew(this.doc);
    if (lost.length) this.how.refused("The house went back to an earlier state of the copy.", lost);
  }

  // take puts in one edit that the house took.
  take(e) {
    if (e.seq <= this.seq) return;
    const change = new Delta(e.change);
    this.seq = e.seq;
    this.doc = this.doc.compose(change);
    if (e.by === this.me && e.page === this.page && this.sent && e.turn === this.sent.turn) {
      this.sent = this.trouble = null;
      this.keep();
      return;
    }
    let theirs = change;
    if (this.sent) [this.sent.change, theirs] = [theirs.transform(this.sent.change, true), this.sent.change.transform(theirs, false)];
    if (this.pending) [this.pending, theirs] = [theirs.transform(this.pending, true), this.pending.transform(theirs, false)];
    this.spent();
    this.keep();
    this.how.changed(theirs, e);
  }

  // spent forgets what is on its way once all is heard after which it changes nothing.
  spent() {
    if (this.sent?.until > this.seq || this.sent?.until === undefined) return;
    this.sent = this.trouble = null;
    this.keep();
  }

  // compare lets the house see, when everything is taken, whether this page has the same
  // text; if it ever has not, it is given the text anew.
  compare(text) {
    if (!this.open || this.waiting) return;
    let sum = 2166136261; // FNV-1a, 32 bits, of the UTF-16 code units
    for (let i = 0; i < text.length; i++) sum = Math.imul(sum ^ text.charCodeAt(i), 16777619) >>> 0;
    this.via.send({ sum: { seq: this.seq, sum } });
  }

  // refuse takes back what the house did not take, and gives it to whoever typed it.
  refuse(m) {
    if (!m.turn || m.turn !== this.sent?.turn) return;
    if (m.problem === undefined) { // it could not be stored just now: sent again
      this.trouble = m.trouble;
      this.via.close();
      return;
    }
    const change = this.pending ? this.sent.change.compose(this.pending) : this.sent.change;
    this.sent = this.pending = null;
    this.keep();
    const back = change.invert(this.doc);
    this.how.changed(back, null);
    this.how.refused(m.problem, change.ops);
  }
}
