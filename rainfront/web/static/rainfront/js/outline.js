// Marks on the outline of a device, and a signature by finger. Without this file marks are added by their place.
const form = document.querySelector(".drop-off");
const marks = form.querySelector("[name=marks]");
const strokes = form.querySelector("[name=strokes]");
const drawing = form.querySelector("[data-outline] svg");
const list = form.querySelector(".mark-list");
const SVG = "http://www.w3.org/2000/svg";

const read = () => JSON.parse(marks.value || "[]");

function place(event) {
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(drawing.getScreenCTM().inverse());
  for (const side of drawing.querySelectorAll("[data-side]")) {
    const [x, y, width, height] = side.dataset.box.split(" ").map(Number);
    const across = (point.x - x) / width;
    const down = (point.y - y) / height;
    if (across >= 0 && across <= 1 && down >= 0 && down <= 1) return { side: side.dataset.side, x: across, y: down };
  }
  return null;
}

function draw() {
  const found = read();
  drawing.querySelectorAll(".spot").forEach((spot) => spot.remove());
  list.replaceChildren();
  found.forEach((mark, index) => {
    const box = drawing.querySelector(`[data-side=${mark.side}]`);
    const [x, y, width, height] = box.dataset.box.split(" ").map(Number);
    const spot = document.createElementNS(SVG, "g");
    spot.setAttribute("class", "spot");
    spot.setAttribute("transform", `translate(${x + mark.x * width} ${y + mark.y * height})`);
    const ring = document.createElementNS(SVG, "circle");
    ring.setAttribute("r", "10");
    const text = document.createElementNS(SVG, "text");
    text.setAttribute("y", "5");
    text.textContent = index + 1;
    spot.append(ring, text);
    spot.addEventListener("click", (event) => {
      event.stopPropagation();
      store(read().filter((_, at) => at !== index));
    });
    drawing.append(spot);
    const row = document.createElement("li");
    const label = form.querySelector(`[name=kind][value=${mark.kind}]`).closest("label").cloneNode(true);
    label.querySelector("kbd")?.remove();
    row.textContent = `${label.textContent.trim()}, ${box.querySelector("text").textContent}`;
    list.append(row);
  });
}

function store(found) {
  marks.value = JSON.stringify(found);
  draw();
}

drawing.addEventListener("click", (event) => {
  const found = place(event);
  const kind = form.querySelector("[name=kind]:checked")?.value;
  if (found && kind && read().length < 40) store([...read(), { ...found, kind }]);
});
draw();

const pad = form.querySelector("[data-sign]");
const canvas = pad.querySelector("canvas");
const pen = canvas.getContext("2d");
let lines = [];
let line = null;
pad.hidden = false;

function paint() {
  pen.clearRect(0, 0, canvas.width, canvas.height);
  pen.lineWidth = 3;
  pen.lineCap = pen.lineJoin = "round";
  pen.strokeStyle = getComputedStyle(canvas).color;
  for (const points of lines) {
    pen.beginPath();
    points.forEach(([x, y], at) => pen[at ? "lineTo" : "moveTo"](x * canvas.width, y * canvas.height));
    pen.stroke();
  }
  strokes.value = lines.length ? JSON.stringify(lines) : "";
}

function at(event) {
  const box = canvas.getBoundingClientRect();
  const share = (value, size) => Math.min(Math.max(value / size, 0), 1);
  return [share(event.clientX - box.left, box.width), share(event.clientY - box.top, box.height)].map((one) => Math.round(one * 1000) / 1000);
}

canvas.addEventListener("pointerdown", (event) => {
  canvas.setPointerCapture(event.pointerId);
  line = [at(event)];
  if (lines.length < 60) lines.push(line);
});
canvas.addEventListener("pointermove", (event) => {
  if (line && line.length < 400) {
    line.push(at(event));
    paint();
  }
});
canvas.addEventListener("pointerup", () => {
  line = null;
  paint();
});
pad.querySelector("button").addEventListener("click", () => {
  lines = [];
  paint();
});
