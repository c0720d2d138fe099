// A page that brings itself up to date when it hears that something has changed.
export const followed = () => ({
  init() {
    let wait;
    const news = new EventSource(this.$root.dataset.live);
    news.onmessage = () => { clearTimeout(wait); wait = setTimeout(() => this.look(), 250); };
  },
  async look() {
    const now = this.$refs.now;
    if (now.contains(document.activeElement) && document.activeElement.matches("textarea, input") && document.activeElement.value) return; // somebody writes
    const res = await fetch(location.href, { headers: { "X-Part": "main" } }).catch(() => null);
    if (!res?.ok || res.redirected) return;
    const html = await res.text();
    if (now.innerHTML !== html) now.innerHTML = html;
  },
});
