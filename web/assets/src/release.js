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

// What a reader sees is put on the clipboard with its formatting, and as plain text: title,
// description and copy, pictures by their addresses.
export const takes = () => ({
  init() {
    const says = this.$root.querySelector("[data-taken]");
    this.$root.querySelector("[data-take]").addEventListener("click", () => {
      const page = document.querySelector("[data-seen=page] [data-whole]").cloneNode(true), title = document.createElement("h1");
      title.textContent = page.firstElementChild.textContent;
      page.firstElementChild.replaceWith(title);
      for (const el of page.querySelectorAll("*")) {
        if (el.src) el.setAttribute("src", el.src);
        for (const a of [...el.attributes]) if (!["href", "src", "alt", "dir", "lang"].includes(a.name)) el.removeAttribute(a.name);
      }
      const put = (e) => {
        e.clipboardData.setData("text/html", page.innerHTML);
        e.clipboardData.setData("text/plain", this.$root.querySelector("[data-plain]").value);
        e.preventDefault();
        e.stopImmediatePropagation();
      };
      document.addEventListener("copy", put, { capture: true, once: true });
      const done = document.execCommand("copy"); // the one way that needs no secure address
      document.removeEventListener("copy", put, { capture: true });
      says.textContent = done ? "Copied, with its formatting and as plain text." : "The browser does not allow it. Take the package instead.";
    });
  },
});
