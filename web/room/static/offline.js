// What is recorded while the server cannot be reached stays on this device and is sent once the server is back: in order, and
// each once, by the token that every form carries. What the server then refuses is shown with its reason and stays until
// somebody has read it. Words are kept in the browser's local storage, photographs in its database (IndexedDB), for they are too
// big for the other. What needs the server (the next move, a figure) is not pretended here.
"use strict";

const keptKey = "kept-entries";
const keepable = /^\/jobs\/\d+\/(seen|say|table|setup|note|check|repair|strike|hand|stand|first|verify|photo)$/;
const mostKept = 200, mostPhotos = 20, mostBytes = 12 << 20;

const signedAs = () => document.querySelector(".person")?.dataset.who ?? "";
const readKept = () => { try { return JSON.parse(localStorage.getItem(keptKey) ?? "[]"); } catch { return []; } };
const writeKept = (list) => { localStorage.setItem(keptKey, JSON.stringify(list)); showKept(); };
const freshToken = () => [...crypto.getRandomValues(new Uint8Array(16))].map((b) => b.toString(16).padStart(2, "0")).join("");

// One step in the database of kept photographs, which are found by the token of their entry.
const photographs = (mode, step) => new Promise((done, failed) => {
  const opening = indexedDB.open("kept-photographs", 1);
  opening.onupgradeneeded = () => opening.result.createObjectStore("files");
  opening.onerror = () => failed(opening.error);
  opening.onsuccess = () => {
    const work = opening.result.transaction("files", mode), asked = step(work.objectStore("files"));
    work.oncomplete = () => { opening.result.close(); done(asked.result); };
    work.onerror = work.onabort = () => { opening.result.close(); failed(work.error); };
  };
});
const change = (token, what) => writeKept(readKept().map((x) => (x.token === token ? { ...x, ...what } : x)));
const forget = (item) => {
  writeKept(readKept().filter((x) => x.token !== item.token));
  if (item.photo) photographs("readwrite", (files) => files.delete(item.token)).catch(() => {}); // it is gone with the browser's data
};

// How the kept entries are shown, on every page.
const showKept = () => {
  const box = document.querySelector("#kept");
  if (!box) return;
  const list = readKept(), waiting = list.filter((x) => !x.refused).length;
  box.hidden = list.length === 0;
  box.replaceChildren();
  if (!list.length) return;
  const head = document.createElement("strong");
  head.textContent = waiting
    ? `${waiting} ${waiting === 1 ? "entry is" : "entries are"} kept on this device and sent once the server is back.`
    : "The server did not take what is listed here.";
  const lines = document.createElement("ul");
  for (const item of list) {
    const line = document.createElement("li");
    line.textContent = `${new Date(item.at).toLocaleTimeString("en-GB", { timeStyle: "short" })} ${item.what}`;
    if (item.refused) {
      const read = document.createElement("button");
      read.type = "button";
      read.className = "btn btn-link";
      read.textContent = "Read";
      read.addEventListener("click", () => forget(item));
      line.append(`: ${item.refused} `, read);
    } else if (item.who !== signedAs()) line.append(` (${item.who}'s: sign in as ${item.who} to send it)`);
    lines.append(line);
  }
  box.append(head, lines);
};

// What a field holds, in the words that stand beside it: which state, which fan.
const inWords = (form, name, value) => {
  const field = [...form.querySelectorAll("input, select, textarea")].find((x) => x.name === name && x.value === value);
  const legend = field?.closest("fieldset")?.querySelector("legend")?.textContent.trim();
  const group = field?.closest("[role=group]")?.getAttribute("aria-label");
  const said = name === "setup" ? value.replace(/ renewed$/, " replaced").replace(/^BAT apart$/, "battery negative is off") : value;
  return [legend, group === legend ? "" : group, said].filter(Boolean).join(" ");
};

// An entry whose request never reached the server is kept; every form on the page gets another token, so that the next entry
// is one of its own.
document.addEventListener("htmx:error", (e) => {
  const ctx = e.detail.ctx, form = ctx?.sourceElement?.closest?.("form");
  if (!form || ctx.response || ctx.request?.method?.toUpperCase() !== "POST") return;
  const url = new URL(ctx.request.action, location.href).pathname;
  const entries = [...(ctx.request.body ?? new FormData(form)).entries()];
  const body = entries.filter(([, value]) => typeof value === "string"), file = entries.find(([, value]) => value instanceof Blob);
  if (signedAs()) body.push(["writer", signedAs()]); // whose it is: no other's session sends it
  const token = body.find(([name]) => name === "token")?.[1];
  const list = readKept();
  if (!keepable.test(url) || !token || list.length >= mostKept) return;
  const photo = file && { field: file[0], name: file[1].name };
  if (photo && (file[1].size > mostBytes || list.filter((x) => x.photo).length >= mostPhotos)) return;
  const shown = body.filter(([name, value]) => value && !["token", "saw", "writer", ...(photo ? ["seq"] : [])].includes(name))
    .map(([name, value]) => inWords(form, name, value));
  if (photo) shown.unshift(`photograph ${photo.name}`);
  const what = shown.join(", ").slice(0, 160), at = Date.now();
  list.push({ url, token, body, photo, storing: photo ? at : 0, at, who: signedAs(), what });
  writeKept(list);
  if (photo) {
    // The bytes, not the file: what lies behind a file that was chosen may be gone before the server is back.
    file[1].arrayBuffer().then((bytes) => photographs("readwrite", (files) => files.put(new Blob([bytes]), token)))
      .then(() => change(token, { storing: 0 }))
      .catch(() => change(token, { refused: "this device could not keep the photograph; take it again once the server is back" }));
  }
  form.reset(); // as if it had been taken
  for (const field of document.querySelectorAll('input[name="token"]')) field.value = freshToken();
  e.stopImmediatePropagation(); // nothing is lost, so that nobody need be told to try again
}, { capture: true });

// What is sent for a kept entry; nothing where its photograph is not on this device any more.
const bodyOf = async (item) => {
  if (!item.photo) return new URLSearchParams(item.body);
  const bytes = await photographs("readonly", (files) => files.get(item.token));
  if (!bytes) return null;
  const form = new FormData();
  for (const [name, value] of item.body) form.append(name, value);
  form.append(item.photo.field, bytes, item.photo.name);
  return form;
};

// One after the other, the oldest first; the first that does not get through ends it.
const sendKept = async () => {
  let sent = 0;
  for (let item; (item = readKept().find((x) => !x.refused && x.who === signedAs()));) {
    if (item.storing && Date.now() - item.storing < 60000) break; // its photograph is still being put by
    let answer;
    try {
      const body = await bodyOf(item), signal = AbortSignal.timeout(item.photo ? 120000 : 15000);
      if (!body) {
        change(item.token, { refused: "its photograph is no longer on this device" });
        continue;
      }
      answer = await fetch(item.url, { method: "POST", body, redirect: "manual", signal });
    } catch { break; }
    const taken = answer.type === "opaqueredirect" || answer.ok; // now, or once before
    if (!taken && (answer.status === 401 || answer.status === 403 || answer.status === 429 || answer.status >= 500)) break;
    if (taken) { forget(item); sent++; }
    else {
      const page = new DOMParser().parseFromString(await answer.text(), "text/html");
      change(item.token, { refused: page.querySelector("#notice")?.textContent.trim() || `the server answered ${answer.status}` });
    }
  }
  const newer = document.querySelector("#newer");
  if (!sent || !newer) return;
  // The page goes on from what has got through, with what others wrote meanwhile; where something is being entered, it only
  // says that there is more.
  const begun = document.querySelector("#page input:checked:not([checked]), #page input:focus, #page textarea:focus");
  if (begun) htmx.trigger(newer, "newer");
  else htmx.ajax("GET", location.pathname + location.search, { target: "#page", select: "#page", swap: "outerHTML" });
};
const trySending = () => {
  if (!readKept().some((x) => !x.refused)) return;
  if (navigator.locks) navigator.locks.request(keptKey, { ifAvailable: true }, (lock) => lock && sendKept());
  else sendKept();
};
addEventListener("online", trySending);
setInterval(trySending, 4000);
document.addEventListener("DOMContentLoaded", () => { showKept(); trySending(); });

// Pages seen before are there without the server, as they were; whoever signs out leaves none behind.
if ("serviceWorker" in navigator && isSecureContext) {
  addEventListener("load", () => { navigator.serviceWorker.register("/sw.js").catch(() => {}); }); // a browser may not permit it
  if (location.pathname === "/signin") caches.keys().then((names) => names.forEach((name) => caches.delete(name)));
}

// The screen stays on while something is commanded: hands are at the fan, not at the phone.
let awake = null;
const stayAwake = async () => {
  const held = Boolean(document.querySelector("#live .held b")) && !document.hidden;
  if (held && !awake && navigator.wakeLock) {
    awake = await navigator.wakeLock.request("screen").catch(() => null);
    awake?.addEventListener("release", () => { awake = null; });
  } else if (!held && awake) awake.release();
};
document.addEventListener("htmx:after:swap", stayAwake);
document.addEventListener("visibilitychange", stayAwake);
document.addEventListener("DOMContentLoaded", stayAwake);
