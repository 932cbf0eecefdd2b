"""Hostile input from a fixed seed: a short run in `make test`, 20,000 requests, 100,000 parsings in `make exhaustive`.

`RAINFRONT_SEED` begins somewhere else.
"""

import os
import time

from django.test import Client, TestCase
from django.urls import reverse

from chargepath.knowledge.loader import shipped
from rainfront.jobs.models import Entry, Job
from tests.builders import make_job, make_user
from tests.fuzz import pages, parsers
from tests.sizes import sized

REQUESTS, PARSINGS = sized((40, 1_000), (20_000, 100_000))
SEED = int(os.environ.get("RAINFRONT_SEED", "20261126"))


class Hostile(TestCase):
    def test_the_parsers_answer_or_refuse_in_words_and_soon(self):
        self.assertEqual(parsers.run(SEED, PARSINGS), [])

    def test_no_request_is_answered_with_a_500_or_late_and_every_page_still_opens(self):
        owner, known = make_user("owner", "owner"), shipped()
        made = [make_job(owner, lines) for lines in ((), ("port lint",), ("i 0.2 5.0 18%", "wiggle drops"))]
        words = {"kind": ["report", "receipt", "quote", "intake"], "name": ["Orvane D2"], "stem": ["wording"]}
        tables = {"check": known.checks, "route": known.routes, "fault": known.faults, "routine": known.routines}
        words |= {name: list(table) for name, table in {**tables, "map_id": known.connectors}.items()}
        client = Client(raise_request_exception=True)
        client.force_login(owner)
        walk = pages.Walk(client, [job.pk for job in made][sized(-1, 0) :], words)
        self.assertEqual(walk.open_all(), [])
        self.assertEqual(walk.run(SEED, REQUESTS), [])
        walk.jobs = list(Job.objects.order_by("-pk").values_list("pk", flat=True)[: sized(1, 12)])
        self.assertEqual(walk.open_all(), [])

    def test_a_megabyte_in_any_field_is_answered_soon_and_stored_nowhere(self):
        owner = make_user("owner", "owner")
        job = make_job(owner, ("port lint",))
        client = Client()
        client.force_login(owner)
        walk = pages.Walk(client, [job.pk], {})
        walk.open_all()
        for name, places in walk.addresses:
            if not places:
                walk.learn(name, client.get(reverse(name)).getvalue())
        text, tried = "lock 1234 is " * 70_000, 0
        for view, names in walk.names.items():
            places = dict(walk.addresses).get(view)
            if places is None or len(places) > 1 or (places and places[0] not in ("int:pk", "int:job")):
                continue
            path, usual = (
                reverse(view, args=[job.pk] * len(places)),
                {key: kept[0] if kept else "1" for key, kept in names.items()},
            )
            for field in list(names)[:: sized(17, 1)]:
                begun = time.perf_counter()
                answer = client.post(path, {**usual, field: text})
                with self.subTest(address=view, field=field):
                    self.assertLess(answer.status_code, 500)
                    self.assertLess(time.perf_counter() - begun, parsers.LONGEST_S)
                tried += 1
        self.assertGreater(tried, sized(10, 100))
        for table in (Entry, Job):
            for row in table.objects.all():
                self.assertLess(max(len(str(value)) for value in vars(row).values()), 6000)

    def test_numbers_of_rows_that_no_database_holds_are_not_there(self):
        client = Client()
        client.force_login(make_user())
        for number in (2**63, 10**30, "9" * 5000):
            for path in (f"/jobs/{number}/", f"/jobs/{number}/records/{number}/", f"/stock/{number}/"):
                self.assertEqual(client.get(path).status_code, 404)
            self.assertIn(client.post("/jobs/new/", {"value": number}).status_code, (422,))
