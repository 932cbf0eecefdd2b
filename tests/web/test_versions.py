"""A database of every version that a shop may have comes back and is brought to this one; every page of it opens.

`tests/data/versions` holds a backup of the demo as each version left it. A version that is released adds its own, made
with `manage.py backup`; a migration that has landed is never edited.
"""

import json
import shutil

from django.test import SimpleTestCase

from tests.shop import ROOT, RunningShop
from tests.sizes import exhaustive

VERSIONS = sorted((ROOT / "tests" / "data" / "versions").glob("*.tar.gz"))
# Opens every page that needs no more than a job, of some of the jobs, and every page of each thing that hangs on one.
OPEN = """
from django.test import Client
from django.urls import reverse
from rainfront.inside.models import Photo, Sheet
from rainfront.instruments.models import Record
from rainfront.jobs.models import Job
from rainfront.people.models import User
from tests.fuzz.pages import addresses
client = Client(headers={"host": "localhost", "x-forwarded-proto": "https"}, raise_request_exception=False)
owner = User.objects.get(username="lead")
User.objects.filter(pk=owner.pk).update(role="owner")
client.force_login(User.objects.get(pk=owner.pk))
jobs = list(Job.objects.order_by("pk").values_list("pk", flat=True))
paths = [reverse(name) for name, places in addresses() if not places]
for job in [*jobs[:21:5], *jobs[-1:]]:
    paths += [reverse(n, args=[job]) for n, p in addresses() if p in (["int:job"], ["int:pk"]) and n.split(":")[0] in
        ("jobs", "inside", "instruments", "counter")]
things = {"instruments:record": Record, "inside:photo": Photo, "inside:file": Photo, "inside:sheet": Sheet}
for name, table in things.items():
    paths += [reverse(name, args=[row.job_id, row.pk]) for row in table.objects.all()]
print(json.dumps({"jobs": len(jobs), "opened": {path: client.get(path).status_code for path in paths}}))
"""


@exhaustive
class Versions(SimpleTestCase):
    maxDiff = None

    def test_each_comes_back_and_every_page_of_it_opens(self):
        self.assertTrue(VERSIONS)
        for version in VERSIONS:
            with self.subTest(version=version.name):
                shop = RunningShop()
                self.addCleanup(shop.close)
                archive = shop.place / version.name
                shutil.copy(version, archive)
                self.assertIn("jobs are back", shop.run("restore", str(archive)))
                shop.gather_static()
                found = json.loads(shop.code(OPEN).splitlines()[-1])
                self.assertEqual(found["jobs"], 111)
                opened = found["opened"]
                self.assertGreater(len(opened), 200)
                # A mail and a date of a job that has none, and the page of a number that is not named, are not there.
                absent = (".ics", ".eml", "/knowledge/change/")
                wrong = {path: code for path, code in opened.items() if code not in (200, 204, 302, 405)}
                self.assertEqual({path: code for path, code in wrong.items() if not path.endswith(absent)}, {})
