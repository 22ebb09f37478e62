// The harness editor. The text is the truth. The server reads it and answers with everything that is shown beside
// it: the rows of the two tables, what is wrong and where, the pins there are, what the fans do, the drawing. A
// cell that is changed is sent as a change, and the text comes back.
"use strict";

// The columns of the two tables.
const cellsOf = { parts: ["name", "kind", "settings", "label", "at"], wires: ["from", "to", "colour", "size", "length"] };

const atOnce = 100; // changes in one request
const sameCell = (one, other) => one.op === "set" && ["op", "section", "row", "cell"].every((key) => one[key] === other[key]);

document.addEventListener("alpine:init", () => {
  Alpine.data("editor", () => ({
    parts: [], wires: [], errors: [], pins: [], fans: [],
    status: "", gutter: "", sum: "", isStale: false, saved: "", saving: false,
    past: [], future: [], last: "",
    queue: [], going: 0, due: false, stirred: 0, line: null, half: null, typedIn: null, // see soon
    get stale() { return this.isStale ? "stale" : ""; },
    get nothingToUndo() { return !this.past.length; },
    get nothingToRedo() { return !this.future.length; },

    init() {
      this.last = this.saved = this.$refs.text.value;
      this.guard();
      this.rule();
      this.now({});
    },

    // What is typed and not saved is not dropped in silence, whichever way somebody goes.
    guard() {
      const typed = () => document.contains(this.$refs.text ?? null) && this.$refs.text.value !== this.saved;
      addEventListener("beforeunload", (e) => { if (typed() && !this.saving) e.preventDefault(); });
      document.addEventListener("click", (e) => {
        const away = e.target.closest?.("a[href]:not([download])");
        if (away && typed() && !confirm("What you typed is not saved. Leave it behind?")) {
          e.preventDefault();
          e.stopImmediatePropagation();
        } else if (away && typed()) this.saved = this.$refs.text.value;
      }, true);
      this.$root.addEventListener("submit", async (e) => { // before the form itself hears of it
        if (!this.queue.length) { this.saving = true; return; }
        e.preventDefault(); // what was typed in a cell is in the text first
        e.stopPropagation();
        await this.send();
        if (!this.queue.length) this.$refs.save.requestSubmit();
      }, true);
    },

    // Undo: one step a pause in typing.
    remember() {
      const now = Date.now(), { value } = this.$refs.text;
      if (value === this.last) return;
      if (now - (this.typedAt ?? 0) > 900 || !this.past.length) this.past.push(this.last);
      this.typedAt = now;
      this.last = value;
      this.future = [];
    },
    jump(from, to) {
      if (!from.length) return;
      to.push(this.$refs.text.value);
      this.last = this.$refs.text.value = from.pop();
      this.typedAt = 0;
      this.half = null;
      this.now({});
    },
    async undo() { await this.send(); this.jump(this.past, this.future); },
    async redo() { await this.send(); this.jump(this.future, this.past); },
    shortcut(e) {
      if (!(e.ctrlKey || e.metaKey)) return;
      const acts = {
        s: () => this.$refs.save.requestSubmit(),
        z: () => (e.shiftKey ? this.redo() : this.undo()),
        y: () => this.redo(),
      };
      const act = acts[e.key.toLowerCase()];
      if (act) { e.preventDefault(); act(); }
    },

    // The text.
    typed() { this.remember(); this.rule(); this.soon({}); },
    scrolled() { this.$refs.gutter.scrollTop = this.$refs.text.scrollTop; },
    newLine(e) {
      if (e.ctrlKey) return;
      const area = this.$refs.text, at = area.selectionStart; // a new line begins where the last did
      const line = area.value.slice(area.value.lastIndexOf("\n", at - 1) + 1, at);
      const pad = line.match(/^ */)[0] + (/:\s*$/.test(line) ? "  " : "");
      if (!pad) return;
      e.preventDefault();
      area.setRangeText(`\n${pad}`, at, area.selectionEnd, "end");
      area.dispatchEvent(new Event("input"));
    },
    rule() {
      const bad = new Set(this.errors.map((e) => e.line));
      this.gutter = this.$refs.text.value.split("\n").map((_, k) => `${bad.has(k + 1) ? "!" : " "}${String(k + 1).padStart(3)}`).join("\n");
    },
    goTo(e) {
      const line = Number(e.currentTarget.dataset.line), area = this.$refs.text, lines = area.value.split("\n");
      const start = lines.slice(0, line - 1).join("\n").length + (line > 1 ? 1 : 0);
      area.focus();
      area.setSelectionRange(start, start + (lines[line - 1]?.length ?? 0));
      area.scrollTop = Math.max(0, (line - 6) * parseFloat(getComputedStyle(area).lineHeight));
    },

    // The tables. What is being done to which cell goes to the server.
    change(op, el) {
      const { section, row } = el.closest("[data-row]").dataset;
      return { op, section, row: Number(row), cell: el.dataset.cell ?? "", value: el.value ?? "" };
    },
    cell(e) {
      if (!e.target.dataset.cell || e.target.readOnly) return;
      this.typedIn = e.target;
      this.soon(this.change("set", e.target));
    },
    left(e) { if (e.target === this.typedIn) this.typedIn = null; },
    choose(e) { if (e.target.dataset.cell === "kind") this.now(this.change("set", e.target)); },
    async add(e) { await this.grow(e.currentTarget.dataset.add); },
    // The new row is there at once, for whoever types on; the server hears of it in its turn.
    async grow(section) {
      const n = this[section].length, cells = Object.fromEntries(cellsOf[section].map((cell) => [cell, ""]));
      this[section].push({ cells, n, key: n, look: "", wrong: "", locked: false, bad: {} });
      await null; // Alpine lays the row in the same breath, before another key can come
      const rows = this.$root.querySelectorAll(`[data-${section}] tr[data-row]`);
      rows[rows.length - 1]?.querySelector("input").focus();
      await this.now({ op: "add", section, row: 0, cell: "", value: "" });
    },
    async remove(e) {
      const { section, row } = e.currentTarget.closest("[data-row]").dataset;
      await this.now(this.change("remove", e.currentTarget));
      await this.$nextTick();
      const rows = this.$root.querySelectorAll(`[data-${section}] tr[data-row]`);
      rows[Math.min(Number(row), rows.length - 1)]?.querySelector("input")?.focus();
    },
    rowKey(e) {
      const row = e.target.closest?.("[data-row]");
      if (!row || e.target.tagName !== "INPUT") return;
      const rows = [...row.parentElement.querySelectorAll("[data-row]")], k = rows.indexOf(row);
      const column = [...row.querySelectorAll("input")].indexOf(e.target);
      if (e.key === "Enter") {
        e.preventDefault();
        if (k === rows.length - 1) this.grow(row.dataset.section); else rows[k + 1].querySelector("input").focus();
      } else if (e.altKey && (e.key === "ArrowDown" || e.key === "ArrowUp")) {
        e.preventDefault();
        rows[k + (e.key === "ArrowDown" ? 1 : -1)]?.querySelectorAll("input")[column]?.focus();
      } else if (e.key === "Delete" && e.ctrlKey) {
        e.preventDefault();
        this.remove({ currentTarget: e.target });
      }
    },

    // Changes wait in a queue until the server has made them: those that are due go together, and none is taken out of the
    // queue before its answer is there. A cell that is typed in again replaces what was waiting for it.
    soon(change) {
      clearTimeout(this.timer);
      this.stirred++;
      const last = this.queue.length - 1;
      if (last >= this.going && sameCell(this.queue[last], change)) this.queue[last] = change;
      else if (change.op) this.queue.push(change);
      this.timer = setTimeout(() => this.send(), 200);
    },
    now(change) {
      this.soon(change);
      return this.send();
    },
    // Sends what is due; what is promised is that everything that waited has been answered, or cannot be.
    send() {
      clearTimeout(this.timer);
      this.due = true;
      this.line ??= this.exchange().finally(() => { this.line = null; });
      return this.line;
    },
    async exchange() {
      busy(1);
      try {
        while (this.due && this.$root.isConnected) {
          this.going = Math.min(this.queue.length, atOnce);
          this.due = this.going < this.queue.length;
          const stirred = this.stirred, draft = await this.made(this.queue.slice(0, this.going));
          this.queue.splice(0, this.going);
          this.going = 0;
          if (stirred === this.stirred && !this.due) await this.show(draft);
        }
      } catch {
        this.going = 0;
        this.status = "The application cannot be reached; what you type is still here.";
        this.timer = setTimeout(() => this.send(), 2000);
      } finally { busy(-1); }
    },
    // The changes made to the text. Whoever types in the text meanwhile loses nothing: they are made to what stands there now.
    async made(changes) {
      const area = this.$refs.text;
      for (;;) {
        const stood = area.value, half = this.half;
        // A cell that is typed in goes into the text as it was before that cell: half a word in it may have been read as another cell.
        const again = half && half.after === stood && half.earlier.length < atOnce && changes.length && sameCell(half.change, changes[0]);
        const before = again ? half.before : stood, all = again ? [...half.earlier, ...changes] : changes;
        const body = new URLSearchParams({ text: before, base: this.sum, changes: JSON.stringify(all) });
        const answer = await fetch("/drafts", { method: "POST", body });
        if (!answer.ok && answer.status !== 422) throw new Error(answer.statusText); // refused, it says why and leaves the text
        const draft = await answer.json();
        if (!changes.length) return draft;
        if (area.value !== stood) continue;
        area.value = draft.text;
        this.half = { change: all[all.length - 1], earlier: all.slice(0, -1), before, after: draft.text };
        this.remember();
        return draft;
      }
    },
    async show(draft) {
      const rows = (list) => list.map((row, n) => ({
        ...row, cells: this.known(row.cells), n, key: n, look: row.wrong ? "at-fault" : "", bad: this.badCells(row),
      }));
      const at = document.activeElement, stood = at.value, mine = at === this.typedIn && at.closest("[data-row]");
      const parts = rows(draft.parts), wires = rows(draft.wires);
      if (mine) { // a cell keeps what is being typed in it, however much of it the text has understood
        const row = (mine.dataset.section === "parts" ? parts : wires)[mine.dataset.row];
        if (row) row.cells[at.dataset.cell] = stood;
      }
      this.parts = parts;
      this.wires = wires;
      await null; // Alpine lays the rows in the same breath
      if (at.dataset.cell && at.value !== stood) at.select(); // what was offered is typed over, not added to
      const says = (e) => [e.line && `line ${e.line}`, e.where, e.msg].filter(Boolean).join(": ");
      this.errors = draft.errors.map((e, key) => ({ line: e.line, key, says: says(e) }));
      this.pins = [...new Set(draft.pins)];
      this.rule();
      const n = draft.errors.length;
      this.status = n ? `${n} ${n === 1 ? "thing" : "things"} to mend` : "sound";
      this.isStale = n > 0;
      if (n) return;
      this.fans = draft.fans;
      this.draw(draft.sum, this.stirred);
    },
    // What a row does not say yet stands as a question mark in the text, and as nothing in its cell.
    known(cells) { return Object.fromEntries(Object.entries(cells).map(([name, value]) => [name, value === "?" ? "" : value])); },
    badCells(row) {
      const bad = {};
      for (const cell of Object.keys(row.cells)) bad[cell] = String(Boolean(row.wrong) && (!row.cell || row.cell === cell));
      return bad;
    },
    // A drawing takes the server a second or more: it is asked for once the hand rests.
    async draw(sum, turn) {
      let draft = {};
      while (!draft.svg) {
        await new Promise((r) => setTimeout(r, draft.sum ? 250 : 400));
        if (turn !== this.stirred || !this.$root.isConnected) return;
        const answer = await fetch(`/drafts/${sum}`).catch(() => null);
        if (!answer) { // the server is away: the drawing is asked for until it is back
          await new Promise((r) => setTimeout(r, 2000));
          continue;
        }
        if (!answer.ok) return;
        draft = await answer.json();
      }
      if (turn !== this.stirred) return;
      this.sum = sum;
      const paper = this.$root.querySelector("[data-drawing]");
      paper.innerHTML = draft.svg;
      document.dispatchEvent(new CustomEvent("htmx:after:swap"));
    },
  }));
});
