// A circuit is traced from its page: what is tapped becomes parts, pins and wires, and the server says what that makes. All of it can be
// done by fingers, a mouse, or keys alone: arrows move a cross, Enter taps. Places are counted in ten-thousandths of the page.
"use strict";

const traceWhole = 10000, traceUndo = 30, traceReach = 24, traceNear = 1200, traceClose = 260, traceEdge = 250, traceHold = 220;
const traceNames = { battery: "BAT", ground: "G", splice: "S", fuse: "F", relay: "K", motor: "M", controller: "ECU", switch: "SW",
  resistor: "R", diode: "D", connector: "C", lamp: "H", limiter: "T" };
const traceAlone = ["battery", "controller", "switch"]; // the first of them needs no number
const traceEnds = ["motor", "fuse", "switch", "resistor", "diode", "limiter", "lamp"]; // the wires that come to them say which end is meant

document.addEventListener("alpine:init", () => {
  Alpine.data("tracing", () => ({
    init() {
      const root = this.$root;
      this.root = root;
      this.s = JSON.parse(root.dataset.state);
      for (const key of ["parts", "wires"]) this.s[key] ??= [];
      this.pages = JSON.parse(root.dataset.pages);
      this.page = this.pages.at(-1)?.Number ?? 1;
      this.kinds = [...root.querySelector("template[data-kinds]").content.querySelectorAll("option")]
        .map((o) => ({ kind: o.value, name: o.textContent, pins: o.dataset.pins.split(" ").filter(Boolean) }));
      this.next = [];
      this.done = [];
      this.zoom = 1;
      this.cross = null;
      this.wire = { from: "", colour: "", size: "" };
      this.fresh = {};
      this.stage = this.find("[data-stage]");
      this.mode = this.s.of ? "lay" : "part";
      this.pointers();
      this.draw();
      if (this.s.of) this.layNext();
      this.sync();
    },
    find(what) { return this.root.querySelector(what); },
    say(text) { this.find("[data-says]").textContent = text; },
    picture() {
      if (this.mode === "corners" && this.taken?.page === this.page) return this.taken;
      return this.pages.find((p) => p.Number === this.page) ?? { Number: 1, Width: 1000, Height: 1000 };
    },

    // What is tapped.
    part(name) { return this.s.parts.find((p) => p.name === name); },
    kindOf(kind) { return this.kinds.find((k) => k.kind === kind) ?? { kind, name: kind, pins: [] }; },
    pinsOf(p) {
      if (p.order?.length) return p.order;
      const usual = this.kindOf(p.kind).pins, own = Object.keys(p.pins ?? {});
      return [...usual, ...own.filter((pin) => !usual.includes(pin))];
    },
    placeOf(end) {
      const [name, pin] = end.split(".");
      const p = this.part(name);
      return p ? (pin === undefined ? p.spot : p.pins?.[pin]) : undefined;
    },
    keep() {
      this.done.push(JSON.stringify(this.s));
      if (this.done.length > traceUndo) this.done.shift();
    },
    undo() {
      const before = this.done.pop();
      if (!before) return this.say("There is nothing more to undo.");
      this.s = JSON.parse(before);
      this.queue = null;
      this.wire.from = "";
      this.ask(null);
      this.changed();
    },
    changed() { this.draw(); this.sync(); },
    freeName(kind) {
      const stem = traceNames[kind] ?? "X";
      if (traceAlone.includes(kind) && !this.part(stem)) return stem;
      for (let n = traceAlone.includes(kind) ? 2 : 1; ; n++) if (!this.part(stem + n)) return stem + n;
    },
    add(kind, spot, pins) {
      this.keep();
      const p = { name: this.freeName(kind), kind, spot, pins: pins ?? {} };
      this.s.parts.push(p);
      return p;
    },

    // choose is a button of the toolbar.
    choose(e) { this.begin(e.target.dataset.mode); },
    begin(mode) {
      this.mode = mode;
      this.queue = null;
      this.wire.from = "";
      this.ask(null);
      this.say({ part: "Tap a part where it stands on the page.", wire: "Tap where a wire begins, then where it ends.",
        ground: "Tap a sign of ground.", battery: "Tap the line that is always live.",
        corners: "Drag the four corners to those of the page." }[mode] ?? "");
      if (mode === "wire") this.askWire();
      if (mode === "corners") this.askCorners();
      this.draw();
      this.stage.focus({ preventScroll: true });
    },

    // tap does what a tap at a place does.
    tap(spot) {
      if (this.mode === "corners") return;
      if (this.queue) return this.tapPin(spot);
      if (this.mode === "battery") return this.tapBattery(spot);
      if (this.mode === "ground") return this.tapGround(spot);
      if (this.mode === "wire") return this.tapWire(spot);
      const hit = this.partNear(spot, traceReach * 1.4, 1.5 * traceClose);
      if (hit) return this.askPart(hit);
      this.askKind(spot);
    },
    tapBattery(spot) {
      let p = this.s.parts.find((x) => x.kind === "battery");
      if (!p) p = this.add("battery", spot, { "+": spot });
      else { this.keep(); p.pins["+"] ??= spot; }
      this.changed();
      this.begin("part");
    },
    tapGround(spot) {
      this.add("ground", spot);
      this.changed();
      this.say("Ground. Tap the next one, or go on with parts and wires.");
    },
    askKind(spot) {
      const likely = this.next.length ? this.next : this.kinds.map((k) => k.kind);
      const first = likely.slice(0, 9).map((kind) => this.kindOf(kind));
      const rest = this.kinds.filter((k) => !first.includes(k));
      this.ask(`<h2>What is it?</h2><div class="kinds">${first.map((k, n) =>
        `<button type="button" class="btn btn-outline-dark" data-kind="${k.kind}"><kbd>${n + 1}</kbd> ${k.name}</button>`).join("")}</div>
        <label class="form-label">or <select class="form-select" data-other><option value="">another kind</option>${rest.map((k) =>
        `<option value="${k.kind}">${k.name}</option>`).join("")}</select></label>`, { spot });
    },
    made(kind, spot) {
      const p = this.add(kind, spot);
      this.changed();
      if (kind === "controller") return this.askController(p);
      if (traceEnds.includes(kind) || kind === "ground" || kind === "splice") { this.askPart(p); return; }
      this.pinsNext(p, this.kindOf(kind).pins);
    },

    // pinsNext asks for pins one after the other.
    pinsNext(p, pins) {
      this.queue = pins.map((pin) => [p.name, pin]);
      this.promptPin();
    },
    promptPin() {
      if (!this.queue?.length) {
        this.queue = null;
        if (this.s.of) { this.ask(null); return this.say("All of them have been asked for. Keep the places."); }
        this.ask(null);
        return this.say("Tap the next part, or go on with wires.");
      }
      const [name, pin] = this.queue[0];
      this.say(`Tap ${name}${pin ? ` ${pin}` : ""} where it is on the page.`);
      this.ask(`<p class="mb-2">${name}: tap <b>${pin || "it"}</b>, then ${this.queue.slice(1, 7)
        .map(([n, q]) => (n === name ? "" : `${n} `) + (q || "it")).join(", ") || "no more"}.</p>
        <div class="d-flex gap-2"><button type="button" class="btn btn-outline-dark" data-skip>not on this page</button>
        <button type="button" class="btn btn-outline-dark" data-enough>enough of it</button></div>${this.nameField(name)}`, { name });
    },
    tapPin(spot) {
      const [name, pin] = this.queue.shift();
      const p = this.part(name);
      this.keep();
      if (pin === "" || !p.spot?.page) p.spot = { ...spot };
      if (pin !== "") (p.pins ??= {})[pin] = spot;
      this.changed();
      this.promptPin();
    },
    layNext() {
      this.queue = [];
      for (const p of this.s.parts) for (const pin of p.order ?? [""]) {
        if (!(pin === "" ? p.spot?.page : p.pins?.[pin])) this.queue.push([p.name, pin]);
      }
      this.promptPin();
    },
    askController(p, pin) {
      const last = Object.keys(p.pins ?? {}).at(-1), name = pin ?? (last && /^\d+$/.test(last) ? String(Number(last) + 1) : "1");
      this.say(`Type the number of ${p.name}'s pin as it is printed, then tap it.`);
      this.ask(`<h2>${p.name}</h2>${this.nameField(p.name)}<label class="form-label">Pin, as printed <input class="form-control short"
        data-pin-name maxlength="12" value="${name}"></label><button type="button" class="btn btn-outline-dark" data-enough>enough of
        it</button>`, { name: p.name, controller: true });
      this.queue = [[p.name, name]];
      this.find("[data-pin-name]")?.select();
    },

    // What a tap in wire mode means: a pin, a joint, the end of a part that has one left, a wire, the edge.
    tapWire(spot) {
      const end = this.endAt(spot);
      if (end) return this.wireEnd(end);
      const p = this.partNear(spot, traceReach * 4);
      if (p && traceEnds.includes(p.kind)) {
        const pin = this.kindOf(p.kind).pins.find((x) => !p.pins?.[x]);
        if (pin) {
          this.keep();
          (p.pins ??= {})[pin] = spot;
          return this.wireEnd(`${p.name}.${pin}`, true);
        }
      }
      if (p && !["ground", "splice"].includes(p.kind)) {
        const left = this.pinsOf(p).filter((x) => !p.pins?.[x]);
        return this.ask(`<h2>Which pin of ${p.name}?</h2><div class="kinds">${left.map((x) =>
          `<button type="button" class="btn btn-outline-dark" data-which="${x}">${x}</button>`).join("")}</div>
          <label class="form-label">another <input class="form-control short" data-which-name maxlength="12"></label>`,
        { spot, name: p.name });
      }
      const on = this.wireNear(spot);
      if (on !== undefined) return this.splice(on, spot);
      const edge = spot.x < traceEdge || spot.y < traceEdge || spot.x > traceWhole - traceEdge || spot.y > traceWhole - traceEdge;
      if (edge && this.wire.from) {
        return this.ask(`<h2>It goes on at</h2><label class="form-label">Its name there, as printed <input class="form-control" data-off
          maxlength="18"></label><button type="button" class="btn btn-primary" data-off-go>So it is</button>`, {});
      }
      this.say("Nothing is there to be wired: tap nearer to a pin or a part, or make the part first.");
    },
    endAt(spot) {
      let best = "", near = Math.min(this.reach(), traceClose); // on a small page two pins of a part lie close
      for (const p of this.s.parts) {
        if (["ground", "splice"].includes(p.kind) && this.away(p.spot, spot) < near) { best = p.name; near = this.away(p.spot, spot); }
        for (const [pin, at] of Object.entries(p.pins ?? {})) {
          if (this.away(at, spot) < near) { best = `${p.name}.${pin}`; near = this.away(at, spot); }
        }
      }
      return best;
    },
    wireEnd(end, kept) {
      if (!this.wire.from) {
        this.wire.from = end;
        this.say(`From ${end}. Tap where it ends.`);
        this.changed();
        return this.askWire();
      }
      if (this.wire.from === end) { this.wire.from = ""; this.changed(); return this.say("Let go."); }
      if (!kept) this.keep();
      const w = { from: this.wire.from, to: end };
      if (this.wire.colour) w.colour = this.wire.colour;
      if (this.wire.size) w.size = this.wire.size;
      this.s.wires.push(w);
      this.wire.from = "";
      this.say(`${w.from} to ${w.to}. Tap where the next one begins.`);
      this.changed();
      this.askWire();
    },
    splice(n, spot) {
      const w = this.s.wires[n], p = this.add("splice", spot);
      this.s.wires.splice(n, 1, { ...w, to: p.name }, { ...w, from: p.name });
      this.wireEnd(p.name, true);
    },
    askWire() {
      this.ask(`<div class="row g-2"><label class="col-6">Colour <input class="form-control" data-colour list="trace-colours"
        maxlength="12" value="${this.wire.colour}" autocomplete="off"></label><label class="col-6">mm² <input class="form-control" data-size
        maxlength="8" inputmode="decimal" value="${this.wire.size}"></label></div>`, {});
    },

    // The part that is looked at.
    nameField(name) {
      return `<label class="form-label">Its name, as printed <input class="form-control short" data-name maxlength="20"
        value="${name}" data-of="${name}"></label>`;
    },
    askPart(p) {
      this.ask(`<h2>${p.name}: ${this.kindOf(p.kind).name}</h2>${this.nameField(p.name)}<label class="form-label">Label <input
        class="form-control" data-label maxlength="80"></label><div class="d-flex flex-wrap gap-2">
        ${traceEnds.includes(p.kind) || ["ground", "splice"].includes(p.kind) ? "" :
    `<button type="button" class="btn btn-outline-dark" data-pins>tap its pins</button>`}
        <button type="button" class="btn btn-outline-dark" data-remove>take it off</button></div>`, { name: p.name });
      const label = this.find("[data-label]");
      if (label) label.value = p.label ?? "";
    },
    rename(from, to) {
      to = to.trim();
      const p = this.part(from);
      if (!p || from === to) return;
      if (!/^[A-Za-z][A-Za-z0-9_/]*$/.test(to) || this.part(to)) return this.say(`${to || "Nothing"} cannot be its name.`);
      this.keep();
      p.name = to;
      const end = (x) => x === from ? to : x.startsWith(`${from}.`) ? to + x.slice(from.length) : x;
      for (const w of this.s.wires) { w.from = end(w.from); w.to = end(w.to); }
      this.wire.from = end(this.wire.from);
      if (this.queue) this.queue = this.queue.map(([n, pin]) => [n === from ? to : n, pin]);
      if (this.about) this.about.name = to;
      this.find("[data-name]")?.setAttribute("data-of", to);
      this.changed();
    },
    remove(name) {
      this.keep();
      this.s.parts = this.s.parts.filter((p) => p.name !== name);
      const at = (end) => end === name || end.startsWith(`${name}.`);
      this.s.wires = this.s.wires.filter((w) => !at(w.from) && !at(w.to));
      this.ask(null);
      this.changed();
    },

    // ask fills the place beside the page where something is asked; about says what it is about.
    ask(html, about) {
      const box = this.find("[data-ask]");
      this.about = about ?? null;
      box.hidden = !html;
      box.innerHTML = html ?? "";
      if (!box.dataset.hears) {
        box.dataset.hears = "1";
        box.addEventListener("click", (e) => this.answered(e));
        box.addEventListener("change", (e) => this.typed(e));
        box.addEventListener("input", (e) => this.typing(e));
      }
    },
    answered(e) {
      const b = e.target.closest("button");
      if (!b) return;
      const d = b.dataset, about = this.about ?? {};
      if (d.kind) return this.made(d.kind, about.spot);
      if ("skip" in d) { this.queue.shift(); return this.promptPin(); }
      if ("enough" in d) { this.queue = this.s.of ? this.queue.filter(([n]) => n !== about.name) : null; return this.promptPin(); }
      if ("pins" in d) {
        const p = this.part(about.name);
        return p.kind === "controller" ? this.askController(p) : this.pinsNext(p, this.pinsOf(p));
      }
      if ("remove" in d) return this.remove(about.name);
      if (d.which) return this.whichPin(d.which);
      if ("offGo" in d) return this.goesOn();
      if ("straight" in d) return this.straighten();
      if ("turn" in d) { this.turns = (this.turns + 1) % 4; return this.say(`It will be turned by ${this.turns} quarters.`); }
    },
    whichPin(pin) {
      const p = this.part(this.about.name);
      this.keep();
      (p.pins ??= {})[pin] = this.about.spot;
      this.wireEnd(`${p.name}.${pin}`, true);
    },
    goesOn() {
      const name = this.find("[data-off]").value.trim();
      if (!name) return this.say("Say what it is called there.");
      this.wireEnd(`>${name}`);
    },
    typed(e) {
      const d = e.target.dataset, value = e.target.value;
      if ("other" in d && value) return this.made(value, this.about.spot);
      if ("name" in d) return this.rename(d.of, value);
      if ("whichName" in d && value.trim()) return this.whichPin(value.trim());
      if ("label" in d) { this.keep(); this.part(this.about.name).label = value.trim(); return this.sync(); }
    },
    typing(e) {
      const d = e.target.dataset, value = e.target.value.trim();
      if ("colour" in d) this.wire.colour = value.toUpperCase();
      if ("size" in d) this.wire.size = value.replace(",", ".");
      if ("pinName" in d && this.queue) this.queue[0][1] = value;
    },
    titled() {
      this.keep();
      this.s.title = this.find("[data-title]").value.trim();
      this.s.volts = Number(this.find("[data-volts]").value);
      this.sync();
    },
    // finish fills the form before anybody else hears of it: who listens first is not the same on a page that was slow to come.
    finish() {
      this.find("[data-finish] [name=state]").value = JSON.stringify(this.s);
      clearTimeout(this.soon); // it goes with the form
      this.turn = (this.turn ?? 0) + 1;
    },

    // Corners: the picture as it was taken, with four handles.
    askCorners() {
      this.turns = 0;
      const page = this.page, whole = new Image(); // as it was taken it may have other sides than straightened
      whole.onload = () => { this.taken = { page, Width: whole.naturalWidth, Height: whole.naturalHeight }; this.draw(); };
      whole.src = `/traces/${this.root.dataset.id}/pages/${page}?taken=1`;
      this.corners = [[300, 300], [traceWhole - 300, 300], [traceWhole - 300, traceWhole - 300], [300, traceWhole - 300]];
      this.ask(`<p>Drag the corners to those of the page, so that its lines come out straight.</p><div class="d-flex gap-2">
        <button type="button" class="btn btn-outline-dark" data-turn>turn it</button><button type="button" class="btn btn-primary"
        data-straight>Straighten</button></div>`, {});
    },
    // asked puts a question to the server; where none can be reached it says so and gives nothing.
    async asked(what, body) {
      try {
        const r = await fetch(`/traces/${this.root.dataset.id}/${what}`, { method: "POST", body });
        return { r, answer: await r.json() };
      } catch {
        this.say("The server cannot be reached just now; try again in a moment.");
        return {};
      }
    },
    async straighten() {
      const body = new URLSearchParams({ page: this.page, turns: this.turns,
        corners: this.corners.map(([x, y]) => `${x / traceWhole} ${y / traceWhole}`).join(" ") });
      const { r, answer } = await this.asked("straighten", body);
      if (!r) return;
      if (!r.ok) return this.say(answer.wrong?.[0] ?? "It could not be straightened.");
      this.mode = "part";
      const p = this.picture();
      p.Width = answer.width;
      p.Height = answer.height;
      this.fresh[this.page] = (this.fresh[this.page] ?? 0) + 1;
      this.begin(this.s.of ? "lay" : "part");
      if (this.s.of) this.layNext();
    },
    contrast(e) {
      this.strong = !this.strong;
      e.target.setAttribute("aria-pressed", String(this.strong));
      this.stage.classList.toggle("strong", this.strong);
    },

    // How far things lie from each other, in ten-thousandths of the page's width.
    away(a, b) {
      const p = this.picture();
      if (!a || a.page !== b.page) return Infinity;
      return Math.hypot(a.x - b.x, (a.y - b.y) * p.Height / p.Width);
    },
    reach(pixels = traceReach) {
      const shown = this.stage.querySelector("svg")?.getBoundingClientRect().width || 1000;
      return pixels / shown * traceWhole;
    },
    partNear(spot, pixels, most = traceNear) {
      let best = null, near = Math.min(this.reach(pixels), most);
      for (const p of this.s.parts) if (this.away(p.spot, spot) < near) { best = p; near = this.away(p.spot, spot); }
      return best;
    },
    wireNear(spot) {
      let best, near = this.reach();
      this.s.wires.forEach((w, n) => {
        const a = this.placeOf(w.from), b = this.placeOf(w.to);
        if (!a || !b || a.page !== spot.page || b.page !== spot.page) return;
        const dx = b.x - a.x, dy = b.y - a.y, long = dx * dx + dy * dy || 1;
        const t = Math.max(0.05, Math.min(0.95, ((spot.x - a.x) * dx + (spot.y - a.y) * dy) / long));
        const d = this.away({ page: spot.page, x: a.x + t * dx, y: a.y + t * dy }, spot);
        if (d < near) { best = n; near = d; }
      });
      return best;
    },

    // Pointers: a tap taps, a mark that is dragged moves, a finger that rests shows the loupe and taps where it is lifted.
    pointers() {
      const spotOf = (e) => this.spotAt(e.clientX, e.clientY);
      this.stage.addEventListener("pointerdown", (e) => {
        if (e.button) return;
        this.from = { x: e.clientX, y: e.clientY, mark: e.target.closest?.("[data-mark]")?.dataset.mark, moved: false };
        if (e.pointerType !== "touch") return;
        this.holding = setTimeout(() => { this.aiming = true; this.loupe(e.clientX, e.clientY); }, traceHold);
      });
      this.stage.addEventListener("pointermove", (e) => {
        if (!this.from) return;
        if (Math.hypot(e.clientX - this.from.x, e.clientY - this.from.y) > 6) {
          this.from.moved = true;
          if (!this.aiming) clearTimeout(this.holding);
        }
        if (this.aiming) this.loupe(e.clientX, e.clientY);
        if (this.from.moved && this.from.mark) this.drag(this.from.mark, spotOf(e));
      });
      const up = (e) => {
        clearTimeout(this.holding);
        const from = this.from, aimed = this.aiming;
        this.from = null;
        this.aiming = false;
        this.find("[data-loupe]").hidden = true;
        if (!from || e.type === "pointercancel") return;
        if (from.moved && from.mark) { this.dragged = false; return this.sync(); }
        const spot = spotOf(e);
        if (spot && (!from.moved || aimed)) this.tap(spot);
      };
      this.stage.addEventListener("pointerup", up);
      this.stage.addEventListener("pointercancel", up);
      this.stage.addEventListener("touchmove", (e) => { if (this.aiming || this.from?.mark) e.preventDefault(); }, { passive: false });
    },
    spotAt(clientX, clientY) {
      const box = this.stage.querySelector("svg").getBoundingClientRect();
      const x = Math.round((clientX - box.left) / box.width * traceWhole), y = Math.round((clientY - box.top) / box.height * traceWhole);
      return x < 0 || y < 0 || x > traceWhole || y > traceWhole ? null : { page: this.page, x, y };
    },
    drag(mark, spot) {
      if (!spot) return;
      if (mark.startsWith("#")) { this.corners[Number(mark.slice(1))] = [spot.x, spot.y]; return this.draw(); }
      if (!this.dragged) { this.keep(); this.dragged = true; }
      const [name, pin] = mark.split("."), p = this.part(name);
      if (pin === undefined) p.spot = spot;
      else p.pins[pin] = spot;
      this.draw();
    },
    loupe(clientX, clientY) {
      const spot = this.spotAt(clientX, clientY), glass = this.find("[data-loupe]");
      glass.hidden = !spot;
      if (!spot) return;
      const p = this.picture(), x = spot.x / traceWhole * p.Width, y = spot.y / traceWhole * p.Height;
      const wide = 60 * p.Width / this.stage.querySelector("svg").getBoundingClientRect().width;
      glass.innerHTML = `<svg viewBox="${x - wide / 2} ${y - wide / 2} ${wide} ${wide}"><image href="${this.url()}" width="${p.Width}"
        height="${p.Height}"/><path class="cross" stroke-width="${wide / 60}" d="M${x - wide / 5} ${y}h${wide / 2.5}
        M${x} ${y - wide / 5}v${wide / 2.5}"/></svg>`;
      const box = this.find(".stage").getBoundingClientRect();
      glass.style.left = `${Math.max(4, Math.min(box.width - 124, clientX - box.left - 60))}px`;
      glass.style.top = `${Math.max(4, clientY - box.top - 150)}px`;
    },

    // Keys alone: arrows move the cross, Enter taps.
    keyed(e) {
      if ((e.ctrlKey || e.metaKey) && e.key === "z") { e.preventDefault(); return this.undo(); }
      if (/^(INPUT|SELECT|TEXTAREA)$/.test(e.target.tagName)) {
        if (e.key === "Enter" && e.target.closest("[data-ask]")) { e.preventDefault(); this.stage.focus(); }
        return;
      }
      const ways = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
      if (ways && e.target === this.stage) {
        e.preventDefault();
        const step = e.shiftKey ? 20 : 100, at = this.cross ?? { page: this.page, x: traceWhole / 2, y: traceWhole / 2 };
        const within = (v) => Math.max(0, Math.min(traceWhole, v));
        this.cross = { page: this.page, x: within(at.x + step * ways[0]), y: within(at.y + step * ways[1]) };
        return this.draw();
      }
      if (e.key === "Enter" && e.target === this.stage && this.cross) { e.preventDefault(); return this.tap({ ...this.cross }); }
      if (e.key === "Escape") return this.begin(this.s.of ? "lay" : this.mode);
      const digit = Number(e.key), kinds = this.root.querySelectorAll("[data-ask] [data-kind]");
      if (digit && kinds[digit - 1]) return kinds[digit - 1].click();
      const mode = { p: "part", w: "wire", g: "ground", b: "battery" }[e.key];
      if (mode && !this.s.of && !e.ctrlKey && !e.metaKey && !e.altKey) { e.stopPropagation(); this.begin(mode); }
    },
    larger() { this.zoom = Math.min(6, this.zoom * 1.4); this.lay(); },
    smaller() { this.zoom = Math.max(1, this.zoom / 1.4); this.lay(); },
    lay() {
      const svg = this.stage.querySelector("svg"), p = this.picture();
      if (!svg) return;
      const room = Math.min(this.stage.clientWidth - 4, Math.max(240, window.innerHeight * 0.78) * p.Width / p.Height);
      const wide = Math.max(Math.min(room, this.stage.clientWidth - 4), Math.min(this.stage.clientWidth - 4, 320)) * this.zoom;
      svg.style.width = `${wide}px`;
      svg.style.height = `${wide * p.Height / p.Width}px`;
    },
    url() { return `/traces/${this.root.dataset.id}/pages/${this.page}?v=${this.fresh[this.page] ?? 0}`; },

    // draw lays all that was tapped over the page.
    draw() {
      const p = this.picture(), at = (s) => [s.x / traceWhole * p.Width, s.y / traceWhole * p.Height];
      const u = Math.max(p.Width, p.Height) / 1000 / Math.sqrt(this.zoom), here = (s) => s && s.page === this.page;
      const esc = (t) => String(t).replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);
      let out = "";
      const corners = this.mode === "corners";
      if (corners) {
        out += `<polygon class="page" points="${this.corners.map(([x, y]) => at({ x, y }).join(",")).join(" ")}"/>`;
        this.corners.forEach(([x, y], n) => {
          const [cx, cy] = at({ x, y });
          out += `<circle class="corner" data-mark="#${n}" cx="${cx}" cy="${cy}" r="${16 * u}"/>`;
        });
      } else {
        for (const w of this.s.of ? [] : this.s.wires) {
          const a = this.placeOf(w.from), b = this.placeOf(w.to);
          if (here(a) && here(b)) out += `<path class="tapped-wire" stroke-width="${3 * u}" d="M${at(a)}L${at(b)}"/>`;
          else for (const s of [a, b]) if (here(s)) {
            const [x, y] = at(s);
            out += `<path class="tapped-wire off" stroke-width="${3 * u}" d="M${x} ${y}l${14 * u} ${-14 * u}"/>`;
          }
        }
        for (const q of this.s.parts) {
          if (here(q.spot)) {
            const [x, y] = at(q.spot);
            out += `<g class="tapped-part" data-mark="${esc(q.name)}"><circle cx="${x}" cy="${y}" r="${11 * u}" stroke-width="${2 * u}"/>
              <text x="${x}" y="${y - 14 * u}" font-size="${15 * u}">${esc(q.name)}</text></g>`;
          }
          for (const [pin, s] of Object.entries(q.pins ?? {})) if (here(s)) {
            const [x, y] = at(s), end = `${q.name}.${pin}`;
            out += `<g class="tapped-pin${end === this.wire.from ? " from" : ""}" data-mark="${esc(end)}"><circle cx="${x}" cy="${y}"
              r="${7 * u}" stroke-width="${2 * u}"/><text x="${x + 9 * u}" y="${y + 5 * u}" font-size="${11 * u}">${esc(pin)}</text></g>`;
          }
        }
      }
      if (this.cross && this.cross.page === this.page) {
        const [x, y] = at(this.cross);
        out += `<path class="cross" stroke-width="${2 * u}" d="M${x - 18 * u} ${y}h${36 * u}M${x} ${y - 18 * u}v${36 * u}"/>`;
      }
      const picture = corners ? `/traces/${this.root.dataset.id}/pages/${this.page}?taken=1` : this.url();
      const left = this.stage.scrollLeft, top = this.stage.scrollTop;
      this.stage.innerHTML = `<svg viewBox="0 0 ${p.Width} ${p.Height}"><image href="${picture}" width="${p.Width}" height="${p.Height}"
        preserveAspectRatio="none"/>${out}</svg>`;
      this.lay();
      this.stage.scrollLeft = left;
      this.stage.scrollTop = top;
      for (const b of this.root.querySelectorAll("[data-mode]")) b.classList.toggle("active", b.dataset.mode === this.mode);
      this.find("[data-pages-nav]").replaceChildren(...(this.pages.length < 2 ? [] : this.pages.map((x) => {
        const b = document.createElement("button");
        b.type = "button";
        b.className = `btn btn-outline-dark${x.Number === this.page ? " active" : ""}`;
        b.textContent = `page ${x.Number}`;
        b.onclick = () => { this.page = x.Number; this.cross = null; this.draw(); };
        return b;
      })));
    },

    // sync keeps it at the server and shows what that makes of it.
    sync() {
      clearTimeout(this.soon);
      this.root.dataset.kept = "";
      this.soon = setTimeout(() => this.send(), 200);
    },
    async send() {
      const turn = this.turn = (this.turn ?? 0) + 1;
      let stands;
      try {
        stands = await (await fetch(`/traces/${this.root.dataset.id}`, { method: "POST",
          body: new URLSearchParams({ state: JSON.stringify(this.s) }) })).json();
      } catch {
        return this.say("The server cannot be reached just now; what was tapped is kept with the next step.");
      }
      if (turn !== this.turn) return;
      this.show(stands);
      this.root.dataset.kept = "yes";
    },
    show(stands) {
      if (stands.next) this.next = stands.next;
      if (this.s.of) return;
      this.stands = stands;
      const list = (where, texts) => this.find(where).replaceChildren(...texts.map((t) => {
        const li = document.createElement("li");
        li.textContent = t;
        return li;
      }));
      const missing = stands.missing?.length ? stands.missing : stands.wrong ?? []; // what is missing says it in plainer words
      list("[data-missing]", [...missing, ...(stands.doubts ?? [])]);
      this.find("[data-fold=missing] h2").textContent = stands.missing?.length || stands.wrong?.length ? "Missing" : "Nothing is missing";
      this.showDoes(stands);
      this.showRows(stands);
      const title = this.find("[data-title]");
      if (document.activeElement !== title) title.value = this.s.title ?? "";
      this.find("[data-volts]").value = String(this.s.volts || 12);
    },
    showDoes(stands) {
      const box = this.find("[data-does]"), words = ["stopped", "slow", "fast"];
      box.replaceChildren();
      this.wanted = {};
      for (const d of stands.fans ?? []) {
        const row = document.createElement("div");
        row.className = "does-row";
        const state = (stands.states ?? []).find((s) => s.name === d.state) ?? { name: d.state, commands: [] };
        row.append(Object.assign(document.createElement("b"), { textContent: d.state }));
        for (const command of stands.commands ?? []) {
          const label = document.createElement("label"), tick = Object.assign(document.createElement("input"), { type: "checkbox",
            checked: (state.commands ?? []).includes(command) });
          tick.onchange = () => this.stateAsks(stands, d.state, command, tick.checked);
          label.append(tick, ` ${command}`);
          row.append(label);
        }
        for (const [fan, word] of Object.entries(d.fans)) {
          const pick = document.createElement("select");
          pick.className = "form-select";
          pick.setAttribute("aria-label", `${fan} in ${d.state}`);
          for (const w of words.includes(word) ? words : [...words, word]) pick.append(new Option(w, w, w === word, w === word));
          pick.onchange = () => { (this.wanted[d.state] ??= {})[fan] = pick.value; };
          row.append(` ${fan} `, pick);
        }
        box.append(row);
      }
      if (!stands.fans?.length) return;
      const ask = Object.assign(document.createElement("button"), { type: "button", className: "btn btn-outline-dark",
        textContent: "It is not so: which wire would make it so?" });
      ask.onclick = () => this.whichWire(stands, box);
      box.append(ask);
    },
    stateAsks(stands, name, command, on) {
      this.keep();
      this.s.states = stands.states.map((s) => ({ ...s, commands: s.commands ?? [] }));
      const state = this.s.states.find((s) => s.name === name);
      state.commands = on ? [...state.commands, command] : state.commands.filter((c) => c !== command);
      this.sync();
    },
    async whichWire(stands, box) {
      const lines = [];
      for (const d of stands.fans) for (const [fan, word] of Object.entries(d.fans)) {
        lines.push(`${d.state} ${fan} ${this.wanted[d.state]?.[fan] ?? word}`);
      }
      const { r, answer } = await this.asked("fixes",
        new URLSearchParams({ state: JSON.stringify(this.s), wanted: lines.join("\n") }));
      if (!r) return;
      const { wires } = answer;
      box.querySelector(".fixes")?.remove();
      const list = document.createElement("div");
      list.className = "fixes";
      list.append(wires.length ? "One of these would: " : "No single wire would make it so.");
      for (const w of wires) {
        const b = Object.assign(document.createElement("button"), { type: "button", className: "btn btn-outline-dark",
          textContent: `${w.from} to ${w.to}` });
        b.onclick = () => { this.keep(); this.s.wires.push(w); this.changed(); };
        list.append(b);
      }
      box.append(list);
    },
    showRows(stands) {
      const row = (text, field, act) => {
        const li = document.createElement("li");
        li.append(text, " ");
        if (field) li.append(field);
        if (act) li.append(Object.assign(document.createElement("button"), { type: "button", className: "btn btn-link",
          textContent: "take off", onclick: act }));
        return li;
      };
      this.find("[data-assumed]").replaceChildren(...(stands.assumed ?? []).map((text) => {
        const name = text.slice(0, text.indexOf(":")), field = Object.assign(document.createElement("input"), { className: "form-control",
          value: text.slice(name.length + 2), maxLength: 400 });
        field.setAttribute("aria-label", `Settings of ${name}`);
        field.onchange = () => { this.keep(); this.part(name).settings = field.value.trim(); this.sync(); };
        return row(name, field);
      }));
      this.find("[data-all]").replaceChildren(...this.s.parts.map((p) => row(`${p.name}: ${this.kindOf(p.kind).name}`, null,
        () => this.remove(p.name))), ...this.s.wires.map((w, n) => row(`${w.from} – ${w.to} ${w.colour ?? ""} ${w.size ?? ""}`,
        null, () => {
        this.keep();
        this.s.wires.splice(n, 1);
        this.changed();
      })));
    },
  }));
});
