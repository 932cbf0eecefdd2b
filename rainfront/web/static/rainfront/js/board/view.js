// Draws a board on a canvas, and turns, flips and moves it. Two views: the map itself, and a picture that the map lies over.
import { BOTH, MASKED, Places, ROUND } from "./pads.js";

const HIT_PX = 12, SMALLEST_PX = 1.6, NAMES_FROM = 26, PARTS_FROM = 9, NAMED = 60, MARGIN = 0.94;
const SHAPES = {
  good: (p, r) => p.arc(0, 0, r, 0, 7),
  off: (p, r) => { p.moveTo(0, -r); p.lineTo(r, r * 0.8); p.lineTo(-r, r * 0.8); p.closePath(); },
  short: (p, r) => p.rect(-r * 0.85, -r * 0.85, r * 1.7, r * 1.7),
  open: (p, r) => { p.moveTo(0, -r); p.lineTo(r, 0); p.lineTo(0, r); p.lineTo(-r, 0); p.closePath(); },
};
const TONES = { good: "moss", off: "amber", short: "brick", open: "violet" };

function projected(m, x, y) {
  const w = m[6] * x + m[7] * y + m[8];
  return [(m[0] * x + m[1] * y + m[2]) / w, (m[3] * x + m[4] * y + m[5]) / w];
}

function inverse(m) {
  const [a, b, c, d, e, f, g, h, i] = m;
  return [e * i - f * h, c * h - b * i, b * f - c * e, f * g - d * i, a * i - c * g, c * d - a * f, d * h - e * g, b * g - a * h, a * e - b * d];
}

export class BoardView {
  constructor(canvas, board, told) {
    this.canvas = canvas;
    this.board = board;
    this.told = told;
    this.pen = canvas.getContext("2d");
    this.picked = -1;
    this.lit = new Set();
    this.net = -1;
    this.spot = null;
    this.side = 0;
    this.turn = 0;
    this.picture = null;
    this.images = new Map();
    this.ground = board.nets.findIndex((name) => told.roles[name]?.[0] === "ground");
    this.cut = new Set(told.cut);
    this.look(null);
    this.tones();
    new ResizeObserver(() => this.resize()).observe(canvas.parentElement);
    new MutationObserver(() => {
      this.tones();
      this.draw();
    }).observe(document.documentElement, { attributes: true, attributeFilter: ["data-bs-theme"] });
    this.resize();
  }

  tones() {
    const css = getComputedStyle(document.documentElement);
    this.tone = (name) => css.getPropertyValue(`--${name}`).trim();
    const names = ["paper", "paper-2", "rule", "ink", "ink-2", "copper", "copper-2", "rain", "rain-wash", "moss", "amber", "brick", "violet", "focus"];
    this.colour = Object.fromEntries(names.map((name) => [name, this.tone(name)]));
  }

  // Where each pad is drawn: on the map, or in a picture.
  look(picture) {
    const { board } = this;
    this.picture = picture;
    if (picture) {
      this.side = picture.side === "bottom" ? 1 : 0;
      this.turn = 0;
      this.back = inverse(picture.matrix);
      const u = new Float64Array(board.count), v = new Float64Array(board.count), du = new Float32Array(board.count), dv = new Float32Array(board.count);
      for (let n = 0; n < board.count; n += 1) {
        [u[n], v[n]] = projected(picture.matrix, board.x[n], board.y[n]);
        const [ru, rv] = projected(picture.matrix, board.x[n] + 0.05, board.y[n]);
        const scale = Math.hypot(ru - u[n], rv - v[n]) / 0.05;
        const long = board.turn[n] % 180 === 90;
        du[n] = ((long ? board.high[n] : board.wide[n]) || 0.3) * scale * 0.5;
        dv[n] = ((long ? board.wide[n] : board.high[n]) || 0.3) * scale * 0.5;
      }
      this.#place(u, v, du, dv);
      if (!this.images.has(picture.url)) {
        const image = new Image();
        image.addEventListener("load", () => this.draw());
        image.src = picture.url;
        this.images.set(picture.url, image);
      }
    } else {
      const du = new Float32Array(board.count), dv = new Float32Array(board.count);
      for (let n = 0; n < board.count; n += 1) {
        const long = Math.abs((board.turn[n] % 180) - 90) < 45;
        du[n] = ((long ? board.high[n] : board.wide[n]) || 0.3) / 2;
        dv[n] = ((long ? board.wide[n] : board.high[n]) || 0.3) / 2;
      }
      this.#place(board.x, board.y, du, dv);
    }
    this.fit();
  }

  #place(u, v, du, dv) {
    let reach = 0;
    for (let n = 0; n < u.length; n += 1) reach = Math.max(reach, du[n], dv[n]);
    this.places = new Places(this.board, u, v, reach);
    this.places.half = { u: du, v: dv };
  }

  get world() {
    return this.picture ? [0, 0, this.picture.width, this.picture.height] : this.board.box;
  }

  get flipped() {
    return !this.picture && this.side === 1;
  }

  resize() {
    const box = this.canvas.parentElement.getBoundingClientRect(), dense = window.devicePixelRatio || 1;
    const wide = Math.max(Math.round(box.width), 60), high = Math.max(Math.round(box.height), 60);
    if (wide === this.wide && high === this.high) return;
    [this.wide, this.high, this.dense] = [wide, high, dense];
    this.canvas.width = wide * dense;
    this.canvas.height = high * dense;
    this.fit();
  }

  fit() {
    const [left, top, right, bottom] = this.world, turned = this.turn % 2 === 1;
    const across = Math.max(turned ? bottom - top : right - left, 1e-6), down = Math.max(turned ? right - left : bottom - top, 1e-6);
    this.zoom = Math.min(this.wide / across, this.high / down) * MARGIN || 1;
    this.least = this.zoom / 4;
    this.u = (left + right) / 2;
    this.v = (top + bottom) / 2;
    this.draw();
  }

  // The whole transformation as a canvas takes it.
  matrix() {
    const quarter = (this.turn * Math.PI) / 2, cos = Math.round(Math.cos(quarter)), sin = Math.round(Math.sin(quarter));
    const flip = this.flipped ? -1 : 1, z = this.zoom;
    const [a, b, c, d] = [cos * flip * z, sin * flip * z, -sin * z, cos * z];
    return [a, b, c, d, this.wide / 2 - a * this.u - c * this.v, this.high / 2 - b * this.u - d * this.v];
  }

  toScreen(u, v) {
    const [a, b, c, d, e, f] = this.matrix();
    return [a * u + c * v + e, b * u + d * v + f];
  }

  toWorld(x, y) {
    const [a, b, c, d, e, f] = this.matrix(), det = a * d - b * c;
    return [(d * (x - e) - c * (y - f)) / det, (a * (y - f) - b * (x - e)) / det];
  }

  // A place on the screen in millimetres on the board.
  toBoard(x, y) {
    const [u, v] = this.toWorld(x, y);
    return this.picture ? projected(this.back, u, v) : [u, v];
  }

  seen(n) {
    return this.board.side[n] === BOTH || this.board.side[n] === this.side;
  }

  // The pad that a press on the screen means, -1 for none. Over a picture it is named only where it is sure.
  at(x, y) {
    const [u, v] = this.toWorld(x, y);
    const found = this.places.at(u, v, HIT_PX / this.zoom, (n) => this.seen(n));
    return found >= 0 && this.sure(found) ? found : -1;
  }

  // Whether the picture lies well enough to tell a pad from its neighbour.
  sure(n) {
    if (!this.picture) return true;
    const { box, errors, share } = this.picture, side = Math.round(Math.sqrt(errors.length));
    const cell = (value, low, high) => Math.min(Math.max(((value - low) / (high - low || 1)) * (side - 1), 0), side - 1);
    const column = cell(this.board.x[n], box[0], box[2]), row = cell(this.board.y[n], box[1], box[3]);
    let worst = 0;
    for (const r of [Math.floor(row), Math.ceil(row)]) for (const c of [Math.floor(column), Math.ceil(column)]) worst = Math.max(worst, errors[r * side + c]);
    this.onMap ??= new Places(this.board, this.board.x, this.board.y, 0);
    return worst < share * this.onMap.pitch(n, (other) => this.board.side[other] === BOTH || this.board.side[other] === this.board.side[n]);
  }

  moveBy(dx, dy) {
    const [u, v] = this.toWorld(this.wide / 2 - dx, this.high / 2 - dy);
    this.u = u;
    this.v = v;
    this.draw();
  }

  zoomAt(factor, x = this.wide / 2, y = this.high / 2) {
    const [u, v] = this.toWorld(x, y);
    this.zoom = Math.min(Math.max(this.zoom * factor, this.least), this.least * 4000);
    const [now, then] = this.toScreen(u, v);
    this.moveBy(x - now, y - then);
  }

  // Bring pads into sight, and so near that they can be told apart.
  show(pads) {
    if (!pads.length) return;
    const { u, v } = this.places, box = [Infinity, Infinity, -Infinity, -Infinity];
    for (const n of pads) {
      box[0] = Math.min(box[0], u[n]);
      box[1] = Math.min(box[1], v[n]);
      box[2] = Math.max(box[2], u[n]);
      box[3] = Math.max(box[3], v[n]);
    }
    const about = (this.picture ? this.places.reach * 8 : 4) || 4;
    const across = Math.max(box[2] - box[0], box[3] - box[1]) + about;
    this.zoom = Math.max(Math.min((Math.min(this.wide, this.high) / across) * 0.8, this.least * 4000), this.least);
    this.u = (box[0] + box[2]) / 2;
    this.v = (box[1] + box[3]) / 2;
    this.draw();
  }

  // Move only as far as it takes to see a pad.
  reveal(n) {
    const [x, y] = this.toScreen(this.places.u[n], this.places.v[n]), edge = 40;
    const dx = x < edge ? edge - x : x > this.wide - edge ? this.wide - edge - x : 0;
    const dy = y < edge ? edge - y : y > this.high - edge ? this.high - edge - y : 0;
    if (dx || dy) this.moveBy(dx, dy);
    else this.draw();
  }

  draw() {
    if (this.waiting || !this.wide) return;
    this.waiting = requestAnimationFrame(() => {
      this.waiting = 0;
      this.paint();
    });
  }

  paint() {
    const { pen, dense, colour } = this, m = this.matrix();
    pen.setTransform(dense, 0, 0, dense, 0, 0);
    pen.fillStyle = colour.paper;
    pen.fillRect(0, 0, this.wide, this.high);
    const image = this.picture && this.images.get(this.picture.url);
    if (image?.complete && image.naturalWidth) {
      pen.setTransform(m[0] * dense, m[1] * dense, m[2] * dense, m[3] * dense, m[4] * dense, m[5] * dense);
      pen.drawImage(image, 0, 0, this.picture.width, this.picture.height);
    }
    this.#outline(m);
    this.#covers(m);
    this.#pads(m);
    this.#marks(m);
    this.#names(m);
    this.painted = (this.painted ?? 0) + 1;
  }

  #line(points, m, close) {
    const { pen } = this;
    pen.beginPath();
    for (let at = 0; at < points.length; at += 2) {
      const [u, v] = this.picture ? projected(this.picture.matrix, points[at], points[at + 1]) : [points[at], points[at + 1]];
      pen.lineTo(m[0] * u + m[2] * v + m[4], m[1] * u + m[3] * v + m[5]);
    }
    if (close) pen.closePath();
  }

  #outline(m) {
    const { pen, dense, colour } = this;
    pen.setTransform(dense, 0, 0, dense, 0, 0);
    pen.strokeStyle = colour.copper;
    pen.lineWidth = 1.5;
    for (const line of this.board.outline) {
      this.#line(line, m, false);
      pen.stroke();
    }
  }

  #covers(m) {
    const { pen, colour } = this;
    for (const cover of this.told.covers) {
      if (cover.side !== (this.side ? "bottom" : "top")) continue;
      const [l, t, r, b] = cover.box;
      this.#line([l, t, r, t, r, b, l, b], m, true);
      pen.fillStyle = colour.rule;
      pen.globalAlpha = this.picture ? 0.12 : 0.35;
      pen.fill();
      pen.globalAlpha = 1;
      pen.setLineDash([7, 5]);
      pen.strokeStyle = colour["ink-2"];
      pen.stroke();
      pen.setLineDash([]);
    }
  }

  #pads(m) {
    const { pen, dense, board, colour, picture } = this, { u, v, half } = this.places;
    const swap = this.turn % 2 === 1, z = this.zoom;
    // Groups are drawn one after the other, so that the colour changes a few times and not thousands.
    const groups = { far: [], dim: [], pad: [], mask: [], net: [], point: [] };
    const edge = this.places.reach * z + 4;
    for (let n = 0; n < board.count; n += 1) {
      const x = m[0] * u[n] + m[2] * v[n] + m[4], y = m[1] * u[n] + m[3] * v[n] + m[5];
      if (x < -edge || y < -edge || x > this.wide + edge || y > this.high + edge) continue;
      const here = this.seen(n), own = this.net >= 0 && board.net[n] === this.net;
      if (picture && !own && !this.lit.has(n) && !this.told.onPicture) continue;
      const wide = Math.max((swap ? half.v[n] : half.u[n]) * z * 2, SMALLEST_PX), high = Math.max((swap ? half.u[n] : half.v[n]) * z * 2, SMALLEST_PX);
      const kind = own ? "net" : !here ? "far" : board.flags[n] & MASKED ? "mask" : board.net[n] < 0 || board.net[n] === this.ground ? "dim" : "pad";
      groups[picture && !own ? "point" : kind].push(x - wide / 2, y - high / 2, wide, high, n);
    }
    pen.setTransform(dense, 0, 0, dense, 0, 0);
    for (const [kind, fill, alpha] of [["far", "rule", 0.5], ["dim", "copper-2", 0.45], ["pad", "copper", 1], ["mask", "rule", 1], ["net", "rain", 1]]) {
      const rows = groups[kind];
      pen.fillStyle = colour[fill];
      pen.globalAlpha = alpha;
      for (let at = 0; at < rows.length; at += 5) {
        if (board.flags[rows[at + 4]] & ROUND && rows[at + 2] > 5) {
          pen.beginPath();
          pen.ellipse(rows[at] + rows[at + 2] / 2, rows[at + 1] + rows[at + 3] / 2, rows[at + 2] / 2, rows[at + 3] / 2, 0, 0, 7);
          pen.fill();
        } else {
          pen.fillRect(rows[at], rows[at + 1], rows[at + 2], rows[at + 3]);
        }
        // The pads of a net that lie on the other side are hollow.
        if (kind === "net" && !this.seen(rows[at + 4]) && rows[at + 2] > 4) {
          pen.fillStyle = colour.paper;
          pen.fillRect(rows[at] + 1.5, rows[at + 1] + 1.5, rows[at + 2] - 3, rows[at + 3] - 3);
          pen.fillStyle = colour.rain;
        }
      }
      pen.globalAlpha = 1;
    }
    // Points that were named on a picture are rings: what they are on has to be seen.
    for (let at = 0; at < groups.point.length; at += 5) this.#ring(groups.point[at + 4], m, colour.copper, 0);
  }

  // A frame around a pad, which leaves its neighbours free.
  #ring(n, m, colour, more) {
    const { pen } = this, { u, v, half } = this.places, swap = this.turn % 2 === 1;
    const x = m[0] * u[n] + m[2] * v[n] + m[4], y = m[1] * u[n] + m[3] * v[n] + m[5];
    const wide = Math.max((swap ? half.v[n] : half.u[n]) * this.zoom + more, 8), high = Math.max((swap ? half.u[n] : half.v[n]) * this.zoom + more, 8);
    pen.beginPath();
    pen.roundRect(x - wide, y - high, 2 * wide, 2 * high, 6);
    pen.strokeStyle = this.colour.paper;
    pen.lineWidth = 6;
    pen.stroke();
    pen.strokeStyle = colour;
    pen.lineWidth = 3;
    pen.stroke();
  }

  #marks(m) {
    const { pen, colour } = this, { u, v } = this.places;
    for (const n of this.lit) this.#ring(n, m, colour.ink, 6);
    if (this.picked >= 0) this.#ring(this.picked, m, colour.focus, 4);
    for (const [key, row] of Object.entries(this.told.pads)) {
      const n = Number(key), shape = SHAPES[row.mark];
      if (!shape || !this.seen(n)) continue;
      pen.save();
      // Where the pad is large enough to bear its name, the mark sits on its upper edge.
      const high = (this.turn % 2 ? this.places.half.u[n] : this.places.half.v[n]) * this.zoom;
      pen.translate(m[0] * u[n] + m[2] * v[n] + m[4], m[1] * u[n] + m[3] * v[n] + m[5] - (high > 12 ? high : 0));
      pen.beginPath();
      shape(pen, 6.5);
      pen.fillStyle = row.mark === "open" ? colour.paper : colour[TONES[row.mark]];
      pen.fill();
      pen.strokeStyle = row.mark === "open" ? colour.violet : colour.paper;
      pen.lineWidth = row.mark === "open" ? 2.5 : 1.2;
      pen.stroke();
      if (row.mark === "good") {
        pen.beginPath();
        pen.moveTo(-3, 0);
        pen.lineTo(-0.8, 2.4);
        pen.lineTo(3.2, -2.6);
        pen.lineWidth = 1.7;
        pen.stroke();
      }
      pen.restore();
    }
    for (const spot of [...(this.told.warm ?? []), ...(this.spot ? [this.spot] : [])]) {
      const [su, sv] = this.picture ? projected(this.picture.matrix, ...spot) : spot;
      const x = m[0] * su + m[2] * sv + m[4], y = m[1] * su + m[3] * sv + m[5];
      pen.strokeStyle = colour.brick;
      pen.lineWidth = 2.5;
      for (const r of [6, 12]) {
        pen.beginPath();
        pen.arc(x, y, r, 0, 7);
        pen.stroke();
      }
    }
  }

  #text(words, x, y, size) {
    const { pen, colour } = this;
    pen.font = `600 ${size}px "Rain Sans", sans-serif`;
    pen.lineWidth = 3.5;
    pen.strokeStyle = colour.paper;
    pen.lineJoin = "round";
    pen.strokeText(words, x, y);
    pen.fillText(words, x, y);
  }

  #label(words, x, y) {
    const { pen, colour } = this;
    pen.font = '600 15px "Rain Sans", sans-serif';
    const wide = pen.measureText(words).width / 2 + 5;
    pen.fillStyle = colour.paper;
    pen.fillRect(x - wide, y - 11, 2 * wide, 22);
    pen.fillStyle = colour.ink;
    pen.fillText(words, x, y);
  }

  // Names of parts once there is room for them, of pins nearer still; of what is picked always.
  #names(m) {
    const { pen, board, colour } = this, { u, v } = this.places;
    pen.textAlign = "center";
    pen.textBaseline = "middle";
    pen.fillStyle = colour.ink;
    if (!this.picture && this.zoom > PARTS_FROM) {
      board.ofPart.forEach((pads, part) => {
        if (!pads.length || !this.seen(pads[0])) return;
        let x = 0, y = 0, left = Infinity, right = -Infinity, high = Infinity;
        for (const n of pads) {
          const px = m[0] * u[n] + m[2] * v[n] + m[4];
          x += px;
          const py = m[1] * u[n] + m[3] * v[n] + m[5];
          y += py;
          high = Math.min(high, py);
          left = Math.min(left, px);
          right = Math.max(right, px);
        }
        x /= pads.length;
        y /= pads.length;
        const words = board.parts[part], above = pads.length <= 2 || right - left < words.length * 9;
        if (x < 0 || y < 0 || x > this.wide || y > this.high) return;
        if (above && this.zoom < (pads.length <= 2 ? 24 : 14)) return;
        this.#text(words, x, above ? high - 14 : y, 13);
      });
    }
    if (!this.picture && this.zoom > NAMES_FROM * 1.6) {
      pen.fillStyle = colour.ink;
      for (let n = 0; n < board.count; n += 1) {
        if (!this.seen(n) || Math.min(this.places.half.u[n], this.places.half.v[n]) * 2 * this.zoom < 15) continue;
        const x = m[0] * u[n] + m[2] * v[n] + m[4], y = m[1] * u[n] + m[3] * v[n] + m[5];
        if (x > 0 && y > 0 && x < this.wide && y < this.high) this.#text(board.pin[n], x, y, 13);
      }
    }
    if (this.picture && this.told.onPicture && board.count <= NAMED) {
      const taken = [];
      for (let n = 0; n < board.count; n += 1) {
        if (!this.seen(n)) continue;
        const x = m[0] * u[n] + m[2] * v[n] + m[4], y = m[1] * u[n] + m[3] * v[n] + m[5] - this.places.half.v[n] * this.zoom - 14;
        const wide = board.name(n).length * 9;
        // A name that would lie on another one waits until there is room.
        if (taken.some(([ox, oy, other]) => Math.abs(ox - x) * 2 < wide + other && Math.abs(oy - y) < 15)) continue;
        taken.push([x, y, wide]);
        this.#text(board.name(n), x, y, 13);
      }
    }
    for (const n of new Set([...this.lit, ...(this.picked >= 0 ? [this.picked] : [])])) {
      const x = m[0] * u[n] + m[2] * v[n] + m[4], y = m[1] * u[n] + m[3] * v[n] + m[5];
      this.#label(board.name(n), x, y - Math.max((this.turn % 2 ? this.places.half.u[n] : this.places.half.v[n]) * this.zoom, 8) - 22);
    }
  }
}
