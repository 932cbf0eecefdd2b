"""Deciding through the web: routes side by side, quotes and approval, habits, the working."""

from decimal import Decimal

from django.urls import reverse

from chargepath.base.errors import ChargepathError
from chargepath.knowledge.loader import shipped
from chargepath.knowledge.routes import REFER
from rainfront.jobs import actions
from rainfront.jobs.judging import school_followed
from rainfront.jobs.models import Entry, Job, Quote, Repair
from rainfront.people.models import Workshop
from rainfront.workshop.actions import set_part
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, judged, make_job
from tests.web.test_pages import Signed

LINES = ("i 0.0 5.1 20%", "port worn", "wiggle drops", "joint moves")


class DecideTest(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user, LINES)

    def page(self, name="decide", *args):
        return self.client.get(self.url(name, self.job.pk, *args))

    def sides(self):
        return {row.id: row for row in self.page().context["page"].sides}


class SideBySide(DecideTest):
    def test_each_bar_is_the_routes_own_terms_on_one_scale(self):
        found, sides = judged(self.job), self.sides()
        top = max(term.total for term in found.advice.routes if term.id in sides)
        for row in sides.values():
            term = next(term for term in found.advice.routes if term.id == row.id)
            parts = term.act.cost + term.comeback + term.later - term.spared
            self.assertAlmostEqual(parts, term.total, 6)
            widths = sum(float(piece.width) for piece in row.bar.pieces)
            self.assertAlmostEqual(widths, 1000 * term.total / top, delta=4)

    def test_what_the_customer_must_be_told_stands_beside_the_route(self):
        page = self.page()
        self.assertContains(page, "no longer sealed against water")
        self.assertContains(page, "Why")

    def test_a_part_that_is_only_sold_with_another_pulls_it_in(self):
        before = self.sides()["swap_carrier"]
        set_part("swap_carrier", "Orvane D2", Decimal("20.10"), 3, "replace_link", user=self.user, now=NOW)
        after = self.sides()["swap_carrier"]
        self.assertEqual(after.with_part, "Replace the board connector or flex")
        self.assertGreater(Decimal(after.quote[1:]), Decimal(before.quote[1:]) + Decimal("9"))
        self.assertEqual(after.days, "3 days")

    def test_a_hurry_makes_waiting_dearer(self):
        calm = next(t for t in judged(self.job).advice.routes if t.id == "replace_port")
        Job.objects.filter(pk=self.job.pk).update(hurry=True)
        fast = next(t for t in judged(self.job).advice.routes if t.id == "replace_port")
        self.assertAlmostEqual(fast.act.waiting, 6 * calm.act.waiting)

    def test_the_page_costs_the_same_however_much_was_entered(self):
        self.page()
        with self.assertNumQueries(9):
            self.page()
        make_job(self.user, LINES)
        self.job = make_job(self.user, (*LINES, "port clean", "i 0.0 5.0 20%", "inside clean"))
        with self.assertNumQueries(9):
            self.page()


class Quotes(DecideTest):
    def quote(self, route="replace_port", **details):
        form = self.page("quote", route).context["form"]
        data = {"amount": form.initial["amount"], "words": form.initial["words"], **details}
        return self.client.post(self.url("quote", self.job.pk, route), data)

    def test_the_amount_is_decimal_arithmetic_of_rate_minutes_and_parts(self):
        Workshop.objects.update_or_create(pk=1, defaults={"hourly_rate": Decimal("47.30")})
        set_part("replace_port", "", Decimal("3.33"), user=self.user, now=NOW)
        found = judged(self.job)
        term = next(term for term in found.advice.routes if term.id == "replace_port")
        expected = Decimal("47.30") * Decimal(str(round(term.act.minutes, 2))) / 60 + Decimal("3.33")
        expected += Decimal(str(round(found.spent, 2)))
        amount = self.page("quote", "replace_port").context["form"].initial["amount"]
        self.assertIsInstance(amount, Decimal)
        self.assertEqual(amount, expected.quantize(Decimal("0.01")))

    def test_a_jobs_own_habit_goes_before_the_shops_and_none_before_both(self):
        first, second = list(shipped().schools)[:2]
        Workshop.objects.update_or_create(pk=1, defaults={"school": first})
        shop = Shop.current()
        for own, followed in (("", first), (second, second), ("none", ""), ("gone", "")):
            self.job.school = own
            self.assertEqual(school_followed(self.job, shop), followed)

    def test_a_quote_of_nothing_by_nobody_is_refused(self):
        go = {"user": self.user, "now": NOW}
        for amount, words in ((Decimal(-1), "nine"), (Decimal(100_001), "nine"), (Decimal(9), " ")):
            with self.assertRaises(ChargepathError):
                actions.make_quote(self.job, "clean_port", amount, words, **go)
        quote = actions.make_quote(self.job, "clean_port", Decimal(9), "nine", **go)
        with self.assertRaisesMessage(ChargepathError, "say who answered"):
            actions.answer_quote(quote, "approved", " ", **go)

    def test_a_quote_is_kept_in_words_and_its_answer_with_amount_who_and_when(self):
        self.quote(amount="61.50")
        quote = Quote.objects.get()
        self.assertEqual(quote.amount, Decimal("61.50"))
        self.assertIn("sealed against water", quote.words)
        url = self.url("answer", self.job.pk, quote.pk)
        refused = self.client.post(url, {"answer": "approved", f"q{quote.pk}-who": ""})
        self.assertEqual(refused.status_code, 422)
        self.client.post(url, {"answer": "approved", f"q{quote.pk}-who": "purser"})
        quote.refresh_from_db()
        self.assertEqual((quote.answer, quote.answered_by, quote.noted_by), ("approved", "purser", self.user))
        self.assertIsNotNone(quote.answered_at)
        self.assertTrue(Entry.objects.filter(name="answer", text__contains="61.50").exists())
        again = self.client.post(url, {"answer": "declined", f"q{quote.pk}-who": "purser"})
        self.assertContains(again, "answered already", status_code=422)

    def test_bad_quotes_keep_what_was_typed(self):
        for details, says in (
            ({"amount": "-4"}, "greater than or equal to 0"),
            ({"amount": "much"}, "Give an amount, as in 12,50"),
        ):
            page = self.quote(**details)
            self.assertContains(page, says, status_code=422)
            self.assertContains(page, "sealed against water", status_code=422)
        self.assertFalse(Quote.objects.exists())

    def test_going_over_the_limit_needs_an_approved_quote_or_a_reason(self):
        Job.objects.filter(pk=self.job.pk).update(limit=Decimal(30))
        page = self.page()
        self.assertContains(page, "over the limit")
        url = self.url("choose", self.job.pk, "replace_port")
        self.assertContains(self.client.post(url), "limit of 30", status_code=422)
        self.assertFalse(Repair.objects.exists())
        self.quote(amount="61.50")
        quote = Quote.objects.get()
        self.client.post(
            self.url("answer", self.job.pk, quote.pk), {"answer": "approved", f"q{quote.pk}-who": "purser"}
        )
        self.client.post(url, {"reason": ""})
        advised = judged(self.job).advice.next
        self.assertEqual(Repair.objects.exists(), advised.id == "replace_port")

    def test_stop_and_ask_stands_on_top_where_the_limit_would_be_crossed(self):
        Job.objects.filter(pk=self.job.pk).update(limit=Decimal(30))
        self.assertContains(self.page(), "Stop and ask")


class Habits(DecideTest):
    def row(self, name):
        return next(row for row in self.page().context["page"].habits if row.id == name)

    def test_a_habit_is_followed_on_one_job_or_in_the_shop_and_says_what_it_costs(self):
        self.assertFalse(self.row("bare_port").chosen)
        self.client.post(self.url("school", self.job.pk), {"school": "swap_first"})
        self.assertTrue(self.row("swap_first").chosen)
        self.assertContains(self.page(), "This job follows")
        Workshop.objects.update_or_create(pk=1, defaults={"school": "measure_first"})
        self.client.post(self.url("school", self.job.pk), {"school": ""})
        self.assertTrue(self.row("measure_first").chosen)
        self.client.post(self.url("school", self.job.pk), {"school": "none"})
        self.assertFalse(self.row("measure_first").chosen)
        self.assertEqual(Entry.objects.filter(name="school").count(), 3)

    def test_no_such_habit(self):
        page = self.client.post(self.url("school", self.job.pk), {"school": "moon"}, follow=True)
        self.assertContains(page, "is no habit")


class Why(DecideTest):
    def test_both_workings_add_up_and_every_entry_shows_its_factor(self):
        page = self.page("why")
        found = judged(self.job)
        total = min(term.total for term in found.advice.routes)
        self.assertContains(page, f"{total:.2f}")
        first = page.context["page"].suspects[0]
        self.assertEqual(len(first.pushes), len(LINES))
        self.assertTrue(first.further)
        for row in first.further:
            self.assertLessEqual(float(row.x1), float(row.now) + 1e-6)
            self.assertGreaterEqual(float(row.x2), float(row.now) - 1e-6)

    def test_every_next_card_leads_to_its_working(self):
        self.assertContains(self.client.get(self.url("bench", self.job.pk)), reverse("jobs:why", args=(self.job.pk,)))

    def test_handing_on_has_its_working_too(self):
        self.job = make_job(self.user, ("rail 2/400", "idle 1.0"), value=Decimal(5))
        self.assertEqual(judged(self.job).advice.next.id, REFER)
        self.assertEqual(self.page("why").status_code, 200)
