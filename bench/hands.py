"""Keys, clicks and pages of whole jobs, from the counter until the device is collected.

A browser drives the interface of a served demo as a person does who knows it: what has a key is pressed by key,
anything else is clicked. Each key, each typed letter and each click counts one; a page counts when it is loaded.
`TREE` names the tree whose demo is served (this one); `AT` the address of a demo that runs already.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

from playwright.sync_api import Locator, Page, sync_playwright

from rainfront.demo.proofs import GOOD

ROOT = Path(__file__).resolve().parents[1]
sys.path.append(str(ROOT / "scripts"))

PATIENCE_MS = 20_000
QUIET = "() => !document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling')"
# The model is typed as far as it says which one.
MODEL = "d2"
# Numbers of a proof that may be left empty.
OPTIONAL = ("volts", "charge_mah")


@dataclass
class Hands:
    """Counts what the hands do on a page, by part of the job."""

    page: Page
    part: str = ""
    counts: dict[str, int] = field(default_factory=dict)
    pages: int = 0

    def __post_init__(self) -> None:
        self.page.on("load", lambda _: self._loaded())

    def _loaded(self) -> None:
        self.pages += 1

    def _count(self, n: int) -> None:
        self.counts[self.part] = self.counts.get(self.part, 0) + n

    def key(self, name: str) -> None:
        """Press a key, or several at once."""
        self._count(1)
        self.page.keyboard.press(name)
        self.settle()

    def type(self, text: str) -> None:
        """Type a text into the field in use."""
        self._count(len(text))
        self.page.keyboard.type(text, delay=20)
        self.page.wait_for_timeout(150)

    def click(self, *selectors: str) -> None:
        """Click the first of these that can be seen."""
        self._count(1)
        self.seen(*selectors).click()
        self.settle()

    def seen(self, *selectors: str) -> Locator:
        """Return the first of these that can be seen; waits until one can."""
        for _ in range(PATIENCE_MS // 100):
            for selector in selectors:
                found = self.page.locator(f"{selector} >> visible=true")
                if found.count():
                    return found.first
            self.page.wait_for_timeout(100)
        raise TimeoutError(f"none of {selectors} on {self.page.url}:\n{self.page.inner_text('main')[:2000]}")

    def has(self, selector: str) -> bool:
        """Whether this can be seen now."""
        return self.page.locator(f"{selector} >> visible=true").count() > 0

    def settle(self) -> None:
        """Wait until the page is loaded and nothing is under way on it."""
        self.page.wait_for_load_state("load")
        self.page.wait_for_timeout(120)
        self.page.wait_for_function(QUIET)

    def fill(self, selector: str, text: str) -> None:
        """Focus a field (Tab where it is the next one, else a click) and type in place of what it holds."""
        mine = "s => document.activeElement && document.activeElement.matches(s)"
        if not self.page.evaluate(mine, selector):
            self.key("Tab")
            if not self.page.evaluate(mine, selector):
                self.click(selector)
        if self.page.input_value(selector):
            self.key("Control+a")
        self.type(text)


def take_in(hands: Hands, serial: str, complaint: str, percent: str) -> None:
    """Fill in and send the form of take-in, for a model that the shop has had before."""
    hands.part = "take in"
    hands.click("header a:has-text('Take in')", "a:has-text('Take in')")
    hands.type(MODEL)
    hands.page.wait_for_timeout(400)
    hands.key("Tab")
    hands.fill("#id_customer", "deck crew")
    hands.fill("#id_serial", serial)
    hands.click(f"label:has-text('{complaint}')")
    hands.fill("#id_battery_percent", percent)
    if hands.has("label:has-text('Backed up')"):
        hands.click("label:has-text('Backed up')")
    else:
        hands.page.locator("#id_backup").focus()
        hands.key("b")
    hands.key("Control+Enter")
    hands.seen("#line")


def measure(hands: Hands, *lines: str) -> None:
    """At the bench: press the answer where the page offers it as a button, else type its quick line."""
    hands.part = "measure"
    for line in lines:
        hands.seen("#line")
        answer = f"form:has(input[name=line][value='{line}']) button"
        if hands.has(answer):
            hands.click(answer)
            continue
        if hands.has(f"button[name=line][value='{line}']"):
            hands.click(f"button[name=line][value='{line}']")
            continue
        hands.type(line)
        hands.key("Escape") if hands.has("#completions li") else None
        hands.key("Enter")
        assert not hands.page.input_value("#line"), f"{line}: {hands.page.inner_text('#trouble')}"


def commit(hands: Hands, route: str) -> None:
    """Choose a repair: by the button of Next where the advice says it, else from the list of routes."""
    hands.part = "decide"
    if hands.has(f"#next:has-text('{route}') >> text=Do this"):
        hands.click("#next >> text=Do this")
    else:
        hands.click(f"[aria-label=Routes] a:has-text('{route}')")
    if hands.has("#reason"):
        hands.type("seen")
    if "/repair/" not in hands.page.url:
        hands.click("button:has-text('Commit')")


def repair(hands: Hands) -> None:
    """Tick the steps off, one part of the plan at a time; what guards the device asks once before."""
    hands.part = "repair"
    for _ in range(60):
        if hands.has("[data-asked]"):
            hands.key("1")
        elif hands.has("[data-key=p]"):
            hands.key("p")
        elif hands.has(".donebtn"):
            ready = hands.page.evaluate("() => document.activeElement.matches('.donebtn')")
            hands.key("Space") if ready else hands.click(".donebtn")
        else:
            break
    if hands.has("a:has-text('Prove it'), button:has-text('Prove it')"):
        hands.click("button:has-text('Prove it')", "a:has-text('Prove it')")


def prove(hands: Hands) -> None:
    """Show what the proof asks for, with numbers that a good device gives."""
    hands.part = "prove"
    for _ in range(80):
        if "/prove/" not in hands.page.url:
            return
        if hands.has("a:has-text('Go on closing')"):
            hands.click("a:has-text('Go on closing')")
            return
        if hands.has("[data-key=a]"):
            hands.key("a")
            continue
        fields = [one.get_attribute("name") or "" for one in hands.page.locator(".readings input").all()]
        if hands.has("[data-key='=']"):
            hands.key("=")
            continue
        asked = [name for name in fields if name not in OPTIONAL]
        for name in asked:
            hands.fill(f"[name={name}]", f"{GOOD[name]:g}")
        hands.key("Enter" if fields else "1")


def finish(hands: Hands, amount: str) -> None:
    """Close, say what it comes to, print the report, take the money, hand over."""
    hands.part = "hand over"
    if "/close/" in hands.page.url:
        hands.key("Enter") if hands.page.evaluate(
            "() => document.activeElement.matches('main button.btn-main')"
        ) else hands.click("main button.btn-main")
    if "/counter/" not in hands.page.url:
        hands.click("main a:has-text('Hand over')", "a:has-text('Hand over')", "a:has-text('Bill')")
    charged = "#id_charged"
    if hands.has(charged):
        hands.fill(charged, amount)
        hands.click("form:has([name=charged]) button")
        hands.click("#id_amount")
        hands.type(amount)
        hands.click("button:has-text('Note it')")
    before = len(hands.page.context.pages)
    hands.click("a:has-text('Report for the customer')")
    hands.page.wait_for_timeout(800)
    if len(hands.page.context.pages) > before:
        hands.pages += 1
        hands.page.context.pages[-1].close()
    else:
        hands.click("a:has-text('Back to Hand over')")
    if hands.has("button:has-text('Told here')"):
        hands.click("button:has-text('Told here')")
        hands.click("button:has-text('Hand it over')")
    else:
        hands.click("button[name=how][value=cash]")
    hands.seen("text=Handed over")


def sub_board(hands: Hands) -> None:
    """A sub-board is tried, swapped, proved twice and paid."""
    take_in(hands, "OD2-1183", "Charging comes and goes", "12")
    measure(hands, "port clean", "i 0.0 5.0 12%", "wiggle drops", "try swap_carrier yes")
    commit(hands, "Swap the sub-board")
    until_closed(hands)
    finish(hands, "60")


def port_clean(hands: Hands) -> None:
    """A port full of lint is cleaned, proved and paid."""
    take_in(hands, "OD2-1184", "The plug no longer holds", "12")
    measure(hands, "port lint")
    commit(hands, "Clean the port")
    until_closed(hands)
    finish(hands, "20")


def until_closed(hands: Hands) -> None:
    """Work and prove until the page that closes the job."""
    for _ in range(8):
        if "/repair/" in hands.page.url:
            repair(hands)
        elif "/prove/" in hands.page.url:
            prove(hands)
        else:
            return


JOURNEYS: dict[str, Callable[[Hands], None]] = {"sub-board swapped": sub_board, "port cleaned": port_clean}


def walk(address: str) -> Iterator[str]:
    """Yield a line of the table for each journey on the demo at this address."""
    yield f"{'':20}{'keys+clicks':>12}{'pages':>7}   by part"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
        for name, journey in JOURNEYS.items():
            page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
            page.set_default_timeout(PATIENCE_MS)
            page.goto(f"{address}/people/sign-in/")
            page.fill("#id_username", "tech")
            page.fill("#id_password", "rainfront")
            page.keyboard.press("Enter")
            page.wait_for_selector("header form button")
            page.wait_for_load_state("load")
            hands = Hands(page)
            journey(hands)
            parts = ", ".join(f"{part} {n}" for part, n in hands.counts.items())
            yield f"{name:20}{sum(hands.counts.values()):>12}{hands.pages:>7}   {parts}"
        browser.close()


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    if os.environ.get("AT"):
        yield from walk(os.environ["AT"].rstrip("/"))
        return
    import screenshots

    tree = Path(os.environ.get("TREE", ROOT))
    with tempfile.TemporaryDirectory() as folder, open(f"{folder}/log", "w+", encoding="utf-8") as log:
        environment = {**os.environ, "RAINFRONT_DEMO_DATABASE": f"{folder}/demo.sqlite3", "PORT": "8400"}
        server = subprocess.Popen([tree / "scripts" / "serve_demo.sh"], env=environment, stdout=log, stderr=log)
        try:
            yield from walk(screenshots.wait_for(Path(log.name)))
        finally:
            server.terminate()
            server.wait(timeout=20)
