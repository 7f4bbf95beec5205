// Keeps the pages for phones, their scripts and their pictures, so that picking goes on without a network.
const KEPT = "relvan-phone-1";
const OURS = [/^\/dispatch\/phone(\/\d+)?$/, /^\/static\//, /^\/pictures\//, /^\/products\/.*\/pictures\//];

self.addEventListener("install", (event) => event.waitUntil(self.skipWaiting()));
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));

async function fresh(request) {
  const answer = await fetch(request);
  if (answer.ok && !answer.redirected) (await caches.open(KEPT)).put(request, answer.clone());
  return answer;
}

async function kept(request) {
  return (await caches.match(request, { ignoreVary: true })) ?? Response.error();
}

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { pathname, origin } = new URL(request.url);
  if (request.method !== "GET" || origin !== self.location.origin) return;
  if (OURS.some((path) => path.test(pathname))) event.respondWith(fresh(request).catch(() => kept(request)));
});

self.addEventListener("message", (event) => {
  if (!event.data?.keep) return;
  const added = caches.open(KEPT).then((cache) => Promise.allSettled(event.data.keep.map((address) => cache.add(address))));
  event.waitUntil(added.then(() => event.ports[0]?.postMessage("kept")));
});
