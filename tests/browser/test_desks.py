"""Heat desk and cell desk: curves that follow what is typed, a charge that is watched, stopped and cut."""

import re

from django.test import override_settings
from playwright.sync_api import Page, expect

from benchtalk.standing_in import StandingIn
from chargepath.knowledge.loader import shipped
from rainfront.cell import tending
from rainfront.cell.models import CellRun
from rainfront.heat.actions import add_station
from rainfront.instruments.models import BenchInstrument, Supply
from rainfront.jobs.models import Entry
from tests.browser.driver import BrowserTest
from tests.browser.looking import visit
from tests.builders import NOW, make_job
from tests.reading import read_instruments
from tests.watched import WatchedBench


class Heat(BrowserTest):
    def test_the_curves_follow_what_is_typed_and_a_typo_keeps_the_form(self):
        def steps(page: Page) -> None:
            visit(page, "/heat/")
            title, curve = page.locator("#heat-desk h2.do"), page.locator(".heat-chart .temp.joint")
            expect(title).to_have_text(re.compile("Melts after"))
            before = (title.inner_text(), curve.get_attribute("points"))
            page.fill("#id_set_c", "300")
            expect(title).to_have_text("Does not melt")
            self.assertNotEqual(curve.get_attribute("points"), before[1])
            page.fill("#id_set_c", "3oo")
            expect(page.locator("#heat-desk")).to_contain_text("Set to (°C)")
            expect(page.locator("#id_set_c")).to_have_value("3oo")
            page.fill("#id_set_c", "380,0")
            expect(title).to_have_text(before[0])
            page.select_option("#id_tool", "iron")
            expect(page.locator("#id_flow_l_min")).to_be_hidden()
            expect(page.locator("#id_tip_mm")).to_be_visible()
            self.assert_accessible(page)

        self.drive(steps)


class Joint:
    """A reader of a thermocouple at a joint: as warm as a test makes it."""

    rate_hz, celsius = 20.0, 25.0

    def line(self):
        return f"T1: {self.celsius:.1f} C"

    def answer(self, line):
        return None


class AMelt(BrowserTest):
    def test_it_is_timed_by_hand_or_until_the_thermocouple_says_that_the_solder_has_melted(self):
        station = add_station("right bench", "", user=self.user, now=NOW)
        joint, alloys = Joint(), shipped().heat.alloys
        standing = StandingIn(joint).start()
        self.addCleanup(standing.stop)
        place = {"profile": "thermocouple_reader", "host": "127.0.0.1", "port": standing.place.port}
        BenchInstrument.objects.create(name="At the joint", **place)
        read_instruments(self)

        def steps(page: Page) -> None:
            visit(page, "/instruments/")
            expect(page.locator(".instruments")).to_contain_text("25.0 °C")
            visit(page, f"/heat/stations/{station.pk}/")
            page.select_option("#id_alloy", "sac305")
            page.select_option("[data-melt] select", "At the joint")
            self.assert_accessible(page)
            said, seconds = page.locator("[data-melt] [role=status]"), page.locator("#id_seconds")
            # Who times a melt holds hot air over a board: the cautions stand beside it.
            expect(page.locator(".care").first).to_contain_text("Hot air")
            page.click("text=Time it")
            expect(said).to_contain_text("25.0 °C")
            joint.celsius = alloys["sac305"].liquidus_c - 1
            expect(said).to_contain_text(f"{joint.celsius:.1f} °C")
            expect(seconds).to_have_value("")
            joint.celsius += 2
            expect(said).to_contain_text("at At the joint after")
            expect(seconds).to_have_value(re.compile(r"^\d+\.\d$"))
            page.select_option("[data-melt] select", "")
            page.fill("#id_seconds", "")
            page.click("text=Time it")
            page.click("[data-melt] button:has-text('It moved')")
            expect(said).to_contain_text("It moved after")
            page.fill("#id_seconds", "31")
            page.fill("#id_set_c", "350")
            page.click("text=Keep the melt")
            expect(page.locator("main table")).to_contain_text("31")

        self.drive(steps)


class OnTheSupply(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        rig = WatchedBench(self)
        rig.start_watch()
        rig.tell("SIM:SPEED 60", "SIM:CELL 3.1,3000")
        patch = override_settings(WATCH_FOLDER=rig.folder)
        patch.enable()
        self.addCleanup(patch.disable)
        self.addCleanup(tending.begin())
        Supply.objects.update_or_create(pk=1, defaults=rig.at)
        self.job = make_job(self.user, ("cell 3.10",))

    def charge(self, page: Page) -> None:
        visit(page, f"/jobs/{self.job.pk}/cell/")
        page.fill("#id_capacity", "3000")
        expect(page.locator("#cell-desk h2.do")).to_contain_text("It can start after")
        expect(page.locator("#supply-now")).to_contain_text("3.10 V")
        self.assert_accessible(page)
        page.click("text=Charge it under the watch")
        expect(page.locator("#cell-run h2")).to_have_text("Charging")
        expect(page.locator("#cell-run .figures")).to_contain_text("1.50 A")

    def test_a_charge_shows_itself_and_is_switched_off(self):
        def steps(page: Page) -> None:
            self.charge(page)
            first = page.locator("#cell-run .figures dd >> nth=3").inner_text()
            expect(page.locator("#cell-run .figures dd >> nth=3")).not_to_have_text(first)
            expect(page.locator(".charge-chart .flow.percent")).to_be_visible()
            self.assert_accessible(page)
            page.click("text=Switch off")
            expect(page.locator("#cell-run h2")).to_have_text("Stopped")
            expect(page.locator("text=Switch off")).to_be_hidden()

        self.drive(steps)
        self.assertFalse(CellRun.objects.get().still_on)
        self.assertIn("stopped by hand", Entry.objects.filter(name="cell").latest("pk").text)

    def test_a_cell_that_gets_hot_is_cut_off_by_itself(self):
        def steps(page: Page) -> None:
            self.charge(page)
            run = page.url
            visit(page, "/supply/")
            page.select_option("#id_misbehaves", "hot")
            page.click("text=Do it there")
            visit(page, run)
            expect(page.locator("#cell-run h2")).to_have_text("Output cut")
            expect(page.locator("#cell-run")).to_contain_text("has warmed from")

        self.drive(steps)
        self.assertFalse(CellRun.objects.get().still_on)
