"""Instruments in the browser: one that nobody knows is set up and read, and its reading taken into a field."""

from django.urls import reverse
from playwright.sync_api import Page, expect

from benchtalk.standing_in import StandingIn
from tests.browser.driver import BrowserTest
from tests.browser.looking import visit
from tests.builders import make_job, make_user
from tests.reading import read_instruments
from tests.talk.rigs import Known


class Strange(Known):
    """A meter whose lines no profile knows."""

    def line(self):
        return "U= 5081 mV; I=512mA #17"


class Unpacked(BrowserTest):
    def setUp(self):
        self.user = make_user("owner", "owner")
        read_instruments(self)
        self.standing = StandingIn(Strange(10.0)).start()
        self.addCleanup(self.standing.stop)

    def test_a_meter_that_nobody_knows_is_read_and_fills_a_field(self):
        job = make_job(self.user, ("port clean",))

        def steps(page: Page) -> None:
            visit(page, reverse("bench:bench"))
            expect(page.locator("main")).to_contain_text("No instrument yet")
            page.click("text=Another instrument")
            page.fill("#id_name", "Meter on the mat")
            page.select_option("#id_profile", label="none of these: look at the lines that it sends")
            page.fill("#id_host", "127.0.0.1")
            page.fill("#id_port", str(self.standing.place.port))
            page.click("button:has-text('Store')")
            expect(page.locator("#template")).to_have_value("U= {millivolts} mV; I={milliamps}mA #{_}")
            expect(page.locator(".raw-lines mark").first).to_contain_text("5081")
            self.assert_accessible(page)
            page.click("button:has-text('Read it so')")
            expect(page.locator(".instruments")).to_contain_text("is read")
            expect(page.locator(".instruments")).to_contain_text("5.081 V")
            self.assert_accessible(page)
            # In a field that asks for volts it is one key away, and over what lies below.
            visit(page, reverse("inside:ladder", args=[job.pk]))
            field = page.locator("input[data-quantity=volts]").first
            field.focus()
            expect(page.locator(".taken button")).to_contain_text("5.081 V from Meter on the mat")
            self.assert_accessible(page)
            page.keyboard.press("Alt+m")
            expect(field).to_have_value("5.081")
            # What goes wrong is said where it stands, and over with the trouble.
            self.standing.how = "silent"
            visit(page, reverse("bench:bench"))
            expect(page.locator(".trouble")).to_contain_text("switch it off and on")
            self.standing.how = ""
            expect(page.locator(".trouble")).to_have_count(0)

        self.drive(steps)
