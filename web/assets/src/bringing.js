// A list that comes in: how far it is, asked until it is all in.
import { json } from "./ask.js";

export const bringing = () => ({
  init() { this.look(); },
  async look() {
    const bar = this.$root.querySelector("progress"), says = this.$root.querySelector("[data-how-far]"), n = (x) => x.toLocaleString("en-GB");
    for (;;) {
      const at = await json(`/bring/${this.$root.dataset.list}/now`);
      if (at) {
        bar.value = (100 * at.done) / at.total;
        says.textContent = `${n(at.done)} of ${n(at.total)} rows`;
        if (!at.moving) return location.reload();
      } else says.textContent = "No connection. It goes on coming in; how far it is is asked again.";
      await new Promise((r) => setTimeout(r, 400));
    }
  },
});

// A log that is counted: how many lines of it, asked until it is in.
export const counting = () => ({
  init() { this.look(); },
  async look() {
    const says = this.$root.querySelector("[data-how-far]");
    for (;;) {
      await new Promise((r) => setTimeout(r, 400));
      const at = await json("/reports/log/now");
      if (!at) continue;
      if (!at.moving) return location.reload();
      says.textContent = `${at.done.toLocaleString("en-GB")} lines`;
    }
  },
});

// tooLarge says at once when a chosen file is larger than what is taken.
export function tooLarge(input) {
  const most = Number(input.dataset.most), file = input.files[0];
  const mb = 1048576;
  const says = file && file.size > most
    ? `“${file.name}” has ${(file.size / mb).toFixed(1)} MB, and ${most / mb} MB is the most. Choose a smaller one.` : "";
  input.parentElement.querySelector("[data-too-large]")?.remove();
  if (!says) return;
  const p = document.createElement("p");
  p.className = "text-short font-semibold"; p.dataset.tooLarge = ""; p.setAttribute("role", "alert"); p.textContent = says;
  input.after(p);
  input.value = "";
}
