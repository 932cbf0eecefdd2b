"""How a job ends that is not repaired: handed on, cancelled, or with a quote that the customer declines."""

from decimal import Decimal

from django.test import TestCase
from django.urls import reverse

from chargepath.base.errors import ChargepathError
from rainfront.jobs import actions
from rainfront.jobs.models import Job, Quote
from rainfront.learning.examples import examples_of
from rainfront.logbook.index import follow_jobs
from rainfront.proof import actions as proof_actions
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, handed_on, judged, make_job, make_user


class Ending(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.user = make_user("lead", "lead")

    def setUp(self):
        self.client.force_login(self.user)
        self.hand = {"user": self.user, "now": NOW}

    def page(self, name, job):
        return self.client.get(reverse(name, args=[job.pk]))

    def test_a_job_handed_on_without_a_fault_is_nowhere_said_to_have_had_nothing(self):
        job = make_job(self.user, ("port clean", "i 0.0 5.0"))
        handed_on(job, "what is wrong stays unclear", **self.hand)
        follow_jobs(Shop.current())
        for page in (self.page("jobs:record", job), self.client.get("/logbook/?q=unclear")):
            self.assertNotContains(page, "nothing was wrong")
        self.assertContains(self.page("jobs:record", job), "What is wrong was not found.")
        self.assertContains(self.client.get("/logbook/?q=unclear"), "the cause was not found")
        self.assertEqual(Job.objects.get(pk=job.pk).on_as, "whole")

    def test_an_opened_device_is_told_how_to_be_closed_unless_a_danger_stands(self):
        url = "proof:refer"
        outside = make_job(self.user, ("port clean",))
        self.assertNotContains(self.page(url, outside), "How does it leave?")
        opened = make_job(self.user, ("port clean", "inside clean"))
        page = self.page(url, opened)
        self.assertContains(page, "How does it leave?")
        closing = page.context["closing"]
        self.assertIn("Put SIM tray and card back in.", closing)
        self.assertContains(page, "the battery rail is measured against ground, before the battery connector goes on")
        self.assertContains(page, "Lithium cell")
        self.assertFalse([text for text in closing if "for the test" in text or text.startswith("Switch it off")])
        with self.assertRaisesMessage(ChargepathError, "it was opened: say how it leaves"):
            proof_actions.refer_job(opened, [], "unclear", why="unfound", to="the customer", **self.hand)
        swollen = make_job(self.user, ("port clean", "inside clean", "danger swollen"))
        page = self.page(url, swollen)
        self.assertEqual(page.context["closing"], [])
        self.assertContains(page, "The battery connector stays off")

    def test_a_cancelled_job_counts_nowhere_and_a_repair_that_was_begun_is_not_cancelled(self):
        job = make_job(self.user, ("port lint",))
        self.client.post(reverse("proof:cancel", args=[job.pk]), {"why": "taken in twice"})
        job.refresh_from_db()
        self.assertTrue(job.is_cancelled)
        self.assertContains(self.page("jobs:record", job), "Cancelled.")
        self.assertFalse(Job.objects.teaching().filter(pk=job.pk).exists())
        self.assertEqual(examples_of(job, Shop.current().known)[0].case.outcome, None)
        begun = make_job(self.user, ("port lint",))
        actions.choose_route(begun, "clean_port", "", **self.hand)
        answer = self.client.post(reverse("proof:cancel", args=[begun.pk]), {"why": "a mistake"})
        self.assertContains(answer, "a repair was begun on it", status_code=422)
        again = proof_actions.reopen_job(job, "the same one after all", came_back=False, **self.hand)
        self.assertFalse(again.is_closed)

    def test_a_declined_quote_takes_its_repair_out_of_the_advice_until_one_is_approved(self):
        job = make_job(self.user, ("port clean", "i 0.0 5.0 12%", "wiggle drops", "try swap_carrier yes"))
        before = judged(job).advice
        self.assertEqual(before.next.id, "swap_carrier")
        quote = actions.make_quote(job, "swap_carrier", Decimal(60), "A new sub-board.", **self.hand)
        actions.answer_quote(quote, Quote.Answer.DECLINED, "deck crew", **self.hand)
        job.refresh_from_db()
        after = judged(job)
        self.assertNotIn("swap_carrier", [term.id for term in after.advice.routes])
        self.assertNotEqual(after.advice.next.id, "swap_carrier")
        self.assertFalse([name for name, habit in after.habits.items() if habit.step.id == "swap_carrier"])
        self.assertContains(self.client.get(job.get_absolute_url()), "the customer declined it")
        self.assertContains(self.client.get(f"/jobs/{job.pk}/choose/swap_carrier/"), "Make another quote")
        self.assertEqual(self.page("proof:refer", job).context["form"]["why"].value(), "declined")
        quote = actions.make_quote(job, "swap_carrier", Decimal(50), "A used sub-board.", **self.hand)
        actions.answer_quote(quote, Quote.Answer.APPROVED, "deck crew", **self.hand)
        job.refresh_from_db()
        self.assertEqual(judged(job).advice.next.id, "swap_carrier")
