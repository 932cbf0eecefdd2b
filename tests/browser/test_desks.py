"""Heat desk and cell desk: curves that follow what is typed, a charge that is watched, stopped and cut."""

import re

from django.test import override_settings
from playwright.sync_api import Page, expect

from rainfront.cell import tending
from rainfront.cell.models import CellRun
from rainfront.instruments.models import Supply
from rainfront.jobs.models import Entry
from tests.browser.driver import BrowserTest
from tests.browser.looking import visit
from tests.builders import make_job
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
