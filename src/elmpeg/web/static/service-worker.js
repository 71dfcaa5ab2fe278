// Keeps the measuring list at hand where the network does not reach: the last one that was open, and what it needs to run.
// Only of this origin, only the list; everything else goes to the server as ever. Signing out forgets it.
const KEPT = "elmpeg-list-1";
const isList = (url) => /^\/builds\/[^/]+\/measure\/list$/.test(url.pathname);

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil((async () => {
  for (const name of await caches.keys()) if (name !== KEPT) await caches.delete(name);
  await self.clients.claim();
})()));

self.addEventListener("fetch", (event) => {
  const url = new URL(event.request.url);
  if (url.origin !== self.location.origin || event.request.method !== "GET") return;
  if (url.pathname === "/sign-in") { event.waitUntil(caches.delete(KEPT)); return; }
  if (event.request.headers.get("HX-Request")) return;
  if (url.pathname.startsWith("/static/")) event.respondWith(atHand(event.request));
  else if (isList(url)) event.respondWith(newestOrKept(event.request, event));
});

// Static files change their address with their content, so one that is kept is right.
const atHand = async (request) => {
  const kept = await caches.match(request);
  if (kept) return kept;
  const answer = await fetch(request);
  if (answer.ok) (await caches.open(KEPT)).put(request, answer.clone());
  return answer;
};

const newestOrKept = async (request, event) => {
  try {
    const answer = await fetch(request);
    if (answer.status === 200 && !answer.redirected) {
      const copy = answer.clone();
      event.waitUntil((async () => {
        const store = await caches.open(KEPT);
        await store.put(request, copy);
        const files = [...(await answer.clone().text().catch(() => "")).matchAll(/(?:src|href)="(\/static\/[^"]+)"/g)].map((m) => m[1].replace(/&amp;/g, "&"));
        await Promise.all(files.map(async (file) => { if (!(await store.match(file))) await store.add(file).catch(() => {}); }));
      })());
    }
    return answer;
  } catch (error) {
    const kept = await caches.match(request) || await caches.match(request, { ignoreSearch: true });
    if (kept) return kept;
    throw error;
  }
};
