"""Many people at once, and a kill in the middle of it, on the program as it runs in a shop.

`make test` lets six people work until each was answered a few times and kills the program once. `make exhaustive`
lets 16 people work for a minute, kills the program 300 times and takes a backup under load. Whoever got no answer
sends the same form again with the same key, as a browser does.
"""

import http.client
import json
import random
import re
import signal
import threading
import time
import uuid
from collections import Counter
from functools import partial

from django.test import SimpleTestCase

from rainfront.demo.picture import draw_board
from tests.shop import Person, RunningShop, at_once
from tests.sizes import exhaustive, sized

KILLS, PEOPLE, SECONDS = sized((1, 6, 0), (300, 16, 60))
DETAILS = {
    "model_name": "Tarn 4", "customer": "purser", "kind": "phone", "connector": "usb_c", "carrier": "flex",
    "value": "210", "complaint": "no charge", "backup": "done", "serial": "A1", "battery_percent": "20",
}  # fmt: skip
SHELF = """
from chargepath.knowledge.loader import shipped
from rainfront.people.models import User
from rainfront.stock import actions
actions.take_in(shipped(), "swap_battery", "", 5, user=User.objects.first(), now=now)
"""
TIDY = """
from django.core.management import call_command
call_command("tidy")
"""
NUMBERS = """
from rainfront.counter.models import Order
print(json.dumps(sorted(Order.objects.values_list("number", flat=True))))
"""
STEPS = """
from rainfront.workshop.models import ShopStep
print(json.dumps(list(ShopStep.objects.standing().values_list("pk", "do"))))
"""
# What is there: every text of every log, the shelf, the files, and whether anything is half.
LOOK = """
from rainfront.jobs.models import Entry, Job, Quote
from rainfront.inside.models import Photo
from rainfront.stock.models import Item
from rainfront.keeping import media, places
print(json.dumps({
    "texts": list(Entry.objects.filter(kind="note").values_list("text", flat=True))
        + list(Photo.objects.values_list("caption", flat=True))
        + list(Quote.objects.values_list("words", flat=True)) + list(Job.objects.values_list("serial", flat=True)),
    "sums": [[i.count, sum(m.change for m in i.moves.all())] for i in Item.objects.all()],
    "half": [job.pk for job in Job.objects.all() if not job.entries.filter(name="take_in").exists()],
    "missing": media.missing_files(),
    "orphans": sorted(media.stored_files(places.files()) - media.named_files()),
}))
"""


class AShop(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        cls.shop = RunningShop()
        cls.addClassCleanup(cls.shop.close)
        cls.names = [f"bench{number}" for number in range(PEOPLE)]
        cls.shop.people({"owner": "owner", **dict.fromkeys(cls.names, "technician")})
        cls.shop.code(SHELF)
        cls.shop.start()
        super().setUpClass()

    def setUp(self):
        if self.shop.served is None:
            self.shop.start()

    def look(self, before=""):
        return json.loads(self.shop.code(before + LOOK).splitlines()[-1])

    def take_in(self, person, **details):
        status, where, page = person.post("/jobs/new/", {**DETAILS, **details})
        self.assertEqual(status, 302, page[-400:])
        return where

    def twin(self, person):
        """The same browser with a second connection: who presses twice."""
        made = Person(person.port)
        made.cookies = dict(person.cookies)
        return made


class Crowd(AShop):
    def test_nobody_is_refused_a_lock_or_loses_a_word_and_what_is_sent_twice_is_stored_once(self):
        owner = self.shop.person("owner")
        shared = self.take_in(owner)
        self.said, self.bad, end = [], [], time.monotonic() + SECONDS

        def work(name):
            person = self.shop.person(name)
            other, own, draw = self.twin(person), self.take_in(person), random.Random(name)
            while time.monotonic() < end or (len(self.said) < PEOPLE * 3 and time.monotonic() < end + 60):
                token, once = uuid.uuid4().hex, uuid.uuid4().hex
                job = draw.choice((shared, own))
                sent = {"text": f"token {token}", "once": once}
                answers = at_once([partial(who.post, f"{job}note/", sent) for who in (person, other)])
                looked = person.get(job)
                # One of the two is stored, the other one is asked whether it is meant.
                if sorted(isinstance(one, Exception) or one[0] for one in answers) != [302, 409] or looked[0] != 200:
                    self.bad.append(repr((answers, looked[0]))[:300])
                self.said.append(token)

        at_once([partial(work, name) for name in self.names])
        found = Counter(self.look()["texts"])
        self.assertEqual(self.bad, [])
        self.assertGreater(len(self.said), PEOPLE * 2)
        self.assertEqual([token for token in self.said if found[f"token {token}"] != 1], [])

    def test_six_with_the_same_form_each_keep_what_they_changed(self):
        people = [self.shop.person(name) for name in self.names[:6]]
        job = self.take_in(people[0])
        page = people[0].get(f"{job}details/")[2].decode()
        made_from = re.search(r'name="made_from" value="([^"]*)"', page)[1].replace("&quot;", '"')
        changes = {
            "customer": "bosun",
            "serial": "B2",
            "value": "99",
            "complaint": "slow",
            "model_name": "Tarn 5",
            "battery_percent": "7",
        }
        sent = [{**DETAILS, "made_from": made_from, name: text} for name, text in changes.items()]
        ways = [partial(who.post, f"{job}details/", fields) for who, fields in zip(people, sent, strict=True)]
        self.assertEqual([answer[0] for answer in at_once(ways)], [302] * 6)
        page = people[0].get(f"{job}details/")[2].decode()
        made_from = json.loads(re.search(r'name="made_from" value="([^"]*)"', page)[1].replace("&quot;", '"'))
        self.assertEqual({name: made_from[name] for name in changes}, changes)

    def test_the_last_parts_are_taken_by_as_many_as_there_are(self):
        people = [self.shop.person(name) for name in self.names]
        sent = {"which": "bin", "count": "1", "why": "bent"}
        answers = at_once([partial(who.post, "/stock/1/", sent) for who in people])
        self.assertEqual(sorted(answer[0] for answer in answers), [302] * 5 + [422] * (len(people) - 5))
        self.assertEqual(self.look()["sums"], [[0, 0]])

    def test_bills_of_eight_people_are_numbered_without_a_gap_and_none_twice(self):
        people = [self.twin(self.shop.person(self.names[number % PEOPLE])) for number in range(8)]
        jobs = [self.take_in(who) for who in people for _ in range(3)]
        bill = {"act": "bill", "line-TOTAL_FORMS": "1", "line-INITIAL_FORMS": "0", "line-0-label": "Labour"}
        bill |= {"line-0-amount": "20", "warranty_months": "3", "terms": "", "noted": "", "avoid": ""}
        for start in range(3):
            ways = [partial(who.post, f"{jobs[3 * k + start]}counter/", bill) for k, who in enumerate(people)]
            self.assertEqual([answer[0] for answer in at_once(ways)], [302] * 8)
        self.assertEqual(json.loads(self.shop.code(NUMBERS).splitlines()[-1]), list(range(1, 25)))

    def test_people_who_write_steps_of_the_shops_own_lose_none_and_change_each_once(self):
        count = sized(4, 8)
        people = [self.shop.person("owner") for _ in range(count)]
        step = {"at": "cell_off", "goes": "after", "minutes": "1", "kind": ""}
        ways = [
            partial(
                person.post, "/knowledge/own-steps/new/", {**step, "do": f"Look at place {number}.", "model_name": ""}
            )
            for number, person in enumerate(people)
        ]
        self.assertEqual([answer[0] for answer in at_once(ways)], [302] * count)
        first = json.loads(self.shop.code(STEPS).splitlines()[-1])
        self.assertEqual(sorted(text for _, text in first), [f"Look at place {number}." for number in range(count)])
        which = first[0][0]
        changes = [
            partial(person.post, f"/knowledge/own-steps/{which}/", {**step, "do": f"Changed by {number}."})
            for number, person in enumerate(people)
        ]
        answers = [answer[0] for answer in at_once(changes)]
        self.assertEqual(answers.count(302), 1, answers)
        self.assertTrue({*answers} <= {302, 404, 422}, answers)
        left = json.loads(self.shop.code(STEPS).splitlines()[-1])
        self.assertEqual(sum(text.startswith("Changed by") for _, text in left), 1)
        self.assertEqual(len(left), count)

    def test_what_was_answered_is_there_after_a_kill_once_and_what_was_sent_again_too(self):
        picture, told, unanswered, draw = draw_board(3), [], {}, random.Random(7)

        def send(person, name, path, fields, files=None, tells=""):
            """Send a form with a key; where the kill takes the answer, it stays with whoever has to send it again."""
            unanswered[name] = (path, {**fields, "once": uuid.uuid4().hex}, files, tells)
            status, where, page = person.post(path, unanswered[name][1], files)
            self.assertIn(status, (200, 302), page[-300:])
            del unanswered[name]
            told.extend([tells] if tells else [])
            return where

        def work(name):
            try:
                person = self.shop.person(name)
                while True:
                    token = uuid.uuid4().hex
                    job = send(person, name, "/jobs/new/", {**DETAILS, "serial": token}, tells=token)
                    for path, words, more, files in (
                        ("note/", "text", {}, None),
                        ("photos/", "caption", {}, {"file": ("a.jpg", picture)}),
                        ("quotes/clean_port/", "words", {"amount": "20"}, None),
                    ):
                        token = uuid.uuid4().hex
                        send(person, name, job + path, {words: token, **more}, files, token)
                    send(person, name, f"{job}line/", {"line": "port lint"})
                    stock = {"which": "in", "route": "swap_battery", "count": "1", "price": "9", "fits": "", "days": ""}
                    send(person, name, "/stock/", stock)
            except (OSError, http.client.HTTPException):  # The kill ends it, wherever it is.
                return

        for number in range(KILLS):
            threads = [threading.Thread(target=work, args=(name,)) for name in self.names[:4]]
            for thread in threads:
                thread.start()
            # Somewhere in the middle, once something was said to be stored, however busy the machine is.
            before, end = len(told), time.monotonic() + 60
            while len(told) < before + 3 and time.monotonic() < end:
                time.sleep(0.05)
            time.sleep(draw.random() * 1.5)
            self.shop.kill(signal.SIGKILL)
            for thread in threads:
                thread.join()
            self.shop.start()
            again = [self.shop.person(name).post(*sent[:3])[0] for name, sent in unanswered.items()]
            told += [sent[3] for sent in unanswered.values() if sent[3]]
            unanswered.clear()
            found = self.look(TIDY)
            stored = Counter(found["texts"])
            with self.subTest(kill=number, told=len(told)):
                self.assertLessEqual(set(again), {302, 409})
                self.assertEqual([token for token in told if stored[token] != 1], [])
                self.assertEqual((found["half"], found["missing"], found["orphans"]), ([], [], []))
                self.assertTrue(all(count == moved and count >= 0 for count, moved in found["sums"]), found["sums"])
        self.assertGreater(len(told), KILLS)

    @exhaustive
    def test_a_backup_under_load_comes_back_whole_and_an_erased_name_is_nowhere(self):
        stop, picture = threading.Event(), draw_board(4)
        owner = self.shop.person("owner")
        job = self.take_in(owner, customer="Zebulon Quaint", serial="ZQ-77")
        owner.post(f"{job}note/", {"text": "Zebulon rang"})
        owner.post(f"{job}photos/", {"caption": "Quaint's board"}, {"file": ("a.jpg", picture)})
        owner.post(
            f"{job}counter/", {"act": "contact", "name": "Zebulon Quaint", "phone": "555 0199", "mail": "zq@m.example"}
        )

        def work(name):
            person = self.shop.person(name)
            while not stop.is_set():
                made = self.take_in(person)
                person.post(f"{made}photos/", {"caption": "board"}, {"file": ("a.jpg", picture)})

        threads = [threading.Thread(target=work, args=(name,)) for name in self.names[:3]]
        for thread in threads:
            thread.start()
        try:
            time.sleep(1.5)
            self.assertIn("jobs", self.shop.run("backup"))
            self.assertEqual(owner.post(f"{job}erase/", {})[0], 302)
            time.sleep(0.5)
            second = self.shop.run("nightly")
        finally:
            stop.set()
            for thread in threads:
                thread.join()
        self.assertIn("read back", second)
        backups = sorted((self.shop.place / "data" / "backups").glob("*.tar.gz"))
        self.assertEqual(len(backups), 2)
        for wanted, archive in zip((True, False), backups, strict=True):
            copy = RunningShop()
            self.addCleanup(copy.close)
            self.assertIn("jobs are back", copy.run("restore", str(archive)))
            raw = b"".join(path.read_bytes() for path in (copy.place / "data").rglob("*") if path.is_file())
            names = [name for name in (b"Zebulon", b"Quaint", b"ZQ-77", b"555 0199", b"zq@m.example") if name in raw]
            self.assertEqual(bool(names), wanted, names)
            found = json.loads(copy.code(LOOK).splitlines()[-1])
            self.assertEqual((found["half"], found["missing"], found["orphans"]), ([], [], []))
        self.shop.kill(signal.SIGTERM)
        raw = b"".join(
            path.read_bytes()
            for path in (self.shop.place / "data").rglob("*")
            if path.is_file() and "backups" not in path.parts
        )
        self.assertEqual([name for name in (b"Zebulon", b"ZQ-77", b"555 0199", b"zq@m.example") if name in raw], [])
