// Keys, one-touch recording, and a sentence when the server cannot be reached. Everything
// here is a convenience: the pages work without it.
"use strict";

const typing = (el) => el && (/^(INPUT|SELECT|TEXTAREA)$/.test(el.tagName) && el.type !== "radio" || el.isContentEditable);

const keys = {
  r: () => (document.querySelector(".reading") || document.querySelector(".record input[type=radio]"))?.focus(),
  n: () => (document.querySelector(".to-next") || document.querySelector(".move"))?.[document.querySelector(".to-next") ? "click" : "scrollIntoView"](),
  m: () => { const more = document.querySelector(".more"); if (more) { more.open = true; more.querySelector("select").focus(); } },
  s: () => { const add = document.querySelector(".add"); if (add) { add.open = true; add.querySelector("input[name=action]").focus(); } },
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

// The page that was swapped in says its name.
document.addEventListener("htmx:after:swap", () => {
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
