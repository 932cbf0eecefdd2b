// A board on a page: finding, pressing, stepping by keys, and what is said of the pad beside the canvas.
import { loadBoard } from "./pads.js";
import { BoardView } from "./view.js";

const MOVED_PX = 6, PAN_PX = 60, LISTED = 60, FOUND = 12, ZOOM = 1.3;
const MARKS = { good: "good", off: "off its band", short: "short", open: "open", none: "read" };

function made(tag, text, more = {}) {
  const element = document.createElement(tag);
  if (text) element.textContent = text;
  Object.assign(element, more);
  return element;
}

class BoardPage {
  constructor(root, board, told) {
    this.root = root;
    this.board = board;
    this.told = told;
    this.canvas = root.querySelector("canvas");
    this.card = root.querySelector(".board-card");
    this.find = root.querySelector("[name=find]");
    this.list = root.querySelector(".board-found");
    this.sides = root.querySelector("[data-act=flip]");
    this.views = root.querySelector("[data-views]");
    this.hover = root.querySelector(".board-hover");
    this.view = new BoardView(this.canvas, board, told);
    this.#pointers();
    this.#keys();
    this.#finding();
    this.#acts();
    this.#choose();
    if (told.onPicture && told.pictures.length) this.look(0);
    if (told.focus?.length) this.light(told.focus, true);
    else this.welcome();
    root.dataset.ready = "yes";
  }

  // Which view: the map, or a picture that it lies over.
  #choose() {
    const { pictures } = this.told;
    if (!this.views || !pictures.length) return;
    const choice = made("select", "", { className: "form-select" });
    choice.setAttribute("aria-label", "What is shown");
    if (!this.told.onPicture) choice.append(new Option("Map", "-1"));
    pictures.forEach((row, at) => choice.append(new Option(row.label, String(at))));
    choice.addEventListener("change", () => this.look(Number(choice.value)));
    this.views.append(choice);
    this.choice = choice;
  }

  look(at) {
    this.view.look(at >= 0 ? this.told.pictures[at] : null);
    if (this.choice) this.choice.value = String(at);
    this.#said();
  }

  #said() {
    const { view } = this;
    this.sides.textContent = view.side ? "Top" : "Bottom";
    this.sides.hidden = Boolean(view.picture);
    this.sides.setAttribute("aria-label", `Show the ${view.side ? "top" : "bottom"}`);
    this.root.querySelector("[data-side-now]").textContent = view.side ? "bottom, seen from below" : "top";
  }

  flip() {
    const { view } = this;
    if (view.picture) return;
    view.side = 1 - view.side;
    view.draw();
    this.#said();
  }

  // ---- what is picked

  pick(n, { move = false } = {}) {
    const { view, board } = this;
    view.picked = n;
    view.net = n >= 0 ? board.net[n] : -1;
    if (n >= 0 && !view.seen(n) && !view.picture) this.flip();
    if (n >= 0 && move) view.reveal(n);
    else view.draw();
    this.write();
    this.root.dispatchEvent(new CustomEvent("pad-picked", { bubbles: true, detail: { pad: n, name: n >= 0 ? board.name(n) : "" } }));
  }

  pickNet(net) {
    const pads = this.board.along(net);
    this.view.picked = -1;
    this.view.net = net;
    this.view.show(pads);
    this.write();
  }

  light(pads, move) {
    const { view } = this;
    view.lit = new Set(pads);
    if (pads.length && !view.seen(pads[0]) && !view.picture) this.flip();
    if (pads.length && move) view.show(pads);
    if (pads.length) this.pick(pads[0]);
    else view.draw();
  }

  step(by) {
    const { view, board } = this;
    if (view.net < 0) return false;
    const pads = board.along(view.net), at = pads.indexOf(view.picked);
    this.pick(pads[(at + by + pads.length) % pads.length], { move: true });
    return true;
  }

  // ---- beside the canvas

  welcome() {
    const { board, card } = this;
    card.replaceChildren(
      made("p", `${board.count} pads, ${board.parts.length} parts, ${board.nets.length} lines. Press a pad, or type a part or a line.`),
    );
    // The rails are what is looked at first where something is shorted.
    if (this.told.works && this.told.rails.length) {
      const box = made("div", "", { className: "d-flex flex-wrap gap-2 my-2" });
      for (const name of this.told.rails) {
        const button = made("button", name, { type: "button", className: "btn btn-quiet num" });
        button.addEventListener("click", () => this.pickNet(board.nets.indexOf(name)));
        box.append(button);
      }
      card.append(made("p", "Rails:", { className: "mb-0" }), box);
    }
    this.#keysWords(card);
  }

  #keysWords(card) {
    const details = made("details"), summary = made("summary", "Keys on the drawing");
    details.append(summary, made("p", "Arrows: from pad to pad of a line; with Shift: move the drawing. + and - zoom, 0 shows all, f the other side, t turns, Escape lets go.", { className: "soft mb-0" }));
    card.append(details);
  }

  write() {
    const { board, view, told, card } = this, n = view.picked;
    card.replaceChildren();
    if (view.net < 0 && n < 0) {
      this.welcome();
      return;
    }
    const net = view.net >= 0 ? board.nets[view.net] : "", row = told.pads[n] ?? {}, part = n >= 0 && board.part[n] >= 0 ? board.parts[board.part[n]] : "";
    card.append(made("h2", n >= 0 ? board.name(n) : net));
    const about = [];
    if (n >= 0 && net) about.push(`on ${net}`);
    if (n >= 0 && !net) about.push("connected to nothing");
    if (told.roles[net]) about.push(`${told.roles[net][0]} (${told.roles[net][1]})`);
    if (told.parts[part]) about.push(`part: ${told.parts[part]}`);
    if (n >= 0 && board.flags[n] & 2) about.push("under solder mask");
    if (about.length) card.append(made("p", about.join("; "), { className: "mb-1" }));
    for (const name of row.names ?? []) card.append(made("p", name, { className: "mb-1" }));
    if (row.value) {
      const says = made("p", "", { className: "mb-1" });
      says.append("This job read ", made("b", row.value, { className: "num" }), `, ${MARKS[row.mark] ?? ""}${row.at ? `, ${row.at}` : ""}`);
      card.append(says);
    }
    for (const words of row.also ?? []) card.append(made("p", `This job read ${words}`, { className: "mb-1 num" }));
    if (row.good?.length) {
      card.append(made("p", "Good boards read:", { className: "mb-0" }));
      const list = made("ul", "", { className: "bare" });
      row.good.forEach((words) => list.append(made("li", words, { className: "num" })));
      card.append(list);
    }
    if (told.cut.includes(net)) card.append(made("p", "Its name was cut when the file was written: it may be several lines.", { className: "tag" }));
    this.#offers(net, n);
    if (view.net >= 0) this.#others();
  }

  // What can be asked of this pad or line.
  #offers(net, n) {
    const { told, card } = this, box = made("div", "", { className: "d-flex flex-wrap gap-2 my-2" });
    const offer = (label, run) => {
      const button = made("button", label, { type: "button", className: "btn btn-quiet" });
      button.addEventListener("click", run);
      box.append(button);
    };
    if (!told.works) return;
    if (n >= 0 && net) offer("This pad is torn off", () => this.ask(`${told.landings}?pad=${n}`));
    if (net && told.roles[net]?.[0] !== "ground") {
      offer(this.warm ? "Press the warm spot, or type its part…" : "Short on this line", () => this.#warm());
      (told.warm ?? []).forEach((spot, at) => offer(told.warm.length > 1 ? `From the warm mark ${at + 1}` : "From the warm mark", () => this.#near(net, spot)));
    }
    if (box.children.length) card.append(box);
  }

  #others() {
    const { board, view, card } = this, pads = board.along(view.net);
    card.append(made("h3", `On ${board.nets[view.net]}: ${pads.length} pads`));
    const list = made("ul", "", { className: "bare board-on" });
    for (const n of pads.slice(0, LISTED)) {
      const item = made("li"), button = made("button", board.name(n), { type: "button", className: "btn-text" });
      if (n === view.picked) button.setAttribute("aria-current", "true");
      button.addEventListener("click", () => {
        this.pick(n, { move: true });
        this.card.querySelector("[aria-current]")?.focus();
      });
      item.append(button);
      if (!view.seen(n) && !view.picture) item.append(made("span", " other side", { className: "tag" }));
      const row = this.told.pads[n];
      if (row?.value) item.append(made("span", ` ${row.value} ${MARKS[row.mark] ?? ""}`, { className: "tag num" }));
      list.append(item);
    }
    card.append(list);
    if (pads.length > LISTED) card.append(made("p", `and ${pads.length - LISTED} more`, { className: "soft" }));
  }

  // ---- questions that the server answers

  ask(url) {
    const target = this.root.querySelector(".board-answer");
    if (!target) return;
    window.htmx.ajax("GET", url, { target, swap: "innerHTML" }).then(() => target.scrollIntoView({ block: "nearest" }));
  }

  #warm() {
    this.warm = this.board.nets[this.view.net];
    this.canvas.classList.add("aims");
    this.write();
    this.canvas.focus();
  }

  // The parts of a line by their distance from a place on the board.
  #near(net, [x, y]) {
    this.ask(`${this.told.near}?${new URLSearchParams({ net, x: x.toFixed(3), y: y.toFixed(3) })}`);
  }

  aimAt(x, y) {
    this.#warmest(this.view.toBoard(x, y));
  }

  #warmest(spot) {
    const net = this.warm;
    this.#letGo();
    this.view.spot = spot;
    this.view.draw();
    this.write();
    this.#near(net, spot);
  }

  #letGo() {
    this.warm = "";
    this.canvas.classList.remove("aims");
  }

  // ---- hands

  press(x, y) {
    if (this.warm) this.aimAt(x, y);
    else this.#meant(x, y);
  }

  #meant(x, y) {
    const { view } = this, n = view.at(x, y);
    if (n < 0 && view.picture) {
      const [u, v] = view.toWorld(x, y), { width, height, side } = view.picture;
      view.spot = view.toBoard(x, y);
      this.root.dispatchEvent(new CustomEvent("place-pressed", { bubbles: true, detail: { x: u / width, y: v / height, side } }));
    }
    this.pick(n);
  }

  #pointers() {
    const { canvas, view } = this, down = new Map();
    let moved = 0, apart = 0;
    const place = (event) => {
      const box = canvas.getBoundingClientRect();
      return [event.clientX - box.left, event.clientY - box.top];
    };
    canvas.addEventListener("pointerdown", (event) => {
      canvas.setPointerCapture(event.pointerId);
      down.set(event.pointerId, place(event));
      if (down.size === 1) moved = 0;
      apart = 0;
    });
    canvas.addEventListener("pointermove", (event) => {
      const before = down.get(event.pointerId), [x, y] = place(event);
      if (!before) {
        this.#hovered(x, y);
        return;
      }
      down.set(event.pointerId, [x, y]);
      moved += Math.hypot(x - before[0], y - before[1]);
      const points = [...down.values()];
      if (points.length === 1 && moved > MOVED_PX) view.moveBy(x - before[0], y - before[1]);
      if (points.length !== 2) return;
      const [[ax, ay], [bx, by]] = points, now = Math.hypot(ax - bx, ay - by);
      moved += MOVED_PX;
      if (apart) view.zoomAt(now / apart, (ax + bx) / 2, (ay + by) / 2);
      view.moveBy((x - before[0]) / 2, (y - before[1]) / 2);
      apart = now;
    });
    const up = (event) => {
      if (!down.delete(event.pointerId)) return;
      apart = 0;
      if (event.type === "pointerup" && !down.size && moved <= MOVED_PX) this.press(...place(event));
    };
    canvas.addEventListener("pointerup", up);
    canvas.addEventListener("pointercancel", up);
    canvas.addEventListener("wheel", (event) => {
      event.preventDefault();
      view.zoomAt(Math.exp(-event.deltaY * 0.0015), ...place(event));
    }, { passive: false });
  }

  #hovered(x, y) {
    const n = this.view.at(x, y);
    this.hover.textContent = n >= 0 ? [this.board.name(n), this.board.netName(n)].filter(Boolean).join(" · ") : "";
  }

  #keys() {
    const { canvas, view } = this;
    const turn = () => {
      view.turn = (view.turn + 1) % 4;
      view.draw();
    };
    const acts = {
      "+": () => view.zoomAt(ZOOM), "=": () => view.zoomAt(ZOOM), "-": () => view.zoomAt(1 / ZOOM), 0: () => view.fit(), f: () => this.flip(), t: turn,
      Escape: () => {
        this.#letGo();
        this.pick(-1);
      },
      "/": () => this.find.focus(),
      Enter: () => this.warm && this.aimAt(view.wide / 2, view.high / 2),
    };
    const arrows = { ArrowLeft: [1, 0, -1], ArrowRight: [-1, 0, 1], ArrowUp: [0, 1, -1], ArrowDown: [0, -1, 1] };
    canvas.addEventListener("keydown", (event) => {
      if (event.ctrlKey || event.altKey || event.metaKey) return;
      const arrow = arrows[event.key];
      if (arrow) {
        event.preventDefault();
        if (event.shiftKey || this.warm || !this.step(arrow[2])) view.moveBy(arrow[0] * PAN_PX, arrow[1] * PAN_PX);
      } else if (acts[event.key]) {
        event.preventDefault();
        acts[event.key]();
      }
    });
    this.turnNow = turn;
  }

  #acts() {
    const { view } = this, acts = { flip: () => this.flip(), turn: () => this.turnNow(), in: () => view.zoomAt(ZOOM), out: () => view.zoomAt(1 / ZOOM), fit: () => view.fit() };
    this.root.addEventListener("click", (event) => {
      const act = acts[event.target.closest("[data-act]")?.dataset.act];
      if (act) act();
      const pad = event.target.closest("[data-pad]");
      if (!pad) return;
      event.preventDefault();
      view.lit = new Set();
      this.pick(Number(pad.dataset.pad), { move: true });
    });
  }

  // ---- finding by name

  matches(text) {
    const { board } = this, wanted = text.trim().toLowerCase().replace(/[\s:]+/g, "."), out = [];
    if (!wanted) return out;
    const rank = (name) => {
      const low = name.toLowerCase();
      return low === wanted ? 0 : low.startsWith(wanted) ? 1 : low.includes(wanted) ? 2 : 9;
    };
    board.parts.forEach((name, part) => out.push([rank(name), name.length, `part ${name}`, () => this.#pickPart(part)]));
    board.nets.forEach((name, net) => out.push([rank(name), name.length, `line ${name}`, () => this.pickNet(net)]));
    if (wanted.includes(".") || !out.some((row) => row[0] < 2)) {
      for (let n = 0; n < board.count; n += 1) {
        const name = board.name(n), found = rank(name);
        if (found < 2 && name.includes(".")) out.push([found, name.length, `pad ${name}`, () => this.light([n], true)]);
      }
    }
    return out.filter((row) => row[0] < 9).sort((a, b) => a[0] - b[0] || a[1] - b[1]).slice(0, FOUND);
  }

  #pickPart(part) {
    const pads = this.board.ofPart[part];
    this.view.lit = new Set();
    if (!this.view.seen(pads[0]) && !this.view.picture) this.flip();
    this.view.show(pads);
    this.pick(pads[0]);
  }

  #finding() {
    let rows = [], at = 0;
    const take = (row) => {
      const { view, board } = this, short = this.warm;
      row?.[3]();
      // While a warm spot is asked for, a part or pad by its name is that spot.
      if (row && short && view.picked >= 0) {
        const spot = [board.x[view.picked], board.y[view.picked]];
        this.pickNet(board.nets.indexOf(short));
        this.#warmest(spot);
      } else if (row) {
        this.#letGo();
        this.write();
      }
      this.list.hidden = true;
      this.find.setAttribute("aria-expanded", "false");
      this.canvas.focus({ preventScroll: true });
    };
    const show = () => {
      this.list.replaceChildren(...rows.map((row, place) => {
        const item = made("li", row[2], { id: `board-found-${place}` });
        item.setAttribute("role", "option");
        item.setAttribute("aria-selected", String(place === at));
        item.addEventListener("pointerdown", (event) => {
          event.preventDefault();
          take(row);
        });
        return item;
      }));
      this.list.hidden = !rows.length;
      this.find.setAttribute("aria-expanded", String(rows.length > 0));
      this.find.setAttribute("aria-activedescendant", rows.length ? `board-found-${at}` : "");
    };
    this.find.addEventListener("input", () => {
      rows = this.matches(this.find.value);
      at = 0;
      show();
      this.hover.textContent = this.find.value.trim() && !rows.length ? "nothing is called that" : "";
    });
    this.find.addEventListener("keydown", (event) => {
      if (event.key === "Enter") {
        event.preventDefault();
        take(rows[at]);
      } else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
        event.preventDefault();
        at = (at + (event.key === "ArrowDown" ? 1 : rows.length - 1)) % Math.max(rows.length, 1);
        show();
      } else if (event.key === "Escape") {
        this.list.hidden = true;
      }
    });
    this.find.addEventListener("blur", () => {
      this.list.hidden = true;
    });
  }
}

// The pins of a sheet or a ladder light their pads as they are asked for.
// What was read so far marks its pads, as the drawing of the pins does.
function markRead(page, pins) {
  for (const drawn of document.querySelectorAll("#sheet .pad[data-pin]")) {
    const value = drawn.querySelector(".value")?.textContent.trim(), mark = Object.keys(MARKS).find((name) => drawn.querySelector(`.mark-${name}`));
    for (const pad of value ? pins[drawn.dataset.pin] ?? [] : []) page.told.pads[pad] = { value, mark: mark ?? "none" };
  }
  page.view.draw();
}

function follow(page, pins) {
  markRead(page, pins);
  document.addEventListener("sheet-swapped", () => markRead(page, pins));
  const light = (pin) => page.light(pins[pin] ?? [], true);
  document.addEventListener("probe-shown", (event) => light(event.detail));
  document.addEventListener("focusin", (event) => {
    const rung = /^[vw]_(\w+)$/.exec(event.target.name ?? "");
    if (rung) light(rung[1]);
  });
  const now = document.getElementById("probe-pin")?.value;
  if (now) light(now);
}

// A page may get its board later: a step of a repair is swapped in.
function begin() {
  for (const root of document.querySelectorAll(".board-map:not([data-begun])")) {
    root.dataset.begun = "yes";
    const told = JSON.parse(document.getElementById("board-told").textContent);
    loadBoard(root.dataset.src).then((board) => {
      const page = new BoardPage(root, board, told), pins = document.getElementById("board-pins");
      if (pins) follow(page, JSON.parse(pins.textContent));
      root.boardPage = page;
    }).catch((error) => {
      root.querySelector(".board-card").textContent = `The board cannot be drawn: ${error.message}. Load the page again.`;
    });
  }
}

begin();
document.addEventListener("htmx:afterSettle", begin);
