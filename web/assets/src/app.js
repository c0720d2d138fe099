// What every page needs: shortcuts, the form of a new piece, and panels that close.
// What a change would do is in what.js, the drawing of a piece in chart.js, the
// editor of routes in route.js.
import Alpine from "@alpinejs/csp";
import { handsOff, part, post } from "./ask.js";
import { chart } from "./chart.js";
import { put, standing } from "./put.js";
import { askWhat, showPart } from "./what.js";
import { route } from "./route.js";
import { lineup } from "./lineup.js";
import { limits, previews, takes } from "./release.js";
import { track } from "./track.js";
import { load } from "./load.js";
import { filter } from "./filter.js";
import { list } from "./list.js";
import { find } from "./find.js";
import { ideas } from "./ideas.js";
import { catcher, openCatch } from "./catch.js";
import { campaigns } from "./campaigns.js";
import { bringing, counting, tooLarge } from "./bringing.js";
import { drawn } from "./drawn.js";
import { reading } from "./reading.js";
import { followed } from "./followed.js";
import { listen } from "./live.js";
import { foot } from "./foot.js";
import { guardUnsaved } from "./unsaved.js";
import { followAsks } from "./asks.js";

// shortcuts listens for single keys outside of fields.
Alpine.data("shortcuts", () => ({
  help: false,
  init() {
    document.addEventListener("keydown", (e) => this.key(e));
    document.addEventListener("change", (e) => {
      if (e.target.matches("input[type=file][data-most]")) tooLarge(e.target);
      if (e.target.matches("select")) e.target.form?.querySelector("[data-say-stands]")?.click();
    });
    document.addEventListener("click", (e) => {
      for (const d of document.querySelectorAll("details.pop[open]")) if (!d.contains(e.target)) d.open = false;
    });
  },
  key(e) {
    if (e.key === "Escape") return this.escape();
    if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest("input, select, textarea, [contenteditable=true]")) return;
    const go = { n: "new", t: "today", l: "lineup", k: "track", o: "load", p: "pieces", i: "catch", d: "ideas", b: "inbox", j: "logbook", q: "queries",
      s: "setup", u: "undo", f: "filter" }[e.key];
    const link = go && document.querySelector(`[data-key=${go}]`);
    if (link) { e.preventDefault(); link.click(); }
    const hit = [...document.querySelectorAll("[data-hit]")].find((x) => x.dataset.hit === e.key);
    if (hit) {
      e.preventDefault();
      if (hit.matches("select")) return hit.focus();
      hit.click();
      return hit.parentElement.querySelector("textarea")?.focus();
    }
    if (e.key === "/") { e.preventDefault(); document.getElementById("find")?.focus(); }
    if (e.key === "?") this.$refs.help.showModal();
  },
  // ask shows what a change would do before it is done; without scripts the same form leads to a page that says so.
  ask(e) {
    if (e.target.matches("form[action^='/signout']")) self.caches?.delete("catch"); // whoever comes next on this device reads nothing of theirs
    if (e.target.matches("form[data-preview]")) { e.preventDefault(); askWhat(new FormData(e.target, e.submitter)); }
  },
  part(e) {
    if (e.target.closest("[data-print]")) print();
    if (e.target.closest("[data-catch-open]") && openCatch()) return e.preventDefault();
    const a = e.target.closest("a[data-part]");
    if (a && !e.ctrlKey && !e.metaKey && !e.shiftKey) { e.preventDefault(); showPart(a.href); }
  },
  escape() {
    for (const d of document.querySelectorAll("details.pop[open]")) { d.open = false; d.querySelector("summary").focus(); }
  },
}));

// planner asks for what follows from a form again whenever it changes: the legs and dates of a
// new piece, the days of a regular.
Alpine.data("planner", () => ({
  asked: 0,
  init() {
    this.$root.addEventListener("change", (e) => {
      if (e.target.dataset.shows) this.shows(e.target);
      if (e.target.closest("[data-plan]")) this.refresh();
    });
    const title = this.$root.elements.title;
    if (!this.$refs.likes) return;
    title.addEventListener("input", () => { clearTimeout(this.timer); this.timer = setTimeout(() => this.like(title.value.trim()), 120); });
  },
  // like points out pieces and ideas that may be about the same.
  async like(title) {
    const turn = this.liked = (this.liked ?? 0) + 1;
    const got = title.length < 4 ? null : await part(`/ideas/like?title=${encodeURIComponent(title)}&except=${this.$root.elements.idea?.value ?? 0}`);
    if (turn === this.liked) this.$refs.likes.innerHTML = got?.ok ? got.text : "";
  },
  slot(e) {
    const b = e.target.closest("button[data-date]");
    if (!b) return;
    this.$refs.date.value = b.dataset.date;
    this.$refs.time.value = b.dataset.time;
    this.refresh();
  },
  // shows leaves the fields that go with what was chosen.
  shows(choice) {
    const goWith = this.$root.querySelectorAll(`[data-shown-by="${choice.name}"]`);
    for (const el of goWith) el.hidden = el.dataset.for !== choice.value;
  },
  // fit leaves the channels on which the chosen format goes out.
  fit() {
    const { format, channel } = this.$root.elements, on = format.selectedOptions[0]?.dataset.channels?.split(" ");
    for (const o of channel.options) o.hidden = o.disabled = Boolean(o.value && on && !on.includes(o.value));
    if (channel.selectedOptions[0]?.disabled) channel.value = "";
  },
  async refresh() {
    this.fit();
    const turn = ++this.asked, sent = standing(this.$root);
    const got = await post(this.$root.dataset.planAt ?? "/pieces/new/plan", new URLSearchParams(new FormData(this.$root)), {});
    await handsOff();
    if (turn !== this.asked || !got?.ok) return;
    put(this.$refs.plan, got.text, sent);
  },
}));

// What is opened on a page is noted once it is shown; looking at it writes nothing.
for (const el of document.querySelectorAll("[data-opened]")) {
  post(el.dataset.opened, new URLSearchParams({ seq: el.dataset.seq })).then((got) => showUnread(got?.json?.unread));
}

// showUnread shows how many lines of the inbox are unread, if that is known.
function showUnread(n) {
  const count = document.querySelector("[data-unread]");
  if (n == null || !count) return;
  count.textContent = n;
  count.className = n ? "text-short" : "muted";
}

Alpine.data("chart", chart);
Alpine.data("lineup", lineup);
Alpine.data("limits", limits);
Alpine.data("previews", previews);
Alpine.data("takes", takes);
Alpine.data("track", track);
Alpine.data("load", load);
Alpine.data("filter", filter);
Alpine.data("list", list);
Alpine.data("find", find);
Alpine.data("ideas", ideas);
Alpine.data("catcher", catcher);
Alpine.data("route", route);
Alpine.data("bringing", bringing);
Alpine.data("campaigns", campaigns);
Alpine.data("counting", counting);
Alpine.data("drawn", drawn);
Alpine.data("reading", reading);
Alpine.data("followed", followed);
Alpine.start();
foot();
guardUnsaved();
followAsks();
listen();
