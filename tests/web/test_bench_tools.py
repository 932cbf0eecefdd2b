"""The bench's own tools and consumables: tested, due, running out, and said where a reading or a plan rests on them."""

from datetime import timedelta

from django.test import TransactionTestCase
from django.urls import reverse
from django.utils import timezone

from chargepath.base.errors import ReadingError
from rainfront.jobs import actions
from rainfront.people.rights import NotAllowed
from rainfront.reference.models import DiodeMeter
from rainfront.stock.bench import behind, due_words, enter_test, need_state, note_need, test_rows
from rainfront.stock.models import BenchNeed, BenchTestRun, Donor
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, make_job, make_user
from tests.web.test_pages import Signed

PAGE = reverse("stock:bench")


class BenchTools(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.known = Shop.as_shipped().known

    def enter(self, name, days=0, **told):
        return enter_test(self.known, name, **told, user=self.user, now=NOW + timedelta(days=days))

    def states(self, days):
        return {row.test.id: row.state for row in test_rows(self.known, NOW + timedelta(days=days))}

    def test_a_test_holds_by_its_reading_comes_round_again_and_is_said_where_a_reading_rests_on_it(self):
        self.assertEqual(self.states(0)["known_good_charger"], "never tested here")
        self.enter("known_good_charger", typed="4,98 V")
        for days, state in ((0, ""), (6, ""), (7, "due today"), (9, "2 days overdue")):
            with self.subTest(days=days):
                self.assertEqual(self.states(days)["known_good_charger"], state)
        self.enter("known_good_charger", days=10, typed="4.6", note="gets hot")
        self.assertEqual(self.states(11)["known_good_charger"], "did not hold yesterday")
        then = NOW + timedelta(days=10)
        self.assertEqual(behind(self.known, "charger_current", then)[0].state, "did not hold today")
        self.enter("known_good_charger", days=10, typed="5.02")
        self.assertEqual(
            behind(self.known, "charger_current", NOW + timedelta(days=10))[0].said, "tested today: 5.02 V"
        )
        job = make_job(self.user)
        check = reverse("jobs:check", args=[job.pk, "charger_current"])
        self.assertContains(self.client.get(check), "Known-good charger: ")
        self.assertNotContains(self.client.get(reverse("jobs:check", args=[job.pk, "port_look"])), "Known-good charger")

    def test_what_is_due_is_said_on_todays_bench_once_the_shop_keeps_the_log(self):
        day = reverse("day:list")
        self.assertNotContains(self.client.get(day), "Tests of the bench are due")
        enter_test(self.known, "fume_filter", holds=True, user=self.user, now=timezone.now())
        self.assertContains(self.client.get(day), "Wrist strap and mat, Known-good charger and 7 more")
        for test in self.known.upkeep.tests.values():
            enter_test(self.known, test.id, typed=str(test.low or 0), holds=True, user=self.user, now=timezone.now())
        self.assertEqual(due_words(self.known, timezone.now()), "")

    def test_it_is_entered_on_its_page_and_a_wrong_entry_keeps_what_was_typed(self):
        sent = {"test": "known_good_cable", "reading": "about 140", "note": "second cable"}
        page = self.client.post(PAGE, sent)
        self.assertEqual(page.status_code, 422)
        for words in ("about 140", "second cable"):
            self.assertContains(page, words, status_code=422)
        for wrong in ({"test": "known_good_cable", "reading": "-3"}, {"test": "fume_filter"}, {"test": "no_such"},
                      {"name": "flux", "state": "lots"}, {"name": "gold leaf", "state": "low"},
                      {"name": "flux", "state": "low", "use_by": "next week"}):  # fmt: skip
            with self.subTest(wrong=wrong):
                self.assertEqual(self.client.post(PAGE, wrong).status_code, 422)
        self.assertFalse(BenchTestRun.objects.exists() or BenchNeed.objects.exists())
        self.assertContains(
            self.client.post(PAGE, {**sent, "reading": "140 mΩ"}, follow=True), "Known-good cable holds."
        )
        self.assertContains(
            self.client.post(PAGE, {"test": "fire_box", "holds": "no"}, follow=True),
            "Accept no device with a swollen cell",
        )

    def test_what_runs_out_is_said_where_a_plan_is_laid_out(self):
        today = timezone.localdate()
        for state, use_by, says in (
            ("there", None, ""), ("low", None, "running low"), ("none", None, "none here"),
            ("there", today - timedelta(days=1), "past its date"),
            ("there", today + timedelta(days=10), "good for 10 days"),
            ("there", today + timedelta(days=100), ""),
        ):  # fmt: skip
            with self.subTest(state=state, use_by=use_by):
                self.assertEqual(need_state(BenchNeed(state=state, use_by=use_by), today), says)
        job = make_job(self.user, ("port clean", "i 0.0 5.0", "wiggle drops"))
        repair = actions.choose_route(job, "swap_carrier", "as agreed", user=self.user, now=NOW)
        layout = reverse("work:layout", args=[repair.job_id])
        self.assertNotContains(self.client.get(layout), "running low")
        self.client.post(PAGE, {"name": "isopropanol 99 %", "state": "low", "note": "ordered"})
        self.client.post(PAGE, {"name": "hot plate", "state": "none"})
        page = self.client.get(layout)
        self.assertContains(page, "running low")
        self.assertContains(page, "none here")
        self.client.post(PAGE, {"name": "isopropanol 99 %", "state": "there", "use_by": "2031-01-31"})
        self.assertNotContains(self.client.get(layout), "running low")
        self.assertContains(self.client.get(PAGE), "use by 2031-01-31")

    def test_who_may_not_measure_reads_it_and_enters_nothing(self):
        counter = make_user("desk", "counter")
        with self.assertRaises(NotAllowed):
            enter_test(self.known, "fire_box", holds=True, user=counter, now=NOW)
        with self.assertRaises(NotAllowed):
            note_need(self.known, "flux", "low", user=counter, now=NOW)
        self.client.force_login(counter)
        self.assertNotContains(self.client.get(PAGE), 'name="holds"')

    def test_a_reading_needs_a_number_and_a_look_needs_an_answer(self):
        self.assertEqual(self.enter("known_good_pad", typed="1200 mA").reading, 1.2)
        for told, says in (({}, "reading"), ({"typed": "5 A"}, "reading")):
            with self.subTest(told=told), self.assertRaisesMessage(ReadingError, says):
                self.enter("usb_meter", **told)


class Once(TransactionTestCase):
    def test_what_is_entered_with_a_forms_key_is_stored_in_the_transaction_that_keeps_the_key(self):
        """A form of a browser has a key. Outside a transaction SQLite refused the key beside an open statement."""
        self.client.force_login(make_user("owner", "owner"))
        rows = (
            (PAGE, {"test": "usb_meter", "reading": "5,01"}),
            (PAGE, {"name": "flux", "state": "low"}),
            (reverse("stock:donor"), {"name": "Orvane D2", "note": "dead"}),
            (reverse("reference:new_meter"), {"name": "Bench meter", "style": "volts"}),
        )
        for number, (page, sent) in enumerate(rows):
            form = {**sent, "once": f"{number:032x}"}
            with self.subTest(page=page):
                self.assertEqual([self.client.post(page, form).status_code for _ in range(2)][:1], [302])
        counts = [model.objects.count() for model in (BenchTestRun, BenchNeed, Donor, DiodeMeter)]
        self.assertEqual(counts, [1, 1, 1, 1])
