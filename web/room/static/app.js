// What every page does by itself: keys, one-touch recording, touching a photograph, and a sentence when the
// server cannot be reached. The state lives in Alpine components (its build for a strict content policy, so the
// markup names methods and paths only). Everything here is a convenience: the pages work without it.
"use strict";

const isTyping = (el) => el && (el.isContentEditable
  || /^(INPUT|SELECT|TEXTAREA)$/.test(el.tagName) && !/^(radio|checkbox)$/.test(el.type));
const find = (selector) => document.querySelector(selector);

const openAndFocus = (details, field) => {
  const box = find(details);
  if (!box) return;
  box.open = true;
  const focus = () => { const el = box.querySelector(field); el?.focus(); return Boolean(el); };
  if (!focus()) box.addEventListener("htmx:after:swap", focus, { once: true });
};

document.addEventListener("alpine:init", () => {
  // The whole page: its keys.
  Alpine.data("page", () => ({
    keys: {
      r: () => (find(".reading") || find(".round input:not([type=hidden])") || find(".record input[type=radio]")
        || find(".commandtable input:not([type=hidden]), .pass input:not([type=hidden])"))?.focus(),
      n: () => { const back = find(".to-next"); back ? back.click() : find(".move")?.scrollIntoView(); },
      m: () => openAndFocus(".more", "#pin"),
      s: () => openAndFocus(".add", "input[name=action]"),
      "/": () => find(".say input[name=line]")?.focus(),
      "?": () => { const list = find("#keys"); if (list) bootstrap.Modal.getOrCreateInstance(list).toggle(); },
    },
    key(e) {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") { e.preventDefault(); showGo(); return; }
      if (e.ctrlKey || e.metaKey || e.altKey || find(".modal.show") && e.key !== "?") return;
      if (e.key === "Escape") { document.activeElement?.blur(); return; }
      const field = document.activeElement;
      // A reading that has not been begun lets the keys through: no reading begins with one of their letters.
      const open = field?.matches?.(".reading") && !field.value && field.inputMode === "decimal" && /^[rnsmp/?]$/.test(e.key);
      if (isTyping(field) && !open) return;
      const state = /^[1-9]$/.test(e.key) && find(`.states [data-key="${e.key}"]`);
      if (state) { e.preventDefault(); state.click(); }
      else if (this.keys[e.key]) { e.preventDefault(); this.keys[e.key](); }
    },
  }));

  // One touch per fan: when the last fan has its word, the look is recorded. A word chosen with the arrow keys
  // waits for Enter, since every arrow changes it.
  Alpine.data("record", () => ({
    byHand: false,
    touched() { this.byHand = true; },
    typed() { this.byHand = false; },
    chosen(e) {
      if (e.target.type !== "radio" || !this.byHand) return;
      const form = e.currentTarget;
      if ([...form.querySelectorAll("fieldset.fan")].every((f) => f.querySelector("input:checked"))) form.requestSubmit();
    },
  }));

  // The place where one types where to go: what fits is listed while one types, arrows go through the list, Enter takes the first
  // of what fits all that was typed: a list that is still on its way is waited for. A link that is stood on keeps the focus when a
  // new list holds it, too; where it does not, the focus goes back to the words.
  Alpine.data("palette", () => ({
    init() {
      this.$root.addEventListener("shown.bs.modal", () => {
        const words = find("#go-words");
        find("#go input[name=job]").value = find("[data-job]")?.dataset.job ?? "";
        words.focus();
        words.select();
        this.wanted = false;
        htmx.trigger(words, "again");
      });
      document.addEventListener("htmx:after:swap", () => {
        if (!this.$root.classList.contains("show")) return; // nobody is there
        if (this.wanted) this.go();
        else if (this.stoodOn && !document.contains(this.stoodOn) && document.activeElement === document.body) find("#go-words").focus();
      });
      this.$root.addEventListener("focusin", (e) => { this.stoodOn = e.target; });
    },
    // go follows the first link once the list is that of the words.
    go() {
      const list = find("#went"), link = this.links()[0];
      this.wanted = list.dataset.for !== find("#go-words").value.trim();
      if (!this.wanted) link?.click();
    },
    links() { return [...this.$root.querySelectorAll("#went a")]; },
    move(e) {
      const way = { ArrowDown: 1, ArrowUp: -1 }[e.key];
      if (!way) return;
      e.preventDefault();
      const all = this.links(), at = all.indexOf(document.activeElement) + way;
      (all[at] ?? find("#go-words")).focus();
    },
    first(e) {
      e.preventDefault();
      this.go();
    },
  }));

  // All fans of a state in one touch: each gets its word, which is seen to be chosen, and nothing is recorded yet.
  Alpine.data("row", () => ({
    all(e) {
      for (const cell of e.target.closest("fieldset").querySelectorAll(".fanword")) {
        const word = e.target.dataset.word ?? cell.dataset.good;
        const radio = cell.querySelector(`input[value="${word}"]`);
        if (radio) radio.checked = true;
      }
    },
  }));

  // A whole warm-up that was watched and was right, in one touch; each of its lines is seen to be chosen.
  Alpine.data("warmup", () => ({
    all(e) { for (const radio of e.target.closest("form").querySelectorAll("[data-warm]")) radio.checked = true; },
    // Enter goes from one figure to the next that is empty; after the last it records.
    next(e) {
      const field = e.target;
      if (e.key !== "Enter" || field.tagName !== "INPUT" || field.type !== "text" || field.inputMode !== "decimal") return;
      const all = [...field.form.querySelectorAll("input[inputmode=decimal]")];
      const to = all.slice(all.indexOf(field) + 1).find((f) => !f.value);
      if (!to) return;
      e.preventDefault();
      to.focus();
    },
  }));

  // What goes by itself after a few seconds, or longer while a hand or the focus is on it.
  Alpine.data("passing", () => ({
    init() { this.wait(); },
    wait() { setTimeout(() => this.$root.querySelector(":hover, :focus") ? this.wait() : this.$root.remove(), 8000); },
  }));

  // A job that begins: a vehicle that was here before has the circuit it had then, until somebody chooses another.
  Alpine.data("start", () => ({
    named(e) {
      const known = [...this.$root.querySelectorAll("datalist option")].find((o) => o.value === e.target.value);
      const circuit = this.$root.querySelector("#harness");
      if (known?.dataset.had && [...circuit.options].some((o) => o.value === known.dataset.had)) circuit.value = known.dataset.had;
    },
  }));

  // A passphrase is shown while somebody wants to see what they type.
  Alpine.data("reveal", () => ({
    show(e) { for (const field of this.$root.querySelectorAll("[data-secret]")) field.type = e.target.checked ? "text" : "password"; },
  }));

  // The wish for a rewire: a second fan is asked for where there are two.
  Alpine.data("wish", () => ({
    twins: true,
    init() { this.changed(); },
    changed() { this.twins = this.$root.querySelector('input[name="fans"]:checked')?.value !== "1"; },
  }));

  // A table of cells: arrows and Enter go from cell to cell; left and right only at the ends of what is typed.
  Alpine.data("cells", () => ({
    move(e) {
      const field = e.target, cell = field.closest("td"), row = cell?.parentElement;
      if (field.tagName !== "INPUT" || field.type !== "text" || !row) return;
      const at = [...row.children].indexOf(cell), empty = field.selectionStart === field.selectionEnd;
      const to = {
        Enter: row.nextElementSibling?.children[at], ArrowDown: row.nextElementSibling?.children[at],
        ArrowUp: row.previousElementSibling?.children[at],
        ArrowRight: empty && field.selectionStart === field.value.length && cell.nextElementSibling,
        ArrowLeft: empty && field.selectionStart === 0 && cell.previousElementSibling,
      }[e.key];
      const next = to && to.querySelector("input");
      if (!next) return; // Enter in the last row checks
      e.preventDefault();
      next.focus();
      next.select();
    },
  }));

  Alpine.data("printing", () => ({ now() { window.print(); } }));

  // A touch on a box's photograph says where a socket's middle is.
  Alpine.data("photo", () => ({
    place(e) {
      const photo = e.target.closest("svg"), form = this.$refs.tag;
      if (!photo || !form) return;
      const box = photo.getBoundingClientRect();
      form.x.value = Math.round(1000 * (e.clientX - box.left) / box.width);
      form.y.value = Math.round(1000 * (e.clientY - box.top) / box.height);
      form.querySelector("button").focus();
    },
  }));
});

const showGo = () => { const go = find("#go"); if (go) bootstrap.Modal.getOrCreateInstance(go).show(); };
document.addEventListener("click", (e) => { // a place that was chosen closes the list
  if (e.target.closest?.("#went a")) bootstrap.Modal.getInstance(find("#go"))?.hide();
});

// Whoever works by keys finds what is asked next one Tab further, wherever the page has been swapped meanwhile.
let byKeys = false, figured = null;
document.addEventListener("keydown", (e) => { if (e.key === "Enter") byKeys = true; }, true);
document.addEventListener("pointerdown", () => { byKeys = false; }, true);
document.addEventListener("submit", (e) => { // a figure that is recorded leads to the next figure
  figured = e.target.matches("form.record") ? e.target.querySelector(".reading") : null;
}, true);
document.addEventListener("htmx:after:swap", () => {
  const reading = find(".move form.record .reading");
  if (figured && reading && reading !== figured) {
    figured = null;
    reading.focus({ preventScroll: true });
    return;
  }
  if (!byKeys || find(".modal.show") || document.activeElement && document.activeElement !== document.body) return;
  const form = find(".move form.record, .move form.round, .move form.commandtable, .move form.repairform, .move .verdict:has(a.btn)")
    ?? find("main > .closing") ?? find("#pass");
  if (!form) return;
  form.tabIndex = -1;
  form.focus({ preventScroll: true });
});

// On a phone long pages begin folded, so that what one came for is in sight; on paper everything is.
const fold = () => {
  if (!window.matchMedia("(max-width: 991px)").matches) return;
  for (const part of document.querySelectorAll("details.fold:not([data-folded])")) {
    part.dataset.folded = "";
    part.open = false;
  }
};
document.addEventListener("DOMContentLoaded", fold);
document.addEventListener("htmx:after:swap", fold);
window.addEventListener("beforeprint", () => { for (const part of document.querySelectorAll("details.fold")) part.open = true; });

// Another page begins at its top; the same page, written to or asked otherwise, stays where it is. What a wish came to is another page.
let shownPath = location.pathname, asked = false;
document.addEventListener("submit", (e) => { asked = e.target.matches(".wishform, .benchform"); }, true);
document.addEventListener("htmx:after:swap", () => {
  if (location.pathname !== shownPath || asked) window.scrollTo(0, 0);
  shownPath = location.pathname;
  asked = false;
});
window.addEventListener("popstate", () => { shownPath = location.pathname; });

// While an answer is on its way the page says so: a line at the top, drawn by the style sheet.
let waiting = 0;
const busy = (n) => { waiting = Math.max(0, waiting + n); document.documentElement.toggleAttribute("data-busy", waiting > 0); };
document.addEventListener("htmx:before:request", () => busy(1));
document.addEventListener("htmx:finally:request", () => busy(-1));

// The server is told which drawing is on the page, so that it sends only what has changed. While ohms are asked for, a pin that is
// touched is where the other lead goes.
document.addEventListener("htmx:config:request", (e) => {
  const pin = e.detail.ctx.sourceElement?.dataset?.pin, end = find("[data-other-end]")?.dataset.otherEnd;
  if (pin && end) e.detail.ctx.request.action = end + encodeURIComponent(pin);
  const drawn = find("#paper")?.dataset.drawn;
  if (drawn) e.detail.ctx.request.headers.Drawn = drawn;
});

// News of what others write to the job on the page: the server says that there is something, and the page asks for it. A
// page that nobody looks at listens to nothing.
let listening = null;
const listen = () => {
  const box = find("#newer[data-events]"), address = document.hidden ? "" : box?.dataset.events ?? "";
  if (listening?.address === address) return;
  listening?.source.close();
  listening = null;
  if (!address) return;
  const source = new EventSource(address);
  source.addEventListener("open", () => { document.documentElement.dataset.listening = ""; });
  source.addEventListener("newer", () => { const newer = find("#newer"); if (newer) htmx.trigger(newer, "newer"); });
  listening = { address, source };
};
document.addEventListener("DOMContentLoaded", listen);
document.addEventListener("htmx:after:swap", listen);
document.addEventListener("visibilitychange", listen);
window.addEventListener("pagehide", () => listening?.source.close());

// What somebody chose is in the hand: its field has the focus, and nothing moves but to there. Whoever types in a dialog that
// stands above the page stays there.
const toHand = () => {
  if (find(".modal.show")) return;
  const field = find(".move.chosen .reading, .move.chosen .round input.form-control");
  const fromBelow = find(".move.chosen") && getComputedStyle(find(".move")).position === "fixed";
  if (fromBelow) find("#paper")?.scrollIntoView({ block: "start" }); // what was touched stays in sight above it
  field?.focus({ preventScroll: fromBelow });
};
document.addEventListener("DOMContentLoaded", toHand);
document.addEventListener("htmx:after:swap", (e) => { if (e.detail?.ctx?.request?.method !== "POST") toHand(); });

// The newest entry of the thread is in sight, and the page that was swapped in says its name.
const newest = () => {
  const thread = find(".job > .thread");
  if (thread?.querySelector(".bead") && thread.scrollHeight > thread.clientHeight) thread.scrollTop = thread.scrollHeight;
};
document.addEventListener("DOMContentLoaded", newest);
document.addEventListener("htmx:after:swap", () => {
  newest();
  const heading = find("main h1");
  if (heading) document.title = `${heading.firstChild.textContent.trim()} · Iron Thread`;
});

document.addEventListener("htmx:error", () => { const away = find("#away"); if (away) bootstrap.Toast.getOrCreateInstance(away).show(); });
