"""Boards as maps: files read in their own process, how small a board is kept, how a browser draws it, and how long
somebody new looks for a pad.

Times of reading are given against taking the same file apart by lines and words; frames against those of an empty
page; a pad found by typing against one that is looked for in a list of all names.
"""

from __future__ import annotations

import gzip
import http.server
import random
import threading
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from shutil import copytree
from tempfile import TemporaryDirectory
from time import perf_counter
from types import SimpleNamespace
from typing import Any

from django.template.loader import render_to_string
from django.urls import reverse
from playwright.sync_api import Browser, sync_playwright

from chargepath.board.packed import pack, unpack
from chargepath.standin.layouts import as_lists, as_netlist, made_board
from rainfront.board.reading import read_apart

SCRIPTS = Path(__file__).parents[1] / "rainfront" / "web" / "static" / "rainfront" / "js" / "board"
PAGE = """<!doctype html><html><body style="margin:0"><div style="width:1000px;height:640px;position:relative">
<canvas tabindex="0" style="position:absolute;width:100%;height:100%"></canvas></div><script type="module">
import { loadBoard } from "./board/pads.js";
import { BoardView } from "./board/view.js";
const begun = performance.now(), told = { roles: {}, covers: [], pictures: [], pads: {}, cut: [] };
const gaps = (step) => new Promise((done) => {
  const found = []; let last = 0, n = 0;
  const tick = (now) => { if (last) found.push(now - last); last = now; step(n); n += 1;
    if (n < 121) requestAnimationFrame(tick); else done(found.sort((a, b) => a - b)[114]); };
  requestAnimationFrame(tick); });
const empty = await gaps(() => {}), start = performance.now();
const board = await loadBoard("board.json"), view = new BoardView(document.querySelector("canvas"), board, told);
await new Promise((done) => { const look = () => (view.painted ? done() : requestAnimationFrame(look)); look(); });
const first = performance.now() - start;
const frames = await gaps((n) => view.zoomAt(n % 60 < 30 ? 1.06 : 1 / 1.06, 400, 300));
const before = performance.now();
for (let n = 0; n < 5000; n += 1) {
  const at = n % board.count;
  view.at(...view.toScreen(view.places.u[at], view.places.v[at]));
}
window.figures = { empty, first, frames, hit: (performance.now() - before) / 5000 };
</script></body></html>"""


# A person who is new here thinks once, puts the hand on the keys, and presses one key after the other [s]: Card, Moran
# and Newell, The keystroke-level model for user performance time with interactive systems, Communications of the ACM
# 23 (7), 1980: M, H, and K of an average typist.
THINKS_S, REACHES_S, KEY_S = 1.35, 0.4, 0.28
FOUND, SOUGHT = "document.querySelector('.board-card h2')?.textContent === name", 6
IN_VIEW = "name => { const box = document.getElementById(name).getBoundingClientRect(); return box.top < innerHeight; }"
LIST = '<!doctype html><ol style="font:16px sans-serif">{}</ol>'


class _Quiet(http.server.SimpleHTTPRequestHandler):
    def log_message(self, *args: Any) -> None:
        """Say nothing."""


def _drawn(counts: tuple[int, ...]) -> Iterator[tuple[int, dict[str, float]]]:
    """What a browser measures of boards with so many pads."""
    with TemporaryDirectory() as made, sync_playwright() as playwright:
        folder = Path(made)
        copytree(SCRIPTS, folder / "board")
        (folder / "index.html").write_text(PAGE, encoding="utf-8")
        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), partial(_Quiet, directory=made))
        threading.Thread(target=server.serve_forever, daemon=True).start()
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
        at = f"http://127.0.0.1:{server.server_address[1]}/"
        for count in counts:
            (folder / "board.json").write_bytes(gzip.decompress(pack(made_board(count))))
            page = browser.new_page(viewport={"width": 1000, "height": 640})
            page.goto(f"{at}index.html")
            page.wait_for_function("window.figures", timeout=120_000)
            yield count, page.evaluate("window.figures") | (_sought(browser, folder, at) if count == counts[0] else {})
            page.close()
        browser.close()
        server.shutdown()


def _sought(browser: Browser, folder: Path, at: str) -> dict[str, float]:
    """How long somebody new takes from a page that has just opened to a named pad [s], and in a list of all names.

    The first is waited for in a browser; the second is the keys that scroll to the name, looking at no screen twice.
    """
    board = made_board(5000)
    told: dict[str, Any] = {key: [] for key in ("rails", "covers", "pictures", "warm", "cut")}
    told |= {"roles": {}, "parts": {}, "pads": {}}
    stored = SimpleNamespace(pk=1, digest="0" * 64)
    body = render_to_string("board/_canvas.html", {"board": stored, "told": told, "begins": True})
    script = '<script type="module" src="/board/page.js"></script>'
    (folder / "find.html").write_text(f"<!doctype html><body>{body}{script}</body>", encoding="utf-8")
    place = folder / reverse("board:data", args=[1, "0" * 32]).lstrip("/")
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(gzip.decompress(pack(board)))
    names = sorted({pad.name for pad in board.pads if pad.part})
    (folder / "list.html").write_text(LIST.format("".join(f'<li id="{name}">{name}' for name in names)), "utf-8")
    page, typed, listed = browser.new_page(viewport={"width": 1280, "height": 800}), [], []
    for name in random.Random(7).sample(names, SOUGHT):
        page.goto(f"{at}find.html")
        start = perf_counter()
        page.wait_for_timeout(1000 * (THINKS_S + REACHES_S))
        page.keyboard.type(name.lower(), delay=1000 * KEY_S)
        page.keyboard.press("Enter")
        page.wait_for_function(f"name => {FOUND}", arg=name)
        typed.append(perf_counter() - start)
        page.goto(f"{at}list.html")
        keys = 0
        while not page.evaluate(IN_VIEW, name):
            page.keyboard.press("PageDown")
            keys += 1
            page.evaluate("new Promise(requestAnimationFrame)")
        listed.append(THINKS_S + REACHES_S + keys * KEY_S)
    page.close()
    return {"typed": max(typed), "listed": sum(listed) / SOUGHT, "listed_least": min(listed)}


def run() -> Iterator[str]:
    """Lines of the table."""
    yield "Boards as maps"
    for count in (5000, 20_000):
        board = made_board(count)
        for name, text in (("netlist", as_netlist(board)), ("KiCad board file", as_lists(board))):
            raw = text.encode()
            start = perf_counter()
            words = sum(len(line.split()) for line in text.splitlines())
            apart = perf_counter() - start
            start = perf_counter()
            read = read_apart(raw)
            took = perf_counter() - start
            yield (
                f"  {count:6} pads, {name:16} {len(raw) / 1e6:4.1f} MB, {words:7} words: read in {took:5.2f} s, "
                f"{took / apart:4.0f} times as long as its words; kept in {len(read.packed) / 1000:3.0f} kB"
            )
        start = perf_counter()
        unpack(pack(board))
        yield f"  {count:6} pads packed and unpacked in {perf_counter() - start:5.2f} s"
    for count, seen in _drawn((5000, 20_000)):
        yield (
            f"  {count:6} pads drawn: first after {seen['first']:4.0f} ms, 19 of 20 frames within "
            f"{seen['frames']:3.0f} ms (an empty page {seen['empty']:3.0f} ms), a press {seen['hit'] * 1000:3.0f} µs"
        )
        if "typed" in seen:
            yield (
                f"  {count:6} pads, one found by its name: {seen['typed']:4.1f} s at most of {SOUGHT}; in a list of "
                f"names {seen['listed']:4.1f} s on average, {seen['listed_least']:4.1f} s at least"
            )
