// The panel of filters: asked for when it is unfolded, searched by the names of its fields; each
// field says what is chosen of it.
import { part } from "./ask.js";

export const filter = () => ({
  init() {
    const root = this.$root, panel = root.querySelector("[data-filter]");
    const fetched = async () => {
      if (!root.open || this.asked) return;
      this.asked = true;
      const got = await part(root.dataset.panel);
      if (!got?.ok) { this.asked = false; panel.textContent = "The fields could not be fetched. Close this and open it again."; return; }
      panel.innerHTML = got.text;
      if (root.contains(document.activeElement)) panel.querySelector("summary")?.focus();
    };
    root.addEventListener("toggle", fetched);
    fetched(); // it may have been unfolded before this was there
    panel.addEventListener("input", (e) => {
      if (e.target.type === "search") return find(panel, e.target.value);
      const facet = e.target.closest(".facet");
      if (facet) say(facet);
    });
    panel.addEventListener("keydown", (e) => { if (e.key === "Enter" && e.target.type === "search") e.preventDefault(); });
  },
});

// find leaves the fields that are called so.
function find(panel, words) {
  const looked = words.trim().toLowerCase(), more = panel.querySelector(".facets-more");
  let some = false;
  for (const f of panel.querySelectorAll(".facet")) {
    f.hidden = !f.dataset.facet.includes(looked);
    some ||= !f.hidden;
    if (looked && !f.hidden && more.contains(f)) more.open = true;
  }
  panel.querySelector("[data-no-facet]").hidden = some;
}

// say puts what is chosen of a field beside its name.
function say(facet) {
  const written = [...facet.querySelectorAll("input:not([type=radio], [type=checkbox])")].map((f) => f.value.trim());
  const span = written.length === 2 && written.some(Boolean) ? [written.join(" to ")] : [];
  const select = facet.querySelector("select");
  const picked = [...facet.querySelectorAll("input[type=checkbox]:checked, input[type=radio]:checked:not([name^='not.'])")]
    .filter((f) => f.value).map((f) => f.parentElement.textContent.trim());
  const selected = select?.value ? [select.selectedOptions[0].textContent] : [];
  const values = span.length ? span : [...picked, ...selected, ...(written.length === 1 ? written.filter(Boolean) : [])];
  const says = facet.querySelector("[data-says]");
  says.textContent = values.length ? (facet.querySelector("[data-not]")?.checked ? "not " : "") + values.join(" or ") : "any";
  says.classList.toggle("font-semibold", values.length > 0);
}
