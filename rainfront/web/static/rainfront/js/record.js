// A record's page: cursor, zoom, a second record laid over. Where this file does not run, the still picture stands in its place.
import { figure } from "./figures.js";
import { box, get, joined, makeChart, marks } from "./trace_chart.js";

const HEIGHT = 436;
const readout = document.getElementById("readout"), overlay = document.getElementById("overlay");
let chart = null, whole = 1, over = null, wait = 0, quiet = false;

function say(u) {
  const i = u.cursor.idx;
  if (!readout || i === null || i === undefined) return;
  const [t, a, v, other] = [0, 1, 2, 3].map((row) => u.data[row]?.[i] ?? null);
  const phase = marks.phases.find((one) => t >= one.start && t < one.stop);
  const parts = [`${figure(t, t < 100 ? 2 : 1)} s`];
  if (a !== null) parts.push(`${figure(a, 3)} A`);
  if (v !== null) parts.push(`${figure(v, 2)} V`);
  if (phase) parts.push(phase.label);
  if (over && other !== null) parts.push(`over: ${figure(other, 3)} A`);
  readout.textContent = parts.join("  ");
}

async function load(from, to) {
  const calls = [get(box.dataset.url, from, to)];
  if (over) calls.push(get(over, from, to));
  const [mine, other] = await Promise.all(calls), data = joined(mine, other);
  whole = mine.duration || 1;
  if (!chart) {
    chart = makeChart(data, mine.v.length > 0, HEIGHT, { setCursor: [say], setScale: [zoomed] });
    return;
  }
  quiet = true;
  chart.batch(() => {
    chart.setData(data, false);
    chart.setScale("x", { min: from ?? 0, max: to ?? whole });
  });
  quiet = false;
}

function zoomed(u, key) {
  if (key !== "x" || quiet || !chart) return;
  clearTimeout(wait);
  const { min, max } = u.scales.x;
  wait = setTimeout(() => load(Math.max(min, 0), max), 120);
}

function zoom(factor) {
  const { min, max } = chart.scales.x, i = chart.cursor.idx;
  let at = i === null || i === undefined ? (min + max) / 2 : chart.data[0][i];
  if (at < min || at > max) at = (min + max) / 2;
  const from = Math.max(at - (at - min) * factor, 0), to = Math.min(at + (max - at) * factor, whole);
  if (to - from > 0.01) chart.setScale("x", { min: from, max: to });
}

function move(by) {
  const now = chart.cursor.idx, first = chart.valToIdx(chart.posToVal(chart.valToPos(chart.scales.x.min, "x"), "x"));
  const wanted = now === null || now === undefined ? first : now + by;
  const i = Math.max(0, Math.min(chart.data[0].length - 1, wanted));
  chart.setCursor({ left: chart.valToPos(chart.data[0][i], "x"), top: chart.valToPos(chart.data[1][i] || 0, "A") });
}

const KEYS = {
  ArrowRight: (step) => move(step),
  ArrowLeft: (step) => move(-step),
  "+": () => zoom(0.5),
  "=": () => zoom(0.5),
  "-": () => zoom(2),
  0: () => load(),
  Home: () => load(),
};

if (box && typeof uPlot !== "undefined") {
  document.getElementById("still").classList.add("print-only");
  box.hidden = false;
  document.querySelector(".chart-tools").hidden = false;
  load().then(() => {
    box.dataset.ready = "yes";
  });
  box.addEventListener("keydown", (event) => {
    if (!chart || !KEYS[event.key]) return;
    KEYS[event.key](event.shiftKey ? 25 : 1);
    event.preventDefault();
  });
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-chart]");
    if (!button || !chart) return;
    const act = { in: () => zoom(0.5), out: () => zoom(2) }[button.dataset.chart] || (() => load());
    act();
  });
  overlay?.addEventListener("change", () => {
    over = overlay.value || null;
    load();
  });
  window.addEventListener("resize", () => chart?.setSize({ width: box.clientWidth, height: HEIGHT }));
}
