// Keeps the page that catches ideas at hand without a connection, and sends what was
// caught when there is one again.
import { sendAll } from "./queue.js";

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (e) => e.waitUntil(self.clients.claim()));
self.addEventListener("sync", (e) => { if (e.tag === "catch") e.waitUntil(sendAll()); });
self.addEventListener("fetch", (e) => {
  const url = new URL(e.request.url);
  if (e.request.method !== "GET" || url.origin !== location.origin) return;
  if (url.pathname.startsWith("/assets/")) e.respondWith(first(e.request));
  else if (url.pathname === "/catch") e.respondWith(newest(e.request));
});

// first takes what is kept, and asks only for what is not.
async function first(request) { return (await caches.match(request)) ?? fetch(request); }

// newest asks the house, and takes what is kept if it does not answer.
async function newest(request) {
  try {
    const res = await fetch(request);
    if (res.ok && !res.redirected) { const copy = res.clone(); caches.open("catch").then((c) => c.put("/catch", copy)); }
    return res;
  } catch (err) {
    const kept = await caches.match("/catch");
    if (kept) return kept;
    throw err;
  }
}
