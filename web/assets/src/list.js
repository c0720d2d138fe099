// The list: cells are changed where they stand, and several rows at once.
import { part } from "./ask.js";
import { put } from "./put.js";

export const list = () => ({
  ticked: new Set(),
  init() {
    const root = this.$root;
    root.addEventListener("click", (e) => {
      const a = e.target.closest(".cell-edit");
      if (a && !e.ctrlKey && !e.metaKey) { e.preventDefault(); return this.edit(a.closest("td")); }
      if (e.target.closest("[data-untick]")) this.untick();
    });
    root.addEventListener("dblclick", (e) => { const td = e.target.closest("td[data-edit]"); if (td && !e.target.closest("a, form")) this.edit(td); });
    root.addEventListener("keydown", (e) => {
      if (e.key === "Escape" && this.open) { e.stopPropagation(); this.shut(); }
    });
    root.addEventListener("change", (e) => {
      if (e.target.matches("[data-tick]")) { e.target.checked ? this.ticked.add(e.target.value) : this.ticked.delete(e.target.value); this.show(); }
      if (e.target.matches("[data-what]")) this.form();
    });
    document.addEventListener("drawn", () => { this.open = null; this.show(); });
  },
  // edit puts the form of a cell in its place.
  async edit(td) {
    this.shut();
    const at = `tr[data-piece="${td.closest("tr").dataset.piece}"] td[data-col="${td.dataset.col}"]`;
    const got = await part(td.dataset.edit);
    if (!td.isConnected) td = this.$root.querySelector(at); // drawn anew meanwhile
    if (!got?.ok || !td) return;
    this.shut();
    this.open = { td, was: td.innerHTML };
    td.innerHTML = got.text;
    td.querySelector("input:not([type=hidden]), select, textarea")?.focus();
  },
  shut() {
    if (!this.open) return;
    const { td, was } = this.open;
    this.open = null;
    td.innerHTML = was;
    td.querySelector(".cell-edit")?.focus();
  },
  show() {
    const bar = this.$root.querySelector("[data-ticked]");
    for (const box of this.$root.querySelectorAll("[data-tick]")) box.checked = this.ticked.has(box.value);
    if (!bar) return;
    const was = bar.hidden;
    bar.hidden = this.ticked.size === 0;
    bar.querySelector("[data-count]").textContent = `${this.ticked.size} ticked.`;
    if (!bar.hidden) this.form(was);
  },
  // form puts in what the chosen change asks for. Drawn again for the same change of other
  // pieces, or of these in a newer version, it keeps what was typed.
  async form() {
    const bar = this.$root.querySelector("[data-ticked]"), what = bar.querySelector("[data-what]").value;
    const key = what + [...this.ticked].join();
    this.asked = key;
    const got = await part(`/cells/${what}?pieces=${[...this.ticked].join(",")}`);
    if (!got?.ok || this.asked !== key) return;
    const form = bar.querySelector("[data-ticked-form]");
    if (this.formOf === what) put(form, got.text);
    else form.innerHTML = got.text;
    this.formOf = what;
  },
  untick() { this.ticked.clear(); this.show(); this.$refs.told.textContent = "Nothing is ticked."; },
});
