"""Insights through the web: what is counted, honest about few, taken out, and when a large shop's are made anew."""

import csv
import io
from datetime import timedelta
from unittest import mock

from django.utils import timezone

from rainfront.demo.proofs import TICKED_LATE, prove_whole
from rainfront.insights import reckoning, views
from rainfront.insights.models import Reckoned
from rainfront.jobs import actions
from rainfront.logbook.index import follow_jobs
from rainfront.proof import actions as proof_actions
from rainfront.work import actions as work_actions
from rainfront.workshop.adapters import Shop
from tests.builders import make_job
from tests.web.test_pages import Signed

PATH = "/insights/"


class Figures(Signed):
    def closed(self, works=True, days=1):
        now = timezone.now() - timedelta(days=days)
        hand = {"user": self.user, "now": now - timedelta(hours=1)}
        job = make_job(self.user, ("port lint", "i 0.0 5.1 20%"))
        for route, cures in (("clean_port", works), *((("swap_carrier", True),) if not works else ())):
            repair = actions.choose_route(job, route, "as agreed", **hand)
            work_actions.do_rest(repair, reasons=TICKED_LATE, **hand)
            work_actions.finish_repair(repair, "", **hand)
            if cures:
                prove_whole(job, self.user, hand["now"])
            else:
                proof_actions.record_proof(job, {"amps": 0.0, "volts": 5.1}, **hand)
                proof_actions.fail_proof(job, **hand)
        proof_actions.close_job(job, ["port_fouled"], user=self.user, now=now)
        follow_jobs(Shop.current(), 50)
        return job

    def rows(self, figures="first", **query):
        answer = self.client.get(f"{PATH}{figures}.csv", query)
        self.assertEqual(answer.status_code, 200)
        return list(csv.DictReader(io.StringIO(answer.content.decode())))

    def test_an_empty_shop_is_told_that_nothing_says_anything_yet(self):
        page = self.client.get(PATH)
        self.assertContains(page, "No closed job says anything of it yet.")
        self.assertNotContains(page, "as they stood")

    def test_few_cases_are_shown_with_their_interval_and_said_to_be_few(self):
        for works in (True, True, True, False):
            self.closed(works)
        self.assertContains(self.client.get(PATH), "too few to say")
        (every, cleaned) = self.rows()
        self.assertEqual((every["value (share)"], every["count"]), ("0.75", "4"))
        # Wilson's interval of 3 of 4, worked out by hand.
        self.assertAlmostEqual(float(every["low 95 % (share)"]), 0.3006, places=3)
        self.assertAlmostEqual(float(every["high 95 % (share)"]), 0.9544, places=3)
        self.assertEqual(cleaned["name"], "Clean the port")

    def test_a_period_leaves_out_what_lies_before_it_and_a_reopened_job_is_gone(self):
        self.closed(days=200)
        late = self.closed(days=5)
        self.assertEqual(self.rows(period="quarter")[0]["count"], "1")
        self.assertEqual(self.rows(period="all")[0]["count"], "2")
        proof_actions.reopen_job(late, "wrong box", came_back=False, user=self.user, now=timezone.now())
        follow_jobs(Shop.current(), 50)
        self.assertEqual(self.rows(period="all")[0]["count"], "1")

    def test_what_does_not_exist_is_not_found(self):
        self.assertEqual(self.client.get(f"{PATH}moons.csv").status_code, 404)
        self.assertEqual(self.client.get(PATH, {"period": "moon"}).status_code, 200)

    def test_a_large_shops_figures_are_asked_for_again_after_a_while_and_not_at_every_look(self):
        self.closed()
        self.client.get(PATH)
        self.closed()
        with mock.patch.object(reckoning, "QUICKLY", 1), mock.patch.object(views, "soon") as asked:
            page = self.client.get(PATH)
            self.assertContains(page, "as they stood")
            self.assertFalse(asked.called)
            Reckoned.objects.update(at=timezone.now() - views.RESTS - timedelta(seconds=1))
            self.client.get(PATH)
            self.assertTrue(asked.called)
