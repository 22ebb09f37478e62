// The drawing under the hand: size, pan, two fingers, pins met by a finger or by arrow keys, parts dragged to another place. The
// drawing grows inside its scrolling paper, so that wheel, touch and arrow keys pan it. At first sight all of it is shown, where
// that leaves its smallest letters legible; where not, the place that is asked for stands in the middle, and a small plan in the
// corner says where that lies in the whole.
"use strict";

const smallestLetter = 11, leastLetter = 9; // pixels: as drawn, and as shown at first sight
const largestFit = 1.7;
const planSize = () => window.matchMedia("(max-width: 991px)").matches ? 64 : 96;
const svgNew = (name, attributes) => {
  const el = document.createElementNS("http://www.w3.org/2000/svg", name);
  for (const [key, value] of Object.entries(attributes)) el.setAttribute(key, value);
  return el;
};

document.addEventListener("alpine:init", () => {
  Alpine.data("sheet", () => ({
    zoom: 1,          // times the size of the first sight
    whole: false,     // all of it is shown, however small
    asked: "",        // the place that was in the middle last
    fingers: new Map(),
    pan: null,

    init() {
      const on = (name, f, options) => this.$el.addEventListener(name, (e) => f.call(this, e), options);
      on("wheel", this.wheel, { passive: false });
      on("pointerdown", this.down);
      on("pointermove", this.moved);
      on("pointerup", this.up);
      on("pointercancel", this.up);
      on("click", this.nearest, { capture: true });
      on("scroll", this.frame, { capture: true, passive: true });
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
      const all = Math.min(across, down, largestFit);
      return this.whole ? all : Math.max(all, leastLetter / smallestLetter);
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
        const ring = paper.querySelector(".ring"), place = ring ? `${main.viewBox.baseVal.width} ${ring.getAttribute("cx")}
          ${ring.getAttribute("cy")}` : "";
        if (place && place !== this.asked) this.centre(paper, main, ring.cx.baseVal.value, ring.cy.baseVal.value);
        else if (this.zoom !== 1) {
          paper.scrollLeft = share.x * paper.scrollWidth - here.x;
          paper.scrollTop = share.y * paper.scrollHeight - here.y;
        }
        if (place) this.asked = place;
        this.plan(paper, main);
      }
    },
    // centre brings a place of the drawing, in its own units, into the middle of the paper.
    centre(paper, main, x, y) {
      const box = main.viewBox.baseVal, scale = main.getBoundingClientRect().width / box.width;
      paper.scrollLeft = main.parentElement.offsetLeft - paper.offsetLeft + (x - box.x) * scale - paper.clientWidth / 2;
      paper.scrollTop = (y - box.y) * scale - paper.clientHeight / 2;
    },
    // plan draws the small plan of the whole, where the paper shows a part of it only.
    plan(paper, main) {
      paper.querySelector(".plan")?.remove();
      const box = main.viewBox.baseVal;
      if (paper.scrollWidth <= 1.1 * paper.clientWidth && paper.scrollHeight <= 1.1 * paper.clientHeight) return;
      const plan = svgNew("svg", { class: "plan", viewBox: `${box.x} ${box.y} ${box.width} ${box.height}`, "aria-hidden": "true" });
      const scale = planSize() / Math.max(box.width, box.height);
      plan.style.width = `${box.width * scale}px`;
      plan.style.height = `${box.height * scale}px`;
      plan.style.marginTop = `${-box.height * scale - 10}px`;
      for (const part of main.querySelectorAll("[data-part]")) {
        const b = part.getBBox();
        plan.append(svgNew("rect", { class: "block", x: b.x, y: b.y, width: b.width, height: b.height }));
      }
      const ring = paper.querySelector(".ring");
      if (ring) plan.append(svgNew("circle", { class: "here", cx: ring.getAttribute("cx"), cy: ring.getAttribute("cy"), r: 4 / scale }));
      plan.append(svgNew("rect", { class: "frame" }));
      paper.append(plan);
      this.frame({ target: paper });
    },
    // frame marks on the plan what the paper shows.
    frame(e) {
      const frame = e.target.querySelector?.(".plan .frame"), main = e.target.querySelector?.("svg.sheet:not(.layer)");
      if (!frame || !main) return;
      const box = main.viewBox.baseVal, scale = main.getBoundingClientRect().width / box.width;
      const { scrollLeft, scrollTop, clientWidth, clientHeight } = e.target;
      const at = { x: box.x + scrollLeft / scale, y: box.y + scrollTop / scale, width: clientWidth / scale, height: clientHeight / scale };
      for (const [key, value] of Object.entries(at)) frame.setAttribute(key, value);
    },
    size(to, at) { this.zoom = Math.min(6, Math.max(0.5, to)); this.lay(at); },
    larger() { this.size(this.zoom * 1.4); },
    smaller() { this.size(this.zoom / 1.4); },
    fit() { this.whole = true; this.size(1); },
    // Pins are met by arrow keys too: p goes to the pin that is asked for, an arrow to the nearest that way, Enter touches it.
    pins() { return [...this.$root.querySelectorAll("svg.sheet:not(.layer) [data-pin]")]; },
    middle(pin) {
      const b = pin.querySelector(".spot").getBoundingClientRect();
      return { x: b.left + b.width / 2, y: b.top + b.height / 2 };
    },
    pinKey(e) {
      const pin = document.activeElement?.closest?.("[data-pin], [data-place]");
      if (!pin || !this.$root.contains(pin)) {
        if (e.key !== "p") return false;
        const ring = this.$root.querySelector(".ring"), at = ring && `${ring.getAttribute("cx")} ${ring.getAttribute("cy")}`;
        const spot = (p) => { const s = p.querySelector(".spot"); return `${s.getAttribute("cx")} ${s.getAttribute("cy")}`; };
        (this.pins().find((p) => spot(p) === at) ?? this.pins()[0])?.focus();
        return true;
      }
      if (e.key === "Enter" || e.key === " ") { pin.dispatchEvent(new MouseEvent("click", { bubbles: true })); return true; }
      const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
      if (!way || !pin.dataset.pin) return false;
      const from = this.middle(pin);
      let near = null, least = Infinity;
      for (const other of this.pins()) {
        const to = this.middle(other), along = (to.x - from.x) * way[0] + (to.y - from.y) * way[1];
        const aside = Math.abs((to.x - from.x) * way[1]) + Math.abs((to.y - from.y) * way[0]);
        if (along > 1 && along + 2 * aside < least) [near, least] = [other, along + 2 * aside];
      }
      near?.focus();
      return true;
    },
    key(e) {
      const field = document.activeElement, begun = field?.value || !field?.matches?.(".reading") || e.key !== "p";
      if (e.ctrlKey || e.metaKey || e.altKey || isTyping(field) && begun) return;
      if (!document.querySelector(".arranging") && this.pinKey(e)) { e.preventDefault(); return; }
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
      const paper = e.target.closest(".paper"), plan = e.target.closest(".plan");
      if (plan) { // a touch on the plan goes there
        const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(plan.getScreenCTM().inverse());
        this.centre(paper, paper.querySelector("svg.sheet:not(.layer)"), at.x, at.y);
        return;
      }
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
    // A finger need not meet a pin: the nearest within its width is meant; on a part, only one that is
    // nearer than its middle.
    nearest(e) {
      const sheet = e.target.closest(".paper .sheet");
      if (!sheet || e.pointerType !== "touch" || e.target.closest("[data-pin]") || document.querySelector(".arranging")) return;
      const place = e.target.closest("[data-place]")?.getBoundingClientRect();
      const middle = place && Math.hypot(place.left + place.width / 2 - e.clientX, place.top + place.height / 2 - e.clientY);
      let near = null, least = Math.min(26, middle ?? 26);
      for (const spot of sheet.querySelectorAll("[data-pin] .spot")) {
        const box = spot.getBoundingClientRect();
        const away = Math.hypot(box.left + box.width / 2 - e.clientX, box.top + box.height / 2 - e.clientY);
        if (away < least) [near, least] = [spot, away];
      }
      if (!near) return;
      e.stopPropagation();
      near.dispatchEvent(new MouseEvent("click", { bubbles: true }));
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
