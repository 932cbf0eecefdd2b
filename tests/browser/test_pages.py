"""Every page against axe (WCAG 2.2 AA), by day and by night, wide and narrow."""

import math
from decimal import Decimal

from playwright.sync_api import Page

from chargepath.knowledge.loader import shipped
from rainfront.demo.picture import draw_board
from rainfront.inside import actions as actions_inside
from rainfront.jobs import actions
from rainfront.jobs.models import Job
from rainfront.practice.actions import set_part
from rainfront.reference.actions import keep_readings
from rainfront.reference.models import DiodeMeter
from rainfront.stock.actions import book_out, take_in
from tests.browser.driver import BrowserTest
from tests.builders import NOW, make_job


class Accessible(BrowserTest):
    def paths(self) -> list[str]:
        lines = ("i 0.0 5.1 20%", "port lint", "start dead", "data silent", "power OL at board")
        bench = make_job(self.user, lines, limit=20)
        entry = actions.record_line(bench, "wiggle drops", user=self.user, now=NOW)
        actions.strike_entry(entry, "wrong", user=self.user, now=NOW)
        # A danger that stands, with the lead's way past it, is one of the pages that are looked at.
        actions.record_line(bench, "power 4/512", user=self.user, now=NOW)
        repair = make_job(self.user, ("port lint",))
        actions.choose_route(repair, "clean_port", "seen", user=self.user, now=NOW)
        done = make_job(self.user, ("did clean_port yes",))
        actions.close_job(done, ["port_fouled"], user=self.user, now=NOW)
        return [
            "/",
            "/?stage=closed",
            "/jobs/new/",
            "/jobs/import/",
            "/people/settings/",
            f"/jobs/{bench.pk}/",
            f"/jobs/{bench.pk}/?station=port",
            f"/jobs/{bench.pk}/grammar/",
            f"/jobs/{bench.pk}/checks/charger_current/",
            f"/jobs/{bench.pk}/checks/inside_look/",
            f"/jobs/{bench.pk}/choose/swap_battery/",
            f"/jobs/{repair.pk}/repair/",
            f"/jobs/{repair.pk}/screws/",
            "/models/",
            f"/models/{bench.model_name}/",
            "/knowledge/work/",
            "/knowledge/wire/?length_mm=12&amps=2",
            "/stock/import/",
            f"/jobs/{bench.pk}/prove/",
            f"/jobs/{bench.pk}/refer/",
            f"/jobs/{bench.pk}/details/",
            f"/jobs/{done.pk}/record/",
            f"/jobs/{done.pk}/",
            "/nothing-here/",
            "/meter/",
            f"/jobs/{bench.pk}/outside/",
            f"/jobs/{bench.pk}/routines/directions/",
            f"/jobs/{bench.pk}/routines/computer/",
            f"/jobs/{bench.pk}/wait/",
            *self.inside(make_job(self.user)),
            *self.deciding(bench),
        ]

    def deciding(self, job: Job) -> list[str]:
        at = {"user": self.user, "now": NOW}
        actions.make_quote(job, "swap_carrier", Decimal("41.20"), "Swap the sub-board.\nIt costs 41.20.", **at)
        actions.set_school(job, "measure_first", **at)
        set_part("swap_carrier", "", Decimal("12.50"), 2, "replace_link", **at)
        take_in(shipped(), "swap_carrier", "", 1, **at)
        book_out(job.pk, "swap_carrier", job.kind, job.model_name, job.connector, **at)
        base = f"/jobs/{job.pk}/"
        return [
            f"{base}decide/",
            f"{base}why/",
            f"{base}quotes/swap_carrier/",
            "/knowledge/",
            "/knowledge/?q=lint",
            "/knowledge/port_fouled/",
            "/knowledge/change/?path=faults.port_fouled.weight",
            "/costs/",
            "/learned/",
            "/knowledge/checks/charger_current/",
            "/knowledge/numbers/costs/",
            "/stock/",
        ]

    def inside(self, job: Job) -> list[str]:
        meter = DiodeMeter.objects.create(name="Bench", style="millivolts", test_ma=1.0, host="127.0.0.1", port=9)
        details = {"map_id": "usb_c", "place": "contact", "mode": "diode", "meter": meter, "revision": "B"}
        sheet, at = actions_inside.start_sheet(job, details, user=self.user, now=NOW), {"user": self.user, "now": NOW}
        for pin, mv in (("A4", 602.0), ("A5", 5.0), ("A6", 240.0), ("A7", 640.0), ("A8", math.inf), ("A12", 0.0)):
            actions_inside.store_point(sheet, pin, mv, **at)
        actions_inside.store_ladder(
            job, {"plug": 5.0, "carrier": 4.4, "cell": 3.8}, 1.2, {"plug": 5.1, "carrier": 4.9}, 0.4, **at
        )
        photo = actions_inside.add_photo(job, draw_board(3), "main board", sheet=sheet, **at)
        actions_inside.add_mark(photo, 0.4, 0.4, "warm", "port_ic", "spray", **at)
        keep_readings(
            {"model_name": "Tab", "revision": "", "map_id": "usb_c", "place": "contact", "meter": meter},
            [("A4", 600.0), ("A5", math.inf)],
            **at,
        )
        base = f"/jobs/{job.pk}/"
        return [
            f"{base}inside/",
            sheet.get_absolute_url(),
            f"{sheet.get_absolute_url()}?side=solder",
            f"{base}inside/ladder/",
            f"{base}inside/supply/?ohms=0.4&rail_volts=4.4&most_amps=3",
            f"{base}inside/battery-lines/",
            f"{sheet.get_absolute_url()}readings/",
            photo.get_absolute_url(),
            "/references/",
            "/references/maps/eight_pad/",
            f"/references/board/?model_name=Tab&revision=&map_id=usb_c&place=contact&meter={meter.pk}",
            "/references/meters/new/",
            "/references/connectors/new/",
        ]

    def check(self, **context) -> None:
        paths = self.paths()

        def steps(page: Page) -> None:
            for path in paths:
                page.goto(path)
                self.assert_accessible(page)
                wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
                self.assertLessEqual(wide, 0, f"{path} scrolls sideways")

        if context.pop("narrow", False):
            self.drive(lambda page: (page.set_viewport_size({"width": 820, "height": 1100}), steps(page)), **context)
        else:
            self.drive(steps, **context)

    def test_by_day(self):
        self.drive(
            lambda page: (page.context.clear_cookies(), page.goto("/people/sign-in/"), self.assert_accessible(page))
        )
        self.check(color_scheme="light")

    def test_by_night_and_narrow(self):
        self.check(color_scheme="dark", narrow=True)
