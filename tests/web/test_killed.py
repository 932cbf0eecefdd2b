"""Imports, backups, restores and erasures that are killed: all of it or nothing, and the next try works.

Runs in `make exhaustive` and `make survive`, 40 kills each; `test_exchange`, `test_keeping` and `test_erase` have what
each of them does in `make test`.
"""

import json
import random
import signal
import subprocess
import sys
import time

from django.test import SimpleTestCase

from rainfront.demo.picture import draw_board
from rainfront.demo.play import ARCHIVE as DEMO
from tests.runner import ROOT
from tests.shop import RunningShop
from tests.sizes import exhaustive, sized

KILLS = sized(1, 40)
NAME = "Zebulon Quaint"
BEGIN = "import django, json; django.setup()\nfrom django.utils import timezone\nnow = timezone.now()\n"
FILL = """
from rainfront.inside.actions import add_photo
from rainfront.jobs import actions
from rainfront.people.models import User
from rainfront.counter import actions as counter
from tests.builders import make_job
user = User.objects.get()
for n in range(6):
    job = make_job(user, ("port lint",), customer=NAME)
    counter.set_contact(job, NAME, "01 555 0199", "zq@m.example", user=user, now=now)
    actions.add_note(job, f"{NAME} rang {n}", user=user, now=now)
    add_photo(job, open(PICTURE, "rb").read(), f"{NAME}'s board", user=user, now=now)
"""
COUNT = """
from rainfront.jobs.models import Entry, Job
from rainfront.inside.models import Photo
from rainfront.keeping import media, places
files = {path.name for path in places.files().rglob("*") if path.is_file()}
named = sum(NAME in text for text in [*Entry.objects.values_list("text", flat=True),
    *Photo.objects.values_list("caption", flat=True), *Job.objects.values_list("customer", flat=True)])
print(json.dumps([Job.objects.count(), Photo.objects.exclude(file="").count(), named, media.missing_files()]))
"""
OUT = "from pathlib import Path\nfrom rainfront.exchange.writing import write_shop\nwrite_shop(Path(ARCHIVE))\n"
IN = "from pathlib import Path\nfrom rainfront.exchange.reading import read_shop\nread_shop(Path(ARCHIVE))\n"
ERASE = """
from rainfront.counter import actions as counter
from rainfront.jobs.models import Job
from rainfront.people.models import User
counter.erase_customer(Job.objects.order_by("pk").first().pk, user=User.objects.get(), now=now)
"""


@exhaustive
class Killed(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        cls.draw = random.Random(11)
        cls.shop = cls.a_shop()
        picture = cls.shop.place / "a.jpg"
        picture.write_bytes(draw_board(3))
        cls.shop.code(f"NAME, PICTURE = {NAME!r}, {str(picture)!r}\n{FILL}")
        cls.archive = cls.shop.place / "shop.zip"
        cls.shop.code(f"ARCHIVE = {str(cls.archive)!r}\n{OUT}")
        cls.shop.run("backup")
        (made,) = (cls.shop.place / "data" / "backups").glob("*.tar.gz")
        # Out of the folder where another test's backups rotate it away.
        cls.backup = made.rename(cls.shop.place / made.name)
        cls.whole = cls.count(cls.shop)
        super().setUpClass()

    @classmethod
    def a_shop(cls, people=True):
        shop = RunningShop()
        cls.addClassCleanup(shop.close)
        if people:
            shop.people({"owner": "owner"})
        return shop

    @staticmethod
    def count(shop):
        return json.loads(shop.code(f"NAME = {NAME!r}\n{COUNT}").splitlines()[-1])

    def killed(self, shop, words, longest):
        """Start a process of this shop and kill it somewhere in the middle; whether it had ended by itself."""
        program = [sys.executable, *words]
        made = subprocess.Popen(
            program, env=shop.environment, cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        time.sleep(self.draw.uniform(0.3, 1.1) * longest)
        made.send_signal(signal.SIGKILL)
        made.wait()

    def timed(self, shop, words):
        """How long the same takes when nobody kills it [s]."""
        begun = time.monotonic()
        subprocess.run([sys.executable, *words], env=shop.environment, cwd=ROOT, check=True, capture_output=True)
        return time.monotonic() - begun

    def test_imports(self):
        words = ["-c", f"{BEGIN}ARCHIVE = {str(self.archive)!r}\n{IN}"]
        longest = self.timed(self.a_shop(), words)
        for number in range(KILLS):
            shop = self.a_shop()
            self.killed(shop, words, longest)
            with self.subTest(kill=number):
                found = self.count(shop)
                self.assertIn(found[0], (0, self.whole[0]))
                if not found[0]:
                    self.timed(shop, words)
                self.assertEqual(self.count(shop), self.whole)
            shop.close()

    def test_backups(self):
        words = [str(ROOT / "manage.py"), "backup"]
        longest = self.timed(self.shop, words)
        folder = self.shop.place / "data" / "backups"
        for number in range(KILLS):
            self.killed(self.shop, words, longest)
            with self.subTest(kill=number):
                self.shop.run("backup")
                self.assertEqual([path.name for path in folder.iterdir() if path.name.startswith(".")], [])
                self.assertIn("read back", self.shop.run("nightly"))

    def test_backups_while_an_archive_is_read_hold_all_of_it_or_nothing(self):
        shop, found = self.a_shop(), []
        words = [sys.executable, "-c", f"{BEGIN}ARCHIVE = {str(DEMO)!r}\n{IN}"]
        reads = subprocess.Popen(words, env=shop.environment, cwd=ROOT, stderr=subprocess.PIPE)
        while reads.poll() is None:
            shop.run("backup")
        self.assertEqual((reads.wait(), reads.communicate()[1]), (0, b""))
        shop.run("backup")
        whole = self.count(shop)
        for made in sorted((shop.place / "data" / "backups").glob("*.tar.gz")):
            back = self.a_shop(people=False)
            back.run("restore", str(made))
            found.append(self.count(back))
            lying = {path.name for path in (back.place / "data" / "media").rglob("*") if path.is_file()}
            self.assertEqual(bool(lying), found[-1] == whole)
            back.close()
        self.assertEqual({tuple(map(str, one)) for one in found}, {("0", "0", "0", "[]"), tuple(map(str, whole))})

    def test_restores(self):
        words = [str(ROOT / "manage.py"), "restore", str(self.backup)]
        longest = self.timed(self.a_shop(people=False), words)
        for number in range(KILLS):
            shop = self.a_shop(people=False)
            self.killed(shop, words, longest)
            with self.subTest(kill=number):
                if not (shop.place / "data" / "shop.sqlite3").exists():
                    shop.run("restore", str(self.backup))
                self.assertEqual(self.count(shop), self.whole)
            shop.close()

    def test_erasures(self):
        words = ["-c", f"{BEGIN}{ERASE}"]

        def brought_back():
            shop = self.a_shop(people=False)
            shop.run("restore", str(self.backup))
            return shop

        longest = self.timed(brought_back(), words)
        for number in range(KILLS):
            shop = brought_back()
            self.killed(shop, words, longest)
            with self.subTest(kill=number):
                jobs, photos, named, missing = self.count(shop)
                self.assertIn((photos, named), ((self.whole[1], self.whole[2]), (0, 0)))
                self.assertEqual((jobs, missing), (self.whole[0], []))
                self.timed(shop, words)
                self.assertEqual(self.count(shop), [self.whole[0], 0, 0, []])
            shop.close()
