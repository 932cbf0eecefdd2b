"""Trust in the browser: signed out in the middle of typing, pressed twice, refused, two people with one form."""

from functools import partial
from threading import Thread

from playwright.sync_api import Page, expect

from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User
from tests.browser.driver import BrowserTest
from tests.browser.looking import arrive, visit
from tests.builders import PASSWORD, make_job, make_user

STRONG = "three-wet-ferries"


def sign_in(page: Page, name: str, password: str = PASSWORD) -> None:
    page.fill("#id_username", name)
    page.fill("#id_password", password)
    page.keyboard.press("Enter")
    page.wait_for_selector("header form button")


class Trust(BrowserTest):
    def test_who_is_signed_out_meanwhile_finds_what_was_typed_in_a_fragment_and_in_a_form(self):
        job = make_job(self.user)

        def steps(page: Page) -> None:
            visit(page, job.get_absolute_url())
            # The completions of the line arrive while the line itself is under way.
            held = {}
            for name in ("complete", "line"):
                page.route(f"**/{name}/*" if name == "complete" else f"**/{name}/", partial(held.__setitem__, name))
            with page.expect_request("**/complete/*"):
                page.fill("#line", "port lint worn")
            page.context.clear_cookies()
            with page.expect_request("**/line/"):
                page.keyboard.press("Enter")
            held["complete"].fulfill(body='<div id="completions" data-late></div>', content_type="text/html")
            page.wait_for_selector("[data-late]", state="attached")
            held["line"].continue_()
            page.unroute_all()
            arrive(page, "**/people/sign-in/**")
            sign_in(page, "tech")
            arrive(page, f"**{job.get_absolute_url()}")
            expect(page.locator("main")).to_contain_text("What you typed is back; it is not stored yet")
            expect(page.locator("#line")).to_have_value("port lint worn")
            page.keyboard.press("Enter")
            expect(page.locator("ol.log").first).to_contain_text("Look into the port")
            visit(page, f"{job.get_absolute_url()}details/")
            page.fill("#id_complaint", "slow, and warm at the plug")
            page.context.clear_cookies()
            page.click("button:has-text('Store')")
            arrive(page, "**/people/sign-in/**")
            sign_in(page, "tech")
            expect(page.locator("#id_complaint")).to_have_value("slow, and warm at the plug")
            page.click("button:has-text('Store')")
            arrive(page, f"**{job.get_absolute_url()}")

        self.drive(steps)
        self.assertEqual(Job.objects.get().complaint, "slow, and warm at the plug")
        self.assertEqual(Entry.objects.filter(kind="check").count(), 1)

    def test_the_owner_brings_somebody_in_who_may_not_do_everything(self):
        self.user.role = "owner"
        self.user.save()
        job = make_job(self.user, ("port lint",))
        link = []

        def owner(page: Page) -> None:
            visit(page, "/people/all/")
            page.fill("#id_username", "newhand")
            page.fill("#id_initials", "N.H.")
            page.select_option("#id_role", "apprentice")
            page.click("main .btn-main")
            link.append(page.locator(".one-time code").inner_text())

        def newcomer(page: Page) -> None:
            page.context.clear_cookies()
            visit(page, link[0])
            for password in ("short", STRONG):
                for field in ("#id_new_password1", "#id_new_password2"):
                    page.fill(field, password)
                page.click("main .btn-main")
                if password == "short":
                    expect(page.locator("main")).to_contain_text("too short")
            arrive(page, "**/people/sign-in/**")
            sign_in(page, "newhand", STRONG)
            visit(page, job.get_absolute_url())
            page.fill("#line", "wiggle drops")
            page.keyboard.press("Enter")
            expect(page.locator("ol.log").first).to_contain_text("Wiggle test")
            visit(page, f"{job.get_absolute_url()}choose/clean_port/")
            page.click("button:has-text('Commit')")
            expect(page.locator("main")).to_contain_text("Only owner, lead or technician may choose a repair")
            visit(page, "/people/all/")
            expect(page.locator("main")).to_contain_text("Only owner may add people")

        self.drive(owner)
        self.drive(newcomer)
        self.assertEqual(User.objects.get(username="newhand").role, "apprentice")

    def test_two_with_the_same_form_see_at_the_field_what_both_have_changed(self):
        job = make_job(self.user, customer="purser")
        make_user("second")

        def steps(page: Page) -> None:
            visit(page, f"{job.get_absolute_url()}details/")
            page.fill("#id_customer", "stoker")
            other = Thread(
                target=Job.objects.filter(pk=job.pk).update, kwargs={"customer": "bosun", "complaint": "slow"}
            )
            other.start()
            other.join()
            page.click("button:has-text('Store')")
            expect(page.locator("main")).to_contain_text("now it says bosun")
            expect(page.locator("#id_customer")).to_have_value("stoker")
            expect(page.locator("#id_complaint")).to_have_value("slow")
            page.click("button:has-text('Store')")
            arrive(page, f"**{job.get_absolute_url()}")

        self.drive(steps)
        job.refresh_from_db()
        self.assertEqual((job.customer, job.complaint), ("stoker", "slow"))
