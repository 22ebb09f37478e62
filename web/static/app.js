// Keys, one-touch recording, and a sentence when the server cannot be reached. Everything
// here is a convenience: the pages work without it.
"use strict";

const typing = (el) => el && (/^(INPUT|SELECT|TEXTAREA)$/.test(el.tagName) && el.type !== "radio" || el.isContentEditable);

const keys = {
  r: () => (document.querySelector(".reading") || document.querySelector(".record input[type=radio]"))?.focus(),
  n: () => (document.querySelector(".to-next") || document.querySelector(".move"))?.[document.querySelector(".to-next") ? "click" : "scrollIntoView"](),
  m: () => { const more = document.querySelector(".more"); if (more) { more.open = true; more.querySelector("#pin").focus(); } },
  s: () => { const add = document.querySelector(".add"); if (add) { add.open = true; add.querySelector("input[name=action]").focus(); } },
  "+": () => zoomBy("in"), "=": () => zoomBy("in"), "-": () => zoomBy("out"), "0": () => zoomBy("fit"),
  "?": () => { const list = document.querySelector("#keys"); if (list) { list.open ? list.close() : list.showModal(); } },
};

document.addEventListener("keydown", (e) => {
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  if (e.key === "Escape") { document.querySelector("dialog[open]")?.close(); document.activeElement?.blur(); return; }
  if (typing(document.activeElement)) return;
  if (/^[1-9]$/.test(e.key)) {
    const state = document.querySelector(`.states [data-key="${e.key}"]`);
    if (state) { e.preventDefault(); state.click(); }
  } else if (keys[e.key]) {
    e.preventDefault();
    keys[e.key]();
  }
});

// One touch per fan: when the last fan has its word, the look is recorded. A word chosen with
// the arrow keys waits for Enter, since every arrow changes it.
let touched = false;
document.addEventListener("pointerup", () => { touched = true; });
document.addEventListener("keydown", () => { touched = false; });
document.addEventListener("change", (e) => {
  const form = e.target.closest?.("form.record");
  if (!form || e.target.type !== "radio" || !touched) return;
  const fans = form.querySelectorAll("fieldset.fan");
  if ([...fans].every((f) => f.querySelector("input:checked"))) form.requestSubmit();
});

// While an answer is on its way the page says so: a line at the top, drawn by the style sheet.
let waiting = 0;
const busy = (n) => { waiting = Math.max(0, waiting + n); document.documentElement.toggleAttribute("data-busy", waiting > 0); };
document.addEventListener("htmx:before:request", () => busy(1));
document.addEventListener("htmx:finally:request", () => busy(-1));

// The newest entry of the thread is in sight.
const newest = () => { const thread = document.querySelector(".job > .thread"); if (thread && thread.scrollHeight > thread.clientHeight) thread.scrollTop = thread.scrollHeight; };
document.addEventListener("DOMContentLoaded", newest);

// The page that was swapped in says its name.
document.addEventListener("htmx:after:swap", () => {
  newest();
  const heading = document.querySelector("main h1");
  if (heading) document.title = `${heading.firstChild.textContent.trim()} · Iron Thread`;
});

document.addEventListener("htmx:error", () => {
  const notice = document.querySelector("#notice");
  if (!notice) return;
  const p = document.createElement("p");
  p.className = "notice bad";
  p.textContent = "The application cannot be reached. What you typed is still here; try again in a moment.";
  notice.replaceChildren(p);
});

// Zoom and pan. The drawing grows inside its scrolling paper, so that wheel, touch and arrow
// keys pan it; Ctrl with the wheel, two fingers, the buttons and + − 0 zoom it.
let zoom = 1;
let centre = null; // where the middle of the paper was, as shares of the drawing
const papers = () => document.querySelectorAll(".paper");
const applyZoom = (paper, at) => {
  const sheet = paper.querySelector("svg.sheet");
  if (!sheet) return;
  const { scrollLeft, scrollTop, scrollWidth, scrollHeight, clientWidth, clientHeight } = paper;
  at ??= { x: clientWidth / 2, y: clientHeight / 2 };
  const share = { x: (scrollLeft + at.x) / scrollWidth, y: (scrollTop + at.y) / scrollHeight };
  sheet.style.width = zoom === 1 ? "" : `${100 * zoom}%`;
  sheet.style.height = zoom === 1 ? "" : `${100 * zoom}%`;
  paper.scrollLeft = share.x * paper.scrollWidth - at.x;
  paper.scrollTop = share.y * paper.scrollHeight - at.y;
};
const setZoom = (to, paper, at) => {
  zoom = Math.min(6, Math.max(1, to));
  papers().forEach((p) => applyZoom(p, p === paper ? at : undefined));
};
const zoomBy = (way) => setZoom(way === "fit" ? 1 : way === "in" ? zoom * 1.4 : zoom / 1.4);
document.addEventListener("click", (e) => { const b = e.target.closest?.("[data-zoom]"); if (b) zoomBy(b.dataset.zoom); });
document.addEventListener("wheel", (e) => {
  const paper = e.target.closest?.(".paper");
  if (!paper || !e.ctrlKey) return;
  e.preventDefault();
  const box = paper.getBoundingClientRect();
  setZoom(zoom * Math.exp(-e.deltaY / 300), paper, { x: e.clientX - box.left, y: e.clientY - box.top });
}, { passive: false });
// After a swap the new drawing is shown as the old one was.
document.addEventListener("scroll", (e) => {
  const p = e.target;
  if (p.classList?.contains("paper") && p.scrollWidth) centre = { x: p.scrollLeft / p.scrollWidth, y: p.scrollTop / p.scrollHeight };
}, true);
document.addEventListener("htmx:after:swap", () => {
  if (zoom === 1) return;
  const was = centre;
  papers().forEach((p) => { applyZoom(p); if (was) { p.scrollLeft = was.x * p.scrollWidth; p.scrollTop = was.y * p.scrollHeight; } });
});

const fingers = new Map();
let pan = null;
document.addEventListener("pointerdown", (e) => {
  const paper = e.target.closest?.(".paper");
  if (!paper || e.button) return;
  fingers.set(e.pointerId, e);
  if (drag.begin(e, paper)) return;
  if (e.pointerType === "mouse" && !e.target.closest("[data-pin]")) {
    pan = { paper, x: e.clientX, y: e.clientY, left: paper.scrollLeft, top: paper.scrollTop };
    paper.classList.add("held");
  }
});
document.addEventListener("pointermove", (e) => {
  if (drag.move(e)) return;
  if (pan) { pan.paper.scrollLeft = pan.left - (e.clientX - pan.x); pan.paper.scrollTop = pan.top - (e.clientY - pan.y); }
  if (!fingers.has(e.pointerId)) return;
  const before = [...fingers.values()];
  fingers.set(e.pointerId, e);
  if (before.length !== 2) return;
  const after = [...fingers.values()];
  const apart = ([a, b]) => Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
  const paper = after[0].target.closest?.(".paper");
  if (paper && apart(before) > 10) {
    const box = paper.getBoundingClientRect();
    setZoom(zoom * apart(after) / apart(before), paper, { x: (after[0].clientX + after[1].clientX) / 2 - box.left, y: (after[0].clientY + after[1].clientY) / 2 - box.top });
  }
});
const letGo = (e) => {
  fingers.delete(e.pointerId);
  pan?.paper.classList.remove("held");
  pan = null;
  drag.end(e.type === "pointerup");
};
document.addEventListener("pointerup", letGo);
document.addEventListener("pointercancel", letGo);

// A finger need not meet a pin: the nearest within its width is meant.
const reach = 26;
document.addEventListener("click", (e) => {
  const sheet = e.target.closest?.(".paper .sheet");
  if (!sheet || e.pointerType !== "touch" || e.target.closest("[data-pin]") || document.querySelector(".arranging")) return;
  let nearest = null, least = reach;
  for (const spot of sheet.querySelectorAll("[data-pin] .spot")) {
    const box = spot.getBoundingClientRect();
    const away = Math.hypot(box.left + box.width / 2 - e.clientX, box.top + box.height / 2 - e.clientY);
    if (away < least) [nearest, least] = [spot, away];
  }
  nearest?.dispatchEvent(new MouseEvent("click", { bubbles: true }));
});

// Arranging: parts are dragged, or moved with the arrow keys and put down with Enter. The
// server keeps the place and draws the wires again.
const drag = {
  part: null,
  begin(e, paper) {
    const part = document.querySelector(".arranging") && e.target.closest("[data-part]");
    if (!part) return false;
    e.preventDefault();
    this.take(part, e.clientX, e.clientY);
    return true;
  },
  take(part, x, y) { Object.assign(this, { part, x, y, dx: 0, dy: 0 }); part.classList.add("dragged"); },
  scale() { const m = this.part.ownerSVGElement.getScreenCTM(); return m ? m.a : 1; },
  show() { this.part.setAttribute("transform", `translate(${this.dx} ${this.dy})`); },
  move(e) {
    if (!this.part) return false;
    this.dx = (e.clientX - this.x) / this.scale();
    this.dy = (e.clientY - this.y) / this.scale();
    this.show();
    return true;
  },
  end(put) {
    const { part } = this;
    if (!part) return;
    part.classList.remove("dragged");
    this.part = null;
    const form = document.querySelector("#place");
    if (!put || !form || Math.hypot(this.dx, this.dy) < 4) { part.removeAttribute("transform"); return; }
    form.part.value = part.dataset.part;
    form.way.value = part.dataset.way;
    form.dx.value = Math.round(this.dx);
    form.dy.value = Math.round(this.dy);
    form.requestSubmit();
  },
  key(e) {
    const part = document.activeElement?.closest?.(".arranging [data-part]");
    if (!part) return false;
    const step = { ArrowLeft: [-10, 0], ArrowRight: [10, 0], ArrowUp: [0, -20], ArrowDown: [0, 20] }[e.key];
    if (step) {
      if (this.part !== part) this.take(part, 0, 0);
      this.dx += step[0];
      this.dy += step[1];
      this.show();
    } else if (e.key === "Enter") this.end(true);
    else if (e.key === "Escape") this.end(false);
    else return false;
    e.preventDefault();
    return true;
  },
};
document.addEventListener("keydown", (e) => drag.key(e), true);
const arrange = (on) => {
  document.querySelector(".sheet-page")?.classList.toggle("arranging", on);
  document.querySelector("[data-arrange]")?.setAttribute("aria-pressed", String(on));
  document.querySelectorAll(".paper [data-part]").forEach((p) => { on ? p.setAttribute("tabindex", "0") : p.removeAttribute("tabindex"); });
};
let arranging = false;
document.addEventListener("click", (e) => { if (e.target.closest?.("[data-arrange]")) arrange(arranging = !arranging); });
document.addEventListener("htmx:after:swap", () => { if (arranging) arrange(document.querySelector("[data-arrange]") !== null); });

// A touch on a box's photograph says where a socket's middle is.
document.addEventListener("click", (e) => {
  const photo = e.target.closest?.("[data-photo] svg");
  const form = photo?.closest(".box").querySelector("form.tag");
  if (!form) return;
  const box = photo.getBoundingClientRect();
  form.x.value = Math.round(1000 * (e.clientX - box.left) / box.width);
  form.y.value = Math.round(1000 * (e.clientY - box.top) / box.height);
  form.querySelector("button").focus();
});
