// Keeps the recorder's page and what it is made of, so that it opens on the road where no garage answers.
"use strict";
const CACHE = "recorder-1";
const ours = (url) => /^\/visits\/[^/]+\/drive\/\d+\/recorder$/.test(url.pathname) || url.pathname.startsWith("/static/");

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (event.request.method !== "GET" || url.origin !== self.location.origin || !ours(url)) return;
  event.respondWith((async () => {
    const kept = await caches.open(CACHE);
    try {
      const answer = await fetch(event.request);
      if (answer.ok) await kept.put(event.request, answer.clone());
      return answer;
    } catch (error) {
      const found = await kept.match(event.request, { ignoreSearch: true });
      if (found) return found;
      throw error;
    }
  })());
});
// What the page was already made of when the worker came is fetched once more, to be kept.
self.addEventListener("message", (event) => event.waitUntil((async () => {
  const kept = await caches.open(CACHE);
  for (const address of event.data) {
    try { await kept.add(address); } catch (error) { /* it is kept the next time that it is asked */ }
  }
  event.ports[0].postMessage("kept");
})()));
