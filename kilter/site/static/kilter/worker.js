// The service worker: the network first, and what was kept where there is none. Each room that works with no
// connection has one of its own; that of the whole yard keeps what one looks up out there: pages that say so in a
// header.
"use strict";
// Static files are everybody's; pages are kept under the name of who is signed in, and go when that changes.
const STATIC = "kilter-static-2";
const PAGES = "kilter-pages-";
const WHO = "kilter-who";
const IS_YARD = new URL(self.registration.scope).pathname === "/";
// A room whose lines wait on the device turns to what it kept sooner than a page that only shows.
const PATIENCE_MS = IS_YARD ? 10000 : 4000;
const MOST_PAGES = 80;
const HASHED = /\.[0-9a-f]{12}\.\w+$/;

// Shown where a page is not kept, or what was sent did not get through.
const NO_CONNECTION = "/no-connection";
const NOT_SENT = "/no-connection?sent=yes";

self.addEventListener("install", (event) => {
  event.waitUntil(
    caches
      .open(STATIC)
      .then((kept) => kept.addAll([NO_CONNECTION, NOT_SENT]))
      .then(() => self.skipWaiting()),
  );
});
self.addEventListener("activate", (event) => {
  event.waitUntil(
    caches
      .keys()
      .then((names) =>
        Promise.all(
          names
            .filter((name) => name !== STATIC && name !== WHO && !name.startsWith(PAGES))
            .map((name) => caches.delete(name)),
        ),
      )
      .then(() => self.clients.claim()),
  );
});

async function who() {
  const said = await (await caches.open(WHO)).match("/who");
  return said ? said.text() : "";
}
// Nobody is signed in here any more, or somebody else: the pages of whoever it was are nobody's to see.
async function forget(but = "") {
  const names = await caches.keys();
  await Promise.all(
    names.filter((name) => name.startsWith(PAGES) && name !== PAGES + but).map((name) => caches.delete(name)),
  );
  const kept = await caches.open(WHO);
  if (but) await kept.put("/who", new Response(but));
  else await kept.delete("/who");
}
const isStatic = (request) => new URL(request.url).pathname.startsWith("/static/");
async function shelf(request) {
  if (isStatic(request)) return caches.open(STATIC);
  const name = await who();
  return name ? caches.open(PAGES + name) : undefined;
}
async function keep(request, answer) {
  if (answer.redirected && new URL(answer.url).pathname === "/sign-in") await forget();
  const isOurs = isStatic(request) || !IS_YARD || answer.headers.has("Kilter-Keep");
  if (isOurs && answer.ok && !answer.redirected && answer.type === "basic") await put(request, answer.clone());
  return answer;
}
async function put(request, answer) {
  const kept = await shelf(request);
  await kept?.put(request, answer);
  if (!kept || isStatic(request)) return;
  const pages = await kept.keys(); // the oldest first
  await Promise.all(pages.slice(0, Math.max(pages.length - MOST_PAGES, 0)).map((one) => kept.delete(one)));
}

// The same page, else that crop's with another pot in hand, else any page of the bench.
async function known(request) {
  const kept = await shelf(request);
  const exact = await kept?.match(request);
  if (!kept) return undefined;
  if (exact || request.mode !== "navigate") return exact;
  const asked = new URL(request.url);
  const pages = (await kept.keys()).map((one) => new URL(one.url)).filter((url) => url.pathname === asked.pathname);
  const crop = asked.searchParams.get("crop");
  const best = pages.find((url) => url.searchParams.get("crop") === crop) ?? pages[0];
  return best ? kept.match(best.href) : undefined;
}

// Which page shows what was kept, and of when: it asks, and says so.
const shown = new Map();
function remember(id, answer) {
  if (id) shown.set(id, answer.headers.get("date"));
  return answer;
}

async function fromNetwork(request, id = "") {
  const asked = fetch(request);
  const late = new Promise((resolve) => {
    setTimeout(resolve, PATIENCE_MS);
  });
  try {
    const answer = await Promise.race([asked, late]);
    // A server that is up but broken is no better than none, where the page is known.
    const found = answer && answer.status < 500 ? undefined : await known(request);
    if (!found) return await keep(request, answer ?? (await asked));
    if (!answer)
      asked
        .then((one) => keep(request, one))
        .catch(() => {
          /* as last seen, then */
        });
    return remember(id, found);
  } catch {
    const found = await known(request);
    return found ? remember(id, found) : noConnection(request);
  }
}
async function noConnection(request) {
  if (request.mode !== "navigate") return Response.error();
  const kept = await caches.open(STATIC);
  return (await kept.match(request.method === "GET" ? NO_CONNECTION : NOT_SENT)) ?? Response.error();
}

async function fromStore(request) {
  return (await (await caches.open(STATIC)).match(request)) ?? keep(request, await fetch(request));
}

self.addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (url.origin !== location.origin || request.headers.has("HX-Request")) return;
  if (request.method !== "GET") {
    if (request.mode === "navigate") event.respondWith(fetch(request).catch(() => noConnection(request)));
  } else if (url.pathname.startsWith("/static/"))
    event.respondWith(HASHED.test(url.pathname) ? fromStore(request) : fromNetwork(request));
  else if (request.mode === "navigate") event.respondWith(fromNetwork(request, event.resultingClientId));
});

// The page says which pages the gardener may turn to without a connection, and they are fetched once a visit.
self.addEventListener("message", (event) => {
  event.waitUntil(
    (async () => {
      if (event.data.isKept) {
        event.ports[0].postMessage(shown.get(event.source.id) ?? null);
        return;
      }
      if ("who" in event.data) await forget(event.data.who);
      await Promise.all(
        (event.data.keep ?? []).map(async (address) => {
          try {
            await keep(new Request(address), await fetch(address));
          } catch {
            /* kept the next time */
          }
        }),
      );
      event.ports[0]?.postMessage("done");
    })(),
  );
});
