// The chart of a record: phases shaded and named, expected band, limits, dropouts; used by a record's page and by a live one.
import { written } from "./figures.js";

export const box = document.getElementById("chart");
export const marks = box ? JSON.parse(document.getElementById("marks").textContent) : null;

const SHADES = {
  unplugged: ["ink-2", 0.1], idle: ["amber", 0.16], inrush: ["copper", 0.28], loop: ["violet", 0.2], steady: ["moss", 0.14],
  taper: ["rain", 0.14], rise: ["copper-2", 0.2], dropout: ["brick", 0.45], over_limit: ["brick", 0.25], gap: ["ink-2", 0.25],
};
const css = getComputedStyle(document.documentElement);
const tone = (name) => css.getPropertyValue(`--${name}`).trim();
const RIBBON = 9;
const px = (size) => size * devicePixelRatio;

function level(ctx, y, left, right) {
  ctx.beginPath();
  ctx.moveTo(left, y);
  ctx.lineTo(right, y);
  ctx.stroke();
}

function shadePhase(u, phase, left, right) {
  const { ctx } = u, { top, height } = u.bbox;
  const from = Math.max(u.valToPos(phase.start, "x", true), left), to = Math.min(u.valToPos(phase.stop, "x", true), right);
  if (to <= left || from >= right) return;
  // Phases are a ribbon along the top; only what is wrong is tinted to the bottom.
  const [name, alpha] = SHADES[phase.kind], wrong = phase.kind === "dropout" || phase.kind === "over_limit";
  ctx.fillStyle = tone(name);
  ctx.globalAlpha = Math.min(alpha * 3, 1);
  ctx.fillRect(from, top - px(RIBBON), Math.max(to - from, 1), px(RIBBON - 2));
  ctx.globalAlpha = 1;
  if (wrong) {
    ctx.globalAlpha = alpha;
    ctx.fillRect(from, top, Math.max(to - from, 1), height);
    ctx.globalAlpha = 1;
  }
  if (phase.kind === "dropout") {
    const middle = (from + to) / 2, r = px(6);
    ctx.fillStyle = tone("brick");
    ctx.beginPath();
    ctx.moveTo(middle - r, top + r / 2);
    ctx.lineTo(middle + r, top + r / 2);
    ctx.lineTo(middle, top + 2.4 * r);
    ctx.fill();
    return;
  }
  ctx.font = `${px(15)}px 'Rain Sans', sans-serif`;
  if (ctx.measureText(phase.label).width < to - from - 8) {
    ctx.fillStyle = tone("ink-2");
    ctx.textAlign = "center";
    ctx.textBaseline = "bottom";
    ctx.fillText(phase.label, (from + to) / 2, top - px(RIBBON + 2));
  }
}

function drawBand(u, left, right) {
  const { ctx } = u, low = u.valToPos(marks.band[0], "A", true), high = u.valToPos(marks.band[1], "A", true);
  // The expected band is hatched, not tinted, so that it is told apart from what a phase or a fault tints.
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, high, right - left, low - high);
  ctx.clip();
  ctx.globalAlpha = 0.3;
  ctx.strokeStyle = tone("rain");
  ctx.lineWidth = px(1);
  ctx.beginPath();
  for (let x = left - (low - high); x < right; x += px(11)) {
    ctx.moveTo(x, low);
    ctx.lineTo(x + (low - high), high);
  }
  ctx.stroke();
  ctx.restore();
  ctx.strokeStyle = tone("rain");
  ctx.lineWidth = px(1.25);
  ctx.setLineDash([px(2), px(4)]);
  ctx.font = `${px(14)}px 'Rain Sans', sans-serif`;
  ctx.fillStyle = tone("rain");
  ctx.textAlign = "left";
  ctx.textBaseline = "bottom";
  ctx.fillText("expected", left + px(6), high - px(2));
  level(ctx, low, left, right);
  level(ctx, high, left, right);
}

function drawLimits(u, left, right) {
  const { ctx } = u, { top, height } = u.bbox, limit = u.valToPos(marks.limit, "A", true);
  ctx.strokeStyle = tone("brick");
  ctx.setLineDash([px(8), px(5)]);
  ctx.lineWidth = px(1.5);
  if (limit > top) {
    ctx.fillStyle = tone("brick");
    ctx.textAlign = "right";
    // Near the top edge its name goes below the line.
    const low = limit - top < px(18);
    ctx.textBaseline = low ? "top" : "bottom";
    ctx.fillText("source's limit", right - px(6), limit + px(low ? 3 : -2));
    level(ctx, limit, left, right);
  }
  if (!u.series[2].show) return;
  ctx.strokeStyle = tone("copper");
  ctx.lineWidth = px(1);
  ctx.setLineDash([px(3), px(6)]);
  for (const volts of marks.volts) {
    const y = u.valToPos(volts, "V", true);
    if (y > top && y < top + height) level(ctx, y, left, right);
  }
}

function drawUnder(u) {
  const { ctx } = u, { top, height, left, width } = u.bbox, right = left + width;
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, 0, width, top + height);
  ctx.clip();
  for (const phase of marks.phases) shadePhase(u, phase, left, right);
  drawBand(u, left, right);
  drawLimits(u, left, right);
  ctx.restore();
}

function axis(more) {
  const font = "15px 'Rain Sans', sans-serif";
  return { stroke: tone("ink-2"), grid: { stroke: tone("rule"), width: 1 }, ticks: { stroke: tone("rule") }, font, labelFont: font, ...more };
}

function rangeAmps(u, min, max) {
  return [0, Math.max(max, Math.min(marks.limit, marks.band[1] * 1.2), marks.band[1], 0.1) * 1.08];
}

function rangeVolts(u, min, max) {
  return [Math.min(min ?? 4, marks.volts[0]) - 0.6, Math.max(max ?? 5, marks.volts[1]) + 0.1];
}

export function makeChart(data, hasVolts, height, hooks = {}) {
  const line = (label, scale, name, width, more = {}) => (
    { label, scale, stroke: tone(name), width, points: { show: false }, ...more }
  );
  const seconds = (u, all) => all.map((x) => (x >= 600 ? `${x / 60} min` : `${x} s`));
  const amps = (u, all) => all.map((x) => `${written(+x.toFixed(3))} A`), volts = (u, all) => all.map((x) => `${written(+x.toFixed(2))} V`);
  const options = {
    width: box.clientWidth,
    height,
    padding: [38, 12, 0, 0],
    cursor: { drag: { x: true, y: false } },
    legend: { show: false },
    scales: { x: { time: false }, A: { range: rangeAmps }, V: { range: rangeVolts } },
    series: [
      { label: "s" },
      line("A", "A", "rain", 2),
      line("V", "V", "copper", 1.25, { show: hasVolts }),
      line("A laid over", "A", "violet", 1.5, { dash: [7, 4], spanGaps: true }),
    ],
    axes: [
      axis({ values: seconds }),
      axis({ scale: "A", size: 64, stroke: tone("rain"), values: amps }),
      axis({ scale: "V", side: 1, size: 64, stroke: tone("copper"), show: hasVolts, grid: { show: false }, values: volts }),
    ],
    hooks: { drawClear: [drawUnder], ...hooks },
  };
  return new uPlot(options, data, box);
}

export async function get(url, from, to) {
  const query = from === undefined ? "" : `?from=${from}&to=${to}`;
  return (await fetch(url + query, { headers: { Accept: "application/json" } })).json();
}

export function joined(mine, other) {
  const nothing = mine.t.map(() => null), volts = mine.v.length ? mine.v : nothing;
  return other ? uPlot.join([[mine.t, mine.a, volts], [other.t, other.a]]) : [mine.t, mine.a, volts, nothing];
}
