// A board's pads as columns of numbers, and the pad under a press. Lengths are millimetres, y downwards, seen from the top.
const NM = 1e-6, CELLS_EACH = 2;

export const TOP = 0, BOTTOM = 1, BOTH = 2, MASKED = 2, ROUND = 1;

function summed(steps) {
  const out = new Float64Array(steps.length);
  let at = 0;
  for (let n = 0; n < steps.length; n += 1) {
    at += steps[n];
    out[n] = at * NM;
  }
  return out;
}

function grouped(column, count) {
  const out = Array.from({ length: count }, () => []);
  column.forEach((group, n) => {
    if (group >= 0) out[group].push(n);
  });
  return out;
}

export async function loadBoard(url) {
  const answer = await fetch(url);
  if (!answer.ok) throw new Error(`the board cannot be fetched (${answer.status})`);
  return new Board(await answer.json());
}

export class Board {
  constructor(data) {
    this.x = summed(data.x);
    this.y = summed(data.y);
    this.wide = Float32Array.from(data.wide, (nm) => nm * NM);
    this.high = Float32Array.from(data.high, (nm) => nm * NM);
    this.turn = data.turn;
    this.side = Uint8Array.from(data.side);
    this.flags = Uint8Array.from(data.flags);
    this.net = data.net;
    this.part = data.part;
    this.pin = data.pin;
    this.nets = data.nets;
    this.parts = data.parts;
    this.onNet = grouped(data.net, data.nets.length);
    this.ofPart = grouped(data.part, data.parts.length);
    this.outline = data.outline.map((line) => line.map((nm) => nm * NM));
    this.count = data.x.length;
    this.box = this.#box();
  }

  #box() {
    const box = [Infinity, Infinity, -Infinity, -Infinity];
    const take = (x, y) => {
      box[0] = Math.min(box[0], x);
      box[1] = Math.min(box[1], y);
      box[2] = Math.max(box[2], x);
      box[3] = Math.max(box[3], y);
    };
    for (let n = 0; n < this.count; n += 1) take(this.x[n], this.y[n]);
    for (const line of this.outline) for (let at = 0; at < line.length; at += 2) take(line[at], line[at + 1]);
    return Number.isFinite(box[0]) ? box : [0, 0, 1, 1];
  }

  // As people say it: the part with the pin.
  name(n) {
    const part = this.part[n] >= 0 ? this.parts[this.part[n]] : "";
    return part && this.pin[n] ? `${part}.${this.pin[n]}` : part || this.pin[n] || this.netName(n) || "pad";
  }

  netName(n) {
    return this.net[n] >= 0 ? this.nets[this.net[n]] : "";
  }

  // The pads of a net, across the board from left to right, then down.
  along(net) {
    return [...this.onNet[net]].sort((a, b) => this.x[a] - this.x[b] || this.y[a] - this.y[b]);
  }
}

// Where pads are drawn (on the map, or in a picture), in squares: a press looks at a few of them.
export class Places {
  constructor(board, u, v, reach) {
    this.board = board;
    this.u = u;
    this.v = v;
    this.reach = reach;
    let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
    for (let n = 0; n < u.length; n += 1) {
      left = Math.min(left, u[n]);
      top = Math.min(top, v[n]);
      right = Math.max(right, u[n]);
      bottom = Math.max(bottom, v[n]);
    }
    this.left = left;
    this.top = top;
    this.cell = Math.max(Math.sqrt(((right - left) * (bottom - top) * CELLS_EACH) / Math.max(u.length, 1)), 1e-3) || 1;
    this.columns = Math.floor((right - left) / this.cell) + 1 || 1;
    this.cells = new Map();
    for (let n = 0; n < u.length; n += 1) {
      const key = this.#key(u[n], v[n]);
      if (!this.cells.has(key)) this.cells.set(key, []);
      this.cells.get(key).push(n);
    }
  }

  #key(u, v) {
    return Math.floor((v - this.top) / this.cell) * this.columns + Math.floor((u - this.left) / this.cell);
  }

  // The pads within a distance of a place.
  *within(u, v, off) {
    const from = [Math.floor((u - off - this.left) / this.cell), Math.floor((v - off - this.top) / this.cell)];
    const to = [Math.floor((u + off - this.left) / this.cell), Math.floor((v + off - this.top) / this.cell)];
    for (let row = Math.max(from[1], 0); row <= to[1]; row += 1) {
      for (let column = Math.max(from[0], 0); column <= Math.min(to[0], this.columns - 1); column += 1) {
        yield* this.cells.get(row * this.columns + column) ?? [];
      }
    }
  }

  // The pad that a press means: the one it is on, else the nearest within a distance. `seen` says which can be touched.
  at(u, v, off, seen) {
    let best = -1, least = Infinity;
    for (const n of this.within(u, v, Math.max(off, this.reach))) {
      if (!seen(n)) continue;
      const du = this.u[n] - u, dv = this.v[n] - v, far = Math.hypot(du, dv);
      const on = this.half ? Math.abs(du) <= this.half.u[n] && Math.abs(dv) <= this.half.v[n] : false;
      const worth = on ? far * 1e-3 : far;
      if ((on || far <= off) && worth < least) {
        least = worth;
        best = n;
      }
    }
    return best;
  }

  // How far the nearest other pad on the same side is.
  pitch(n, seen) {
    let least = Infinity;
    for (let off = this.cell; off < this.cell * 64 && least > off; off *= 2) {
      for (const other of this.within(this.u[n], this.v[n], off)) {
        if (other === n || !seen(other)) continue;
        least = Math.min(least, Math.hypot(this.u[other] - this.u[n], this.v[other] - this.v[n]));
      }
    }
    return least;
  }
}
