// Taking a thing from one place to another, by hand or by key, on any view. What can be
// taken has data-take and data-piece, where it can be put has data-drop; the view says
// what a place means, what would happen there, and what is done on letting go.

const far = 5; // pixels until a press is a taking up
const rest = 70; // milliseconds over a place until it is asked what would happen there

export class Hand {
  // how: begin(source) is told what is taken up, and may promise why it is refused; tell(target) gives the lines that say
  // what would happen there; drop(target) does it; end() is told when it is let go.
  constructor(root, how, refs) {
    this.root = root; this.how = how; this.refs = refs;
    this.held = null;
    root.addEventListener("pointerdown", (e) => this.press(e));
    root.addEventListener("keydown", (e) => this.key(e));
    root.addEventListener("click", (e) => { if (this.moved) { e.preventDefault(); e.stopPropagation(); } }, true);
    root.addEventListener("dragstart", (e) => e.preventDefault());
    this.move = (e) => this.drag(e);
    this.up = (e) => this.release(e);
    this.off = (e) => { if (e.key === "Escape") { e.preventDefault(); e.stopPropagation(); this.putBack(); } };
  }

  press(e) {
    const source = e.target.closest("[data-take]");
    if (!source || e.button !== 0 || e.pointerType === "touch" || e.target.closest("button, input, select, summary, .card-do")) return;
    this.moved = false;
    this.start = { x: e.clientX, y: e.clientY, source, pointer: e.pointerId };
    addEventListener("pointermove", this.move);
    addEventListener("pointerup", this.up, { once: true });
    addEventListener("pointercancel", this.up, { once: true });
  }

  drag(e) {
    this.at = { x: e.clientX, y: e.clientY };
    if (!this.held) {
      if (Math.hypot(e.clientX - this.start.x, e.clientY - this.start.y) < far) return;
      this.lift(this.start.source, false);
      getSelection().removeAllRanges();
    }
    e.preventDefault();
    this.frame ??= requestAnimationFrame(() => { this.frame = null; this.follow(); });
  }

  // follow moves the held card with the hand, once a frame, and finds what is under it.
  follow() {
    if (!this.held || this.held.byKey) return;
    const { x, y } = this.at;
    this.ghost.style.transform = `translate3d(${x - this.grip.x}px, ${y - this.grip.y}px, 0) rotate(-1deg)`;
    const edge = 48, speed = 14;
    if (y < edge) scrollBy(0, -speed); else if (y > innerHeight - edge) scrollBy(0, speed);
    this.over(this.targetAt(x, y));
    this.place(x, y);
  }

  targetAt(x, y) {
    let el = document.elementFromPoint(x, y)?.closest("[data-drop]");
    while (el && !this.can(el)) el = el.parentElement?.closest("[data-drop]");
    return el && this.root.contains(el) ? el : null;
  }

  can(el) { return el !== this.held.source && !this.held.source.contains(el) && this.how.can(el, this.held.source); }

  lift(source, byKey) {
    this.held = { source, byKey, over: null };
    const r = source.getBoundingClientRect();
    if (!byKey) {
      this.moved = true;
      source.setPointerCapture(this.start.pointer); // nothing below is hovered meanwhile
      this.grip = { x: this.start.x - r.left, y: this.start.y - r.top };
      this.ghost = source.cloneNode(true);
      this.ghost.className += " ghost";
      this.ghost.removeAttribute("data-part");
      this.ghost.style.width = r.width + "px";
      document.body.append(this.ghost);
      this.ghostSize = { w: r.width, h: r.height };
    }
    source.classList.add("taken");
    this.root.classList.add("holding");
    addEventListener("keydown", this.off, true);
    this.refusal(this.how.begin(source), this.held);
  }

  // refusal puts a thing back that may not be taken, and says why as long as it takes to read.
  async refusal(asked, held) {
    const why = await asked, tip = this.refs.tip;
    if (!why || this.held !== held) return;
    const at = held.byKey ? held.source.getBoundingClientRect() : this.at; // not where a hand was before
    this.putBack();
    const p = document.createElement("p");
    p.className = "short"; p.textContent = why;
    tip.replaceChildren(p);
    tip.hidden = false;
    this.size = null;
    this.place(at.x, at.y);
    this.announce(why);
    clearTimeout(this.said);
    this.said = setTimeout(() => { if (!this.held) tip.hidden = true; }, 5000);
  }

  over(target) {
    if (this.held.over === target) return;
    this.held.over?.classList.remove("under");
    this.held.over = target;
    target?.classList.add("under");
    this.say(target);
  }

  // say tells what would happen at a target, when that is known.
  async say(target) {
    const held = this.held, tip = this.refs.tip;
    if (!target) { tip.hidden = true; return; }
    if (!held.byKey) { // a hand that only passes over asks nothing
      await new Promise((go) => setTimeout(go, rest));
      if (this.held !== held || held.over !== target) return;
    }
    const lines = await this.how.tell(target, held.source);
    if (this.held !== held || held.over !== target || !lines) return;
    tip.replaceChildren(...lines.map((l) => { const p = document.createElement("p"); p.className = l.tone; p.textContent = l.text; return p; }));
    tip.hidden = false;
    this.size = null;
    if (held.byKey) { const r = target.getBoundingClientRect(); this.place(r.left + 8, Math.min(r.bottom, innerHeight - 40)); }
    else this.place(this.at.x, this.at.y);
    if (held.byKey) this.announce(`${target.dataset.name ?? ""}. ${lines.map((l) => l.text).join(" ")}`);
  }

  place(x, y) {
    const tip = this.refs.tip;
    if (tip.hidden) return;
    const { w, h } = (this.size ??= { w: tip.offsetWidth, h: tip.offsetHeight }); // measured once for what it says
    const under = this.ghost ? this.ghostSize.h - this.grip.y + 14 : 22; // below what is held
    const low = y + under + h > innerHeight - 8; // no room there: beside it
    let left = low && this.ghost ? x - this.grip.x - w - 14 : Math.min(x - 20, innerWidth - w - 8);
    if (left < 8) left = this.ghost ? x - this.grip.x + this.ghostSize.w + 14 : 8;
    tip.style.transform = `translate3d(${left}px, ${Math.max(8, Math.min(y + under, innerHeight - h - 8))}px, 0)`;
  }

  announce(text) { this.refs.told.textContent = text; }

  release() {
    removeEventListener("pointermove", this.move);
    if (!this.held || this.held.byKey) return;
    if (this.frame) { cancelAnimationFrame(this.frame); this.frame = null; this.follow(); }
    const target = this.held.over;
    setTimeout(() => { this.moved = false; });
    if (!target) return this.putBack();
    this.let(target);
  }

  // let puts the thing where it is.
  async let(target) {
    const { source, byKey } = this.held;
    this.done();
    await this.how.drop(target, source, byKey);
  }

  putBack() {
    if (!this.held) return;
    const { source, byKey } = this.held;
    this.done();
    if (byKey) { this.announce("Put back."); (source.querySelector("a.title") ?? source).focus(); }
  }

  done() {
    removeEventListener("keydown", this.off, true);
    removeEventListener("pointermove", this.move);
    this.ghost?.remove();
    this.ghost = null;
    this.held.source.classList.remove("taken");
    this.held.over?.classList.remove("under");
    this.root.classList.remove("holding");
    this.refs.tip.hidden = true;
    this.held = null;
    this.how.end();
  }

  key(e) {
    if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest("input, select, textarea, [contenteditable=true]")) return;
    const step = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
    if (this.held?.byKey) {
      if (step) { e.preventDefault(); e.stopPropagation(); this.go(step); }
      else if (e.key === "x" && this.held.over) { e.preventDefault(); e.stopPropagation(); this.onto(); }
      else if (e.key === "Enter" || e.key === "m") { e.preventDefault(); e.stopPropagation(); if (this.held.over) this.let(this.held.over); }
      return;
    }
    const source = e.target.closest("[data-take], [data-drop=slot], .card");
    if (e.key === "m" && source?.matches("[data-take]")) {
      e.preventDefault(); e.stopPropagation();
      this.lift(source, true);
      this.announce(`${source.dataset.name} is taken up. Choose a place with the arrow keys, put it there with Enter, or put it back with Escape.`);
    } else if (e.key === "." && source) {
      e.preventDefault(); source.querySelector(".card-do, .hole-do")?.click();
    } else if (step && source) {
      const to = nearest(source, [...this.root.querySelectorAll("[data-take], [data-drop=slot], .card")], step);
      const link = to?.querySelector("a");
      if (link) { e.preventDefault(); link.focus(); }
    }
  }

  // onto chooses one after another of the things that lie on the place chosen.
  onto() {
    const place = this.held.over.closest("[data-part]"), all = [...place.querySelectorAll("[data-drop]")].filter((el) => this.can(el));
    const next = all[all.indexOf(this.held.over) + 1] ?? all[0];
    if (next) this.over(next); else this.announce("Nothing there to put it on.");
  }

  go(step) {
    const on = this.held.over ?? this.held.source, from = (this.how.byKey(on) && on !== this.held.source ? on : on.parentElement.closest("[data-drop]")) ?? on;
    const places = [...this.root.querySelectorAll("[data-drop]")].filter((el) => el.getClientRects().length && (el === from || this.can(el)) &&
      this.how.byKey(el, step));
    const days = this.how.wraps && step[0] && from.matches("td") ? places.filter((el) => el.matches("td")) : [];
    const to = days[days.indexOf(from) + step[0]] ?? nearest(from, places, step);
    if (!to) return;
    to.scrollIntoView({ block: "nearest", inline: "nearest" });
    this.over(to);
  }
}

// nearest finds what lies next in a direction: little to the side, and then little ahead.
export function nearest(from, all, [dx, dy]) {
  const a = from.getBoundingClientRect(), middle = (r) => [r.left + r.width / 2, r.top + Math.min(r.height / 2, 40)];
  const [ax, ay] = middle(a);
  let best = null, least = Infinity;
  for (const el of all) {
    if (el === from) continue;
    const r = el.getBoundingClientRect(), [x, y] = middle(r);
    const ahead = dx ? (x - ax) * dx : (y - ay) * dy, aside = Math.abs(dx ? y - ay : x - ax);
    if (ahead <= 2) continue;
    const cost = ahead + 4 * Math.max(0, aside - (dx ? 12 : 60));
    if (cost < least) { least = cost; best = el; }
  }
  return best;
}
