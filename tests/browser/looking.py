"""What a page must look like at any width, measured in the browser; and the pages of the demo, found by their links."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from pathlib import Path

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect

HERE = Path(__file__).parent
WIDTHS = ((390, 844), (820, 1180), (1280, 800), (2560, 1440))
LEAST_PX, MOST_SHIFT = 13, 0.02
# How long an act may take to lead to its page, on a machine that is busy with other things [ms].
ARRIVES_MS = 60_000

# WCAG 2.2 AA; only what is wrong is worked out in full, and no style sheet is fetched once more: half the time.
AXE = {
    "runOnly": {"type": "tag", "values": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]},
    "resultTypes": ["violations"],
    "preload": False,
}

LOOK = (HERE / "look.js").read_text(encoding="utf-8")
WATCH_SHIFTS = (HERE / "shifts.js").read_text(encoding="utf-8")


# A browser gives `autofocus` with the first frame after the load event; two frames later it has been given.
SETTLED = """async () => {
  for (let n = 0; n < 2; n++) await new Promise(requestAnimationFrame);
  return !document.querySelector('main [autofocus]') || document.activeElement !== document.body; }"""


def settle(page: Page) -> None:
    """Wait until the page that is opening is loaded and has given the focus, so that a key arrives where it should."""
    page.wait_for_load_state("load")
    page.wait_for_function(SETTLED)


def visit(page: Page, path: str) -> int:
    """Open an address and let it settle; its status."""
    answer = page.goto(path)
    settle(page)
    assert answer is not None
    return answer.status


def arrive(page: Page, pattern: str | re.Pattern[str]) -> None:
    """Wait until an act has led to the address of this pattern (`**` for anything), and until that page has settled.

    The address is looked at again and again: two answers may each lead on, and a navigation that the second one breaks
    off would fail `wait_for_url`.
    """
    if isinstance(pattern, str):
        pattern = re.compile(".*".join(map(re.escape, pattern.split("**"))) + "$")
    expect(page).to_have_url(pattern, timeout=ARRIVES_MS)
    settle(page)


def look_at(page: Page, widths: Sequence[tuple[int, int]] = WIDTHS) -> Iterator[str]:
    """What is wrong with how the page that is open is laid out at these widths; where, and what."""
    for width, height in widths:
        page.set_viewport_size({"width": width, "height": height})
        for text in page.evaluate(LOOK, LEAST_PX):
            yield f"{page.url} at {width}: {text}"
    page.set_viewport_size({"width": 1280, "height": 800})


def axe_finds(page: Page) -> list[str]:
    """What axe finds against the page that is open: where, which rule, and on what."""
    found = Axe().run(page, options=AXE).response["violations"]
    return [f"{page.url}: {one['id']}: {[node['target'] for node in one['nodes'][:2]]}" for one in found]


def shift_of(page: Page) -> tuple[float, list[str]]:
    """How far the layout has shifted since the page was opened, and what moved."""
    found: tuple[float, list[str]] = tuple(page.evaluate("[window.__shift, window.__shifted]"))
    return found
