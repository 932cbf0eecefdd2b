"""Instruments in the browser: one that nobody knows is set up and read, and its reading taken into a field."""

import re

from django.urls import reverse
from playwright.sync_api import Page, expect

from benchtalk.standing_in import StandingIn, Talks
from chargepath.standin.bench import StandinBench
from chargepath.standin.multimeter import StandinMultimeter
from chargepath.standin.talkers import StandinRemoteMultimeter
from rainfront.demo.management.commands.standins import shipped_map
from rainfront.instruments.models import BenchInstrument
from tests.browser.driver import BrowserTest
from tests.browser.looking import visit
from tests.builders import make_job, make_user
from tests.reading import read_instruments
from tests.talk.rigs import Known
from tests.watched import until


class Strange(Known):
    """A meter whose lines no profile knows."""

    def line(self):
        return "U= 5081 mV; I=512mA #17"


class Handled(StandinRemoteMultimeter):
    """A multimeter whose probe a test holds: it is moved once it was seen where it is."""

    asked = 0

    def answer(self, line):
        self.asked += line.startswith("MEAS")
        return super().answer(line)

    def put(self, place: str) -> None:
        before = self.asked
        self.answer(f"SIM:TOUCH {place}")
        until(lambda: self.asked > before + 2)


class Unpacked(BrowserTest):
    def setUp(self):
        self.user = make_user("owner", "owner")
        read_instruments(self)

    def standing_in(self, talker: Talks) -> StandingIn:
        found = StandingIn(talker).start()
        self.addCleanup(found.stop)
        return found

    def test_a_probe_walks_a_ladder_while_the_hands_move_it(self):
        job = make_job(self.user, ("port clean",))
        talker = Handled(StandinMultimeter(shipped_map, StandinBench()))
        place = {"profile": "remote_multimeter", "host": "127.0.0.1", "port": self.standing_in(talker).place.port}
        BenchInstrument.objects.create(name="Probe", **place)

        def steps(page: Page) -> None:
            visit(page, reverse("inside:ladder", args=[job.pk]))
            page.click("text=Walk with Probe")
            fields = page.locator("input[name^=v_]")
            for number in range(3):
                field = fields.nth(number)
                expect(field).to_be_focused()
                talker.put((field.get_attribute("name") or "").removeprefix("v_"))
                expect(field).to_have_value(re.compile(r"^[345]\.\d\d\d$"))
                talker.put("")
            self.assert_accessible(page)
            # One that cannot be reached is passed by Tab; a key ends the walk, and what was read stays.
            expect(fields.nth(3)).to_be_focused()
            page.keyboard.press("Tab")
            expect(fields.nth(4)).to_be_focused()
            expect(page.locator("[data-walk-said]")).to_contain_text("Probe on:")
            page.keyboard.type("3")
            expect(page.locator("[data-walk-said]")).to_have_text("Typed by hand from here.")
            expect(fields.nth(0)).not_to_have_value("")

        self.drive(steps)

    def test_a_meter_that_nobody_knows_is_read_and_fills_a_field(self):
        job, standing = make_job(self.user, ("port clean",)), self.standing_in(Strange(10.0))

        def steps(page: Page) -> None:
            visit(page, reverse("bench:bench"))
            expect(page.locator("main")).to_contain_text("No instrument yet")
            page.click("text=Another instrument")
            page.fill("#id_name", "Meter on the mat")
            page.select_option("#id_profile", label="none of these: look at the lines that it sends")
            page.fill("#id_host", "127.0.0.1")
            page.fill("#id_port", str(standing.place.port))
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
            standing.how = "silent"
            visit(page, reverse("bench:bench"))
            expect(page.locator(".trouble")).to_contain_text("switch it off and on")
            standing.how = ""
            expect(page.locator(".trouble")).to_have_count(0)

        self.drive(steps)
