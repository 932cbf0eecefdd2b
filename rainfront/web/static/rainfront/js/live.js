// A record while it runs: its tail twice a second; a routine walks through its steps and stops by itself.
import { figure } from "./figures.js";
import { box, get, joined, makeChart, marks } from "./trace_chart.js";

const steps = [...document.querySelectorAll(".routine li")];
let chart = null, stopping = false, sum = 0;
const ends = steps.map((li) => (sum += Number(li.dataset.seconds)));

function put(id, text) {
  document.getElementById(id).textContent = text;
}

function walk(elapsed) {
  if (!steps.length) {
    put("left", `${elapsed.toFixed(0)} s`);
    return;
  }
  const at = ends.findIndex((end) => elapsed < end);
  steps.forEach((li, i) => {
    li.className = i === at ? "now" : i < at || at < 0 ? "done" : "";
  });
  if (at >= 0) {
    put("step", steps[at].lastElementChild.textContent);
    put("left", `${Math.ceil(ends[at] - elapsed)} s`);
  } else if (!stopping) {
    stopping = true;
    document.getElementById("stop").requestSubmit();
  }
}

function draw(found) {
  const last = found.t.length - 1;
  if (last < 0) return;
  if (chart) {
    chart.setData(joined(found));
  } else {
    marks.phases = [];
    chart = makeChart(joined(found), true, 280);
  }
  put("amps", `${figure(found.a[last], 3)} A`);
  if (found.v[last] !== null) put("volts", `${figure(found.v[last], 2)} V`);
}

async function tick() {
  try {
    const found = await get(box.dataset.tail);
    draw(found);
    if (found.state !== "running") {
      put("state", `${found.trouble || "Stopped"}. What was taken is kept.`);
      document.querySelector("#stop button").textContent = "Keep what was taken";
      return;
    }
    put("state", found.t.length ? `Recording: ${found.elapsed.toFixed(0)} s.` : "Waiting for the first sample.");
    walk(found.t.at(-1) ?? 0);
    if (!stopping) setTimeout(tick, 500);
  } catch {
    put("state", "The server cannot be reached. It goes on recording; this page tries again.");
    setTimeout(tick, 2000);
  }
}

if (box && typeof uPlot !== "undefined") tick();
