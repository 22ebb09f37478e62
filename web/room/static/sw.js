// The shell without the server: styles and scripts as they were fetched (their addresses change with them), and the Bay and
// jobs as they were last seen on this device. Whatever is written goes to the server alone.
"use strict";

const shell = "shell", pages = "pages", mostPages = 40;
const kept = /^\/$|^\/jobs\/\d+$/;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (e) => e.waitUntil(self.clients.claim()));

const keepPage = async (request, answer) => {
  const cache = await caches.open(pages);
  await cache.put(new URL(request.url).pathname, answer);
  const list = await cache.keys();
  await Promise.all(list.slice(0, Math.max(0, list.length - mostPages)).map((old) => cache.delete(old)));
};

const page = async (request) => {
  try {
    const answer = await fetch(request);
    if (answer.ok && !answer.redirected && kept.test(new URL(request.url).pathname)) {
      const copy = answer.clone();
      if ((await copy.clone().text()).startsWith("<!doctype html>")) await keepPage(request, copy); // a part is no page
    }
    return answer;
  } catch (error) {
    const before = await caches.match(new URL(request.url).pathname, { cacheName: pages });
    if (!before) throw error;
    const text = (await before.text()).replace('<div id="notice"', `<div class="alert alert-warning mb-0 rounded-0" role="status">The
      server cannot be reached: this page is as it was last seen here.</div><div id="notice"`);
    const policy = before.headers.get("Content-Security-Policy") ?? "default-src 'self'";
    return new Response(text, { headers: { "Content-Type": "text/html; charset=utf-8", "Content-Security-Policy": policy } });
  }
};

const asset = async (request) => {
  const before = await caches.match(request, { cacheName: shell });
  if (before) return before;
  const answer = await fetch(request);
  if (answer.ok) await (await caches.open(shell)).put(request, answer.clone());
  return answer;
};

self.addEventListener("fetch", (e) => {
  const url = new URL(e.request.url);
  if (e.request.method !== "GET" || url.origin !== location.origin) return;
  if (url.pathname.startsWith("/static/")) e.respondWith(asset(e.request));
  else if (e.request.mode === "navigate" || kept.test(url.pathname)) e.respondWith(page(e.request));
});
