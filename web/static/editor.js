// The harness editor. The text is the truth: the tables show its lines and change them one by
// one; the server reads the text, says what is wrong and draws it.
"use strict";

const indentOf = (line) => line.match(/^ */)[0].length;
const comment = (line) => line.trim() === "" || line.trim().startsWith("#");

// Entries of a section: a key two spaces in, and the lines that belong to it.
const entriesOf = (lines, section) => {
  const at = lines.findIndex((l) => l.startsWith(`${section}:`));
  const found = { at, end: at + 1, entries: [] };
  if (at < 0) return found;
  for (let k = at + 1; k < lines.length; k++) {
    const line = lines[k];
    if (!comment(line) && indentOf(line) === 0) break;
    if (!comment(line)) found.end = k + 1;
    if (comment(line)) continue;
    if (indentOf(line) === 2) found.entries.push({ from: k, to: k + 1 });
    else if (found.entries.length) found.entries.at(-1).to = k + 1;
  }
  return found;
};

const splitComment = (line) => { const at = line.search(/\s#/); return at < 0 ? [line, ""] : [line.slice(0, at), line.slice(at)]; };

// A wire's line: FROM - TO: [2x] [colour] [size] [length]
const parseWire = (line) => {
  const [body, note] = splitComment(line);
  const m = body.match(/^ {2}["']?(\S+)? - (\S*?)["']?:\s*(.*)$/);
  if (!m) return null;
  const words = m[3].replace(/^["']|["']$/g, "").split(/\s+/).filter(Boolean);
  const wire = { from: m[1] || "", to: m[2], colour: "", size: "", length: "", many: "", note };
  for (const w of words) {
    if (/^\d+x$/.test(w)) wire.many = w;
    else if (/^[\d.]+(m|ft)$/i.test(w)) wire.length = w;
    else if (/^[\d.]+(mm2|mm²|awg)$/i.test(w)) wire.size = w;
    else wire.colour = wire.colour ? `${wire.colour} ${w}` : w;
  }
  return wire;
};
const writeWire = (w) => `  ${w.from} - ${w.to}: ${[w.many, w.colour, w.size, w.length].filter(Boolean).join(" ")}`.trimEnd() + (w.note || "");

// A part's line: NAME: {kind: fuse, amps: 30, label: …, at: …}. One spread over several lines
// keeps its settings in the text.
const cut = (list, key) => {
  const k = list.findIndex((item) => item.startsWith(`${key}:`));
  return k < 0 ? "" : list.splice(k, 1)[0].slice(key.length + 1).trim();
};
const topLevel = (flow) => {
  const items = [];
  let depth = 0, quote = "", item = "";
  for (const c of flow) {
    if (quote) { if (c === quote) quote = ""; } else if (c === '"' || c === "'") quote = c;
    else if (c === "{" || c === "[") depth++; else if (c === "}" || c === "]") depth--;
    if (c === "," && !depth && !quote) { items.push(item.trim()); item = ""; } else item += c;
  }
  return [...items, item.trim()].filter(Boolean);
};
const parsePart = (lines) => {
  const [body, note] = splitComment(lines[0]);
  const name = body.match(/^ {2}["']?([^\s:"']+)["']?:/)?.[1] ?? "";
  const flow = body.match(/^ {2}[^:]+:\s*\{(.*)\}\s*$/);
  if (!flow || lines.length > 1) {
    const kind = lines.join("\n").match(/kind:\s*([\w-]+)/)?.[1] ?? "";
    return { name, kind, long: true, settings: "in the text", label: "", at: "" };
  }
  const items = topLevel(flow[1]);
  const kind = cut(items, "kind"), label = cut(items, "label"), at = cut(items, "at");
  return { name, kind, label, at, settings: items.join(", "), note };
};
const writePart = (p) => {
  const items = [`kind: ${p.kind || "fuse"}`, p.settings, p.label && `label: ${p.label}`, p.at && `at: ${p.at}`].filter(Boolean);
  return `  ${p.name}: {${items.join(", ")}}${p.note || ""}`;
};

const shapes = {
  wires: { cells: ["from", "to", "colour", "size", "length"], lists: ["pins", "pins", "colours", "sizes", ""], parse: (l) => parseWire(l[0]), write: writeWire, section: "wires" },
  parts: { cells: ["name", "kind", "settings", "label", "at"], lists: ["", "kinds", "", "", ""], parse: parsePart, write: writePart, section: "parts" },
};

class Editor {
  constructor(root) {
    this.root = root;
    this.area = root.querySelector("textarea");
    this.gutter = root.querySelector(".gutter");
    this.past = [];
    this.future = [];
    this.last = this.area.value;
    this.base = "";
    this.errors = [];
    this.asked = 0;
    this.area.addEventListener("input", () => { this.remember(); this.fill(); this.soon(); });
    this.area.addEventListener("scroll", () => { this.gutter.scrollTop = this.area.scrollTop; });
    this.area.addEventListener("keydown", (e) => this.textKey(e));
    for (const kind of Object.keys(shapes)) {
      const table = this.table(kind);
      table.addEventListener("input", (e) => this.cell(kind, e.target));
      table.addEventListener("change", (e) => this.chosen(kind, e.target));
      table.addEventListener("keydown", (e) => this.key(kind, e));
      table.addEventListener("click", (e) => { if (e.target.matches("[data-remove]")) this.remove(kind, e.target.closest("tr")); });
    }
    root.addEventListener("click", (e) => {
      const add = e.target.closest("[data-add]");
      if (add) this.add(`${add.dataset.add}s`);
      if (e.target.closest("[data-undo]")) this.undo();
      if (e.target.closest("[data-redo]")) this.redo();
      const wrong = e.target.closest("[data-line]");
      if (wrong) this.goTo(Number(wrong.dataset.line));
    });
    root.addEventListener("keydown", (e) => {
      if (!(e.ctrlKey || e.metaKey)) return;
      const k = e.key.toLowerCase();
      if (k === "s") { e.preventDefault(); root.querySelector("#save").requestSubmit(); }
      if (k === "z") { e.preventDefault(); e.shiftKey ? this.redo() : this.undo(); }
      if (k === "y") { e.preventDefault(); this.redo(); }
    });
    this.fill();
    this.ask();
  }
  table(kind) { return this.root.querySelector(`[data-${kind}]`); }
  lines() { return this.area.value.split("\n"); }

  // Undo: one step a pause in typing.
  remember() {
    const now = Date.now();
    if (this.area.value === this.last) return;
    if (now - (this.typed || 0) > 900 || !this.past.length) this.past.push(this.last);
    this.typed = now;
    this.last = this.area.value;
    this.future = [];
    this.buttons();
  }
  buttons() {
    this.root.querySelector("[data-undo]").disabled = !this.past.length;
    this.root.querySelector("[data-redo]").disabled = !this.future.length;
  }
  jump(from, to) {
    if (!from.length) return;
    to.push(this.area.value);
    this.last = this.area.value = from.pop();
    this.typed = 0;
    this.buttons();
    this.fill();
    this.ask();
  }
  undo() { this.jump(this.past, this.future); }
  redo() { this.jump(this.future, this.past); }

  put(lines) { this.area.value = lines.join("\n"); this.remember(); this.rule(); this.soon(); }

  // The tables show what the text says; a cell being typed in is left alone.
  fill() {
    const lines = this.lines();
    for (const [kind, shape] of Object.entries(shapes)) {
      const body = this.table(kind).tBodies[0];
      const { entries } = entriesOf(lines, shape.section);
      while (body.rows.length > entries.length) body.rows[body.rows.length - 1].remove();
      entries.forEach((e, k) => {
        const row = body.rows[k] ?? body.appendChild(this.row(kind));
        const values = shape.parse(lines.slice(e.from, e.to)) ?? { [shape.cells[0]]: lines[e.from].trim(), odd: true };
        row.dataset.from = e.from;
        row.dataset.to = e.to;
        row.values = values;
        shape.cells.forEach((cell, i) => {
          const input = row.cells[i].firstChild;
          if (input !== document.activeElement) input.value = values[cell] ?? "";
          input.readOnly = Boolean(values.odd || values.long && cell !== "name");
        });
      });
    }
    this.rule();
  }
  row(kind) {
    const shape = shapes[kind], row = document.createElement("tr");
    shape.cells.forEach((cell, i) => {
      const input = document.createElement("input");
      input.dataset.cell = cell;
      input.setAttribute("aria-label", cell);
      if (shape.lists[i]) input.setAttribute("list", shape.lists[i]);
      row.insertCell().appendChild(input);
    });
    const gone = document.createElement("button");
    gone.type = "button";
    gone.dataset.remove = "";
    gone.tabIndex = -1;
    gone.textContent = "×";
    gone.setAttribute("aria-label", "Take this row out");
    row.insertCell().appendChild(gone);
    return row;
  }
  cell(kind, input) {
    const row = input.closest("tr"), shape = shapes[kind], cell = input.dataset.cell;
    if (!cell || input.readOnly) return;
    const lines = this.lines(), from = Number(row.dataset.from);
    if (row.values.long) lines[from] = lines[from].replace(/^ {2}[^:]+:/, `  ${input.value.trim()}:`);
    else {
      row.values[cell] = input.value.trim();
      lines[from] = shape.write(row.values);
    }
    this.put(lines);
  }
  chosen(kind, input) {
    if (input.dataset.cell !== "kind") return;
    const row = input.closest("tr");
    const hint = [...document.querySelectorAll("#kinds option")].find((o) => o.value === input.value)?.dataset.settings;
    const settings = row.querySelector("[data-cell=settings]");
    if (hint && !settings.value) { settings.value = hint; this.cell(kind, settings); }
  }
  add(kind, after) {
    const shape = shapes[kind], lines = this.lines();
    let { at, end, entries } = entriesOf(lines, shape.section);
    if (at < 0) { lines.push(`${shape.section}:`); end = lines.length; }
    const empty = kind === "wires" ? "   - :" : `  ${this.freeName(lines)}: {kind: fuse}`;
    const place = after === undefined ? end : entries[after].to;
    if (at >= 0 && /^\w+:\s*\{\s*\}/.test(lines[at])) lines[at] = `${shape.section}:`;
    lines.splice(place, 0, kind === "wires" ? "  ? - ?:" : empty);
    this.put(lines);
    this.fill();
    const rows = this.table(kind).tBodies[0].rows;
    const row = rows[after === undefined ? rows.length - 1 : after + 1];
    row.querySelectorAll("input").forEach((i) => { if (i.value === "?") i.value = ""; });
    const first = row.querySelector("input");
    first.focus();
    first.select();
  }
  freeName(lines) {
    const names = new Set(entriesOf(lines, "parts").entries.map((e) => lines[e.from].trim().split(":")[0]));
    for (let k = 1; ; k++) if (!names.has(`P${k}`)) return `P${k}`;
  }
  remove(kind, row) {
    const lines = this.lines();
    const k = row.rowIndex - 1;
    lines.splice(Number(row.dataset.from), Number(row.dataset.to) - Number(row.dataset.from));
    this.put(lines);
    this.fill();
    const rows = this.table(kind).tBodies[0].rows;
    rows[Math.min(k, rows.length - 1)]?.querySelector("input")?.focus();
  }
  key(kind, e) {
    const row = e.target.closest("tr");
    if (!row || e.target.tagName !== "INPUT") return;
    const body = this.table(kind).tBodies[0], k = row.rowIndex - 1;
    const column = [...row.querySelectorAll("input")].indexOf(e.target);
    if (e.key === "Enter") {
      e.preventDefault();
      if (k === body.rows.length - 1) this.add(kind); else body.rows[k + 1].querySelector("input").focus();
    } else if (e.key === "ArrowDown" && e.altKey || e.key === "ArrowUp" && e.altKey) {
      e.preventDefault();
      body.rows[k + (e.key === "ArrowDown" ? 1 : -1)]?.querySelectorAll("input")[column]?.focus();
    } else if (e.key === "Delete" && e.ctrlKey) { e.preventDefault(); this.remove(kind, row); }
  }
  textKey(e) {
    if (e.key !== "Enter" || e.ctrlKey) return;
    const { value, selectionStart: at } = this.area; // a new line begins where the last did
    const line = value.slice(value.lastIndexOf("\n", at - 1) + 1, at);
    const pad = line.match(/^ */)[0] + (/:\s*$/.test(line) ? "  " : "");
    if (!pad) return;
    e.preventDefault();
    this.area.setRangeText(`\n${pad}`, at, this.area.selectionEnd, "end");
    this.area.dispatchEvent(new Event("input"));
  }

  // Line numbers, the lines at fault marked; the same in the tables.
  rule() {
    const bad = new Map(this.errors.map((e) => [e.line, e.msg]));
    this.gutter.textContent = this.lines().map((_, k) => `${bad.has(k + 1) ? "!" : " "}${String(k + 1).padStart(3)}`).join("\n");
    this.gutter.scrollTop = this.area.scrollTop;
    for (const kind of Object.keys(shapes)) {
      for (const row of this.table(kind).tBodies[0].rows) {
        let said = "";
        for (let k = Number(row.dataset.from); k < Number(row.dataset.to); k++) said ||= bad.get(k + 1) ?? "";
        row.classList.toggle("at-fault", said !== "");
        row.querySelectorAll("input").forEach((i) => {
          const mine = said && this.concerns(said, row, i);
          i.setAttribute("aria-invalid", String(Boolean(mine)));
          i.title = mine ? said : "";
        });
      }
    }
  }
  // The cell an error speaks of: the one whose words it quotes, else the whole row.
  concerns(said, row, input) {
    const cells = [...row.querySelectorAll("input")];
    const named = cells.filter((c) => c.value && (said.startsWith(`${c.value}:`) || said.includes(`"${c.value}"`)));
    return named.length ? named.includes(input) : input === cells[0];
  }
  goTo(line) {
    const lines = this.lines();
    const start = lines.slice(0, line - 1).join("\n").length + (line > 1 ? 1 : 0);
    this.area.focus();
    this.area.setSelectionRange(start, start + (lines[line - 1]?.length ?? 0));
    this.area.scrollTop = Math.max(0, (line - 6) * parseFloat(getComputedStyle(this.area).lineHeight));
  }

  soon() { clearTimeout(this.timer); this.timer = setTimeout(() => this.ask(), 220); }
  async ask() {
    const turn = ++this.asked;
    document.documentElement.toggleAttribute("data-busy", true);
    try {
      const answer = await fetch("/drafts", { method: "POST", body: new URLSearchParams({ text: this.area.value, base: this.base }) });
      const draft = await answer.json();
      if (turn === this.asked) this.show(draft);
    } catch {
      this.say("The application cannot be reached; what you type is still here.");
    } finally {
      if (turn === this.asked) document.documentElement.toggleAttribute("data-busy", false);
    }
  }
  show(draft) {
    this.errors = draft.errors;
    const list = this.root.querySelector("[data-wrong]");
    list.replaceChildren(...draft.errors.map((e) => {
      const li = document.createElement("li"), button = document.createElement("button");
      button.type = "button";
      button.dataset.line = e.line;
      button.textContent = `${e.line ? `line ${e.line}: ` : ""}${e.where ? `${e.where}: ` : ""}${e.msg}`;
      li.append(button);
      return li;
    }));
    if (draft.pins.length) {
      document.querySelector("#pins").replaceChildren(...draft.pins.map((p) => { const o = document.createElement("option"); o.value = p; return o; }));
    }
    this.rule();
    const n = draft.errors.length;
    this.say(n ? `${n} ${n === 1 ? "thing" : "things"} to mend` : "sound");
    if (n) { this.root.querySelector("[data-drawing]").classList.add("stale"); return; }
    this.root.querySelector("[data-fans]").replaceChildren(...draft.fans.map((f) => { const li = document.createElement("li"); li.textContent = f; return li; }));
    this.base = draft.sum;
    this.draw(draft, this.asked);
  }
  async draw(draft, turn) {
    while (!draft.svg) {
      await new Promise((r) => setTimeout(r, 250));
      if (turn !== this.asked || !this.root.isConnected) return;
      const answer = await fetch(`/drafts/${draft.sum}`);
      if (!answer.ok) return;
      draft = await answer.json();
    }
    const paper = this.root.querySelector("[data-drawing]");
    paper.innerHTML = draft.svg;
    paper.classList.remove("stale");
    paper.dataset.sum = draft.sum;
    papers().forEach((p) => applyZoom(p));
  }
  say(words) { this.root.querySelector("[data-status]").textContent = words; }
}

const beginEditing = () => document.querySelectorAll("[data-editor]").forEach((root) => { root.editor ??= new Editor(root); });
document.addEventListener("htmx:after:swap", beginEditing);
beginEditing();
