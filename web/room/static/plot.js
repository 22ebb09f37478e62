// Figures over time, drawn with uPlot where scripts run: a cursor that reads every line, and a window to zoom into (drag; a
// double touch shows all again). The picture that the server sent stays for whoever has no scripts, and for print.
"use strict";

let plots; // the library, fetched once when the first figure is met

const plotLibrary = () => {
  plots ??= new Promise((ready, fail) => {
    const script = document.createElement("script");
    script.src = document.body.dataset.plots;
    script.onload = ready;
    script.onerror = fail;
    document.head.append(script);
  });
  return plots;
};

// A canvas takes a colour only as it comes out in the look that is shown.
const colour = (name) => {
  const probe = document.createElement("span");
  probe.style.color = `var(${name})`;
  document.body.append(probe);
  const made = getComputedStyle(probe).color;
  probe.remove();
  return made;
};

// Lines are told apart by their kind, as in the picture.
const dashes = [[], [7, 4], [2, 4], [12, 3, 2, 3]];

// Marks are moments with a word, drawn over the lines.
const drawMarks = (marks, colour) => (u) => {
  const ratio = devicePixelRatio, c = u.ctx;
  c.save();
  c.strokeStyle = c.fillStyle = colour;
  c.textAlign = "left";
  c.setLineDash([4 * ratio, 4 * ratio]);
  c.font = `${11 * ratio}px sans-serif`;
  let last = -Infinity;
  for (const mark of marks ?? []) {
    const x = u.valToPos(mark.at, "x", true);
    if (x < u.bbox.left || x > u.bbox.left + u.bbox.width) continue;
    c.beginPath();
    c.moveTo(x, u.bbox.top);
    c.lineTo(x, u.bbox.top + u.bbox.height);
    c.stroke();
    if (x - last > 30 * ratio) { c.fillText(mark.text, x + 3 * ratio, u.bbox.top + 11 * ratio); last = x; }
  }
  c.restore();
};

document.addEventListener("alpine:init", () => {
  Alpine.data("plot", () => ({
    init() {
      // Drawn again where the look changes while the page is open: a canvas keeps the colours that it was drawn in.
      this.dark = matchMedia("(prefers-color-scheme: dark)");
      this.again = () => { this.drawn?.destroy(); this.drawn = null; this.draw(); };
      this.dark.addEventListener("change", this.again);
      this.draw();
    },
    async draw() {
      const box = this.$el, text = box.dataset.plot;
      if (!text) return;
      const d = JSON.parse(text), ink = colour("--ink"), accent = colour("--accent");
      const grid = { stroke: colour("--line"), width: 1 };
      await plotLibrary();
      if (!box.isConnected) return;
      const width = Math.max(300, Math.min(box.clientWidth, 960));
      const axis = { stroke: ink, grid, ticks: grid, font: `12px ${getComputedStyle(document.body).fontFamily}` };
      const series = d.lines.map((line, k) => ({
        label: line.name || d.title, stroke: k % 2 ? accent : ink, width: 2, dash: dashes[k % 4], points: { show: false },
        value: (u, v) => (v == null ? "" : `${+v.toPrecision(4)} ${d.unit}`),
      }));
      this.drawn = new uPlot({
        width, height: 250, title: `${d.title}, ${d.unit}`,
        scales: { x: { time: false }, y: d.origin ? { range: (u, low, high) => [Math.min(0, low), 1.06 * high] } : {} },
        series: [{ label: "at", value: (u, v) => (v == null ? "" : `${+v.toPrecision(5)} ${d.below}`) }, ...series],
        axes: [{ ...axis, values: (u, list) => list.map((v) => `${v} ${d.below}`) }, axis],
        hooks: { draw: [drawMarks(d.marks, accent)] },
      }, [d.x, ...d.lines.map((line) => line.values)], box);
      box.querySelector("svg.plot")?.classList.add("d-none", "d-print-block");
    },
    destroy() {
      this.dark?.removeEventListener("change", this.again);
      this.drawn?.destroy();
    },
  }));
});
