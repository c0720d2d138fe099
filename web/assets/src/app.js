// What every page needs: shortcuts, the form of a new piece, and panels that close.
// What a change would do is in what.js, the drawing of a piece in chart.js, the
// editor of routes in route.js.
import Alpine from "@alpinejs/csp";
import { chart } from "./chart.js";
import { askWhat, showPart } from "./what.js";
import { route } from "./route.js";
import { lineup } from "./lineup.js";
import { track } from "./track.js";
import { load } from "./load.js";
import { list } from "./list.js";
import { find } from "./find.js";
import { listen } from "./live.js";

// shortcuts listens for single keys outside of fields: n, /, g then a letter, and ?.
Alpine.data("shortcuts", () => ({
  help: false,
  init() {
    document.addEventListener("keydown", (e) => this.key(e));
    document.querySelector("[data-close]")?.addEventListener("click", () => { document.getElementById("foot").hidden = true; });
    document.addEventListener("click", (e) => {
      for (const d of document.querySelectorAll("details.pop[open]")) if (!d.contains(e.target)) d.open = false;
    });
  },
  key(e) {
    if (e.key === "Escape") return this.escape();
    if (e.ctrlKey || e.metaKey || e.altKey || e.target.closest("input, select, textarea, [contenteditable=true]")) return;
    const go = { n: "new", t: "today", l: "lineup", k: "track", o: "load", p: "pieces", i: "inbox", j: "logbook", s: "setup", u: "undo", f: "sift" }[e.key];
    const link = go && document.querySelector(`[data-key=${go}]`);
    if (link) { e.preventDefault(); link.click(); }
    if (e.key === "/") { e.preventDefault(); document.getElementById("find")?.focus(); }
    if (e.key === "?") this.$refs.help.showModal();
  },
  // ask shows what a change would do before it is done; without scripts the same form leads to a page that says so.
  ask(e) { if (e.target.matches("form[data-preview]")) { e.preventDefault(); askWhat(new FormData(e.target, e.submitter)); } },
  part(e) {
    const a = e.target.closest("a[data-part]");
    if (a && !e.ctrlKey && !e.metaKey && !e.shiftKey) { e.preventDefault(); showPart(a.href); }
  },
  escape() {
    for (const d of document.querySelectorAll("details.pop[open]")) { d.open = false; d.querySelector("summary").focus(); }
  },
}));

// planner asks for the legs and dates again whenever what they follow from changes.
Alpine.data("planner", () => ({
  asked: 0,
  init() { this.$root.addEventListener("change", (e) => { if (e.target.closest("[data-plan]")) this.refresh(e.target); }); },
  slot(e) {
    const b = e.target.closest("button[data-date]");
    if (!b) return;
    this.$refs.date.value = b.dataset.date;
    this.$refs.time.value = b.dataset.time;
    this.refresh(b);
  },
  async refresh(from) {
    const turn = ++this.asked, focus = from.name || from.dataset.date;
    const res = await fetch("/pieces/new/plan", { method: "POST", body: new URLSearchParams(new FormData(this.$root)) });
    if (turn !== this.asked || !res.ok) return;
    this.$refs.plan.innerHTML = await res.text();
    const again = this.$refs.plan.querySelector(`[name="${focus}"], [data-date="${focus}"]`);
    if (again && document.activeElement === document.body) again.focus();
  },
}));

Alpine.data("chart", chart);
Alpine.data("lineup", lineup);
Alpine.data("track", track);
Alpine.data("load", load);
Alpine.data("list", list);
Alpine.data("find", find);
Alpine.data("route", route);
Alpine.start();
listen();
