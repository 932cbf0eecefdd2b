"""Probing by keyboard, on real pages: keys counted, hands-free, marks by mouse."""

from playwright.sync_api import Page, expect

from chargepath.knowledge.loader import shipped
from rainfront.inside import actions
from rainfront.inside.models import Sheet
from rainfront.reference.models import DiodeMeter
from tests.browser.driver import BrowserTest
from tests.browser.looking import visit
from tests.builders import NOW, make_job

USB_C = shipped().connectors["usb_c"].map
READS = {"ground": "0", "power": "602", "data": "478", "control": "704", "sideband": "699"}


class Probing(BrowserTest):
    def sheet(self) -> Sheet:
        meter = DiodeMeter.objects.create(name="Bench", style="millivolts", test_ma=1.0)
        details = {"map_id": "usb_c", "place": "contact", "mode": "diode", "meter": meter, "revision": "B"}
        return actions.start_sheet(make_job(self.user), details, user=self.user, now=NOW)

    def test_a_whole_type_c_sheet_is_typed_in_one_pass_with_one_key_a_pin_beside_the_digits(self):
        sheet = self.sheet()
        values = {pin: READS[USB_C.net(pin).group] for pin in USB_C.walk()}
        values |= {"A2": "o", "A3": "o", "B6": "s", "A6": "s"}
        digits = sum(len(value) for value in values.values() if value.isdecimal())
        keys: list[str] = []

        def press(page: Page, key: str) -> None:
            keys.append(key)
            page.keyboard.press(key)

        def steps(page: Page) -> None:
            visit(page, sheet.get_absolute_url())
            expect(page.locator("#probe-value")).to_be_focused()
            for pin in USB_C.walk():
                page.wait_for_function("pin => document.getElementById('probe-pin').value === pin", arg=pin)
                for key in values[pin]:
                    press(page, key)
                if values[pin].isdecimal():
                    press(page, "Enter")
            page.wait_for_selector("#probe.done")
            page.wait_for_selector("#sheet[data-left='0']")
            self.assert_accessible(page)

        self.drive(steps)
        self.assertLessEqual(len(keys), digits + len(values))
        found = {point.pin: point.value for point in Sheet.objects.get(pk=sheet.pk).points.all()}
        expected = {pin: {"o": None, "s": 0.0}.get(value, value) for pin, value in values.items()}
        self.assertEqual(found, {pin: value if value is None else float(value) for pin, value in expected.items()})

    def test_a_refused_value_comes_back_to_its_pin_and_the_readings_after_it_are_kept(self):
        sheet = self.sheet()

        def steps(page: Page) -> None:
            visit(page, sheet.get_absolute_url())
            expect(page.locator("#probe-value")).to_be_focused()
            page.keyboard.type("0")
            page.keyboard.press("Enter")
            page.keyboard.type("99999")
            page.keyboard.press("Enter")
            expect(page.locator("#probe-error")).to_contain_text("A2:")
            self.assertEqual(page.input_value("#probe-value"), "99999")
            self.assertEqual(page.input_value("#probe-pin"), "A2")
            page.keyboard.type("478")
            page.keyboard.press("Enter")
            page.wait_for_selector("#sheet[data-left='22']")

        self.drive(steps)
        self.assertEqual([point.value for point in sheet.points.all()], [0.0, 478.0])

    def test_skip_back_again_and_a_click_on_a_pin(self):
        sheet = self.sheet()

        def now(page: Page) -> str:
            return page.input_value("#probe-pin")

        def steps(page: Page) -> None:
            visit(page, sheet.get_absolute_url())
            expect(page.locator("#probe-value")).to_be_focused()
            page.keyboard.press("Space")
            self.assertEqual(now(page), "A2")
            page.keyboard.press("b")
            self.assertEqual(now(page), "A1")
            page.keyboard.press("s")
            page.wait_for_selector("#sheet[data-left='23']")
            page.keyboard.press("r")
            self.assertEqual(now(page), "A1")
            page.click(".pad[data-pin='B8']")
            self.assertEqual(now(page), "B8")

        self.drive(steps)

    def test_without_script_the_same_page_takes_readings_by_its_buttons(self):
        sheet = self.sheet()

        def steps(page: Page) -> None:
            page.goto(sheet.get_absolute_url())
            page.fill("#probe-value", "0")
            page.click("#probe-form button.main")
            page.wait_for_selector("text=A2 TX1+")
            page.click("#probe-form button[value=open]")
            page.wait_for_selector("text=22 of 24 to go")

        self.drive(steps, scripts=False)
        self.assertEqual(sheet.points.count(), 2)
