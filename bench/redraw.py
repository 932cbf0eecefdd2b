"""The heat desk's curves after a changed setting, from the key to the painted page, in the browser on the demo."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from playwright.sync_api import Page

from tests.browser.served import ServedDemo

CHANGES = 60
# From the key's event to the paint of the new curves [ms]: a task that is posted in a frame runs once it is painted.
TIMED = """value => new Promise(done => {
  const field = document.querySelector('#id_set_c'), start = performance.now();
  document.body.addEventListener('htmx:afterSwap', () => requestAnimationFrame(
    () => setTimeout(() => done(performance.now() - start))), {once: true});
  field.value = value;
  field.dispatchEvent(new Event('input', {bubbles: true}));
})"""
# The same frame with nothing asked for.
EMPTY = """() => new Promise(done => {
  const start = performance.now();
  requestAnimationFrame(() => setTimeout(() => done(performance.now() - start)));
})"""


def run() -> Iterator[str]:
    """Yield the lines of the table."""

    def steps(page: Page) -> tuple[list[float], list[float]]:
        page.goto("/heat/")
        times, empty = [], []
        for change in range(CHANGES):
            times.append(float(page.evaluate(TIMED, str(320 + 5 * (change % 25)))))
            empty.append(float(page.evaluate(EMPTY)))
        return times, empty

    times, empty = ServedDemo().drive(steps, who="tech")
    middle, late = np.percentile(times[3:], [50, 95])
    yield (
        f"heat desk, a changed setting to the new curves, {len(times)} changes: {middle:.0f} ms in the middle, "
        f"19 of 20 within {late:.0f} ms, the first {times[0]:.0f} ms; a frame alone {np.median(empty):.0f} ms"
    )
