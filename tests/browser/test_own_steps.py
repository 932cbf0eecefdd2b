"""Repairs with the shop's own steps, a stacked board and a small part, through the real interface."""

from pathlib import Path
from tempfile import TemporaryDirectory

from playwright.sync_api import Page, expect

from rainfront.jobs.models import Job, Stage
from rainfront.work.models import StepRun
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import ShopStep
from rainfront.workshop.ownsteps import store_step
from tests.browser.driver import BrowserTest, prove, prove_twice, tap_done, tick
from tests.browser.looking import arrive, visit
from tests.browser.test_work import commit
from tests.builders import NOW, make_job
from tests.sizes import exhaustive
from tests.web.test_photos import picture

PEEL = "Peel the heat spreader off whole and keep it."


class OwnWays(BrowserTest):
    def proved(self, job: Job) -> set[str]:
        """The steps that were ticked on a job that is repaired and proved."""
        job.refresh_from_db()
        self.assertEqual((job.stage, [proof.works for proof in job.proofs.all()]), (Stage.HAND_OVER, [True, True]))
        return set(StepRun.objects.filter(done_at__isnull=False).values_list("step", flat=True))

    def hang(self, **values: object) -> str:
        step = store_step({"goes": "after", "minutes": 1, **values}, user=self.user, now=NOW, shop=Shop.current())
        return f"own_{step.pk}"

    def work(self, page: Page, seen: tuple[str, ...]) -> None:
        """Tick every step off by its key until the device is ready to be proved; each of some texts is met."""
        step, met = page.locator(".stepnow .do"), set()
        while page.locator("button:has-text('Prove it')").count() == 0:
            before = step.inner_text()
            met |= {text for text in seen if text in before}
            tick(page, "Enter")
            expect(step).not_to_have_text(before)
        self.assertEqual(met, {*seen})
        page.keyboard.press("Enter")
        prove_twice(page)

    def test_a_step_is_written_with_a_photo_and_worked_by_touch_on_a_phone(self):
        job = make_job(self.user, ("i 0.0 5.1 12%", "port worn", "wiggle drops"))

        def steps(page: Page) -> None:
            page.set_viewport_size({"width": 390, "height": 844})
            visit(page, f"/jobs/{job.pk}/choose/swap_carrier/")
            if page.locator("#reason").count():
                page.fill("#reason", "as agreed")
            page.tap("button:has-text('Commit')")
            arrive(page, "**/repair/")
            visit(page, f"/jobs/{job.pk}/repair/?step=cell_off")
            page.tap("a:has-text('Our own step here')")
            arrive(page, "**/own-steps/new/**")
            page.fill("#id_do", PEEL)
            page.fill("#id_minutes", "1,5")
            page.tap("button:has-text('Store the step')")
            expect(page.locator("main")).to_contain_text("It comes into the plans of")
            page.tap("a:has-text('Add a photo')")
            arrive(page, "**/photo/")
            with TemporaryDirectory() as folder:
                file = Path(folder) / "place.jpg"
                file.write_bytes(picture())
                page.set_input_files("input[name=file]", str(file))
                page.tap("button:has-text('Keep the photo')")
                expect(page.locator("#picture")).to_be_visible()
            page.locator("#picture").tap(position={"x": 90, "y": 60})
            page.fill("#id_text", "begin here")
            page.tap("button:has-text('Set the mark')")
            expect(page.locator(".own-spots")).to_contain_text("begin here")
            self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
            # A plan that was begun keeps its steps; the next one has the new one, with its photo.
            visit(page, f"/jobs/{job.pk}/repair/")
            page.tap("text=Drop this repair")
            arrive(page, f"**/jobs/{job.pk}/")
            visit(page, f"/jobs/{job.pk}/choose/swap_carrier/")
            if page.locator("#reason").count():
                page.fill("#reason", "as agreed")
            page.tap("button:has-text('Commit')")
            arrive(page, "**/repair/")
            step, met = page.locator(".stepnow .do"), False
            while page.locator("button:has-text('Prove it')").count() == 0:
                before = step.inner_text()
                if PEEL in before:
                    met = True
                    expect(page.locator(".own-photo")).to_contain_text("begin here")
                    self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
                tap_done(page)
                expect(step).not_to_have_text(before)
            self.assertTrue(met)
            page.tap("button:has-text('Prove it')")
            arrive(page, "**/prove/")
            prove(page, by="touch")
            arrive(page, "**/repair/")

        self.drive(steps, has_touch=True, is_mobile=True)
        step = ShopStep.objects.get()
        self.assertEqual((step.minutes, [mark["text"] for mark in step.photo_marks]), (1.5, ["begin here"]))
        self.assertTrue(StepRun.objects.filter(step=f"own_{step.pk}", done_at__isnull=False).exists())

    @exhaustive
    def test_a_small_part_is_renewed_by_the_way_that_is_picked(self):
        job = make_job(self.user, ("i 0.05 5.1 2%", "ring low"), carrier="none")
        own = self.hang(at="part_low_off", do="Lay a drop of gel on the coil beside it.", goes="before")

        def steps(page: Page) -> None:
            commit(page, job, "replace_charge_part")
            page.click(".choices-of summary")
            page.click(".schools li:has-text('Small part by low-melt') button")
            expect(page.locator(".steplist")).to_contain_text("mix low-melt into both ends")
            page.keyboard.press("Escape")
            visit(page, f"/jobs/{job.pk}/repair/")
            self.work(page, ("Lay a drop of gel", "Measure the new part loose", "no low-melt may stay"))

        self.drive(steps)
        done = self.proved(job)
        self.assertTrue({own, "part_low_off", "part_low_on"} <= done)
        self.assertFalse({"part_off", "part_iron_off"} & done)

    @exhaustive
    def test_a_chip_between_the_layers_of_a_stacked_board_is_replaced_with_a_step_of_our_own(self):
        traits = ["stacked_board", "chip_between", "shields_clipped"]
        job = make_job(self.user, ("i 0.05 5.1 2%", "ring low"), carrier="none", traits=traits)
        own = self.hang(at="stack_align", do="Put the long pin of the fixture into its hole.", goes="before")

        def steps(page: Page) -> None:
            commit(page, job, "replace_charge_ic", keys=True)
            expect(page.locator(".stepnow .do")).to_contain_text("between the two layers")
            self.work(page, ("lift the upper board straight up", "Put the long pin", "Try everything", "spring-back"))

        self.drive(steps)
        self.assertTrue({own, "split", "stack_try", "join", "join_lines"} <= self.proved(job))

    @exhaustive
    def test_the_input_protection_is_renewed_by_air_since_its_legs_lie_underneath(self):
        job = make_job(self.user, ("i 0.0 5.1 2%",), carrier="none")
        own = self.hang(at="part_on", do="Turn the board so that the jet comes from the edge.", goes="before")

        def steps(page: Page) -> None:
            commit(page, job, "replace_guard", keys=True)
            self.work(page, ("A protection is renewed, never bridged", "Turn the board", "until it settles by itself"))

        self.drive(steps)
        self.assertTrue({own, "part_off", "part_on"} <= self.proved(job))
