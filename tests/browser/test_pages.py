"""Every page against axe (WCAG 2.2 AA), by day and by night, wide and narrow."""

from playwright.sync_api import Page

from rainfront.jobs import actions
from tests.browser.driver import BrowserTest
from tests.builders import NOW, make_job


class Accessible(BrowserTest):
    def paths(self) -> list[str]:
        lines = ("i 0.0 5.1 20%", "port lint", "power 4/512", "power OL at board", "start dead", "data silent")
        bench = make_job(self.user, lines, limit=20)
        entry = actions.record_line(bench, "wiggle drops", user=self.user, now=NOW)
        actions.strike_entry(entry, "wrong", user=self.user, now=NOW)
        repair = make_job(self.user, ("port lint",))
        actions.choose_route(repair, "clean_port", "seen", user=self.user, now=NOW)
        done = make_job(self.user, ("did clean_port yes",))
        actions.close_job(done, ["port_fouled"], user=self.user, now=NOW)
        return [
            "/", "/?stage=closed", "/jobs/new/", "/jobs/import/", "/people/settings/", f"/jobs/{bench.pk}/",
            f"/jobs/{bench.pk}/?station=port", f"/jobs/{bench.pk}/grammar/", f"/jobs/{bench.pk}/checks/charger_current/",
            f"/jobs/{bench.pk}/checks/inside_look/", f"/jobs/{bench.pk}/choose/swap_battery/", f"/jobs/{repair.pk}/repair/",
            f"/jobs/{bench.pk}/prove/", f"/jobs/{bench.pk}/refer/", f"/jobs/{bench.pk}/details/", f"/jobs/{done.pk}/record/",
            f"/jobs/{done.pk}/", "/nothing-here/", "/meter/", f"/jobs/{bench.pk}/outside/",
            f"/jobs/{bench.pk}/routines/directions/", f"/jobs/{bench.pk}/routines/computer/", f"/jobs/{bench.pk}/wait/",
        ]  # fmt: skip

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
