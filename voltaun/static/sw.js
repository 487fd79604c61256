// Stands in for the server while a phone is out of its reach: the page for typing readings, and what it is made of, are
// kept; nothing else is. No old figure is shown as today's, for no page of figures is kept at all.

const KEPT = "voltaun-away";
const AWAY = "/away";
const DOOR = "/enter";
const PATIENCE = 12000; // a phone that walks off waits long for an answer that does not come, ms
const LONG = 45000; // pages that are reckoned for some seconds

async function renew() {
  const page = await fetch(AWAY, { cache: "no-store", credentials: "same-origin" });
  if (page.redirected || page.status === 401 || page.status === 403) await caches.delete(KEPT); // let out meanwhile
  if (!page.ok || page.redirected) return;
  const text = await page.clone().text();
  const wanted = new Set([...text.matchAll(/(?:src|href)="(\/static\/[^"]+)"/g)].map((of) => of[1]));
  const cache = await caches.open(KEPT);
  for (const address of wanted) if (!(await cache.match(address))) await cache.add(address);
  await cache.put(AWAY, page);
  for (const request of await cache.keys()) {
    const { pathname, search } = new URL(request.url);
    if (pathname !== AWAY && !wanted.has(pathname + search)) await cache.delete(request);
  }
}

async function inReach(request) {
  const ends = new AbortController();
  const path = new URL(request.url).pathname;
  const clock = setTimeout(() => ends.abort(), /^\/(\d+\/today)?$/.test(path) ? PATIENCE : LONG);
  try {
    const answer = await fetch(request, { signal: ends.signal });
    if (path === DOOR && answer.ok) await caches.delete(KEPT); // let out, or gone by itself: what was kept goes with it
    return answer;
  } catch (error) {
    const kept = await caches.match(AWAY);
    if (kept) return kept;
    throw error;
  } finally {
    clearTimeout(clock);
  }
}

self.addEventListener("install", (event) => {
  self.skipWaiting();
  event.waitUntil(renew());
});
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("message", (event) => {
  if (event.data === "renew") event.waitUntil(renew().catch(() => {}));
});
self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (request.method !== "GET" || origin !== self.location.origin) return;
  if (request.mode === "navigate") event.respondWith(inReach(request));
  else if (pathname.startsWith("/static/")) event.respondWith(caches.match(request).then((kept) => kept || fetch(request)));
});
