"""A record's chart and a live routine, driven by keyboard."""

import threading

from playwright.sync_api import Page, expect

from benchtalk.standing_in import StandingIn
from chargepath.standin.meter import StandinMeter
from chargepath.standin.talkers import StandinOfOurs
from rainfront.instruments import actions
from rainfront.instruments.models import BenchInstrument, Record
from tests.browser.driver import BrowserTest
from tests.browser.looking import visit
from tests.builders import NOW, make_job
from tests.reading import read_instruments
from tests.web.test_records import csv_of


def hand_in(page: Page, name: str) -> None:
    page.set_input_files(
        "#id_file", files=[{"name": f"{name}.csv", "mimeType": "text/csv", "buffer": csv_of(name).encode()}]
    )


class Records(BrowserTest):
    def test_handing_in_looking_zooming_and_using_by_keyboard(self):
        job = make_job(self.user)

        def steps(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/outside/")
            self.assert_accessible(page)
            hand_in(page, "98 % taper")
            page.click("text=See what it holds")
            self.assert_accessible(page)
            page.click("text=Store the record")
            page.wait_for_selector("#chart[data-ready]")
            visit(page, f"/jobs/{job.pk}/outside/")
            hand_in(page, "drops out three times")
            page.click("text=See what it holds")
            page.click("text=Store the record")
            page.wait_for_selector("#chart[data-ready]")
            self.assert_accessible(page)
            page.focus("#chart")
            for _ in range(3):
                page.keyboard.press("Shift+ArrowRight")
            expect(page.locator("#readout")).to_contain_text("steady")
            page.select_option("#overlay", index=1)
            with page.expect_response(lambda response: "from=" in response.url):
                page.keyboard.press("+")
            page.keyboard.press("0")
            expect(page.locator("#still")).to_be_hidden()
            page.click("text=as wiggle")
            expect(page.locator(".lately")).to_contain_text("drops out")

        self.drive(steps)

    def test_without_scripts_the_still_picture_stands(self):
        job = make_job(self.user)
        from chargepath.trace.table import look

        draft = actions.keep_draft(job, csv_of().encode(), "r.csv", "file", user=self.user, now=NOW)
        record = actions.store_draft(draft, look(csv_of()), {}, user=self.user, now=NOW)

        def steps(page: Page) -> None:
            page.goto(f"/jobs/{job.pk}/records/{record.pk}/")
            expect(page.locator("#still svg")).to_be_visible()
            expect(page.locator("#chart")).to_be_hidden()

        self.drive(steps, scripts=False)

    def joined(self) -> None:
        for thread in threading.enumerate():
            if thread.name.startswith("record-"):
                thread.join(timeout=20)

    def test_a_live_record_from_the_stand_in_meter(self):
        job = make_job(self.user)
        standing = StandingIn(StandinOfOurs(StandinMeter(), 10)).start()
        self.addCleanup(self.joined)
        self.addCleanup(standing.stop)
        place = {"profile": "json_lines", "host": "127.0.0.1", "port": standing.place.port}
        BenchInstrument.objects.create(name="Power meter on the mat", **place)
        read_instruments(self)

        def steps(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/routines/wiggle/")
            self.assert_accessible(page)
            page.keyboard.press("Enter")
            expect(page.locator("#state")).to_contain_text("Recording")
            expect(page.locator("#amps")).to_contain_text("A")
            self.assert_accessible(page)
            page.select_option("#device", label="Cracked port joint: drops out when leant on")
            page.click("text=Put it there")
            expect(page.locator("#said")).to_have_text("done")
            page.wait_for_timeout(1500)
            page.click("text=Stop and keep")
            expect(page.locator("main")).to_contain_text("stopped before its end")

        self.drive(steps)
        for thread in threading.enumerate():
            if thread.name.startswith("record-"):
                thread.join(timeout=10)
        record = Record.objects.get()
        self.assertGreater(record.samples, 10)
        self.assertEqual(job.entries.evidence().count(), 0)
