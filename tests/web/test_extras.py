"""Other orders on one device: on the bench, the quote and the bill, with what makes no sense before it charges."""

from decimal import Decimal

from django.urls import reverse

from rainfront.counter import actions
from rainfront.counter.models import Extra
from rainfront.day.standing import reckon
from rainfront.jobs.models import Job
from rainfront.jobs.writing import JobError
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, make_job
from tests.web.test_pages import Signed


class Extras(Signed):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        cls.job = make_job(cls.user, ("port lint", "i 0.0 5.0"))
        cls.page = reverse("counter:order", args=[cls.job.pk])

    def add(self, label="new screen", minutes="40", part="30,50", status=302):
        sent = {"act": "extra", "label": label, "minutes": minutes, "part": part}
        answer = self.client.post(self.page, sent)
        self.assertEqual(answer.status_code, status)
        return answer

    def become(self, state):
        return self.client.post(self.page, {"act": "extra_state", "extra": Extra.objects.get().pk, "how": state})

    def test_the_bench_names_it_and_says_to_spend_nothing_before_it_charges(self):
        self.add()
        bench = self.client.get(self.job.get_absolute_url())
        self.assertContains(bench, "new screen")
        self.assertContains(bench, "Spend nothing on it before it charges")
        self.assertContains(bench, "60.50")
        self.become("dropped")
        self.assertNotContains(self.client.get(self.job.get_absolute_url()), "Also ordered")

    def test_the_quote_says_that_it_comes_on_top(self):
        self.add()
        page = self.client.get(reverse("jobs:quote", args=[self.job.pk, "clean_port"]))
        self.assertContains(page, "Also asked for: new screen")
        self.assertContains(page, "60.50 on top, once it charges.")

    def test_what_was_done_stands_on_the_bill_and_nothing_else_does(self):
        for label in ("microphone", "speaker"):
            self.add(label, "20", "")
        actions.set_extra(Extra.objects.get(label="microphone"), "done", user=self.user, now=NOW)
        Job.objects.filter(pk=self.job.pk).update(stage="closed", closed_at=NOW, outcome_works=False)
        lines = self.client.get(self.page).context["lines"].initial
        self.assertEqual(
            [(row["label"], row["amount"]) for row in lines],
            [("Looked at, not repaired", Decimal(0)), ("Microphone", Decimal("15.00"))],
        )

    def test_what_is_agreed_stands_in_plan_and_day_and_does_not_leave_undone(self):
        def left():
            return reckon(Job.objects.get(pk=self.job.pk), Shop.current()).left_minutes

        before = left()
        self.add()
        self.assertEqual(left(), before)
        self.become("agreed")
        self.assertEqual(left(), before + 40)
        choose = self.client.get(reverse("jobs:choose", args=[self.job.pk, "clean_port"]))
        self.assertContains(choose, "Also agreed on this device:</b> new screen")
        Job.objects.filter(pk=self.job.pk).update(stage="closed", closed_at=NOW, outcome_works=True)
        actions.set_bill(self.job, [("Labour", Decimal(20))], user=self.user, now=NOW)
        with self.assertRaisesMessage(JobError, "agreed and not done yet: new screen"):
            actions.hand_over(self.job, pays_later=True, user=self.user, now=NOW)
        self.become("done")
        actions.hand_over(self.job, pays_later=True, user=self.user, now=NOW)

    def test_an_order_is_offered_again_on_the_next_device_of_the_model(self):
        self.add()
        second = make_job(self.user)
        page = reverse("counter:order", args=[second.pk])
        self.assertContains(self.client.get(page), "As on this model before")
        self.client.post(page, {"act": "extra_again", "extra": Extra.objects.get().pk})
        made = Extra.objects.latest("pk")
        self.assertEqual((made.job, made.minutes, made.part, made.state), (second, 40, Decimal("30.50"), "asked"))
        self.assertNotContains(self.client.get(page), "As on this model before")

    def test_what_is_wrong_is_said_and_nothing_is_stored(self):
        self.add(label="", status=422)
        self.add(minutes="-3", status=422)
        self.add(part="much", status=422)
        self.assertFalse(Extra.objects.exists())
        self.add()
        self.assertEqual(self.become("sold").status_code, 422)
        self.client.post(self.page, {"act": "extra_state", "extra": "x", "how": "done"})
        other = make_job(self.user)
        answer = self.client.post(
            reverse("counter:order", args=[other.pk]),
            {"act": "extra_state", "extra": Extra.objects.get().pk, "how": "done"},
        )
        self.assertEqual((answer.status_code, Extra.objects.get().state), (404, "asked"))

    def test_a_device_takes_so_many(self):
        for number in range(20):
            actions.add_extra(self.job, f"order {number}", 1, Decimal(0), user=self.user, now=NOW)
        with self.assertRaisesMessage(JobError, "20 orders on one device"):
            actions.add_extra(self.job, "one more", 1, Decimal(0), user=self.user, now=NOW)
