"""A whole proof with the stand-in meter: one that passes, and one that fails, goes back a step and passes then."""

import re
import threading

from playwright.sync_api import Page, expect

from benchtalk.standing_in import StandingIn
from chargepath.standin.meter import StandinMeter
from chargepath.standin.talkers import StandinOfOurs
from rainfront.demo.proofs import TICKED_LATE
from rainfront.instruments.models import BenchInstrument, Record
from rainfront.jobs import actions
from rainfront.jobs.models import Job, Stage
from rainfront.proof.models import Proof
from rainfront.work import actions as work_actions
from tests.browser.driver import BrowserTest, prove
from tests.browser.looking import arrive, settle, visit
from tests.builders import NOW, make_job
from tests.reading import read_instruments


class Proving(BrowserTest):
    def stand_in(self, speed: int) -> None:
        """A stand-in meter whose time runs faster than the clock."""
        standing = StandingIn(StandinOfOurs(StandinMeter(), 10.0 * speed)).start()
        self.addCleanup(self.joined)
        self.addCleanup(standing.stop)
        place = {"profile": "json_lines", "host": "127.0.0.1", "port": standing.place.port}
        BenchInstrument.objects.create(name="Power meter on the mat", **place)
        read_instruments(self)

    def repaired(self, route: str, **details: object) -> Job:
        job = make_job(self.user, ("i 0.0 5.1 12%",), **details)
        repair = actions.choose_route(job, route, "as agreed", user=self.user, now=NOW)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        work_actions.finish_repair(repair, "", user=self.user, now=NOW)
        return job

    def joined(self) -> None:
        for thread in threading.enumerate():
            if thread.name.startswith("record-"):
                thread.join(timeout=20)

    def test_a_proof_that_the_meter_watches_ticks_by_itself_and_passes(self):
        self.stand_in(4)
        job = self.repaired("clean_port", history=["comes_and_goes"])

        def steps(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/prove/")
            self.assert_accessible(page)
            row = page.locator(".steplist > ol > li")

            def ticked(label: str, text: str) -> None:
                expect(row.filter(has_text=label)).to_contain_text(text)
                expect(row.filter(has_text=label)).to_contain_text("meter")

            expect(page.locator("#id_percent_first")).to_be_focused()
            page.keyboard.type("40")
            page.keyboard.press("Enter")
            expect(page.locator(".steplist li.is-now")).to_contain_text("Charger current")
            page.click("button:has-text('Let the meter watch')")
            ticked("Charger current", "A of about")
            expect(page.locator(".line a[aria-label^='Charging IC']")).to_have_attribute(
                "aria-label", re.compile("measured good")
            )
            self.assert_accessible(page)
            ticked("Wiggle test", "holds steady")
            # The meter says what it waits for once it watches: only then is the plug moved.
            watched = page.locator(".proof-meter .look")
            expect(watched).to_contain_text("turn it over")
            page.click("button:has-text('pull out')")
            expect(watched).to_contain_text("the other way round")
            page.click("button:has-text('turn over')")
            page.click("button:has-text('plug in')")
            ticked("Plug turned over", "100%")
            for seen in range(3):
                expect(watched).to_contain_text(f"{seen} of 3 seen")
                page.click("button:has-text('pull out')")
                page.wait_for_timeout(1500)
                page.click("button:has-text('plug in')")
            ticked("Plugged in again", "comes back each time")
            prove(page, percent_first="40", percent_second="44", amps_flipped="1.27", amps_off="1.2", charge_mah="200")
            arrive(page, "**/close/")

        self.drive(steps)
        self.joined()
        job.refresh_from_db()
        self.assertEqual((job.stage, job.proofs.get().works), (Stage.HAND_OVER, True))
        self.assertEqual(job.proofs.get().by_meter, ["current", "flip", "replug", "wiggle"])
        record = Record.objects.get()
        self.assertEqual((record.for_proof, record.state, record.percent), (True, "done", 40.0))

    def test_one_that_drops_out_names_the_slip_goes_back_a_step_and_passes_then(self):
        self.stand_in(4)
        job = self.repaired("resolder_port", carrier="none")

        def steps(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/prove/")
            for label in ("Starts", "Stays cool"):
                expect(page.locator(".steplist li.is-now")).to_contain_text(label)
                page.keyboard.press("1")
            expect(page.locator("#id_percent_first")).to_be_focused()
            page.keyboard.type("40")
            page.keyboard.press("Enter")
            page.click("button:has-text('Let the meter watch')")
            row = page.locator(".steplist > ol > li")
            expect(row.filter(has_text="Charger current")).to_contain_text("meter")
            page.fill("#id_plug_volts", "5,02")
            page.fill("#id_input_volts", "4.9")
            page.select_option("#device", label="Cracked port joint: drops out when leant on")
            page.click("text=Put it there")
            expect(page.locator("#said")).to_have_text("done")
            page.click(".donebtn")
            for _ in range(2):
                expect(page.locator(".stepnow .do")).to_contain_text("leant gently")
                page.click("button:has-text('lean up')")
                expect(page.locator(".stepnow")).to_contain_text(re.compile("Once more|Not as it should be"))
            expect(page.locator(".stepnow h2").first).to_contain_text("Not as it should be")
            self.assert_accessible(page)
            expect(page.locator(".guess").first).to_contain_text("anchors")
            page.locator(".guess button").first.click()
            arrive(page, "**/repair/")
            expect(page.locator(".stepnow .do")).to_contain_text("witch it off")

        self.drive(steps)
        self.joined()
        job.refresh_from_db()
        first = Proof.objects.get()
        self.assertEqual((first.works, first.slip, job.stage), (False, "anchor_dry", Stage.REPAIR))
        repair = job.repairs.get()
        self.assertTrue(repair.is_open)
        self.assertEqual(job.entries.filter(name="resolder_port", struck_at__isnull=True).count(), 0)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        work_actions.finish_repair(repair, "", user=self.user, now=NOW)

        def again(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/prove/")
            prove(page)
            arrive(page, "**/repair/")

        self.drive(again)
        self.assertEqual([proof.works for proof in Proof.objects.all()], [False, True])


class Pressed(BrowserTest):
    def test_a_press_that_came_twice_goes_on_and_asks_nothing(self):
        job = make_job(self.user, ("port lint", "i 0.0 5.0"))
        repair = actions.choose_route(job, "clean_port", "", user=self.user, now=NOW)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        work_actions.finish_repair(repair, "", user=self.user, now=NOW)
        twice = """() => {
          const done = document.querySelector('.donebtn');
          done.click();
          done.click();
          setTimeout(() => done.click(), 5);
        }"""

        def steps(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/prove/")
            shown = page.locator("#proof .progress-steps")
            for field, value, words in (("percent_first", "13", "1 of 4 shown"), ("amps", "1.1", "2 of 4 shown")):
                page.fill(f"#id_{field}", value)
                page.evaluate(twice)
                expect(shown).to_have_attribute("aria-label", words)
            settle(page)
            expect(shown).to_have_attribute("aria-label", "2 of 4 shown")
            expect(page.locator("#trouble")).to_have_count(0)

        self.drive(steps)
