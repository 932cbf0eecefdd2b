"""Boards as maps: files read in their own process, how small a board is kept, and how a browser draws it.

Times of reading are given against taking the same file apart by lines and words; frames against those of an empty
page.
"""

from __future__ import annotations

import gzip
import http.server
import threading
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from shutil import copytree
from tempfile import TemporaryDirectory
from time import perf_counter
from typing import Any

from playwright.sync_api import sync_playwright

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
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        for count in counts:
            (folder / "board.json").write_bytes(gzip.decompress(pack(made_board(count))))
            page = browser.new_page(viewport={"width": 1000, "height": 640})
            page.goto(f"http://127.0.0.1:{server.server_address[1]}/index.html")
            page.wait_for_function("window.figures", timeout=120_000)
            yield count, page.evaluate("window.figures")
            page.close()
        browser.close()
        server.shutdown()


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
