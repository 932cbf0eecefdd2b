"""One whole job through the real interface: by mouse, by keyboard alone, and without scripts."""

from playwright.sync_api import Page, expect

from rainfront.jobs.models import Job, Stage
from tests.browser.driver import BrowserTest, prove, tap_done, tick
from tests.browser.looking import arrive, settle, visit
from tests.builders import make_job


class WholeJob(BrowserTest):
    def test_by_mouse_from_the_counter_to_closing(self):
        def steps(page: Page) -> None:
            page.click("text=Take in >> nth=0")
            page.fill("#id_model_name", "Orvane D2")
            page.fill("#id_customer", "deck crew")
            page.fill("#id_complaint", "charges only when the cable is held")
            for label in ("Phone", "USB Type-C", "Swappable sub-board", "Carried in a pocket"):
                box = page.get_by_role("checkbox" if "pocket" in label else "radio", name=label, exact=True)
                box.check()
            page.fill("#id_battery_percent", "12")
            page.fill("#id_value", "160")
            page.click("button:has-text('Take in')")
            expect(page.locator("#next")).to_contain_text("Next")
            page.click("text=Checks by form")
            page.click("text=Look into the port >> nth=-1")
            page.get_by_label("lint or dust").check()
            page.get_by_label("plug stands proud").check()
            page.click("button:has-text('Enter')")
            page.fill("#line", "i 0.0 5.1 12%")
            page.click(".quick button")
            expect(page.locator(".lately")).to_contain_text("draws nothing")
            page.click("[aria-label=Routes] a:has-text('Clean the port')")
            if page.locator("#reason").count():
                page.fill("#reason", "lint in plain sight")
            page.click("button:has-text('Commit')")
            for shown in ("Switch it off", "Take lint out", "Wipe residue off", "Let it air off"):
                expect(page.locator(".stepnow .do")).to_contain_text(shown)
                tick(page)
            page.fill("#used", "alcohol")
            page.click("button:has-text('Prove it')")
            expect(page.locator(".steplist li.is-now")).to_contain_text("Percent shown")
            page.fill("#id_percent_first", "13")
            page.click(".donebtn")
            page.fill("#id_amps", "1,1")
            page.click(".donebtn")
            expect(page.locator(".steplist")).to_contain_text("1.10 A of about 1.00 A expected at 13 %")
            prove(page, percent_second="16", minutes_between="8", charge_mah="")
            expect(page.get_by_label("Dirty port")).to_be_checked()
            page.click("button:has-text('Close')")
            expect(page.locator("main")).to_contain_text("What it comes to")
            page.click("button[name=how][value=cash]")
            expect(page.locator("main")).to_contain_text("Handed over")

        self.drive(steps)
        job = Job.objects.get()
        self.assertEqual((job.stage, job.outcome_faults), (Stage.CLOSED, ["port_fouled"]))

    def test_by_touch_alone_on_a_phone(self):
        def steps(page: Page) -> None:
            page.set_viewport_size({"width": 390, "height": 844})

            page.goto("/")
            page.tap("a.btn:has-text('Take in')")
            for name, text in (
                ("model_name", "Orvane D2"), ("customer", "deck crew"), ("complaint", "does not charge"),
                ("battery_percent", "12"), ("value", "160"),
            ):  # fmt: skip
                page.fill(f"#id_{name}", text)
            for name, value in (("kind", "phone"), ("connector", "usb_c"), ("carrier", "sub_board")):
                page.locator(f"label:has([name={name}][value={value}])").tap()
            page.tap("label:has([value=pocket_carried])")
            page.tap("button:has-text('Take in')")
            expect(page.locator("#next")).to_contain_text("Look into the port")
            page.tap("#next button:has-text('lint or dust')")
            expect(page.locator(".lately")).to_contain_text("lint or dust")
            page.fill("#line", "i 0.0 5.1 12%")
            page.tap(".quick button")
            expect(page.locator(".lately")).to_contain_text("draws nothing")
            page.locator("[aria-label=Routes] a:has-text('Clean the port')").tap()
            if page.locator("#reason").count():
                page.fill("#reason", "lint in plain sight")
            page.tap("button:has-text('Commit')")
            for shown in ("Switch it off", "Take lint out", "Wipe residue off", "Let it air off"):
                expect(page.locator(".stepnow .do")).to_contain_text(shown)
                tap_done(page)
            page.tap("button:has-text('Prove it')")
            arrive(page, "**/prove/")
            answers = {
                "percent_first": "13",
                "amps": "1.1",
                "percent_second": "16",
                "minutes_between": "8",
                "charge_mah": "",
            }
            prove(page, by="touch", **answers)
            page.tap("button:has-text('Close')")
            expect(page.locator("main")).to_contain_text("What it comes to")
            page.tap("button[name=how][value=cash]")
            expect(page.locator("main")).to_contain_text("Handed over")
            self.assertEqual(page.evaluate("document.documentElement.scrollWidth"), 390)

        self.drive(steps, has_touch=True, is_mobile=True)
        self.assertEqual(Job.objects.get().stage, Stage.CLOSED)

    def test_by_keyboard_alone(self):
        def steps(page: Page) -> None:
            key, text = page.keyboard.press, page.keyboard.type

            def tab_to(selector: str) -> None:
                for _ in range(120):
                    if page.evaluate("s => document.activeElement.matches(s)", selector):
                        return
                    key("Tab")
                self.fail(f"{selector} is not reached by Tab on {page.url}")

            tab_to("nav a[href='/jobs/new/']")
            key("Enter")
            expect(page.locator("#id_model_name")).to_be_focused()
            text("Hestral Tab 8")
            key("Tab")
            text("kitchen")
            key("Tab")
            key("Tab")
            text("forgotten in a drawer")
            for name, presses in (("kind", 2), ("connector", 2), ("carrier", 3)):
                tab_to(f"[name={name}]")
                key("Space")
                for _ in range(presses - 1):
                    key("ArrowRight")
            tab_to("[name=history][value=flat_long]")
            key("Space")
            tab_to("#id_value")
            text("95")
            key("Enter")

            line = page.locator("#line")
            expect(line).to_be_focused()
            for typed, shown in (
                ("i 0.09 5.1", "trickle"),
                ("start dead", "stays dead"),
                ("port clean", "nothing to see"),
            ):
                text(typed)
                key("Enter")
                expect(page.locator(".lately")).to_contain_text(shown)
                expect(line).to_be_focused()
                expect(line).to_have_value("")
            text("wai")
            expect(page.locator("#completions")).to_contain_text("wait")
            key("Tab")
            expect(line).to_have_value("wait ")
            expect(page.locator("#completions")).to_contain_text("rises")
            key("ArrowDown")
            key("Enter")
            expect(line).to_have_value("wait rises ")
            key("Enter")
            expect(page.locator(".lately")).to_contain_text("has risen")
            text("?")
            expect(page.locator("#keys")).to_be_visible()
            key("Tab")
            key("Enter")
            expect(page.locator("#grammar")).to_contain_text("liftport")
            visit(page, page.url.split("grammar")[0])
            expect(page.locator("#next")).to_contain_text("Leave on charge")
            tab_to("#next a")
            key("Enter")
            page.wait_for_selector("text=Commit to a repair")
            settle(page)
            key("Enter")
            arrive(page, "**/repair/")
            for shown in ("known-good charger", "volts again"):
                expect(page.locator(".stepnow .do")).to_contain_text(shown)
                expect(page.locator(".donebtn")).to_be_focused()
                tick(page, "Space")
            expect(page.locator("button:has-text('Prove it')")).to_be_focused()
            tab_to("#used")
            text("shop charger")
            page.keyboard.press("Shift+Tab")
            tab_to("button.btn-main")
            key("Enter")
            arrive(page, "**/prove/")
            prove(page, amps="1,5", amps_flipped="1.5", percent_first="4", percent_second="7")
            arrive(page, "**/close/")
            expect(page.get_by_label("Deeply flat cell")).to_be_checked()
            tab_to("main form button")
            tab_to("main form button.btn-main")
            key("Enter")
            arrive(page, "**/counter/")

        self.drive(steps)
        self.assertEqual(Job.objects.get().stage, Stage.CLOSED)

    def test_without_scripts(self):
        job = make_job(self.user)

        def steps(page: Page) -> None:
            page.goto(f"/jobs/{job.pk}/")
            page.fill("#line", "port lint")
            page.click(".quick button")
            expect(page.locator(".lately")).to_contain_text("lint or dust")
            page.fill("#line", "power 1")
            page.click(".quick button")
            expect(page.locator("#trouble")).to_contain_text("type OL, 1.0V or 1mV")
            expect(page.locator("#line")).to_have_value("power 1")
            page.click(".line a[aria-label^='Port:']")
            expect(page.locator("main")).to_contain_text("Narrowed to")
            page.click("text=Show the whole line")
            page.click(".quick a")
            expect(page.locator("#grammar")).to_contain_text("swap-carrier")

        self.drive(steps, scripts=False)

    def test_an_entry_updates_in_place_and_an_error_keeps_the_line(self):
        job = make_job(self.user, ("port lint",))

        def steps(page: Page) -> None:
            visit(page, f"/jobs/{job.pk}/")
            page.evaluate("window.untouched = true")
            level = "() => Number(document.getElementById('level-port').getAttribute('height'))"
            before = page.evaluate(level)
            page.fill("#line", "wiggle dorps")
            page.keyboard.press("Enter")
            expect(page.locator("#trouble")).to_contain_text("did you mean drops?")
            expect(page.locator("#line")).to_have_value("wiggle dorps")
            page.fill("#line", "wiggle drops")
            page.keyboard.press("Enter")
            expect(page.locator(".lately")).to_contain_text("drops out")
            # A function, not an expression: the page's own rules refuse to evaluate a text at the second look.
            page.wait_for_function(f"before => ({level})() > before", arg=before)
            page.click(".line a[aria-label^='Port:']")
            expect(page.locator("main")).to_contain_text("Narrowed to")
            page.click("text=strike out >> nth=0")
            page.fill(".log [name=why]", "wrong cable")
            page.click(".log button:has-text('Strike out')")
            expect(page.locator(".log .struck")).to_contain_text("wrong cable")
            self.assertTrue(page.evaluate("window.untouched"))

        self.drive(steps)
