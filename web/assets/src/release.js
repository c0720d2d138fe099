// The release sheet: how much room is left is counted while one types, and the piece is seen in
// one of several ways.
export const limits = () => ({
  init() {
    const count = (el) => {
      const most = Number(el.dataset.limit), says = el.closest(".field").querySelector("[data-count]");
      if (!most || !says) return;
      const n = [...el.value.trim()].length;
      says.textContent = `${n} of ${most}`;
      says.classList.toggle("text-short", n > most);
    };
    for (const el of this.$root.querySelectorAll("[data-limit]")) { count(el); el.addEventListener("input", () => count(el)); }
  },
});

export const previews = () => ({
  init() {
    const root = this.$root, see = (way) => {
      for (const el of root.querySelectorAll("[data-seen]")) el.hidden = el.dataset.seen !== way;
      for (const b of root.querySelectorAll("[data-see]")) b.setAttribute("aria-pressed", String(b.dataset.see === way));
    };
    root.addEventListener("click", (e) => { const b = e.target.closest("[data-see]"); if (b) see(b.dataset.see); });
    see("page");
  },
});
