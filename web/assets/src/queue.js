// Ideas kept on this device until the house has them. Each has a key of its own, so
// that the house keeps it once, however often it is sent.
import { post } from "./ask.js";

const open = () => new Promise((yes, no) => {
  const r = indexedDB.open("greenbaton", 1);
  r.onupgradeneeded = () => r.result.createObjectStore("caught", { keyPath: "key" });
  r.onsuccess = () => yes(r.result);
  r.onerror = () => no(r.error);
});

// within runs one request on the store and waits until what it did is on the disk.
async function within(mode, f) {
  const db = await open();
  try {
    return await new Promise((yes, no) => {
      const t = db.transaction("caught", mode, { durability: "strict" });
      const r = f(t.objectStore("caught"));
      t.oncomplete = () => yes(r.result);
      t.onerror = t.onabort = () => no(t.error);
    });
  } finally { db.close(); }
}

// line tells the other pages of this browser what became of an idea: whoever has the
// connection first sends it, another page or the worker.
const line = new BroadcastChannel("caught");
export const follow = (f) => line.addEventListener("message", (e) => f(e.data.idea, e.data.answer));

export const keep = (idea) => within("readwrite", (s) => s.put(idea));
export const drop = (key) => within("readwrite", (s) => s.delete(key));
export const kept = async () => (await within("readonly", (s) => s.getAll())).sort((a, b) => a.at - b.at);

// send sends one idea and tells the other pages. It says "sent", "later" when there is no way to the house or
// nobody is signed in, or "refused" with the problem, and in each case loses nothing.
export async function send(idea) {
  const answer = await sending(idea);
  if (answer.is !== "later") line.postMessage({ idea, answer });
  return answer;
}

async function sending(idea) {
  const { key, at, ...form } = idea;
  delete form.problem;
  const body = new URLSearchParams({ ...form, key, ago: Math.max(0, Math.round((Date.now() - at) / 1000)) });
  const res = await post("/catch", body), answer = res?.json;
  if (!res) return { is: "later", why: "No connection." };
  if (res.ok && answer?.id) { await drop(key); return { is: "sent", id: answer.id }; }
  if (res.status === 422 && answer) { await keep({ ...idea, problem: answer.problem }); return { is: "refused", why: answer.problem }; }
  return { is: "later", why: res.redirected || res.status === 401 ? "Sign in again to send it." : answer?.problem ?? "The house does not answer." };
}

// sendAll sends what is kept, the oldest first, until one has to wait.
export async function sendAll(who, told) {
  for (const idea of await kept()) {
    if (idea.problem || (who && idea.who !== who)) continue;
    const answer = await send(idea);
    told?.(idea, answer);
    if (answer.is === "later") return answer;
  }
  return null;
}
