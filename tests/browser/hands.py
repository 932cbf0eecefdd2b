"""Somebody who works by keyboard, by mouse or by touch alone, and does the same things with each."""

from __future__ import annotations

from playwright.sync_api import Locator, Page

from tests.browser.driver import prove
from tests.browser.looking import arrive, settle

HANDS = ("keyboard", "mouse", "touch")
QUIET = "() => !document.querySelector('.htmx-request, .htmx-swapping, .htmx-settling')"
# How often steps are ticked off until what is looked for stands on the page.
MOST_STEPS = 60


class Hand:
    """A page, and what its person has at hand.

    Parameters
    ----------
    page : Page
        With touch where `how` is "touch".
    how : str
        One of `HANDS`.

    """

    def __init__(self, page: Page, how: str) -> None:
        self.page, self.how = page, how

    def press(self, what: str | Locator) -> None:
        """Press the first of what is found: a keyboard's Enter on what Tab can reach, a click, a tap."""
        found = (self.page.locator(what) if isinstance(what, str) else what).first
        if self.how == "touch":
            found.tap()
        elif self.how == "mouse":
            found.click()
        else:
            found.wait_for(state="visible")
            assert found.evaluate("e => e.tabIndex >= 0 && !e.disabled"), f"no keyboard reaches {what}"
            found.focus()
            self.page.keyboard.press("Enter")

    def type(self, field: str, text: str) -> None:
        """Type into a field, in place of what stands there."""
        self.press_field(field)
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type(text)

    def press_field(self, field: str) -> None:
        """Go to a field."""
        if self.how == "keyboard":
            self.page.focus(field)
        else:
            self.press(field)

    def at(self, x: float, y: float) -> None:
        """Press a place on the screen; a keyboard has none."""
        if self.how == "touch":
            self.page.touchscreen.tap(x, y)
        else:
            self.page.mouse.click(x, y)

    def closer(self, x: float, y: float) -> None:
        """Make a drawing larger around a place: by the wheel, or with two fingers."""
        if self.how == "mouse":
            self.page.mouse.move(x, y)
            self.page.mouse.wheel(0, -500)
            return
        hand = self.page.context.new_cdp_session(self.page)
        for kind, apart in (("touchStart", 15), ("touchMove", 30), ("touchMove", 50), ("touchEnd", 0)):
            points = [{"x": x - apart, "y": y, "id": 0}, {"x": x + apart, "y": y, "id": 1}] if apart else []
            hand.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})

    def done(self, what: str = ".donebtn") -> None:
        """Tick off the current step, or what else is pressed there; where a reason is asked for, take the first."""
        self._answered(lambda: self.press(what))
        while self.page.locator("[data-asked]").count():
            self._answered(lambda: self.press("[data-asked] button"))

    def _answered(self, press) -> None:
        with self.page.expect_response("**/step/"):
            press()
        self.page.wait_for_function(QUIET)

    def steps_until(self, what: str) -> None:
        """Tick steps off until something stands beside one."""
        for _ in range(MOST_STEPS):
            if self.page.locator(what).count():
                return
            self.done()
        raise AssertionError(f"{what} never came")

    def prove_and_close(self, used: str) -> None:
        """From a step of a repair: the rest of it, the proof, closing up, the proof again, the closing, the money."""
        page = self.page
        self.done("text=All of these are done")
        self.type("[name=used]", used)
        for _ in range(2):
            self.press("a:has-text('Prove it'), button:has-text('Prove it')")
            arrive(page, "**/prove/")
            prove(page, by=self.how)
            if "/close/" in page.url:
                break
            arrive(page, "**/repair/")
            self.done("text=All of these are done")
        arrive(page, "**/close/")
        settle(page)
        self.press("button:has-text('Close')")
        page.wait_for_selector("text=What it comes to")
        self.press("button[name=how][value=cash]")
        page.wait_for_selector("text=Handed over")
