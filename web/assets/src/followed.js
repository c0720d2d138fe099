// A page that brings itself up to date when it hears that something has changed.
import { ask, handsOff } from "./ask.js";
import { put } from "./put.js";

export const followed = () => ({
  init() {
    let wait;
    const news = new EventSource(this.$root.dataset.live);
    news.onmessage = () => { clearTimeout(wait); wait = setTimeout(() => this.look(), 250); };
  },
  async look() {
    const now = this.$refs.now;
    const busy = () => now.querySelector("details[open]") || now.contains(document.activeElement) && document.activeElement.matches("textarea, input");
    const later = () => setTimeout(() => this.look(), 1500); // nothing is taken from under a hand
    if (busy()) return void later();
    const got = await ask(location.href, { headers: { "X-Part": "main" } });
    await handsOff();
    if (busy()) return void later();
    if (got?.ok) put(now, got.text);
  },
});
