"""Two whole repairs with the board's map beside the step, each by keyboard, by mouse and by touch alone."""

from django.urls import reverse
from playwright.sync_api import Page, expect

from rainfront.jobs import actions
from rainfront.jobs.models import Job, Stage
from tests.boards import LAYOUT, named_board, tablet
from tests.browser.driver import BrowserTest
from tests.browser.hands import HANDS, Hand
from tests.browser.looking import visit
from tests.browser.test_board import AT, PICKED, READY, number
from tests.builders import NOW
from tests.sizes import sized

ZOOM = "document.querySelector('.board-map').boardPage.view.zoom"


class BoardRepairs(BrowserTest):
    def driven(self, hand: str, steps) -> None:
        def whole(page: Page) -> None:
            if hand == "touch":
                page.set_viewport_size({"width": 390, "height": 844})
            steps(Hand(page, hand))

        self.drive(whole, has_touch=hand == "touch")

    def to_pad(self, hand: Hand, name: str) -> None:
        """Pick a pad: by its name, or on the drawing once that is large enough."""
        page = hand.page
        if hand.how == "keyboard":
            hand.type("[name=find]", name.lower().replace(".", " "))
            page.keyboard.press("Enter")
        else:
            page.locator(".board-map canvas").scroll_into_view_if_needed()
            for _ in range(2):
                before = page.evaluate(ZOOM)
                hand.closer(*page.evaluate(AT, number(name)))
                page.wait_for_function(f"{ZOOM} > {before}")
            hand.at(*page.evaluate(AT, number(name)))
        expect(page.locator(".board-card h2")).to_have_text(name)

    def picked(self, page: Page):
        return LAYOUT.pads[page.evaluate(PICKED)]

    def test_a_torn_pad(self):
        named_board(self.user)

        def steps(hand: Hand) -> None:
            page = hand.page
            visit(page, reverse("work:repair", args=[job.pk]))
            hand.steps_until(".board-map")
            page.wait_for_selector(READY)
            expect(page.locator(".stepnow .do")).to_contain_text("Solder an insulated wire")
            self.to_pad(hand, "J1.A5")
            hand.press("button:has-text('This pad is torn off')")
            first = page.locator(".board-list li").first
            expect(first).to_contain_text("straight, on the same side")
            name = first.locator("[data-pad]").inner_text()
            hand.press(f"text={name.partition('.')[0]} hangs on the torn piece")
            expect(page.locator(".board-list")).not_to_contain_text(name)
            landing = page.locator(".board-list [data-pad]").first
            hand.press(landing)
            self.assertEqual((self.picked(page).name, self.picked(page).net), (landing.inner_text(), "CC1"))
            hand.press("text=Which wire")
            expect(page.locator("main")).to_contain_text("is the thinnest that will do")
            page.go_back()
            page.wait_for_selector(READY)
            hand.prove_and_close("lacquered wire")

        for how in sized(("mouse",), HANDS):
            with self.subTest(how):
                job = tablet(self.user, ("port worn", "i 0.9 5.05 46%", "flip one", "joint moves"))
                actions.choose_route(job, "bridge_pad", "pad A5 came off", user=self.user, now=NOW)
                self.driven(how, steps)
                self.assertEqual(Job.objects.get(pk=job.pk).stage, Stage.CLOSED)

    def test_a_short_on_a_rail(self):
        named_board(self.user)

        def steps(hand: Hand) -> None:
            page = hand.page
            visit(page, reverse("work:repair", args=[job.pk]))
            hand.steps_until(".board-map")
            page.wait_for_selector(READY)
            expect(page.locator(".stepnow .do")).to_contain_text("Put a watt at most into the rail")
            hand.press(".board-card button:has-text('VSYS')")
            hand.press("button:has-text('Short on this line')")
            if hand.how == "keyboard":
                # The part that got warm, by its name; and once more by moving the drawing under the middle.
                hand.type("[name=find]", "c7")
                page.keyboard.press("Enter")
                expect(page.locator(".board-list li").first).to_contain_text("C7")
                page.keyboard.press("0")
                hand.press("button:has-text('Short on this line')")
                page.keyboard.press("ArrowLeft")
                page.keyboard.press("Enter")
                expect(page.locator(".board-answer h2")).to_be_visible()
            else:
                hand.press("[data-act=fit]")
                page.locator(".board-map canvas").scroll_into_view_if_needed()
                x, y = page.evaluate(AT, number("C7.1"))
                hand.at(x + 2, y + 2)
                expect(page.locator(".board-list li").first).to_contain_text("C7")
                hand.press(page.locator(".board-list [data-pad]"))
                self.assertEqual(self.picked(page).part, "C7")
            self.assert_accessible(page)
            hand.steps_until(".stepnow .do:has-text('Measure the rail against')")
            hand.press("button:has-text('in band')")
            expect(page.locator("main")).to_contain_text("entered: in band")
            hand.prove_and_close("capacitor")

        for how in sized(("touch",), HANDS):
            with self.subTest(how):
                job = tablet(self.user, ("port clean", "rail short"))
                actions.choose_route(job, "repair_rail", "C7 gets warm", user=self.user, now=NOW)
                self.driven(how, steps)
                self.assertEqual(Job.objects.get(pk=job.pk).stage, Stage.CLOSED)
