"""Every page of the demo as it is laid out, the bench within a screen, what pages weigh, taking in by keyboard."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence

from playwright.sync_api import Page, expect

from tests.browser.looking import (
    LOOK,
    MOST_SHIFT,
    WATCH_SHIFTS,
    WIDTHS,
    arrive,
    axe_finds,
    look_at,
    shift_of,
    visit,
)
from tests.browser.served import ServedDemo
from tests.links import kind_of, links_in
from tests.sizes import exhaustive, sized

JOBS = range(401, 422)
FIRST_LOAD, FURTHER = 200_000, 30_000
# Whether the first Tab of a page that has something to do lands in what the page is for.
FIRST_TAB = """!document.querySelector('main [data-first], main .btn-main, main [autofocus]')
  || !!document.activeElement.closest('main') && !document.activeElement.closest('.jobhead, .jobpages')"""
# Of every kind of page so many are held against axe.
TO_AXE = 3
# By day on the bench and by night on a phone.
AT = ((1280, 800, "light"), (390, 844, "dark"))
# The pages that are looked at in `make test`: what people have open all day, and one of each way of laying a page out.
SAMPLE = (
    "/",
    "/jobs/new/",
    "/jobs/401/",
    "/jobs/402/inside/sheets/101/",
    "/jobs/416/repair/",
    "/jobs/402/counter/",
    "/heat/",
    "/knowledge/",
)


def walk(page: Page) -> Iterator[tuple[str, int]]:
    """Open page after page of the demo by its links; yields the address and how many of its kind were open before."""
    seen, kinds, pairs = set(), Counter(), set()
    queue = [
        "/",
        "/?stage=closed",
        "/?q=nobody",
        "/jobs/401/?station=port",
        "/jobs/402/checks/inside_look/",
        *(f"/jobs/{job}/" for job in JOBS),
    ]
    while queue:
        path = queue.pop(0)
        kind, job = kind_of(path), path.split("/")[2] if path.startswith("/jobs/") else ""
        if path in seen or (kind, job) in pairs or "sign-out" in path:
            continue
        seen.add(path)
        pairs.add((kind, job))
        status = visit(page, path)
        assert status < 400, f"{path}: {status}"
        yield path, kinds[kind]
        kinds[kind] += 1
        queue += links_in(page.content())


class Looked(ServedDemo):
    """What is wrong with a page that was just opened."""

    def wrong_with(self, page: Page, path: str, at: Sequence[tuple[int, int, str]]) -> Iterator[str]:
        """Shifts, the first Tab, the layout at every width, and axe at the sizes and colours of `at`."""
        shift, moved = shift_of(page)
        if shift >= MOST_SHIFT:
            yield f"{path} shifts by {shift:.3f}: {moved[:3]}"
        page.keyboard.press("Tab")
        if not page.evaluate(FIRST_TAB):
            yield f"{path}: the first Tab is not within the page's main act"
        yield from look_at(page, WIDTHS[:: sized(2, 1)])
        for width, height, scheme in at:
            page.set_viewport_size({"width": width, "height": height})
            page.evaluate("scheme => document.documentElement.dataset.bsTheme = scheme", scheme)
            # At the foot of the page, where the quick line that stays in sight covers nothing.
            page.evaluate("scrollTo({top: document.body.scrollHeight, behavior: 'instant'})")
            yield from (f"at {width} {scheme}: {text}" for text in axe_finds(page))
        page.evaluate("document.documentElement.dataset.bsTheme = 'light'")
        page.set_viewport_size({"width": 1280, "height": 800})


class EveryPage(Looked):
    @exhaustive
    def test_nothing_overflows_is_cut_small_or_shifts_and_axe_finds_nothing_by_day_and_night(self):
        def steps(page: Page) -> tuple[int, list[str]]:
            page.context.add_init_script(WATCH_SHIFTS)
            found, count = [], 0
            for path, number in walk(page):
                count += 1
                found += self.wrong_with(page, path, AT if number < TO_AXE else ())
            return count, found

        count, found = self.drive(steps, who="owner")
        self.assertGreater(count, 70)
        self.assertEqual(found, [], "\n".join(found))

    def test_of_the_sample_too(self):
        def steps(page: Page) -> list[str]:
            page.context.add_init_script(WATCH_SHIFTS)
            found = []
            for number, path in enumerate(SAMPLE):
                self.assertEqual(visit(page, path), 200, path)
                found += self.wrong_with(page, path, AT[number % 2 :][:1])
            return found

        self.assertEqual(self.drive(steps, who="owner"), [])


class TheBench(ServedDemo):
    BOX = """names => names.map(name => { const box = document.querySelector(name)?.getBoundingClientRect();
      return box ? [box.top + scrollY, box.bottom + scrollY] : null; })"""

    def test_the_day_shows_twelve_jobs_on_the_first_screen(self):
        rows = """() => [...document.querySelectorAll('table.day tbody tr:not(.group)')]
          .filter(row => row.getBoundingClientRect().bottom <= 800).length"""

        def steps(page: Page) -> int:
            visit(page, "/")
            page.wait_for_selector("table.day")
            return page.evaluate(rows)

        self.assertGreaterEqual(self.drive(steps), 12)

    def test_its_parts_are_inside_the_first_screen_and_the_page_is_short(self):
        def steps(page: Page) -> list[str]:
            wrong = []
            for job in JOBS[:: sized(4, 1)]:
                visit(page, f"/jobs/{job}/")
                closed = page.locator(".say.closed").count() > 0
                parts = [".line", ".suspects", ".routes", ".lately li:last-child"]
                parts += [] if closed else [".quick", "#next"]
                for name, box in zip(parts, page.evaluate(self.BOX, parts), strict=True):
                    if box is None or box[1] > 800:
                        wrong.append(f"job {job}: {name} ends at {box and round(box[1])}")
                line = page.evaluate(self.BOX, [".line"])[0]
                if line[1] - line[0] > 160:
                    wrong.append(f"job {job}: the charge line is {line[1] - line[0]:.0f} px high")
                tall = page.evaluate("document.documentElement.scrollHeight")
                if tall >= 1400:
                    wrong.append(f"job {job}: the page is {tall} px long")
                if page.evaluate("document.querySelectorAll('.suspects > .suspect').length") > 4:
                    wrong.append(f"job {job}: more than four suspects")
            return wrong

        self.assertEqual(self.drive(steps), [])

    def test_on_a_phone_the_answers_and_the_quick_line_are_within_the_thumbs_reach(self):
        def steps(page: Page) -> list[str]:
            wrong = []
            for job in (401, 403, 404, 410):
                visit(page, f"/jobs/{job}/")
                answer, line = page.evaluate(self.BOX, [".answers button, .answers a", ".quick"])
                if not (400 < answer[1] < line[0] < line[1] <= 844):
                    wrong.append(f"job {job}: {answer} {line}")
            return wrong

        self.assertEqual(self.drive(steps, viewport={"width": 390, "height": 844}), [])

    def test_an_answer_that_has_the_focus_shows_where_it_would_leave_the_gauges(self):
        def steps(page: Page) -> None:
            # What the shop has learned decides which of its jobs waits for an answer.
            for number in JOBS:
                visit(page, f"/jobs/{number}/")
                if page.locator("[data-levels]").count():
                    break
            port = page.locator(".line [data-station=port]")
            now = port.locator(".pct").text_content()
            answer = page.locator("[data-levels]").first
            answer.focus()
            levels = page.evaluate("JSON.parse(document.querySelector('[data-levels]').dataset.levels)")
            expect(port.locator(".ghost")).to_have_class(re.compile("on"))
            top = float(port.locator(".ghost").get_attribute("y1") or 0)
            self.assertAlmostEqual(top, 58 + 46 * (1 - levels["port"]), places=2)
            page.locator("#line").focus()
            expect(port.locator(".pct")).to_have_text(now or "")

        self.drive(steps)

    def test_text_at_twice_its_size_overflows_nowhere(self):
        def steps(page: Page) -> list[str]:
            found = []
            session = page.context.new_cdp_session(page)
            session.send("Page.setFontSizes", {"fontSizes": {"standard": 32, "fixed": 26}})
            for path in ("/", "/jobs/401/", "/jobs/401/decide/", "/jobs/new/", "/jobs/402/inside/"):
                visit(page, path)
                found += [f"{path}: {text}" for text in page.evaluate(LOOK, 13) if "scrolls" in text]
            return found

        self.assertEqual(self.drive(steps), [])

    def test_where_the_system_sets_the_colours_gauges_and_marks_can_still_be_told_from_the_ground(self):
        seen = """names => names.map(name => { const style = getComputedStyle(document.querySelector(name));
          return [style.fill, style.stroke, getComputedStyle(document.body).backgroundColor]; })"""

        def steps(page: Page) -> None:
            visit(page, "/jobs/402/")
            parts = [".line .leading .level", ".line .wire", ".line .tube", ".mark-short", ".mark-good", ".mark-off"]
            for name, (fill, stroke, ground) in zip(parts, page.evaluate(seen, parts), strict=True):
                self.assertNotEqual({fill, stroke} - {"none"}, {ground}, name)

        self.drive(steps, forced_colors="active", color_scheme="dark")


class Keys(ServedDemo):
    def test_a_known_model_is_taken_in_with_fewer_than_25_keys(self):
        def steps(page: Page) -> tuple[int, str]:
            pressed = 0

            def press(*keys: str) -> None:
                nonlocal pressed
                for key in keys:
                    page.keyboard.press(key)
                    pressed += len(key.split("+"))

            visit(page, "/jobs/new/")
            press(*"hes")
            expect(page.locator("#completions [role=option]").first).to_contain_text("Hestral")
            press("Tab")
            expect(page.locator("#device .say")).to_contain_text("Filled in from")
            expect(page.locator("#id_customer")).to_be_focused()
            press(*"cook", "Tab", "Tab", "Tab", "2", "Control+Enter")
            arrive(page, re.compile(r"/jobs/\d+/$"))
            return pressed, page.locator(".jobhead").inner_text()

        pressed, head = self.drive(steps)
        self.assertLess(pressed, 25)
        self.assertRegex(head, r"Hestral Tab \d+\s+cook")

    def test_one_key_leads_to_the_emergency_card_which_is_one_sheet_of_paper(self):
        def steps(page: Page) -> tuple[str, int]:
            visit(page, "/jobs/401/")
            page.keyboard.press("!")
            arrive(page, re.compile(r"/emergency/$"))
            paper = page.pdf(prefer_css_page_size=True)
            return page.locator("h1").inner_text(), len(re.findall(rb"/Type\s*/Page\b", paper))

        head, sheets = self.drive(steps)
        self.assertRegex(head, "^Emergency")
        self.assertEqual(sheets, 1)

    def test_the_first_tab_of_a_page_is_its_main_act_and_the_sheet_of_keys_opens_and_closes(self):
        def steps(page: Page) -> None:
            for path in ("/jobs/401/decide/", "/jobs/402/counter/", "/jobs/404/repair/"):
                visit(page, path)
                page.keyboard.press("Tab")
                self.assertTrue(page.evaluate("document.activeElement.matches('[data-first]')"), path)
            visit(page, "/jobs/416/repair/")
            page.keyboard.press("?")
            sheet = page.locator("#keys")
            expect(sheet).to_be_visible()
            expect(sheet).to_contain_text("Undo the last")
            page.keyboard.press("Escape")
            expect(sheet).to_be_hidden()

        self.drive(steps)

    def test_the_probe_sheet_sounds_a_tone_a_verdict_once_it_is_told_to(self):
        def steps(page: Page) -> None:
            visit(page, "/jobs/402/inside/sheets/101/?pin=A5")
            told = page.locator("#probe-tone")
            expect(told).to_have_attribute("aria-pressed", "false")
            told.click()
            page.fill("#probe-value", "5")
            page.keyboard.press("Enter")
            expect(told).to_have_attribute("data-told", "short")

        self.drive(steps)


class Weight(ServedDemo):
    PATHS = (
        "/",
        "/jobs/402/",
        "/jobs/402/decide/",
        "/jobs/401/records/102/",
        "/jobs/402/inside/sheets/101/",
        "/learned/",
        "/stock/",
    )

    def test_the_first_page_and_every_further_one_are_light_and_files_are_kept_for_a_year(self):
        def steps(page: Page) -> dict[str, int]:
            session, loaded, weights = page.context.new_cdp_session(page), [], {}
            session.send("Network.enable")
            session.on("Network.loadingFinished", lambda one: loaded.append(one["encodedDataLength"]))
            session.send("Network.clearBrowserCache")
            for path in self.PATHS:
                loaded.clear()
                page.goto(path, wait_until="networkidle")
                weights[path] = int(sum(loaded))
            style = page.locator("link[href*='/frame.']").get_attribute("href") or ""
            kept = page.request.get(style).headers["cache-control"]
            self.assertGreaterEqual(int(re.search(r"max-age=(\d+)", kept)[1]), 31_536_000)
            return weights

        weights = self.drive(steps)
        first = weights.pop("/")
        self.assertLess(first, FIRST_LOAD)
        self.assertEqual({path: size for path, size in weights.items() if size >= FURTHER}, {})
