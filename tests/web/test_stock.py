"""The shelf: parts come in, repairs use them, somebody counts; the advice waits for nothing that lies there."""

from datetime import timedelta
from decimal import Decimal

from django.urls import reverse

from chargepath.decision.shelf import what_to_do
from chargepath.knowledge.loader import shipped
from rainfront.jobs import actions
from rainfront.jobs.judging import parts_used
from rainfront.practice.actions import set_part
from rainfront.practice.adapters import Practice
from rainfront.stock.models import Move
from tests.builders import NOW, judged, judged_job, make_job
from tests.web.test_pages import Signed


class StockTest(Signed):
    def take_in(self, **details):
        data = {"which": "in", "route": "swap_battery", "family": "", "count": "3", "price": "", **details}
        return self.client.post(reverse("stock:shelf"), data)

    def count(self, there, route="swap_battery", family=""):
        data = {"which": "count", "route": route, "family": family, "there": there}
        return self.client.post(reverse("stock:shelf"), data)

    def shelf(self, **details):
        return judged_job(make_job(self.user, **details)).shelf

    def term(self, name="swap_battery", **details):
        return next(t for t in judged(make_job(self.user, **details)).advice.routes if t.id == name)

    def repair(self, job, route="swap_battery", now=NOW):
        made = actions.choose_route(job, route, "as agreed", user=self.user, now=now)
        actions.do_rest(made, user=self.user, now=now)
        return actions.finish_repair(made, "", user=self.user, now=now)


class TheShelf(StockTest):
    def test_what_came_in_lies_there_and_nobody_waits_for_it(self):
        self.assertEqual(self.term().act.days, shipped().routes["swap_battery"].days)
        self.take_in(price="21.40")
        term = self.term()
        self.assertEqual((self.shelf()["swap_battery"], term.act.days, term.act.part), (3, 0.0, 21.4))
        self.count("0")
        self.assertGreater(self.term().act.days, 0)
        self.assertEqual(self.term().act.waiting, self.term().act.days * shipped().costs.day_price)

    def test_a_models_own_part_is_not_another_models(self):
        self.take_in(family="Orvane D2", count="2")
        self.take_in(family="orvane d2", count="1")
        self.assertEqual(self.shelf(model_name="Orvane D2"), {"swap_battery": 3})
        self.assertEqual(self.shelf(model_name="Tarn 4"), {})

    def test_a_new_price_keeps_the_days_and_what_it_is_sold_with(self):
        set_part("swap_battery", "", Decimal("30"), 4, "reseat_links", user=self.user, now=NOW)
        self.take_in(price="18.00")
        self.count("0")
        term = self.term()
        self.assertEqual(term.act.days, 4)
        self.assertEqual(
            parts_used(make_job(self.user), "swap_battery", Practice.current()), ("swap_battery", "reseat_links")
        )

    def test_a_finished_repair_takes_its_part_and_a_struck_one_puts_it_back(self):
        self.take_in()
        job = make_job(self.user)
        done = self.repair(job)
        self.assertEqual(self.shelf()["swap_battery"], 2)
        page = self.client.get(reverse("stock:shelf"))
        self.assertContains(page, "used, ")
        self.assertContains(page, reverse("jobs:bench", args=[job.pk]))
        actions.strike_entry(done.entry, "wrong job", user=self.user, now=NOW + timedelta(minutes=1))
        self.assertEqual(self.shelf()["swap_battery"], 3)

    def test_each_of_two_repairs_struck_out_puts_its_own_part_back(self):
        self.take_in()
        job = make_job(self.user)
        done = []
        for step in range(2):
            done.append(self.repair(job, now=NOW + timedelta(minutes=60 * step)))
            actions.record_proof(
                job, {"amps": 0.05, "volts": 5.0}, user=self.user, now=NOW + timedelta(minutes=60 * step + 30)
            )
        self.assertEqual(self.shelf()["swap_battery"], 1)
        for count, repair in enumerate(done, 2):
            actions.strike_entry(repair.entry, "wrong job", user=self.user, now=NOW + timedelta(hours=3))
            self.assertEqual(self.shelf()["swap_battery"], count)

    def test_a_repair_whose_part_is_not_kept_moves_nothing(self):
        self.repair(make_job(self.user))
        self.assertFalse(Move.objects.exists())

    def test_counting_sets_what_is_there_and_keeps_what_was(self):
        self.take_in()
        self.count("7")
        self.assertEqual(self.shelf()["swap_battery"], 7)
        self.assertEqual([move.change for move in Move.objects.all()], [4, 3])

    def test_bad_input_says_what_would_be_right_and_moves_nothing(self):
        for details, says in (
            ({"count": "0"}, "1 to 10,000"),
            ({"count": "x"}, "whole number"),
            ({"route": "clean_port"}, "valid choice"),
            ({"price": "-1"}, "0 to 100,000"),
        ):
            with self.subTest(details=details):
                self.assertContains(self.take_in(**details), says, status_code=422)
        self.assertContains(self.count("many"), "whole number", status_code=422)
        self.assertContains(self.count("-1"), "0 to 10,000", status_code=422)
        self.assertContains(self.count("1", route="moon"), "takes no part", status_code=422)
        self.assertFalse(Move.objects.exists())

    def test_decide_says_how_many_lie_there(self):
        self.take_in(route="swap_carrier", count="2")
        job = make_job(self.user, ["i 0.0 5.1 20%"])
        self.assertContains(self.client.get(reverse("jobs:decide", args=[job.pk])), "2 on the shelf")

    def test_the_page_costs_the_same_with_more_on_it(self):
        self.take_in()
        self.client.get(reverse("stock:shelf"))
        with self.assertNumQueries(5):
            self.client.get(reverse("stock:shelf"))
        for model in ("A1", "B2", "C3"):
            self.take_in(family=model)
        self.client.get(reverse("stock:shelf"))
        with self.assertNumQueries(5):
            self.client.get(reverse("stock:shelf"))

    def test_when_to_order(self):
        table = (
            (-1, 0, 1, "count again"),
            (0, 0, 1, "none left"),
            (2, 30, 2, "order: 2"),
            (3, 30, 2, ""),
            (1, 0, 9, ""),
        )
        for there, used, days, says in table:
            with self.subTest(there=there, used=used):
                self.assertRegex(what_to_do(there, used, days), f"^{says}" if says else "^$")
