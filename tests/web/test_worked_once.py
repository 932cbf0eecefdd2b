"""The four things that are done all day: what each costs in queries, and that nothing is worked out twice for it."""

from unittest import mock

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from rainfront.inside import adapters as inside
from rainfront.inside.actions import store_point
from rainfront.jobs import actions, judging, planning, writing
from rainfront.work.models import StepRun
from tests.builders import NOW, hold_likeness, make_job
from tests.web.test_inside import USB_C, InsideTest

HTMX = {"HX-Request": "true"}


class Journeys(InsideTest):
    def setUp(self):
        super().setUp()
        hold_likeness(self)

    def queries_of(self, path, data, target=""):
        """How many queries sending a form costs, savepoints left out."""
        headers = {**HTMX, **({"HX-Target": target} if target else {})}
        with CaptureQueriesContext(connection) as seen:
            answer = self.client.post(path, data, headers=headers)
        self.assertEqual(answer.status_code, 200)
        return sum("SAVEPOINT" not in row["sql"] for row in seen)

    def test_a_probe_point_and_the_last_of_a_sheet_judge_it_once(self):
        self.keep_good()
        sheet = self.start()
        path, pins = self.to("point", sheet.pk), list(USB_C.walk())
        for pin in pins[:3]:
            self.point(sheet, pin, "500")
        for pin, most in ((pins[3], 12), (pins[-1], 14)):
            if pin == pins[-1]:
                for one in pins[4:-1]:
                    store_point(sheet, one, 500.0, user=self.user, now=NOW)
            with mock.patch.object(inside, "judge_sheet", wraps=inside.judge_sheet) as judged:
                self.assertLessEqual(self.queries_of(path, {"pin": pin, "value": "500"}, "sheet"), most)
            self.assertEqual(judged.call_count, 1)

    def test_a_step_that_is_done_makes_its_plan_once(self):
        job = make_job(self.user, ("i 0.0 5.1 12%", "port worn"))
        actions.choose_route(job, "swap_carrier", "as agreed", user=self.user, now=NOW)
        page = self.client.get(reverse("work:repair", args=[job.pk]))
        step = page.context["page"].now.id
        with mock.patch.object(planning, "make_plan", wraps=planning.make_plan) as planned:
            asked = self.queries_of(reverse("work:step", args=[job.pk]), {"act": f"done {step}"})
        self.assertLessEqual(asked, 12)
        self.assertEqual(planned.call_count, 1)
        self.assertEqual(StepRun.objects.get().step, step)

    def test_a_quick_line_makes_its_case_and_its_judgement_once(self):
        job = make_job(self.user, ("i 0.6 5.0 20%", "start starts", "vport 4.9"))
        self.client.get(job.get_absolute_url())
        with (
            mock.patch.object(writing, "case_of", wraps=writing.case_of) as first,
            mock.patch.object(judging, "case_of", wraps=judging.case_of) as again,
            mock.patch.object(judging, "judge", wraps=judging.judge) as judged,
        ):
            self.assertLessEqual(self.queries_of(reverse("jobs:line", args=[job.pk]), {"line": "vboard 4.8732"}), 10)
        self.assertEqual((first.call_count, again.call_count, judged.call_count), (1, 0, 1))
