"""One browser a process, on a thread of its own, so that the ORM and the browser's loop never share a thread."""

from __future__ import annotations

import atexit
from collections.abc import Callable
from concurrent.futures import Future
from queue import Queue
from threading import Thread
from typing import Any

from django.test import LiveServerTestCase
from playwright.sync_api import Browser, Page, TimeoutError, expect, sync_playwright

from rainfront.demo.proofs import GOOD
from tests.browser.looking import arrive, axe_finds, settle
from tests.builders import PASSWORD, make_user

# Chromium without a window: the same engine, at half the processor time a page and a fifth a context.
PROGRAM = "/usr/bin/chromium-headless-shell"
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-fake-device-for-media-stream",
    "--use-fake-ui-for-media-stream",
]

# What htmx says on the console of a request that was under way when the page was left: completions, as Enter is hit.
BROKEN_OFF = ("htmx:sendAbort", "htmx:afterRequest")
# How long a browser test waits for what it expects [ms]: never fewer on a busy machine.
PATIENCE_MS = 30_000
expect.set_options(timeout=PATIENCE_MS)


class _Chromium:
    """Starts with the first test that needs it, ends with the process."""

    def __init__(self) -> None:
        self._jobs: Queue[tuple[Callable[[Browser], Any], Future[Any]] | None] = Queue()
        self._thread: Thread | None = None

    def run(self, job: Callable[[Browser], Any], within: float = 180) -> Any:
        if self._thread is None:
            self._thread = Thread(target=self._work, daemon=True)
            self._thread.start()
            atexit.register(self.stop)
        answer: Future[Any] = Future()
        self._jobs.put((job, answer))
        return answer.result(timeout=within)

    def _work(self) -> None:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path=PROGRAM, args=ARGUMENTS)
            while (item := self._jobs.get()) is not None:
                job, answer = item
                try:
                    answer.set_result(job(browser))
                except BaseException as error:
                    answer.set_exception(error)
            browser.close()

    def stop(self) -> None:
        self._jobs.put(None)
        if self._thread is not None:
            self._thread.join(timeout=20)


CHROMIUM = _Chromium()
MOST_TRIES = 4
MOVED = """done => !location.pathname.endsWith('/prove/') || !document.querySelector('#proof .progress-steps')
  || document.querySelector('#proof .progress-steps').getAttribute('aria-label') !== done"""


def _moved(page: Page, done: str, patience_ms: float) -> bool:
    """Whether the list of what is to be shown has moved on."""
    try:
        page.wait_for_function(MOVED, arg=done, timeout=patience_ms)
    except TimeoutError:
        return False
    return True


def prove(page: Page, *, by: str = "keyboard", **values: str) -> None:
    """Prove by keyboard alone: numbers typed, `values` in place of the usual ones, answers by their key.

    By "touch" or "mouse" with taps or clicks instead, numbers filled in.
    """
    tries = 0
    settle(page)
    while True:
        page.wait_for_selector("#proof .stepnow .do")
        if page.locator("#proof a:has-text('Go on closing')").count():
            return
        done = page.locator("#proof .progress-steps").get_attribute("aria-label") or ""
        fields = page.locator(".readings input").all()
        for number, field in enumerate(fields):
            name = field.get_attribute("name") or ""
            if by != "keyboard":
                field.fill(values.get(name, f"{GOOD[name]:g}"))
                continue
            if number == 0:
                expect(field).to_be_focused()
            field.focus()
            page.keyboard.press("Control+a")
            page.keyboard.type(values.get(name, f"{GOOD[name]:g}"))
        if by == "touch":
            page.tap(".donebtn")
        elif by == "mouse":
            page.click(".donebtn")
        else:
            page.keyboard.press("Enter" if fields else "1")
        # A key that fell between two fragments, as where a meter moves the list, is pressed again as a person would.
        if not _moved(page, done, patience_ms=PATIENCE_MS / 3):
            tries += 1
            assert tries < MOST_TRIES, f"{page.url} stays at {done}"
            continue
        if not page.url.endswith("/prove/"):
            return


def _pressed(page: Page, press: Callable[[], None]) -> None:
    """Press something on the page of the steps, and wait until its answer is in place."""
    with page.expect_response("**/step/"):
        press()
    page.wait_for_function("() => !document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling')")


def tick(page: Page, key: str = "") -> None:
    """Tick the current step off by a key or by its button; where the page asks for a reason, give the first one."""
    _pressed(page, lambda: page.keyboard.press(key) if key else page.click(".donebtn"))
    if page.locator("[data-asked]").count():
        _pressed(page, lambda: page.keyboard.press("1"))


def tap_done(page: Page) -> None:
    """Tick the current step off by touch; where the page asks for a reason, tap the first one."""
    _pressed(page, lambda: page.tap(".donebtn"))
    if page.locator("[data-asked]").count():
        _pressed(page, lambda: page.tap("[data-asked] button >> nth=0"))


def tick_rest(page: Page) -> None:
    """Tick all steps off at once; where the page asks for a reason, give the first one."""
    _pressed(page, lambda: page.click("text=All of these are done"))
    while page.locator("[data-asked]").count():
        _pressed(page, lambda: page.keyboard.press("1"))


def prove_twice(page: Page) -> None:
    """Prove, close up, prove again, until the job can be closed."""
    arrive(page, "**/prove/")
    prove(page)
    arrive(page, "**/repair/")
    tick_rest(page)
    page.click("a:has-text('Prove it')")
    arrive(page, "**/prove/")
    prove(page)
    arrive(page, "**/close/")


class BrowserTest(LiveServerTestCase):
    """A signed-in page in a fresh context; anything on the console or a refused style or script is a failure."""

    def setUp(self) -> None:
        self.user = make_user()

    def drive(self, steps: Callable[[Page], Any], *, scripts: bool = True, **context: Any) -> Any:
        """Run `steps(page)` on the browser's thread and return what it returns."""

        def job(browser: Browser) -> Any:
            made = browser.new_context(
                base_url=self.live_server_url,
                java_script_enabled=scripts,
                viewport={"width": 1280, "height": 800},
                reduced_motion="reduce",
                **context,
            )
            made.set_default_timeout(PATIENCE_MS)
            page, said = made.new_page(), []
            page.on(
                "console", lambda message: said.append(message.text) if message.type in ("error", "warning") else None
            )
            page.on("pageerror", lambda error: said.append(str(error)))
            try:
                page.goto("/people/sign-in/")
                page.fill("#id_username", self.user.username)
                page.fill("#id_password", PASSWORD)
                page.keyboard.press("Enter")
                page.wait_for_selector("header form button")
                result = steps(page)
            finally:
                made.close()
            self.assertEqual(
                [text for text in said if not text.startswith(BROKEN_OFF) and "status of 4" not in text], []
            )
            return result

        return CHROMIUM.run(job)

    def assert_accessible(self, page: Page) -> None:
        """No finding of axe against WCAG 2.2 AA."""
        self.assertEqual(axe_finds(page), [])
