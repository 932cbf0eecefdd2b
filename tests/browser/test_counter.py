"""The counter by keyboard: taking in a model that was here before, what is refused, giving a device back."""

from playwright.sync_api import Page, expect

from rainfront.counter.models import Order
from rainfront.demo.proofs import TICKED_LATE, prove_whole
from rainfront.jobs import actions
from rainfront.jobs.models import Job
from rainfront.proof import actions as proof_actions
from rainfront.work import actions as work_actions
from tests.browser.driver import BrowserTest
from tests.browser.looking import arrive, settle, visit
from tests.builders import NOW, make_job

FOCUS = "() => document.activeElement.id"


class TakeIn(BrowserTest):
    def test_tab_leaves_the_model_and_only_what_was_meant_is_filled_in(self):
        for name in ("Quillan P1", "Quillan P2", "Orvane D2 deck handheld"):
            make_job(self.user, model_name=name)

        def steps(page: Page) -> None:
            model = page.locator("#id_model_name")
            for typed, wait, kept in (
                ("Orvane D2 deck handheld", True, "Orvane D2 deck handheld"),
                ("orv", True, "Orvane D2 deck handheld"),
                ("quillan p1", True, "quillan p1"),
                ("Quillan P3", False, "Quillan P3"),
            ):
                with self.subTest(typed=typed):
                    visit(page, "/jobs/new/")
                    expect(model).to_be_focused()
                    page.keyboard.type(typed[:-1])
                    if wait:
                        page.keyboard.type(typed[-1])
                        expect(page.locator("#completions")).to_have_attribute("data-typed", typed)
                    else:
                        expect(page.locator("#completions")).to_have_attribute("data-typed", typed[:-1])
                        # At machine speed: the last letter and Tab before the list for it can have come.
                        page.keyboard.type(typed[-1])
                    page.keyboard.press("Tab")
                    expect(page.locator("#id_customer")).to_be_focused()
                    page.keyboard.type("deck crew")
                    expect(model).to_have_value(kept)
                    expect(page.locator("#id_customer")).to_have_value("deck crew")
                    expect(page.locator("#completions li")).to_have_count(0)

        self.drive(steps)

    def test_a_scanner_opens_a_bags_job_from_any_field_and_leaves_a_serial_number_in_its_own(self):
        job = make_job(self.user)

        def scan(page: Page, text: str) -> None:
            page.keyboard.type(text)
            page.keyboard.press("Enter")

        def steps(page: Page) -> None:
            bag = f"http://bench.example/jobs/{job.pk}/"
            visit(page, "/logbook/")
            scan(page, bag)
            arrive(page, f"**/jobs/{job.pk}/")
            visit(page, "/jobs/new/")
            page.locator("#id_customer").focus()
            scan(page, bag)
            arrive(page, f"**/jobs/{job.pk}/")
            expect(page.locator("#line")).to_be_focused()
            scan(page, bag)
            arrive(page, f"**/jobs/{job.pk}/")
            visit(page, "/jobs/new/")
            page.locator("#id_serial").focus()
            scan(page, "QP2-0815")
            settle(page)
            expect(page.locator(".errorlist")).to_have_count(0)
            expect(page.locator("#id_serial")).to_have_value("QP2-0815")

        self.drive(steps)

    def test_a_code_is_read_by_a_camera_where_the_browser_can(self):
        stub = """
            window.BarcodeDetector = class { async detect() { return [{ rawValue: "QP2-0815" }]; } };
        """

        def steps(page: Page) -> None:
            page.context.grant_permissions(["camera"])
            page.add_init_script(stub)
            visit(page, "/jobs/new/")
            page.click("button:has-text('Scan it')")
            expect(page.locator("#id_serial")).to_have_value("QP2-0815")
            expect(page.locator("video")).to_have_count(0)

        self.drive(steps)

    def test_a_refused_form_says_everything_at_once_and_the_first_field_to_mend_has_the_focus(self):
        def steps(page: Page) -> None:
            visit(page, "/jobs/new/")
            page.keyboard.type("Tarn 4")
            page.keyboard.press("Control+Enter")
            expect(page.locator(".errorlist")).to_have_count(6)
            expect(page.locator("#id_customer")).to_be_focused()
            expect(page.locator("#id_model_name")).to_have_value("Tarn 4")

        self.drive(steps)
        self.assertFalse(Job.objects.exists())

    def test_two_keys_lead_from_every_page_to_taking_in_and_to_finding(self):
        job, begun = make_job(self.user, ("port lint",)), make_job(self.user, ("port lint",))
        repair = actions.choose_route(begun, "clean_port", "", user=self.user, now=NOW)
        work_actions.do_step(repair, "port_off_charge", user=self.user, now=NOW)

        def steps(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/record/")
            page.keyboard.press("f")
            expect(page.locator("main input[name=q]")).to_be_focused()
            page.keyboard.type("not n")
            expect(page.locator("main input[name=q]")).to_have_value("not n")
            # Where keys tick off steps no letter leads away.
            visit(page, f"/jobs/{begun.pk}/repair/")
            asked: list[str] = []
            page.on("request", lambda request: asked.append(request.url))
            for key in "fn":
                page.keyboard.press(key)
            settle(page)
            self.assertEqual((asked, page.url.endswith("/repair/")), ([], True))
            visit(page, f"/jobs/{job.pk}/why/")
            page.keyboard.press("n")
            expect(page.locator("#id_model_name")).to_be_focused()
            visit(page, f"/jobs/{job.pk}/")
            page.keyboard.type("wigle drops")
            page.keyboard.press("Enter")
            expect(page.locator("#trouble")).to_contain_text("did you mean wiggle?")
            # The line has the focus before the page has settled: keys that come that early are kept too.
            page.keyboard.type("wiggle drops")
            page.keyboard.press("Enter")
            expect(page.locator(".lately")).to_contain_text("drops out")

        self.drive(steps)


class GiveBack(BrowserTest):
    def test_a_discount_is_added_up_at_once_and_one_press_takes_the_money_and_hands_over(self):
        hand = {"user": self.user, "now": NOW}
        job = make_job(self.user, ("port lint plug_proud",))
        repair = actions.choose_route(job, "clean_port", "", **hand)
        work_actions.do_rest(repair, reasons=TICKED_LATE, **hand)
        work_actions.finish_repair(repair, "", **hand)
        prove_whole(job, self.user, NOW)
        proof_actions.close_job(job, ["port_fouled"], **hand)

        def steps(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/counter/")
            page.fill("#id_line-0-amount", "40")
            page.fill("#id_line-1-label", "Discount")
            page.fill("#id_line-1-amount", "-2,50")
            expect(page.locator("#total")).to_contain_text("37.50")
            page.click("button[name=how][value=card]")
            expect(page.locator("main")).to_contain_text("Handed over")
            expect(page.locator("main")).to_contain_text("Discount")

        self.drive(steps)
        order = Order.objects.get(job=job)
        self.assertEqual((str(order.charged), str(order.paid), order.payments.get().how), ("37.50", "37.50", "card"))
