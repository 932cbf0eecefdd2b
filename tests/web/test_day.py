"""Today's bench: what is next on every open job, what it waits for, who has it, which one to pick up."""

from datetime import timedelta
from decimal import Decimal
from unittest.mock import patch

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from chargepath.base.sentences import clause
from rainfront.day.models import Standing
from rainfront.day.standing import in_hand, keep_up, reckon
from rainfront.demo.proofs import TICKED_LATE
from rainfront.jobs import actions
from rainfront.jobs.fetching import get_job
from rainfront.jobs.models import Job
from rainfront.jobs.planning import before_test, plan_of
from rainfront.people.models import User
from rainfront.proof.proving import proving_of
from rainfront.stock import actions as stock
from rainfront.stock.models import Item
from rainfront.work import actions as work_actions
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, make_job, make_user
from tests.web.test_pages import Signed


class Day(Signed):
    def setUp(self):
        super().setUp()
        self.shop = Shop.as_shipped()
        clock = patch("rainfront.day.views.timezone.now", return_value=NOW + timedelta(minutes=30))
        clock.start()
        self.addCleanup(clock.stop)

    def rows(self, query=""):
        page = self.client.get(reverse("day:list") + query)
        self.assertEqual(page.status_code, 200)
        return page.context["day"].rows

    def row(self, job):
        return next(row for row in self.rows() if row.job.pk == job.pk)

    def test_what_is_next_follows_the_job(self):
        job = make_job(self.user)
        self.assertEqual(self.row(job).words, "Check: Look into the port")
        actions.record_line(job, "port lint plug_proud", user=self.user, now=NOW)
        actions.record_line(job, "i 0.0 5.0", user=self.user, now=NOW)
        row = self.row(job)
        self.assertEqual(row.words, "Repair: Clean the port")
        self.assertEqual(dict(row.line.shapes)["off"], "24")
        repair = actions.choose_route(job, "clean_port", "", user=self.user, now=NOW)
        first = before_test(plan_of(repair, repair.job, self.shop))[0].step
        self.assertTrue(self.row(job).words.startswith("Clean the port: "))
        self.assertIn(clause(first.do), self.row(job).words)

    def test_a_job_is_given_to_somebody_and_put_back_for_anybody(self):
        job, other = make_job(self.user, ("port lint",)), make_user("other")
        page = reverse("jobs:give", args=[job.pk])
        self.assertContains(self.client.get(page), f'value="{other.pk}"')
        self.assertNotContains(self.client.get(page), f'value="{self.user.pk}"')
        self.assertEqual(self.client.post(page, {"to": other.pk}).status_code, 302)
        self.assertEqual(self.row(job).who, str(other))
        self.assertContains(self.client.get(job.get_absolute_url()), f"given to {other}")
        gone = make_user("gone")
        User.objects.filter(pk=gone.pk).update(is_active=False)
        for wrong in (other.pk, 4711, gone.pk):
            self.assertEqual(self.client.post(page, {"to": wrong}).status_code, 422)
        self.client.post(page, {"to": ""})
        self.assertEqual(self.row(job).who, "")
        actions.record_line(job, "wiggle steady", user=self.user, now=NOW)
        self.assertEqual(self.row(job).who, str(self.user))

    def test_its_minutes_are_those_of_the_next_step_with_its_wait_and_of_all_that_are_left(self):
        job = make_job(self.user, ("i 0.2 5.0 18%", "wiggle drops"), carrier="none", connector="micro_b")
        repair = actions.choose_route(job, "replace_port", "worn", user=self.user, now=NOW)
        steps = [row.step for row in before_test(plan_of(repair, repair.job, self.shop))]
        at = next(number for number, step in enumerate(steps) if step.wait)
        for step in steps[:at]:
            work_actions.do_step(repair, step.id, user=self.user, now=NOW)
        found = reckon(get_job(job.pk), self.shop)
        self.assertAlmostEqual(found.minutes, steps[at].minutes + steps[at].wait)
        self.assertAlmostEqual(found.left_minutes, sum(step.minutes + step.wait for step in steps[at + 1 :]))

    def test_what_is_left_of_a_proof_counts_its_waits(self):
        job = make_job(self.user, ("port lint", "i 0.0 5.0"))
        repair = actions.choose_route(job, "clean_port", "", user=self.user, now=NOW)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=NOW)
        work_actions.finish_repair(repair, "", user=self.user, now=NOW)
        items = [mark.item for mark in proving_of(get_job(job.pk), self.shop).result.items if not mark.settled]
        found = reckon(get_job(job.pk), self.shop)
        self.assertTrue(any(item.wait for item in items))
        self.assertAlmostEqual(found.minutes + found.left_minutes, sum(item.minutes + item.wait for item in items))

    def test_a_repair_waits_for_a_part_only_where_the_shop_keeps_it_and_none_lies_there(self):
        job, lead = make_job(self.user, ("start dead", "cell 3.9")), make_user("lead", role="lead")
        actions.choose_route(job, "swap_battery", "as always", user=self.user, now=NOW)
        self.assertEqual(reckon(get_job(job.pk), self.shop).wants_part, "")
        stock.take_in(self.shop.known, "swap_battery", "", 1, user=lead, now=NOW)
        self.assertEqual(reckon(get_job(job.pk), self.shop).wants_part, "")
        stock.count_parts(self.shop.known, Item.objects.get(), 0, user=lead, now=NOW)
        self.assertEqual(reckon(get_job(job.pk), self.shop).wants_part, "swap_battery")

    def test_who_looks_is_not_told_that_they_have_it_themselves(self):
        job = make_job(self.user, ("port lint",))
        found = Job.objects.get(pk=job.pk)
        self.assertIsNone(in_hand(found, self.user.pk))
        self.assertEqual(in_hand(found, None), found.held_at)

    def test_a_danger_outranks_and_is_named(self):
        make_job(self.user, promised_at=NOW - timedelta(hours=1))
        swollen = make_job(self.user, ("danger swollen",))
        first = self.rows()[0]
        self.assertEqual(first.job.pk, swollen.pk)
        self.assertIn("Swollen cell", first.words)
        self.assertContains(self.client.get("/"), "Pick up now")

    def test_waits_for_a_part_until_it_lies_there(self):
        lead = make_user("lead", role="lead")
        known = self.shop.known
        stock.take_in(known, "swap_battery", "", 1, Decimal(20), user=lead, now=NOW)
        first, second = (make_job(self.user, ("start dead", "cell 3.9", "i 0.0 5.0")) for _ in range(2))
        for job in (first, second):
            actions.choose_route(job, "swap_battery", "as always", user=self.user, now=NOW)
        self.assertEqual(self.row(first).wait, "")
        row = self.row(second)
        self.assertEqual((row.wait, row.wait_since), ("part", NOW))
        self.assertEqual([found.job.pk for found in self.rows("?waiting=part")], [second.pk])
        stock.take_in(known, "swap_battery", "", 1, None, user=lead, now=NOW)
        self.assertEqual(self.row(second).wait, "")

    def test_waits_for_the_customer_until_they_answer(self):
        job = make_job(self.user, ("port lint plug_proud",))
        quote = actions.make_quote(job, "clean_port", Decimal(20), "twenty", user=self.user, now=NOW)
        self.assertEqual(self.row(job).wait, "customer")
        actions.answer_quote(quote, "approved", "bosun", user=self.user, now=NOW)
        self.assertEqual(self.row(job).wait, "")

    def test_who_has_it_is_who_worked_at_it_last_and_somebody_elses_comes_after(self):
        second = make_user("second")
        mine, theirs = make_job(self.user), make_job(self.user)
        actions.record_line(theirs, "port lint", user=second, now=NOW + timedelta(minutes=29))
        rows = self.rows()
        self.assertEqual([row.job.pk for row in rows], [mine.pk, theirs.pk])
        self.assertEqual((rows[1].who, rows[1].group_label), (str(second), "Somebody has it in hand"))
        self.assertEqual([row.job.pk for row in self.rows(f"?person={second.pk}")], [theirs.pk])

    def test_sorts_filters_and_finds(self):
        names = ("Tarn 4", "Orvane D2", "Quillan P1")
        jobs = {name: make_job(self.user, model_name=name, customer=f"k{n}") for n, name in enumerate(names)}
        self.assertEqual([row.job.model_name for row in self.rows("?by=device")], sorted(names))
        self.assertEqual([row.job.model_name for row in self.rows("?by=device&down=yes")], sorted(names)[::-1])
        for by in ("job", "customer", "next", "waits", "promised", "who"):
            self.assertEqual(len(self.rows(f"?by={by}")), 3)
        self.assertEqual([row.job.model_name for row in self.rows("?q=k1")], ["Orvane D2"])
        pk = jobs["Tarn 4"].pk
        for typed in (f"{pk}", f"%23{pk}", f"%20%23%20{pk}"):
            self.assertRedirects(self.client.get(f"/?q={typed}"), jobs["Tarn 4"].get_absolute_url())
        self.assertContains(self.client.get("/?q=nothing like it"), "Look in the logbook too")

    def test_costs_the_same_queries_however_many_jobs_there_are(self):
        make_job(self.user)
        counts = []
        for _ in range(2):
            keep_up(self.shop, 50)
            with CaptureQueriesContext(connection) as caught:
                self.client.get("/")
            counts.append(len(caught))
            for _ in range(6):
                make_job(self.user)
        self.assertEqual(*counts)
        self.assertLess(counts[0], 14)

    def test_the_list_reckons_a_few_itself_where_nobody_else_does(self):
        for _ in range(5):
            make_job(self.user)
        page = self.client.get("/")
        self.assertContains(page, "being worked out", 2)
        self.assertContains(page, "load delay:2s")
        self.assertEqual(Standing.objects.count(), 3)
        self.assertContains(self.client.get("/"), "every 60s")
        self.assertFalse(Job.objects.filter(day_due=True).exists())

    def test_it_reckons_a_persons_own_jobs_and_leaves_the_others_to_the_working_process(self):
        second = make_user("second")
        other, mine = make_job(second), make_job(self.user)
        for job, user in ((other, second), (mine, self.user)):
            actions.record_line(job, "port lint", user=user, now=NOW)
        with patch("rainfront.day.views.left_lying", return_value=False):
            self.assertEqual(self.row(other).words, "being worked out")
        self.assertEqual(list(Standing.objects.values_list("job", flat=True)), [mine.pk])
