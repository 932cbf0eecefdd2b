"""The shop's own numbers through the web: knowledge, prices, what was learned."""

import json
from datetime import timedelta
from decimal import Decimal

from django.test import SimpleTestCase
from django.urls import reverse

from chargepath.knowledge.loader import shipped
from rainfront.jobs import actions, adapters
from rainfront.learning.examples import timings_of
from rainfront.proof import actions as proof_actions
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import KnowledgeChange, Learned, PartPrice, ShopMinutes
from rainfront.workshop.presenters import suits_words
from tests.builders import NOW, device, judged, make_job, make_user
from tests.web.test_pages import Signed

WEIGHT = "faults.port_fouled.weight"


class WaysOfTheShop(SimpleTestCase):
    def test_no_id_is_shown_of_where_a_way_suits(self):
        """A word that has no words here would be a KeyError."""
        known = Shop.as_shipped().known
        said = " ".join(
            suits_words(known, option.when, option.unless)
            for options in known.procedures.options.values()
            for option in options.values()
        )
        self.assertIn("work at the port with port's pins hidden under its shell with plastic close to the port", said)
        self.assertNotRegex(said, "[a-z]_[a-z]")


class WorkshopTest(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.lead = make_user("lead", role="lead")

    def to(self, name, *args):
        return reverse(f"workshop:{name}", args=args)

    def as_lead(self):
        self.client.force_login(self.lead)
        return self.client


class Knowledge(WorkshopTest):
    def change(self, value="0.5", reason="harbour lint", act="change", path=WEIGHT):
        return self.client.post(self.to("change"), {"path": path, "value": value, "reason": reason, "act": act})

    def test_every_fault_can_be_read_and_searched(self):
        self.assertContains(self.client.get(self.to("knowledge")), "Dirty port")
        found = self.client.get(self.to("knowledge") + "?q=lint, foreign object").context["rows"]
        self.assertIn("port_fouled", [row.id for row in found])
        self.assertLess(len(found), 6)
        for fault in shipped().faults:
            self.assertEqual(self.client.get(self.to("fault", fault)).status_code, 200)
        page = self.client.get(self.to("fault", "port_fouled"))
        for text in ("common practice", "Repair: Clean the port", "0.88"):
            self.assertContains(page, text)

    def test_checks_and_general_numbers_can_be_read_and_lead_to_their_change(self):
        for name, args, text in (
            ("check", ("charger_current",), "checks.charger_current.minutes"),
            ("general", ("costs",), "costs.harm_share"),
            ("general", ("scale",), "scale.model.slip"),
            ("general", ("proof",), "proof.direction_share"),
        ):
            page = self.client.get(self.to(name, *args))
            self.assertContains(page, text)
            self.assertEqual(self.client.get(f"{self.to('change')}?path={text}").status_code, 200)
        for check in shipped().checks:
            self.assertEqual(self.client.get(self.to("check", check)).status_code, 200)
        self.assertEqual(self.client.get(self.to("general", "moon")).status_code, 404)
        self.assertEqual(self.client.get(self.to("check", "moon")).status_code, 404)

    def test_a_change_shows_which_reference_cases_are_answered_otherwise_before_it_is_made(self):
        self.as_lead()
        page = self.change(value="0.9", reason="", act="look", path="faults.battery_worn.weight")
        self.assertTrue(page.context["rows"])
        self.assertIs(Shop.current().known, shipped())
        self.change(value="0.9")
        self.assertEqual(Shop.current().known.faults["port_fouled"].weight, 0.9)
        self.assertEqual(shipped().faults["port_fouled"].weight, 0.15)

    def test_a_changed_number_reaches_the_belief_and_going_back_takes_it_away(self):
        job = make_job(self.user, ("i 0.0 5.1 20%",))
        before = dict(judged(job).belief.faults)["port_fouled"]
        self.as_lead()
        self.change()
        during = dict(judged(job).belief.faults)["port_fouled"]
        self.assertGreater(during, before + 0.1)
        row = KnowledgeChange.objects.get()
        self.client.post(self.to("undo", row.pk))
        self.assertAlmostEqual(dict(judged(job).belief.faults)["port_fouled"], before)
        self.assertContains(self.client.get(self.to("knowledge")), "undone by")

    def test_what_cannot_be_is_refused_with_what_would_and_only_the_lead_changes(self):
        self.assertContains(self.change(), "Only owner or lead may change", status_code=403)
        self.as_lead()
        self.assertContains(self.change(value="7"), "from 1e-06 to 1", status_code=422)
        self.assertEqual(self.change(reason="").status_code, 422)
        self.assertEqual(self.change(path="faults.moon.weight").status_code, 404)
        self.assertEqual(self.change(path="cautions.lead.text").status_code, 404)
        self.assertFalse(KnowledgeChange.objects.exists())

    def test_the_list_costs_the_same_with_more_changes(self):
        self.as_lead()
        self.change()
        self.client.get(self.to("knowledge"))
        with self.assertNumQueries(4):
            self.client.get(self.to("knowledge"))
        for value in ("0.4", "0.3", "0.2"):
            self.change(value=value)
        self.client.get(self.to("knowledge"))
        with self.assertNumQueries(4):
            self.client.get(self.to("knowledge"))


class Prices(WorkshopTest):
    def minutes(self, **details):
        return self.client.post(
            self.to("costs"), {"which": "minutes", "key": "route:clean_port", "minutes": "20", **details}
        )

    def part(self, **details):
        data = {"which": "part", "route": "swap_battery", "price": "24.90", "days": "2", "sold_with": "", **details}
        return self.client.post(self.to("costs"), data)

    def test_a_models_own_minutes_come_before_its_kinds_and_the_shops(self):
        self.as_lead()
        self.minutes()
        self.minutes(family="phone", minutes="15")
        self.minutes(family="Orvane D2", minutes="9")

        def taken(kind, model):
            return Shop.current().minutes_for(device(f"{kind} usb_c none"), model)["route:clean_port"]

        self.assertEqual([taken("phone", "Orvane D2"), taken("phone", "x"), taken("tablet", "x")], [9, 15, 20])
        self.minutes(family="Orvane D2", minutes="")
        self.assertEqual(taken("phone", "Orvane D2"), 15)
        self.assertEqual(ShopMinutes.objects.count(), 3)

    def test_a_part_price_is_a_decimal_that_anybody_at_the_bench_may_enter(self):
        self.part()
        self.assertEqual(PartPrice.objects.get().price, Decimal("24.90"))
        job = make_job(self.user)
        term = next(t for t in judged(job).advice.routes if t.id == "swap_battery")
        self.assertEqual((term.act.part, term.act.days), (24.9, 2.0))

    def test_bad_prices_say_what_would_be_right(self):
        table = (
            ({"price": "-3"}, "0 to 100,000"),
            ({"days": "400"}, "0 to 90"),
            ({"sold_with": "swap_battery"}, "another repair"),
            ({"route": "moon"}, "valid choice"),
        )
        for details, says in table:
            with self.subTest(details=details):
                self.assertContains(self.part(**details), says, status_code=422)
        self.assertContains(self.minutes(), "Only owner or lead may change", status_code=403)
        self.assertFalse(PartPrice.objects.exists())


class Estimates(WorkshopTest):
    def closed(self, faults=("port_fouled",), lines=("did clean_port yes",), **details):
        job = make_job(self.user, lines, **details)
        return proof_actions.close_job(job, list(faults), user=self.user, now=NOW)

    def test_closed_jobs_move_the_numbers_and_the_page_says_from_how_many(self):
        for _ in range(6):
            self.closed()
        page = self.client.get(self.to("learned"))
        self.assertContains(page, "closed jobs")
        page = self.client.get(self.to("learned") + "?part=all")
        self.assertRegex(page.content.decode(), r"began at 1\d%, here 2\d% from 6 jobs")
        self.assertGreater(Shop.current().known.faults["port_fouled"].weight, shipped().faults["port_fouled"].weight)

    def test_frozen_reset_off_and_taken_out(self):
        self.closed()
        self.as_lead()
        self.client.post(self.to("set_learning"), {"state": "frozen"})
        self.closed()
        self.assertEqual(Learned.objects.first().jobs, 1)
        self.client.post(self.to("set_learning"), {"state": "off"})
        self.assertIs(Shop.current().known, shipped())
        self.client.post(self.to("set_learning"), {"state": "on"})
        taken = json.loads(self.client.get(self.to("export")).content)
        self.assertEqual((taken["format"], taken["jobs"]), ("rainfront-learned", 2))
        self.client.post(self.to("set_learning"), {"state": "reset"})
        self.assertIsNone(Shop.current().estimates)
        self.client.force_login(self.user)
        page = self.client.post(self.to("set_learning"), {"state": "off"}, follow=True)
        self.assertContains(page, "Only owner or lead may change", status_code=403)

    def test_a_job_that_came_back_takes_the_cure_back(self):
        job = self.closed()
        good = Shop.current().estimates.cures["clean_port", "port_fouled"].here
        job = proof_actions.reopen_job(job, "came back after two days", user=self.user, now=NOW)
        actions.record_line(job, "did replace_port yes", user=self.user, now=NOW + timedelta(minutes=40))
        proof_actions.close_job(job, ["port_fouled"], user=self.user, now=NOW + timedelta(hours=1))
        self.closed()
        found = Shop.current().estimates
        self.assertLess(found.cures["clean_port", "port_fouled"].here, good)
        self.assertGreater(found.comebacks["clean_port"].here, 0.05)

    def test_the_figure_in_force_stands_beside_the_shipped_one_wherever_either_is_shown(self):
        for _ in range(8):
            self.closed()
        now = Shop.current().known
        weight, cure = now.faults["port_fouled"].weight, now.routes["clean_port"].cures["port_fouled"]
        page = self.client.get(self.to("fault", "port_fouled"))
        for value in (weight, cure):
            self.assertContains(page, f'<b>{value:.3g}</b> <span class="tag">learned here, shipped')
        self.assertRegex(
            self.client.get(self.to("knowledge")).content.decode(), r'2\d%</span> <span class="tag">shipped 1'
        )
        address = self.to("change") + "?path=faults.port_fouled.weight"
        self.assertContains(self.client.get(address), f'moved it to <span class="num">{weight:.3g}</span>')

    def test_a_corrected_closing_replaces_its_example_and_is_no_come_back(self):
        job = self.closed(["port_worn"])
        before = Shop.current().known.faults["port_fouled"].weight
        job = proof_actions.reopen_job(job, "wrong box ticked", came_back=False, user=self.user, now=NOW)
        self.assertIsNone(Shop.current().estimates)
        proof_actions.close_job(job, ["port_fouled"], user=self.user, now=NOW + timedelta(minutes=1))
        estimates = Shop.current().estimates
        self.assertGreater(Shop.current().known.faults["port_fouled"].weight, before)
        self.assertLess(estimates.comebacks["clean_port"].here, 0.05)
        self.assertEqual(Learned.objects.first().jobs, 1)

    def test_what_was_struck_out_teaches_no_minutes(self):
        """Neither itself nor what followed it: nobody knows how long that took."""
        job = make_job(self.user)
        minutes = {"port lint": 1, "wiggle drops": 3, "wiggle steady": 4, "flip same": 9, "did clean_port yes": 20}
        for line, after in minutes.items():
            actions.record_line(job, line, user=self.user, now=NOW + timedelta(minutes=after))
        taught = [timing.key for timing in timings_of(list(job.entries.all()), [], adapters.device_of(job), shipped())]
        self.assertEqual(taught, ["check:port_look", "check:plug_wiggle", "check:plug_wiggle", "check:plug_flip"])
        actions.strike_entry(job.entries.get(name="plug_wiggle", grade="drops"), "", user=self.user, now=NOW)
        taught = [timing.key for timing in timings_of(list(job.entries.all()), [], adapters.device_of(job), shipped())]
        self.assertEqual(taught, ["check:port_look", "check:plug_flip"])

    def test_a_models_own_jobs_move_its_suspects_and_not_another_models(self):
        for _ in range(12):
            self.closed(["battery_worn"], ["did swap_battery yes"], model_name="Tarn 4")
            self.closed(["port_fouled"], model_name="Orvane D2")

        def chance(model):
            found = judged(make_job(self.user, ["i 0.6 5.0 20%"], model_name=model))
            return dict(found.belief.faults)["battery_worn"]

        self.assertGreater(chance("Tarn 4"), 1.2 * chance("Hestral 8"))
        self.assertLess(chance("Orvane D2"), chance("Hestral 8"))

    def test_come_backs_make_a_repair_dearer_and_its_working_says_so(self):
        for step in range(6):
            job = self.closed()
            job = proof_actions.reopen_job(job, "came back", user=self.user, now=NOW)
            actions.record_line(job, "did clean_port yes", user=self.user, now=NOW + timedelta(minutes=40 + step))
            proof_actions.close_job(job, ["port_fouled"], user=self.user, now=NOW + timedelta(hours=1))
        self.closed()
        factor = Shop.current().estimates.comebacks["clean_port"].factor
        self.assertGreater(factor, 2)
        prices = judged(make_job(self.user)).prices
        route = shipped().routes["clean_port"]
        self.assertAlmostEqual(prices.coming_back(route), factor * prices.comeback)
        self.as_lead()
        self.assertContains(self.client.get(self.to("learned")), "Come-backs")

    def test_what_faults_show_here_reaches_the_belief_and_the_page(self):
        for _ in range(16):
            self.closed(["battery_worn"], ["port lint", "did swap_battery yes"])
        leak = Shop.current().known.checks["port_look"].leak["lint"]
        self.assertGreater(leak, 2 * shipped().checks["port_look"].leak["lint"])
        page = self.client.get(self.to("learned"))
        self.assertContains(page, "Anything else shows &quot;lint or dust&quot; (look into the port)")
        self.assertContains(page, "from 16 jobs")

    def test_minutes_come_out_of_the_log(self):
        job = make_job(self.user)
        for step, line in enumerate(("port lint", "wiggle steady", "flip same"), 1):
            actions.record_line(job, line, user=self.user, now=NOW + timedelta(minutes=3 * step))
        actions.record_line(job, "did clean_port yes", user=self.user, now=NOW + timedelta(minutes=20))
        proof_actions.close_job(job, ["port_fouled"], user=self.user, now=NOW + timedelta(minutes=25))
        self.assertIn("check:plug_wiggle", Shop.current().estimates.minutes)
