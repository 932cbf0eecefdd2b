"""Deciding in the browser: from the routes side by side over a quote and its answer to the steps."""

from playwright.sync_api import Page, expect

from rainfront.jobs.models import Quote, Repair
from rainfront.stock.models import Move
from tests.browser.driver import BrowserTest, tick_rest
from tests.browser.looking import arrive, visit
from tests.builders import make_job

LINES = ("i 0.0 5.1 20%", "port worn", "wiggle drops", "joint moves")


class Deciding(BrowserTest):
    def test_a_repair_over_the_limit_goes_from_quote_to_approval_to_its_steps(self):
        job = make_job(self.user, LINES, limit=20)
        advised = []

        def steps(page: Page) -> None:
            visit(page, job.get_absolute_url())
            expect(page.locator("#next")).to_contain_text("Stop and ask")
            page.click("text=drawn")
            row = page.locator("[id^=route-].advised")
            advised.append(row.get_attribute("id").removeprefix("route-"))
            expect(row).to_contain_text("over the limit")
            row.get_by_text("Quote").click()
            expect(page.locator("#id_words")).to_contain_text("sealed against water")
            page.fill("#id_amount", "58.40")
            page.click("text=Keep the quote")
            arrive(page, "**/decide/")
            page.get_by_label("Customer who answered").fill("deck crew")
            page.click("text=Approved")
            expect(page.locator("main")).to_contain_text("approved by deck crew")
            page.locator("[id^=route-].advised").get_by_text("Do this").click()
            page.click("button:has-text('Commit')")
            arrive(page, "**/repair/")

        self.drive(steps)
        quote = Quote.objects.get()
        self.assertEqual((str(quote.amount), quote.answer, quote.noted_by), ("58.40", "approved", self.user))
        self.assertEqual(Repair.objects.get().route, advised[0])

    def test_the_lead_looks_at_what_a_change_would_do_makes_it_and_goes_back(self):
        self.user.role = "lead"
        self.user.save()

        def steps(page: Page) -> None:
            visit(page, "/knowledge/?q=poor replacement")
            page.click("text=Worn or failed battery")
            page.locator("section", has_text="How often").get_by_text("change").first.click()
            page.fill("#id_value", "0.9")
            page.click("text=What would change")
            expect(page.locator("[aria-label='Reference cases']")).to_contain_text("then:", timeout=40_000)
            page.fill("#id_reason", "harbour lint")
            page.click("text=Change it")
            arrive(page, "**/knowledge/")
            expect(page.locator("[aria-label='Changes']")).to_contain_text("harbour lint")
            page.click("text=go back")
            expect(page.locator("[aria-label='Changes']")).to_contain_text("undone by")

        self.drive(steps)

    def test_a_part_that_came_in_lies_on_the_shelf_is_counted_and_taken_by_its_repair(self):
        job = make_job(self.user, LINES)

        def steps(page: Page) -> None:
            visit(page, "/stock/")
            expect(page.locator("main")).to_contain_text("Nothing is kept yet")
            page.select_option("#id_route", "swap_carrier")
            page.fill("#id_count", "2")
            page.fill("#id_price", "11.50")
            page.click("button:has-text('Receive')")
            row = page.locator("tr", has_text="Sub-board").first
            expect(row).to_contain_text("11.50")
            row.get_by_text("count, correct").click()
            page.fill("#id_there", "1")
            page.click("button:has-text('Store')")
            expect(page.locator("[aria-label='On the shelf']")).to_contain_text("counted")
            visit(page, f"{job.get_absolute_url()}decide/")
            route = page.locator("#route-swap_carrier")
            expect(route).to_contain_text("today")
            expect(route).to_contain_text("1 on the shelf")
            route.get_by_text("Do this").click()
            if page.locator("#reason").count():
                page.fill("#reason", "the part is here")
            page.click("button:has-text('Commit')")
            arrive(page, "**/repair/")
            tick_rest(page)
            page.click("text=Prove it")
            arrive(page, "**/prove/")
            visit(page, "/stock/")
            expect(page.locator("[aria-label='On the shelf']")).to_contain_text("none left, order")

        self.drive(steps)
        self.assertEqual([move.change for move in Move.objects.order_by("pk")], [2, -1, -1, 1, -1])
