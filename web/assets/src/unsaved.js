// What was typed in one part of a page is not lost by saving another, nor by leaving: who
// does either is asked first.
const typed = new Set(); // forms that somebody has changed
let leaving = false; // a form is being sent

const fields = (form) => [...form.elements].filter((f) => f.name && !["hidden", "button", "submit", "password"].includes(f.type) &&
  f.tagName !== "BUTTON" && f.tagName !== "FIELDSET");
function differs(f) {
  if (f.type === "file") return f.files.length > 0;
  if (["checkbox", "radio"].includes(f.type)) return f.checked !== f.defaultChecked;
  if (f.options) return [...f.options].some((o) => o.selected !== o.defaultSelected) &&
    [...f.options].some((o) => o.defaultSelected || o.selected && o.index > 0);
  return f.value !== f.defaultValue;
}

// unsaved reports whether a form holds what is not kept: one that came back, or that the
// house draws anew after each change, in any case.
const unsaved = (form) => form.isConnected && (form.hasAttribute("data-redrawn") || form.querySelector("[aria-invalid=true]") || fields(form).some(differs));

const asks = (form) => form.method === "post" && !form.closest("dialog") && !form.matches("[data-preview], [data-catch], [action^='/signin']");

const others = (form) => [...typed].filter((f) => f !== form && unsaved(f));

// nameOf is what a part of a page is called on it.
function nameOf(form) {
  const legend = form.querySelector("legend:not(.sr-only)")?.textContent, summary = form.closest("details")?.querySelector("summary")?.textContent;
  const head = form.closest("section, [aria-labelledby]")?.querySelector("h1, h2, h3")?.textContent ?? document.querySelector("h1")?.textContent;
  return (summary ?? head ?? legend ?? "another part").trim().replace(/…$/, "");
}

export function guardUnsaved() {
  const dialog = document.getElementById("unsaved");
  if (!dialog) return;
  for (const form of document.forms) if (asks(form) && form.querySelector("[aria-invalid=true]")) typed.add(form); // it came back
  for (const what of ["input", "change"]) document.addEventListener(what, (e) => {
    const form = e.target.form;
    if (e.isTrusted && form && asks(form)) typed.add(form);
  }, true);
  document.addEventListener("submit", (e) => {
    const form = e.target;
    if (e.defaultPrevented || form.method === "dialog") return;
    const lost = others(form);
    const sure = form.dataset.sure; // for this once
    delete form.dataset.sure;
    if (!lost.length || sure) { leaving = true; setTimeout(() => { leaving = false; }, 10_000); return; }
    e.preventDefault();
    dialog.querySelector("[data-parts]").textContent = [...new Set(lost.map(nameOf))].map((n) => `“${n}”`).join(", ");
    dialog.returnValue = "";
    dialog.addEventListener("close", () => {
      if (dialog.returnValue !== "go") return void fields(lost[0]).find(differs)?.focus();
      form.dataset.sure = "yes";
      form.requestSubmit(e.submitter);
    }, { once: true });
    dialog.showModal();
  });
  addEventListener("beforeunload", (e) => { if (!leaving && others(null).length) e.preventDefault(); });
}
