"""Three repairs from the choice to the proof through the real interface: by mouse, by keyboard alone, with a camera."""

from playwright.sync_api import Page, expect

from rainfront.inside.models import Photo
from rainfront.jobs.models import Job, Stage
from rainfront.work.models import Screw, StepRun
from tests.browser.driver import BrowserTest, prove, prove_twice, tick, tick_rest
from tests.browser.looking import arrive, visit
from tests.builders import make_job


def commit(page: Page, job: Job, route: str, *, keys: bool = False) -> None:
    """Choose a route, with a reason where it is not what the advice says."""
    visit(page, f"/jobs/{job.pk}/choose/{route}/")
    if page.locator("#reason").count():
        expect(page.locator("#reason")).to_be_focused()
        page.keyboard.type("as agreed")
    if keys:
        page.keyboard.press("Enter")
    else:
        page.click("button:has-text('Commit')")
    arrive(page, "**/repair/")


class Working(BrowserTest):
    def proved(self, job: Job) -> None:
        job.refresh_from_db()
        self.assertEqual((job.stage, [proof.works for proof in job.proofs.all()]), (Stage.HAND_OVER, [True, True]))

    def test_a_sub_board_is_swapped_by_mouse(self):
        job = make_job(self.user, ("i 0.0 5.1 12%", "port worn", "wiggle drops"))

        def steps(page: Page) -> None:
            commit(page, job, "swap_carrier")
            step = page.locator(".stepnow .do")
            expect(step).to_contain_text("Photograph front")
            page.click("button:has-text('Leave out')")
            expect(page.locator("[role=alert]")).to_contain_text("say why it is left out")
            page.fill("#why", "was taken at the counter")
            page.click("button:has-text('Leave out')")
            expect(step).to_contain_text("SIM tray")
            for _ in range(2):
                before = step.inner_text()
                tick(page)
                expect(step).not_to_have_text(before)
            # The plate waits by itself; its clock survives leaving the page.
            expect(page.locator(".figures")).to_contain_text("70")
            page.click("button:has-text('timer')")
            expect(page.locator(".timer [data-left]")).to_contain_text("9:")
            visit(page, "/")
            expect(page.locator("#day")).to_contain_text("timer: 10 min left")
            visit(page, f"/jobs/{job.pk}/repair/")
            expect(page.locator(".timer [data-left]")).to_contain_text(":")
            # A check that is not so leads back; another way is picked where the work has not begun.
            visit(page, f"/jobs/{job.pk}/repair/?step=side_by_side")
            page.fill("#why", "another revision")
            page.click("button:has-text('Not so')")
            expect(page.locator("#why")).to_have_value("")
            visit(page, f"/jobs/{job.pk}/repair/")
            expect(step).to_contain_text("with its rear glass down")
            page.click(".choices-of summary")
            page.click(".schools li:has-text('Tape cut to fit') button")
            expect(page.locator(".choices-of summary")).to_contain_text("tape cut to fit")
            while page.locator("button:has-text('Prove it')").count() == 0:
                before = step.inner_text()
                tick(page)
                expect(step).not_to_have_text(before)
            # Screws: three holes, out and back in again by the map.
            page.click("text=Screws >> nth=-1")
            for place in ((40, 40), (200, 40), (100, 300)):
                holes = page.locator("tbody tr").count()
                page.locator("input[type=image]").click(position={"x": place[0], "y": place[1]})
                expect(page.locator("tbody tr")).to_have_count(holes + 1)
            page.click("button:has-text('All screws out')")
            expect(page.locator(".screws h2")).to_contain_text("3 of 3 out")
            page.click("text=Back to the steps")
            page.fill("#used", "sub-board")
            page.click("button:has-text('Prove it')")
            arrive(page, "**/prove/")
            prove(page)
            # What closes the device comes after its first proof, then the second.
            arrive(page, "**/repair/")
            expect(step).to_contain_text("Switch it off, unplug it and take")
            visit(page, f"/jobs/{job.pk}/prove/")
            expect(page.locator("#proof")).to_contain_text("Close it up first")
            page.click("text=Go on closing")
            tick_rest(page)
            expect(page.locator("[role=alert]")).to_contain_text("3 screws still out on the map")
            page.click("text=Screws >> nth=-1")
            page.click("button:has-text('All screws back in')")
            page.click("text=Back to the steps")
            tick_rest(page)
            page.click("a:has-text('Prove it')")
            arrive(page, "**/prove/")
            prove(page)
            arrive(page, "**/close/")

        self.drive(steps)
        self.proved(job)
        self.assertEqual(Screw.objects.filter(place="in").count(), 3)
        self.assertEqual(StepRun.objects.get(step="photo").skipped, "was taken at the counter")

    def test_a_bare_port_is_replaced_by_keyboard_alone(self):
        job = make_job(self.user, ("i 0.2 5.0 18%", "wiggle drops"), carrier="none")

        def steps(page: Page) -> None:
            commit(page, job, "replace_port", keys=True)
            step, done = page.locator(".stepnow .do"), page.locator(".donebtn")
            undone = False
            while page.locator("button:has-text('Prove it')").count() == 0:
                expect(done).to_be_focused()
                before = step.inner_text()
                # A foot pedal types Page Down, the others are pressed where the focus is.
                tick(page, "PageDown" if len(before) % 2 else "Enter")
                expect(step).not_to_have_text(before)
                if "dry fit" in before.lower() or "new port in without solder" in before:
                    page.keyboard.press("u")
                    expect(step).to_have_text(before)
                    expect(done).to_be_focused()
                    page.keyboard.press("Enter")
                    expect(step).not_to_have_text(before)
                    undone = True
            self.assertTrue(undone)
            expect(page.locator("button:has-text('Prove it')")).to_be_focused()
            page.keyboard.press("Enter")
            prove_twice(page)

        self.drive(steps)
        self.proved(job)

    def test_a_chip_is_replaced_with_a_photo_from_the_camera_and_its_lines_measured(self):
        job = make_job(self.user, ("i 0.05 5.1 2%", "power 210/512 at board"), traits=["shields_clipped", "clip_back"])

        def steps(page: Page) -> None:
            page.context.grant_permissions(["camera"])
            commit(page, job, "replace_port_ic")
            step = page.locator(".stepnow .do")
            while "note its pin one" not in step.inner_text():
                before = step.inner_text()
                tick(page)
                expect(step).not_to_have_text(before)
            page.click(".step-photo summary")
            page.click("button:has-text('From the camera')")
            page.locator(".step-photo video").evaluate(
                "video => new Promise(done => video.videoWidth ? done() : video.addEventListener('loadeddata', done))"
            )
            page.click("button:has-text('Take it')")
            expect(page.locator(".step-photo img")).to_be_visible()
            while "the lines with the chip off" not in step.inner_text():
                before = step.inner_text()
                tick(page)
                expect(step).not_to_have_text(before)
            page.click("button:has-text('recovers')")
            expect(page.locator(".stepnow")).to_contain_text("entered: recovers")
            while page.locator("button:has-text('Prove it')").count() == 0:
                before = step.inner_text()
                tick(page)
                expect(step).not_to_have_text(before)
            page.click("button:has-text('Prove it')")
            prove_twice(page)

        self.drive(steps)
        self.proved(job)
        self.assertEqual(job.entries.get(name="lift_port_ic").grade, "recovers")
        self.assertTrue(Photo.objects.get().caption.startswith("Photograph the chip through the microscope"))
