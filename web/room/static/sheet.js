// The drawing under the hand: size, pan, two fingers, pins met by a finger, parts dragged to another place. The
// drawing grows inside its scrolling paper, so that wheel, touch and arrow keys pan it.
"use strict";

// A drawing is never shown smaller than this share of its own size on a wide screen, so that its smallest letters
// (11 pixels) stay legible; a narrow one fits its width first.
const legible = 1;
const largestFit = 1.7;
const narrow = () => window.matchMedia("(max-width: 991px)").matches;

document.addEventListener("alpine:init", () => {
  Alpine.data("sheet", () => ({
    zoom: 1,          // times the size that fits
    fingers: new Map(),
    pan: null,

    init() {
      const on = (name, f, options) => this.$el.addEventListener(name, (e) => f.call(this, e), options);
      on("wheel", this.wheel, { passive: false });
      on("pointerdown", this.down);
      on("pointermove", this.moved);
      on("pointerup", this.up);
      on("pointercancel", this.up);
      on("click", this.nearest);
      this.resized = new ResizeObserver(() => this.lay());
      this.papers().forEach((p) => this.resized.observe(p));
      this.swapped = () => { this.papers().forEach((p) => this.resized.observe(p)); this.lay(); };
      document.addEventListener("htmx:after:swap", this.swapped);
      this.keyed = (e) => this.key(e);
      document.addEventListener("keydown", this.keyed);
      this.lay();
    },
    destroy() {
      this.resized.disconnect();
      document.removeEventListener("htmx:after:swap", this.swapped);
      document.removeEventListener("keydown", this.keyed);
    },

    papers() { return [...this.$root.querySelectorAll(".paper")]; },
    drawings(paper) { return [...paper.querySelectorAll("svg.sheet")]; },

    // fitting is the scale at which a drawing fits its paper.
    fitting(paper, svg) {
      const width = svg.viewBox.baseVal.width, height = svg.viewBox.baseVal.height;
      if (!width || !paper.clientWidth) return 1;
      const across = (paper.clientWidth - 4) / width, down = (paper.clientHeight - 4) / height;
      if (narrow()) return across;
      return Math.max(Math.min(across, down, largestFit), Math.min(legible, largestFit));
    },
    lay(at) {
      for (const paper of this.papers()) {
        const all = this.drawings(paper), main = all.find((s) => !s.classList.contains("layer")) ?? all[0];
        if (!main || !main.viewBox.baseVal.width) continue;
        const { scrollLeft, scrollTop, scrollWidth, scrollHeight, clientWidth, clientHeight } = paper;
        const here = at && at.paper === paper ? at : { x: clientWidth / 2, y: clientHeight / 2 };
        const share = { x: (scrollLeft + here.x) / scrollWidth, y: (scrollTop + here.y) / scrollHeight };
        const scale = this.fitting(paper, main) * this.zoom;
        for (const svg of all) {
          svg.style.width = `${scale * main.viewBox.baseVal.width}px`;
          svg.style.height = `${scale * main.viewBox.baseVal.height}px`;
        }
        if (this.zoom === 1) continue;
        paper.scrollLeft = share.x * paper.scrollWidth - here.x;
        paper.scrollTop = share.y * paper.scrollHeight - here.y;
      }
    },
    size(to, at) { this.zoom = Math.min(6, Math.max(0.5, to)); this.lay(at); },
    larger() { this.size(this.zoom * 1.4); },
    smaller() { this.size(this.zoom / 1.4); },
    fit() { this.size(1); },
    key(e) {
      if (e.ctrlKey || e.metaKey || e.altKey || isTyping(document.activeElement)) return;
      const act = { "+": this.larger, "=": this.larger, "-": this.smaller, 0: this.fit }[e.key];
      if (act) { e.preventDefault(); act.call(this); }
    },

    wheel(e) {
      const paper = e.target.closest(".paper");
      if (!paper || !e.ctrlKey) return;
      e.preventDefault();
      const box = paper.getBoundingClientRect();
      this.size(this.zoom * Math.exp(-e.deltaY / 300), { paper, x: e.clientX - box.left, y: e.clientY - box.top });
    },
    down(e) {
      const paper = e.target.closest(".paper");
      if (!paper || e.button || drag.begin(e)) return;
      this.fingers.set(e.pointerId, e);
      if (e.pointerType === "mouse" && !e.target.closest("[data-pin]")) {
        this.pan = { paper, x: e.clientX, y: e.clientY, left: paper.scrollLeft, top: paper.scrollTop };
        paper.classList.add("held");
      }
    },
    moved(e) {
      if (drag.move(e)) return;
      const { pan } = this;
      if (pan) { pan.paper.scrollLeft = pan.left - (e.clientX - pan.x); pan.paper.scrollTop = pan.top - (e.clientY - pan.y); }
      if (!this.fingers.has(e.pointerId)) return;
      const before = [...this.fingers.values()];
      this.fingers.set(e.pointerId, e);
      if (before.length !== 2) return;
      const after = [...this.fingers.values()];
      const apart = ([a, b]) => Math.hypot(a.clientX - b.clientX, a.clientY - b.clientY);
      const paper = after[0].target.closest(".paper");
      if (!paper || apart(before) <= 10) return;
      const box = paper.getBoundingClientRect();
      const x = (after[0].clientX + after[1].clientX) / 2 - box.left, y = (after[0].clientY + after[1].clientY) / 2 - box.top;
      this.size(this.zoom * apart(after) / apart(before), { paper, x, y });
    },
    up(e) {
      this.fingers.delete(e.pointerId);
      this.pan?.paper.classList.remove("held");
      this.pan = null;
      drag.end(e.type === "pointerup");
    },
    // A finger need not meet a pin: the nearest within its width is meant.
    nearest(e) {
      const sheet = e.target.closest(".paper .sheet");
      if (!sheet || e.pointerType !== "touch" || e.target.closest("[data-pin]") || document.querySelector(".arranging")) return;
      let near = null, least = 26;
      for (const spot of sheet.querySelectorAll("[data-pin] .spot")) {
        const box = spot.getBoundingClientRect();
        const away = Math.hypot(box.left + box.width / 2 - e.clientX, box.top + box.height / 2 - e.clientY);
        if (away < least) [near, least] = [spot, away];
      }
      near?.dispatchEvent(new MouseEvent("click", { bubbles: true }));
    },
  }));

  // Arranging: parts are dragged, or moved with the arrow keys and put down with Enter. The server keeps the place
  // and draws the wires again.
  Alpine.data("arrange", () => ({
    on: arrangingNow,
    get arranging() { return this.on ? "arranging" : ""; },
    get pressed() { return String(this.on); },
    init() { this.$nextTick(() => this.reachable()); },
    toggle() { this.on = arrangingNow = !this.on; this.reachable(); },
    reachable() {
      for (const part of this.$root.querySelectorAll(".paper [data-part]")) {
        if (this.on) part.setAttribute("tabindex", "0"); else part.removeAttribute("tabindex");
      }
    },
  }));
});

let arrangingNow = false; // stays on from one page of a sheet to the next

const drag = {
  part: null,
  begin(e) {
    const part = document.querySelector(".arranging") && e.target.closest("[data-part]");
    if (!part) return false;
    e.preventDefault();
    this.take(part, e.clientX, e.clientY);
    return true;
  },
  take(part, x, y) { Object.assign(this, { part, x, y, dx: 0, dy: 0 }); part.classList.add("dragged"); },
  scale() { return this.part.ownerSVGElement.getScreenCTM()?.a ?? 1; },
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
    if (!part) return;
    const step = { ArrowLeft: [-10, 0], ArrowRight: [10, 0], ArrowUp: [0, -20], ArrowDown: [0, 20] }[e.key];
    if (step) {
      if (this.part !== part) this.take(part, 0, 0);
      this.dx += step[0];
      this.dy += step[1];
      this.show();
    } else if (e.key === "Enter") this.end(true);
    else if (e.key === "Escape") this.end(false);
    else return;
    e.preventDefault();
  },
};
document.addEventListener("keydown", (e) => drag.key(e), true);
