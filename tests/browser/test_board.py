"""The board in the browser: found by typing, worked with by keyboard, mouse and touch, and said beside the drawing."""

import random

from django.urls import reverse
from playwright.sync_api import Page, expect

from chargepath.standin.layouts import made_board
from rainfront.board import actions as boards
from rainfront.demo.boards import camera, lay
from rainfront.demo.layouts import draw_layout
from rainfront.inside.actions import start_sheet
from rainfront.jobs import actions
from tests.boards import LAYOUT, named_board, stored_board, tablet
from tests.browser.driver import BrowserTest, tick
from tests.browser.looking import visit
from tests.builders import NOW

READY, PICKED = ".board-map[data-ready=yes]", "document.querySelector('.board-map').boardPage.view.picked"
# Where a pad is on the screen, from its number.
AT = """n => { const page = document.querySelector('.board-map').boardPage, view = page.view;
  const box = page.canvas.getBoundingClientRect(), [x, y] = view.toScreen(view.places.u[n], view.places.v[n]);
  return [box.left + x, box.top + y]; }"""

# Presses beside pads that mean another pad than the nearest within twelve pixels, or than the one they are on.
NEAREST = """numbers => {
  const {view, board} = document.querySelector('.board-map').boardPage, {u, v, half} = view.places, wrong = [];
  const far = (n, x, y) => { const [px, py] = view.toScreen(u[n], v[n]); return [Math.abs(px - x), Math.abs(py - y)]; };
  for (const n of numbers) for (const [dx, dy] of [[0, 0], [3, -2], [7, 9], [11, 3]]) {
    const [px, py] = view.toScreen(u[n], v[n]), x = px + dx, y = py + dy, got = view.at(x, y);
    let least = 12;
    for (let k = 0; k < board.count; k += 1) if (view.seen(k)) least = Math.min(least, Math.hypot(...far(k, x, y)));
    const off = got < 0 ? [12, 12] : far(got, x, y);
    const on = got >= 0 && off[0] <= half.u[got] * view.zoom && off[1] <= half.v[got] * view.zoom;
    if (!on && Math.hypot(...off) > least + 0.01 && least < 11.99) wrong.push([n, dx, dy, got]);
  }
  return wrong; }"""
SURE = "n => document.querySelector('.board-map').boardPage.view.sure(n)"


def number(name: str) -> int:
    return next(n for n, pad in enumerate(LAYOUT.pads) if pad.name == name)


class OnTheBoard(BrowserTest):
    def open(self, page: Page, where: str) -> None:
        visit(page, where)
        page.wait_for_selector(READY)

    def picked(self, page: Page) -> str:
        return LAYOUT.pads[page.evaluate(PICKED)].name

    def test_a_torn_pad_is_repaired_by_keyboard_from_the_step_to_the_wire(self):
        named_board(self.user)
        job = tablet(self.user, ("port worn", "i 0.9 5.05 46%", "flip one", "joint moves"))
        actions.choose_route(job, "bridge_pad", "pad A5 came off", user=self.user, now=NOW)

        def steps(page: Page) -> None:
            visit(page, reverse("work:repair", args=[job.pk]))
            for _ in range(40):
                if page.locator(".board-map").count():
                    break
                tick(page)
            page.wait_for_selector(READY)
            self.assertIn("Solder an insulated wire", page.inner_text(".do, .stepnow"))
            page.focus("[name=find]")
            page.keyboard.type("j1 a5")
            expect(page.locator("#board-found-0")).to_have_text("pad J1.A5")
            page.keyboard.press("Enter")
            expect(page.locator(".board-card h2")).to_have_text("J1.A5")
            expect(page.locator("canvas")).to_be_focused()
            page.keyboard.press("ArrowRight")
            self.assertNotEqual(self.picked(page), "J1.A5")
            self.assertEqual(LAYOUT.pads[page.evaluate(PICKED)].net, "CC1")
            page.keyboard.press("ArrowLeft")
            self.assertEqual(self.picked(page), "J1.A5")
            page.focus("button:has-text('This pad is torn off')")
            page.keyboard.press("Enter")
            first = page.locator(".board-list li").first
            expect(first).to_contain_text("straight, on the same side")
            name = first.locator("[data-pad]").inner_text()
            page.focus(f"text={name.partition('.')[0]} hangs on the torn piece")
            page.keyboard.press("Enter")
            expect(page.locator(".board-list")).not_to_contain_text(name)
            page.focus(".board-list [data-pad] >> nth=0")
            page.keyboard.press("Enter")
            self.assertEqual(self.picked(page), page.locator(".board-list [data-pad]").first.inner_text())
            self.assert_accessible(page)
            page.focus("text=Which wire >> nth=0")
            page.keyboard.press("Enter")
            expect(page.locator("main")).to_contain_text("is the thinnest that will do")

        self.drive(steps)

    def test_a_short_is_followed_by_mouse_from_the_rail_to_its_parts(self):
        named_board(self.user)
        job = tablet(self.user, ("port clean", "rail short"))
        sys, warm = number("L1.2"), number("C7.1")

        def steps(page: Page) -> None:
            self.open(page, reverse("board:job", args=[job.pk]))
            page.mouse.click(*page.evaluate(AT, sys))
            expect(page.locator(".board-card h2")).to_have_text("L1.2")
            expect(page.locator(".board-card")).to_contain_text("system rail (main board)")
            page.hover("canvas")
            before = page.evaluate("document.querySelector('.board-map').boardPage.view.zoom")
            page.mouse.wheel(0, -200)
            page.wait_for_function(f"document.querySelector('.board-map').boardPage.view.zoom > {before}")
            page.click("text=All")
            page.click("text=Short on this line")
            x, y = page.evaluate(AT, warm)
            page.mouse.click(x + 6, y + 4)
            row = page.locator(".board-list li").first
            expect(row).to_contain_text("C7")
            row.locator("[data-pad]").click()
            self.assertEqual(self.picked(page), "C7.1")
            # Dragged, the board moves and nothing is picked.
            x, y = page.evaluate(AT, warm)
            page.mouse.move(x, y)
            page.mouse.down()
            page.mouse.move(x + 90, y + 30, steps=4)
            page.mouse.up()
            self.assertEqual([round(a - b) for a, b in zip(page.evaluate(AT, warm), (x, y), strict=True)], [90, 30])
            self.assertEqual(self.picked(page), "C7.1")
            self.assert_accessible(page)

        self.drive(steps)

    def test_on_a_phone_a_pad_is_tapped_and_two_fingers_zoom(self):
        named_board(self.user)
        job = tablet(self.user)

        def steps(page: Page) -> None:
            page.set_viewport_size({"width": 390, "height": 844})
            self.open(page, reverse("board:job", args=[job.pk]))
            page.locator("canvas").scroll_into_view_if_needed()
            page.touchscreen.tap(*page.evaluate(AT, number("L1.1")))
            expect(page.locator(".board-card h2")).to_have_text("L1.1")
            for side in ("bottom", "top"):
                page.tap("[data-act=flip]")
                expect(page.locator("[data-side-now]")).to_contain_text(side)
            # The same short and the same torn pad, by thumb alone.
            page.evaluate("document.querySelector('.board-map').boardPage.pick(-1)")
            page.tap(".board-card button:has-text('VSYS')")
            page.tap("button:has-text('Short on this line')")
            page.tap("[data-act=fit]")
            page.locator("canvas").scroll_into_view_if_needed()
            x, y = page.evaluate(AT, number("C7.1"))
            page.touchscreen.tap(x + 2, y + 2)
            expect(page.locator(".board-list li").first).to_contain_text("C7")
            page.tap(".board-list [data-pad] >> nth=0")
            page.fill("[name=find]", "J1.A5")
            page.keyboard.press("Enter")
            page.tap("button:has-text('This pad is torn off')")
            expect(page.locator(".board-answer h2")).to_contain_text("Where a wire for J1.A5")
            page.tap(".board-list [data-pad] >> nth=0")
            self.assertEqual(LAYOUT.pads[page.evaluate(PICKED)].net, "CC1")
            page.locator("canvas").scroll_into_view_if_needed()
            page.tap("[data-act=fit]")
            hand = page.context.new_cdp_session(page)
            box = page.locator("canvas").bounding_box()
            assert box
            x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
            for kind, apart in (("touchStart", 20), ("touchMove", 40), ("touchMove", 60), ("touchEnd", 0)):
                points = [{"x": x - apart, "y": y, "id": 0}, {"x": x + apart, "y": y, "id": 1}] if apart else []
                hand.send("Input.dispatchTouchEvent", {"type": kind, "touchPoints": points})
            view = "document.querySelector('.board-map').boardPage.view"
            page.wait_for_function(f"{view}.zoom > 1.8 * 4 * {view}.least")
            self.assertEqual(LAYOUT.pads[page.evaluate(PICKED)].net, "CC1")

        self.drive(steps, has_touch=True)

    def test_of_five_thousand_pads_a_press_means_the_nearest_and_a_name_takes_few_keys(
        self,
    ):
        large = made_board(5000)
        board = stored_board(self.user, large)
        draw = random.Random(2)
        wanted = draw.sample([n for n, pad in enumerate(large.pads) if pad.side == "top"], 150)

        def steps(page: Page) -> None:
            self.open(page, board.get_absolute_url())
            wrong = page.evaluate(NEAREST, wanted)
            self.assertEqual(wrong, [])
            keys = 0
            page.focus("canvas")
            for key in ("/", *"U2.13", "Enter"):
                keys += 1
                page.keyboard.press(key)
            expect(page.locator(".board-card h2")).to_have_text("U2.13")
            self.assertEqual(keys, 7)
            page.keyboard.press("Escape")
            expect(page.locator(".board-card")).to_contain_text("5003 pads")

        self.drive(steps)

    def test_the_pad_to_probe_is_framed_beside_the_number_and_follows_it(self):
        board, job = named_board(self.user), tablet(self.user)
        details = {"map_id": "battery_connector", "place": "inside", "mode": "diode", "revision": "", "meter": None}
        sheet = start_sheet(job, {**details, "good": False}, user=self.user, now=NOW)
        ties = {tie.pin: tie.pads[0] for tie in board.ties.filter(map_id="battery_connector")}

        def steps(page: Page) -> None:
            self.open(page, sheet.get_absolute_url())
            for pin in ("plus", "data", "clock"):
                page.wait_for_function(f"document.getElementById('probe-pin').value === '{pin}'")
                page.wait_for_function(f"{PICKED} === {ties[pin]}")
                page.focus("#probe-value")
                page.keyboard.type("512")
                page.keyboard.press("Enter")
            page.wait_for_selector("#sheet[data-left='3']")
            told = page.evaluate("document.querySelector('.board-map').boardPage.told.pads")
            self.assertEqual((told[str(ties["data"])]["value"], len(told)), ("512", 3))
            self.assert_accessible(page)

        self.drive(steps)

    def test_over_a_picture_a_name_is_shown_only_where_the_picture_lies_well_enough(self):
        board, job = named_board(self.user), tablet(self.user)
        raw, seen = draw_layout(LAYOUT, camera(LAYOUT))
        row = boards.add_picture(board, raw, "top", user=self.user, now=NOW)
        # Four pairs within three millimetres of each other, one of them off by a few pixels.
        for name, off in (("J1.A1", 0), ("J1.A4", 7), ("J1.B12", 0), ("J1.B9", 0)):
            pad = LAYOUT.pads[number(name)]
            ((u, v),) = seen.to_picture([(pad.x_mm, pad.y_mm)])
            at = (u / row.width, (v + off) / row.height)
            row = boards.add_pair(row, number(name), at, user=self.user)
        chip = number("U2.13")

        def badly(page: Page) -> None:
            self.open(page, reverse("board:job", args=[job.pk]))
            page.select_option("[data-views] select", label="picture, top")
            self.assertFalse(page.evaluate(SURE, chip))
            page.mouse.click(*page.evaluate(AT, chip))
            self.assertEqual(page.evaluate(PICKED), -1)
            self.open(page, row.get_absolute_url())
            expect(page.locator("main")).to_contain_text("It may be off by up to")
            self.assert_accessible(page)

        def well(page: Page) -> None:
            self.open(page, reverse("board:job", args=[job.pk]))
            page.select_option("[data-views] select", label="picture, top")
            self.assertTrue(page.evaluate(SURE, chip))
            page.mouse.click(*page.evaluate(AT, chip))
            expect(page.locator(".board-card h2")).to_have_text("U2.13")
            for where in (reverse("board:naming", args=[board.pk]), reverse("board:maps"), board.get_absolute_url()):
                visit(page, where)
                self.assert_accessible(page)

        self.drive(badly)
        row.pairs = []
        row.save()
        lay(row, seen, self.user)
        self.drive(well)
