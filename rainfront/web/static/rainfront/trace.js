// The record's chart: phases shaded and named, expected band, limits, dropouts; cursor, zoom, a second record laid over; live tail.
// Where this file does not run, the still picture stands in its place.
(function () {
  "use strict";
  var box = document.getElementById("chart");
  if (!box || typeof uPlot === "undefined") return;
  var marks = JSON.parse(document.getElementById("marks").textContent);
  var css = getComputedStyle(document.documentElement);
  function tone(name) { return css.getPropertyValue("--" + name).trim(); }
  var shades = {
    unplugged: ["ink-2", 0.1], idle: ["amber", 0.16], inrush: ["copper", 0.28], loop: ["violet", 0.2], steady: ["moss", 0.14],
    taper: ["rain", 0.14], rise: ["copper-2", 0.2], dropout: ["brick", 0.45], over_limit: ["brick", 0.25], gap: ["ink-2", 0.25]
  };

  function shadePhases(u) {
    var ctx = u.ctx, top = u.bbox.top, height = u.bbox.height, left = u.bbox.left, right = left + u.bbox.width;
    ctx.save();
    ctx.beginPath(); ctx.rect(left, 0, u.bbox.width, top + height); ctx.clip();
    marks.phases.forEach(function (p) {
      var a = Math.max(u.valToPos(p.start, "x", true), left), b = Math.min(u.valToPos(p.stop, "x", true), right);
      if (b <= left || a >= right) return;
      var shade = shades[p.kind];
      ctx.globalAlpha = shade[1]; ctx.fillStyle = tone(shade[0]);
      ctx.fillRect(a, top, Math.max(b - a, 1), height);
      ctx.globalAlpha = 1;
      if (p.kind === "dropout") {
        var m = (a + b) / 2, r = 6 * devicePixelRatio;
        ctx.fillStyle = tone("brick"); ctx.beginPath();
        ctx.moveTo(m - r, top - 2 * r); ctx.lineTo(m + r, top - 2 * r); ctx.lineTo(m, top - r / 4); ctx.fill();
      } else {
        ctx.font = 15 * devicePixelRatio + "px 'Rain Sans', sans-serif";
        if (ctx.measureText(p.label).width < b - a - 8) {
          ctx.fillStyle = tone("ink-2"); ctx.textAlign = "center"; ctx.textBaseline = "bottom";
          ctx.fillText(p.label, (a + b) / 2, top - 3 * devicePixelRatio);
        }
      }
    });
    var low = u.valToPos(marks.band[0], "A", true), high = u.valToPos(marks.band[1], "A", true);
    ctx.globalAlpha = 0.07; ctx.fillStyle = tone("rain"); ctx.fillRect(left, high, right - left, low - high);
    ctx.globalAlpha = 1; ctx.strokeStyle = tone("rain"); ctx.lineWidth = 1.25 * devicePixelRatio; ctx.setLineDash([2 * devicePixelRatio, 4 * devicePixelRatio]);
    ctx.font = 14 * devicePixelRatio + "px 'Rain Sans', sans-serif"; ctx.fillStyle = tone("rain"); ctx.textAlign = "left"; ctx.textBaseline = "bottom";
    ctx.fillText("expected", left + 6 * devicePixelRatio, high - 2 * devicePixelRatio);
    [low, high].forEach(function (y) { ctx.beginPath(); ctx.moveTo(left, y); ctx.lineTo(right, y); ctx.stroke(); });
    ctx.strokeStyle = tone("brick"); ctx.setLineDash([8 * devicePixelRatio, 5 * devicePixelRatio]); ctx.lineWidth = 1.5 * devicePixelRatio;
    var limit = u.valToPos(marks.limit, "A", true);
    if (limit > top) { ctx.fillStyle = tone("brick"); ctx.textAlign = "right"; ctx.fillText("source's limit", right - 6 * devicePixelRatio, limit - 2 * devicePixelRatio); ctx.beginPath(); ctx.moveTo(left, limit); ctx.lineTo(right, limit); ctx.stroke(); }
    if (u.series[2].show) {
      ctx.strokeStyle = tone("copper"); ctx.lineWidth = devicePixelRatio; ctx.setLineDash([3 * devicePixelRatio, 6 * devicePixelRatio]);
      marks.volts.forEach(function (volts) {
        var y = u.valToPos(volts, "V", true);
        if (y > top && y < top + height) { ctx.beginPath(); ctx.moveTo(left, y); ctx.lineTo(right, y); ctx.stroke(); }
      });
    }
    ctx.restore();
  }

  var axis = { font: "15px 'Rain Sans', sans-serif", labelFont: "15px 'Rain Sans', sans-serif" };
  function axisOf(more) {
    return Object.assign({ stroke: tone("ink-2"), grid: { stroke: tone("rule"), width: 1 }, ticks: { stroke: tone("rule") } }, axis, more);
  }
  function options(hasVolts, height) {
    return {
      width: box.clientWidth, height: height,
      padding: [30, 12, 0, 0],
      cursor: { drag: { x: true, y: false } },
      legend: { show: false },
      scales: { x: { time: false }, A: { range: function (u, min, max) { return [0, Math.max(max, Math.min(marks.limit, marks.band[1] * 1.2), marks.band[1], 0.1) * 1.08]; } },
                V: { range: function (u, min, max) { return [Math.min(min === null ? 4 : min, marks.volts[0]) - 0.6, Math.max(max === null ? 5 : max, marks.volts[1]) + 0.1]; } } },
      series: [
        { label: "s" },
        { label: "A", scale: "A", stroke: tone("rain"), width: 2, points: { show: false } },
        { label: "V", scale: "V", stroke: tone("copper"), width: 1.25, points: { show: false }, show: hasVolts },
        { label: "A laid over", scale: "A", stroke: tone("violet"), width: 1.5, dash: [7, 4], points: { show: false }, spanGaps: true }
      ],
      axes: [
        axisOf({ values: function (u, all) { return all.map(function (x) { return x >= 600 ? x / 60 + " min" : x + " s"; }); } }),
        axisOf({ scale: "A", size: 64, stroke: tone("rain"), values: function (u, all) { return all.map(function (x) { return +x.toFixed(3) + " A"; }); } }),
        axisOf({ scale: "V", side: 1, size: 64, stroke: tone("copper"), show: hasVolts, grid: { show: false }, values: function (u, all) { return all.map(function (x) { return +x.toFixed(2) + " V"; }); } })
      ],
      hooks: { drawClear: [shadePhases], setCursor: [say], setScale: [zoomed] }
    };
  }

  var chart, whole = 1, over = null, wait = 0, quiet = false;
  var readout = document.getElementById("readout");

  function say(u) {
    if (!readout) return;
    var i = u.cursor.idx;
    if (i === null || i === undefined) return;
    var t = u.data[0][i], a = u.data[1][i], v = u.data[2] && u.data[2][i];
    var phase = marks.phases.find(function (p) { return t >= p.start && t < p.stop; });
    var text = t.toFixed(t < 100 ? 2 : 1) + " s  " + (a === null || a === undefined ? "" : a.toFixed(3) + " A");
    if (v !== null && v !== undefined) text += "  " + v.toFixed(2) + " V";
    if (phase) text += "  " + phase.label;
    if (over && u.data[3] && u.data[3][i] !== null && u.data[3][i] !== undefined) text += "  over: " + u.data[3][i].toFixed(3) + " A";
    readout.textContent = text;
  }

  function get(url, from, to) {
    var query = from === undefined ? "" : "?from=" + from + "&to=" + to;
    return fetch(url + query, { headers: { Accept: "application/json" } }).then(function (r) { return r.json(); });
  }
  function joined(mine, other) {
    if (!other) return [mine.t, mine.a, mine.v.length ? mine.v : mine.t.map(function () { return null; }), mine.t.map(function () { return null; })];
    return uPlot.join([[mine.t, mine.a, mine.v.length ? mine.v : mine.t.map(function () { return null; })], [other.t, other.a]]);
  }
  function load(from, to) {
    var calls = [get(box.dataset.url, from, to)];
    if (over) calls.push(get(over, from, to));
    return Promise.all(calls).then(function (found) {
      whole = found[0].duration || 1;
      var data = joined(found[0], found[1]);
      if (!chart) {
        chart = new uPlot(options(found[0].v.length > 0, 400), data, box);
      } else {
        quiet = true;
        chart.batch(function () { chart.setData(data, false); chart.setScale("x", { min: from === undefined ? 0 : from, max: to === undefined ? whole : to }); });
        quiet = false;
      }
    });
  }
  function zoomed(u, key) {
    if (key !== "x" || quiet || !chart || !box.dataset.url) return;
    clearTimeout(wait);
    var min = u.scales.x.min, max = u.scales.x.max;
    wait = setTimeout(function () { load(Math.max(min, 0), max); }, 120);
  }
  function zoom(factor) {
    var min = chart.scales.x.min, max = chart.scales.x.max;
    var i = chart.cursor.idx, at = i === null || i === undefined ? (min + max) / 2 : chart.data[0][i];
    if (at < min || at > max) at = (min + max) / 2;
    var from = Math.max(at - (at - min) * factor, 0), to = Math.min(at + (max - at) * factor, whole);
    if (to - from > 0.01) chart.setScale("x", { min: from, max: to });
  }
  function move(by) {
    var i = chart.cursor.idx;
    var left = chart.valToPos(chart.scales.x.min, "x");
    i = i === null || i === undefined ? chart.valToIdx(chart.posToVal(left, "x")) : i + by;
    i = Math.max(0, Math.min(chart.data[0].length - 1, i));
    chart.setCursor({ left: chart.valToPos(chart.data[0][i], "x"), top: chart.valToPos(chart.data[1][i] || 0, "A") });
  }

  if (box.dataset.url) {
    document.getElementById("still").classList.add("print-only");
    box.hidden = false;
    document.querySelector(".chart-tools").hidden = false;
    load().then(function () { box.dataset.ready = "yes"; });
    box.addEventListener("keydown", function (event) {
      if (!chart) return;
      var step = event.shiftKey ? 25 : 1, done = true;
      if (event.key === "ArrowRight") move(step);
      else if (event.key === "ArrowLeft") move(-step);
      else if (event.key === "+" || event.key === "=") zoom(0.5);
      else if (event.key === "-") zoom(2);
      else if (event.key === "0" || event.key === "Home") load();
      else done = false;
      if (done) event.preventDefault();
    });
    document.addEventListener("click", function (event) {
      var button = event.target.closest("[data-chart]");
      if (!button || !chart) return;
      if (button.dataset.chart === "in") zoom(0.5);
      else if (button.dataset.chart === "out") zoom(2);
      else load();
    });
    var overlay = document.getElementById("overlay");
    if (overlay) overlay.addEventListener("change", function () { over = overlay.value || null; load(); });
    window.addEventListener("resize", function () { if (chart) chart.setSize({ width: box.clientWidth, height: 400 }); });
    return;
  }

  // Live: ask for the tail twice a second; a routine walks through its steps and stops by itself.
  var steps = Array.from(document.querySelectorAll(".routine li"));
  var ends = [], sum = 0;
  steps.forEach(function (li) { sum += Number(li.dataset.seconds); ends.push(sum); });
  var stopping = false;
  function put(id, text) { document.getElementById(id).textContent = text; }
  function walk(elapsed) {
    if (!steps.length) { put("left", elapsed.toFixed(0) + " s"); return; }
    var at = ends.findIndex(function (end) { return elapsed < end; });
    steps.forEach(function (li, i) { li.className = i === at ? "now" : i < at || at < 0 ? "done" : ""; });
    if (at < 0) {
      if (!stopping) { stopping = true; document.getElementById("stop").requestSubmit(); }
      return;
    }
    put("step", steps[at].lastElementChild.textContent);
    put("left", Math.ceil(ends[at] - elapsed) + " s");
  }
  function tick() {
    get(box.dataset.tail).then(function (found) {
      var data = joined(found);
      if (found.t.length) {
        if (!chart) { marks.phases = []; chart = new uPlot(options(true, 280), data, box); }
        else chart.setData(data);
        var last = found.t.length - 1;
        put("amps", found.a[last].toFixed(3) + " A");
        if (found.v[last] !== null) put("volts", found.v[last].toFixed(2) + " V");
      }
      if (found.state === "running") {
        put("state", found.t.length ? "Recording: " + found.elapsed.toFixed(0) + " s." : "Waiting for the first sample.");
        walk(found.t.length ? found.t[found.t.length - 1] : 0);
        if (!stopping) setTimeout(tick, 500);
      } else {
        put("state", (found.trouble || "Stopped") + ". What was taken is kept.");
        document.querySelector("#stop button").textContent = "Keep what was taken";
      }
    }).catch(function () {
      put("state", "The server cannot be reached. It goes on recording; this page tries again.");
      setTimeout(tick, 2000);
    });
  }
  tick();
})();
