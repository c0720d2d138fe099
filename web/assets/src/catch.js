// Catching an idea, on its own page and in the dialog that opens on i. What is typed is
// kept on this device first and then sent, so that it is safe without a connection.
import { part } from "./ask.js";
import { keep, drop, kept, send, sendAll, follow } from "./queue.js";

export function openCatch() {
  const box = document.getElementById("catch");
  if (!box) return false;
  if (!box.open) box.showModal();
  box.querySelector("[name=title]").focus();
  return true;
}

export const catcher = () => ({
  asked: 0,
  init() {
    const root = this.$root, form = root.querySelector("[data-catch]");
    this.form = form;
    this.who = document.body.dataset.who;
    form.addEventListener("submit", (e) => { e.preventDefault(); e.stopPropagation(); this.take(); });
    form.elements.title.addEventListener("input", () => { clearTimeout(this.timer); this.timer = setTimeout(() => this.like(), 120); });
    root.addEventListener("click", (e) => {
      if (e.target.closest("[data-catch-close]")) root.closest("dialog").close();
      const again = e.target.closest("[data-mend]");
      if (again) this.mend(again.dataset.mend);
    });
    addEventListener("online", () => this.sendAll());
    follow((idea, answer) => { if (idea.who === this.who) this.after(idea, answer); else this.show(); });
    document.addEventListener("visibilitychange", () => { if (!document.hidden) this.sendAll(); });
    setInterval(() => { if (this.waiting) this.sendAll(); }, 15000);
    if (root.querySelector("[data-kept]")) this.atHand();
    this.sendAll();
  },
  // atHand lets the page open without a connection.
  async atHand() {
    if (!navigator.serviceWorker) return;
    try {
      await navigator.serviceWorker.register("/catch/worker.js", { scope: "/catch" });
      const own = [...performance.getEntriesByType("resource")].map((r) => r.name).filter((u) => u.startsWith(location.origin + "/assets/"));
      const cache = await caches.open("catch");
      await cache.addAll([...new Set(["/catch", ...own])]);
      for (const r of await cache.keys()) if (r.url.includes("/assets/") && !own.includes(r.url)) await cache.delete(r);
    } catch { /* no connection: what was kept before is still there */ }
    document.documentElement.dataset.athand = (await caches.match("/catch")) ? "yes" : "no";
  },
  async take() {
    const data = Object.fromEntries([...new FormData(this.form)].filter(([, v]) => v !== ""));
    data.title = (data.title ?? "").trim();
    if (!data.title) return this.form.elements.title.focus();
    const idea = { ...data, key: crypto.randomUUID?.() ?? String(Math.random()) + Date.now(), at: Date.now(), who: this.who, desk: document.body.dataset.desk };
    try { await keep(idea); } catch { return this.form.submit(); } // this browser keeps nothing: the usual way
    this.form.reset();
    this.likes("");
    this.form.elements.title.focus();
    this.say(`“${short(idea.title)}” is kept on this device.`);
    await this.show();
    this.after(idea, await send(idea));
  },
  after(idea, answer) {
    if (answer.is === "sent") {
      this.say(`“${short(idea.title)}” is caught.`);
      const list = this.$root.querySelector("[data-mine]");
      if (list && !list.querySelector(`a[href="/ideas/${answer.id}"]`)) {
        list.querySelector("[data-none]")?.remove();
        const li = document.createElement("li"), a = document.createElement("a");
        li.className = "py-2 border-b border-hair";
        a.className = "title"; a.href = `/ideas/${answer.id}`; a.textContent = idea.title;
        li.append(a);
        list.prepend(li);
      }
      dispatchEvent(new CustomEvent("caught"));
    } else if (answer.is === "refused") this.say(answer.why);
    else {
      this.waiting = true;
      this.say(`“${short(idea.title)}” is kept on this device. ${answer.why}`);
      navigator.serviceWorker?.ready?.then((r) => r.sync?.register("catch")).catch(() => {});
    }
    return this.show();
  },
  async sendAll() {
    if (this.sending) return;
    this.sending = true;
    try {
      const later = await sendAll(this.who, (idea, answer) => { if (answer.is !== "later") this.after(idea, answer); });
      this.waiting = Boolean(later);
    } catch { /* this browser keeps nothing */ } finally { this.sending = false; }
    await this.show();
  },
  // show lists what is kept here and not sent yet.
  async show() {
    const box = this.$root.querySelector("[data-kept]");
    if (!box) return;
    let all = [];
    try { all = await kept(); } catch { /* none */ }
    box.hidden = all.length === 0;
    box.querySelector("[data-kept-says]").textContent = all.length === 1 ? "1 is not sent yet" : `${all.length} are not sent yet`;
    box.querySelector("[data-kept-list]").replaceChildren(...all.map((i) => {
      const li = document.createElement("li"), b = document.createElement("span"), p = document.createElement("p");
      li.className = "py-2 border-b border-hair";
      b.className = "title"; b.textContent = i.title;
      p.className = i.problem ? "small text-short" : "small muted";
      p.textContent = i.problem ?? (i.who === this.who ? "Goes by itself when there is a connection." : "Somebody else’s; it goes when they sign in here.");
      li.append(b, p);
      if (i.problem) {
        const again = document.createElement("button");
        again.type = "button"; again.className = "btn"; again.dataset.mend = i.key; again.textContent = "Type it anew";
        li.append(again);
      }
      return li;
    }));
  },
  // mend puts a refused idea back into the form.
  async mend(key) {
    const idea = (await kept()).find((i) => i.key === key);
    if (!idea) return;
    for (const [k, v] of Object.entries(idea)) if (this.form.elements[k]) this.form.elements[k].value = v;
    await drop(key);
    await this.show();
    this.form.elements.title.focus();
  },
  // like points out what may be about the same.
  async like() {
    const title = this.form.elements.title.value.trim(), turn = ++this.asked;
    if (title.length < 4) return this.likes("");
    const got = await part("/ideas/like?title=" + encodeURIComponent(title));
    if (turn === this.asked && got?.ok) this.likes(got.text);
  },
  likes(html) { this.asked++; this.form.querySelector("[data-likes]").innerHTML = html; },
  say(text) { const p = this.$root.querySelector("[data-caught-said]"); if (p) p.textContent = text; },
});

const short = (s) => (s.length > 60 ? s.slice(0, 59) + "…" : s);
