"""Hostile input: a short run from fixed seeds; `make fuzz` runs 20,000 requests and 100,000 parsings."""

import os

from django.test import Client, TestCase

from chargepath.knowledge.loader import shipped
from rainfront.jobs.models import Entry, Job
from tests.builders import make_job, make_user
from tests.fuzz import pages, parsers

LONG = os.environ.get("RAINFRONT_FUZZ") == "long"
REQUESTS, PARSINGS = (20_000, 100_000) if LONG else (600, 3_000)
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
        walk = pages.Walk(client, [job.pk for job in made], words)
        self.assertEqual(walk.open_all(), [])
        self.assertEqual(walk.run(SEED, REQUESTS), [])
        walk.jobs = list(Job.objects.values_list("pk", flat=True)[:12])
        self.assertEqual(walk.open_all(), [])
        self.assertFalse(Entry.objects.filter(job__isnull=True).exists())
