"""People: who may do what at every address, one-time links, guessing, idling, time codes."""

import re
import time
from decimal import Decimal
from io import StringIO
from pathlib import Path
from unittest.mock import Mock, patch

from axes.models import AccessAttempt
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import CommandError
from django.template.backends.django import Template
from django.test import Client, TestCase, override_settings
from django.urls import reverse
from django.utils.html import escape
from django_otp.oath import TOTP
from django_otp.plugins.otp_static.models import StaticDevice
from django_otp.plugins.otp_totp.models import TOTPDevice

from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.knowledge.loader import shipped
from rainfront.counter import actions as counter
from rainfront.instruments.actions import set_instrument
from rainfront.jobs import actions as jobs
from rainfront.jobs.models import Entry, Job
from rainfront.keeping.actions import backup_now
from rainfront.people import actions
from rainfront.people.models import User, Workshop
from rainfront.people.networks import refuse_address
from rainfront.people.rights import HOLDERS, NotAllowed, Right, may
from rainfront.proof import actions as proof
from rainfront.reference.actions import store_meter
from rainfront.reference.models import DiodeMeter
from rainfront.stock import actions as stock
from rainfront.stock.models import Item
from rainfront.work import actions as work
from rainfront.workshop.actions import change_number
from tests.builders import NOW, PASSWORD, make_job, make_user
from tests.fuzz.pages import PLACES, every_address
from tests.sizes import sized

GOOD = "three-wet-ferries"
FINE = (200, 204, 302, 400, 404, 405, 422)
OPEN = {"people:sign_in", "people:begin", "keeping:health", "keeping:here", "workshop:emergency"}
# To what is one's own everybody sends.
OWN = {"people:sign_out", "people:password", "people:time_codes", "workshop:settings", "logbook:save", "logbook:forget"}
# What only looks, and not for everybody.
LOOKS = {"exchange:archive": Right.KEEP, "exchange:table": Right.KEEP, "exchange:references_out": Right.TEACH}
LOOKS["counter:erase"] = Right.ERASE
# Everybody may see where the instruments answer; only who may place them sends to these.
LOOKS |= dict.fromkeys(("instruments:meter", "instruments:supply"))
# Every address that takes anything, and the right it asks for. Written by hand, as the shop reads it.
ASKS = {
    Right.TAKE_IN: "jobs:take_in jobs:note jobs:details counter:order",
    Right.MEASURE: """exchange:case jobs:line jobs:check jobs:stage jobs:strike jobs:restore jobs:school work:step
        work:step_answer work:pick work:screws proof:seal instruments:hand_in instruments:confirm instruments:use
        instruments:columns instruments:strike instruments:conditions instruments:start instruments:stop
        instruments:wait instruments:command instruments:routine inside:start inside:point
        inside:enter inside:lift inside:ladder inside:supply inside:hunt inside:sense inside:add_photo inside:mark
        inside:unmark inside:remove_photo heat:stations heat:station heat:give_away heat:strike cell:desk cell:stop
        instruments:pretend""",
    Right.REPAIR: """jobs:choose jobs:drop proof:read proof:again proof:failed proof:refer
        instruments:proof_start instruments:proof_watch""",
    Right.PROMISE: "jobs:quote jobs:answer proof:close proof:reopen",
    Right.PARTS: "stock:shelf stock:item stock:donor stock:import workshop:costs",
    Right.TEACH: """instruments:known_good inside:keep inside:keep_supply reference:import reference:forget
        reference:new_meter reference:meter reference:new_connector exchange:references""",
    Right.LEAD: "workshop:change workshop:work workshop:undo workshop:set_learning",
    Right.OVERRULE: "jobs:overrule",
    Right.REDACT: "counter:redact",
    Right.ERASE: "counter:erase",
    Right.PEOPLE: "people:people people:person people:reset",
    Right.KEEP: """people:keeping keeping:backups exchange:exchange exchange:bring_in instruments:meter
        instruments:supply""",
}


def addresses(job):
    """Each address of the program: its name, and a path to it."""
    places = {**PLACES, "int:job": job, "int:pk": job}
    for name, found in every_address():
        yield name, reverse(name, args=[places.get(place, 1) for place in found])


# Of so many addresses each role is tried at one, each role at others.
EVERY = sized(4, 1)


class EveryAddress(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.people = {role: make_user(f"p-{role}", role) for role in User.Role.values}
        cls.job = make_job(cls.people["technician"], ("port lint",))

    def state(self):
        people = User.objects.order_by("pk").values("username", "initials", "role", "password", "is_active")
        return [list(people), *(list(table.objects.order_by("pk").values()) for table in (Job, Entry, Item))]

    def test_signed_out_nothing_is_seen_and_nothing_taken(self):
        before = self.state()
        for name, path in addresses(self.job.pk):
            if name in OPEN:
                continue
            for method in ("get", "post", "put", "delete", "patch", "head"):
                with self.subTest(address=name, method=method):
                    answer = getattr(Client(), method)(path)
                    self.assertEqual(answer.status_code, 302)
                    self.assertTrue(answer["Location"].startswith("/people/sign-in/"), answer["Location"])
        self.assertEqual(self.state(), before)

    def test_what_is_sent_without_its_token_is_refused(self):
        before, client = self.state(), Client(enforce_csrf_checks=True)
        client.force_login(self.people["owner"])
        takes = OWN.union(*(names.split() for names in ASKS.values()))
        for name, path in addresses(self.job.pk):
            with self.subTest(address=name):
                if name in takes | OPEN:
                    self.assertContains(client.post(path), "The page is too old", status_code=403)
                else:
                    self.assertEqual(client.post(path).status_code, 405)
        self.assertEqual(self.state(), before)

    def test_every_role_at_every_address(self):
        asks = {name: right for right, names in ASKS.items() for name in names.split()}
        for turn, (role, person) in enumerate(self.people.items()):
            client = Client(raise_request_exception=False)
            client.force_login(person)
            asked = [(name, path) for name, path in addresses(self.job.pk) if name not in OPEN | OWN]
            for name, path in asked[turn % EVERY :: EVERY]:
                right = asks.get(name)
                with self.subTest(role=role, address=name):
                    looks = LOOKS.get(name, right if right in (Right.PEOPLE, Right.KEEP) else None)
                    hidden = looks is not None and role not in HOLDERS[looks]
                    # What stands on the pages is other tests' business, and most of the time.
                    with patch.object(Template, "render", return_value=""):
                        looked = client.get(path)
                    self.assertIn(looked.status_code, (403, 405) if hidden else FINE)
                    if right is None:
                        self.assertEqual(client.post(path).status_code, 405)
                    elif role in HOLDERS[right]:
                        sent = client.post(path, {"nothing": "of use"})
                        self.assertIn(sent.status_code, FINE)
                    else:
                        before = self.state()
                        sent = client.post(path, {"nothing": "of use"})
                        self.assertContains(sent, f"may {escape(right.value)}. Nothing was changed.", status_code=403)
                        self.assertEqual(self.state(), before)

    def test_every_act_asks_for_itself_whoever_calls_it(self):
        person = self.people["apprentice"]
        for act in (
            lambda: actions.add_person("new", "N", "owner", user=person, now=NOW),
            lambda: actions.change_person(person, "A", "owner", True, user=person, now=NOW),
            lambda: actions.reset_person(self.people["owner"], user=person, now=NOW),
        ):
            with self.assertRaises(NotAllowed):
                act()

    def test_every_write_asks_for_its_right_itself_by_the_table(self):
        """Actions called as commands and tasks call them, without a view in front, by everybody who may not."""
        job, known = self.job, shipped()
        item = Item.objects.create(route="swap_battery", fits=[], count=3)
        repair = jobs.choose_route(job, "clean_port", "", user=self.people["technician"], now=NOW)
        quote = jobs.make_quote(job, "clean_port", Decimal(9), "nine", user=self.people["counter"], now=NOW)
        entry = job.entries.filter(kind="check").first()
        writes = {
            Right.TAKE_IN: [
                lambda hand: counter.set_contact(job, "A", "1", "", **hand),
                lambda hand: counter.link_return(job, None, None, **hand),
            ],
            Right.MEASURE: [
                lambda hand: jobs.record_line(job, "flip same", **hand),
                lambda hand: work.do_step(repair, "port_off_charge", **hand),
                lambda hand: jobs.strike_entry(entry, "why", **hand),
            ],
            Right.REPAIR: [
                lambda hand: jobs.choose_route(job, "clean_port", "", **hand),
                lambda hand: work.finish_repair(repair, "", **hand),
                lambda hand: jobs.drop_repair(repair, **hand),
                lambda hand: proof.refer_job(job, [], "no more", **hand),
            ],
            Right.PROMISE: [
                lambda hand: jobs.make_quote(job, "clean_port", Decimal(9), "nine", **hand),
                lambda hand: jobs.answer_quote(quote, "approved", "bosun", **hand),
                lambda hand: proof.close_job(job, [], **hand),
                lambda hand: counter.pay(job, Decimal(9), "cash", **hand),
                lambda hand: counter.hand_over(job, **hand),
            ],
            Right.PARTS: [
                lambda hand: stock.bin_parts(item, 1, "bent", **hand),
                lambda hand: stock.count_parts(known, item, 1, **hand),
                lambda hand: stock.take_in(known, "swap_battery", "", 1, **hand),
                lambda hand: stock.add_donor("board", "", **hand),
            ],
            Right.LEAD: [lambda hand: change_number("faults.port_fouled.weight", 0.4, "here", **hand)],
            Right.OVERRULE: [lambda hand: jobs.overrule_danger(job, "wet", "dried for a week", **hand)],
            Right.ERASE: [lambda hand: counter.erase_customer(job.pk, **hand)],
            Right.PEOPLE: [lambda hand: actions.add_person("new", "N", "owner", **hand)],
            Right.KEEP: [lambda hand: backup_now(**hand)],
        }
        before = self.state()
        for right, acts in writes.items():
            for role in set(self.people) - set(HOLDERS[right]):
                for number, act in enumerate(acts):
                    with self.subTest(right=right, role=role, act=number), self.assertRaises(NotAllowed):
                        act({"user": self.people[role], "now": NOW})
        self.assertEqual(self.state(), before)

    def test_nobody_resets_themselves_and_who_is_switched_off_may_nothing(self):
        owner = self.people["owner"]
        with self.assertRaisesMessage(ChargepathError, "that is you"):
            actions.reset_person(owner, user=owner, now=NOW)
        gone = self.people["technician"]
        gone.is_active = False
        self.assertEqual([right for right in Right if may(gone, right)], [])

    def test_the_page_shows_the_table_that_holds(self):
        self.client.force_login(self.people["counter"])
        page = self.client.get(reverse("people:rights")).content.decode()
        for right, holders in HOLDERS.items():
            row = page.split(f">{escape(right.value)}<")[1].split("</tr>")[0]
            self.assertEqual(
                [mark == "yes" for mark in re.findall(r'hidden">(yes|no)<', row)], [r in holders for r in User.Role]
            )

    def test_the_documents_table_is_the_one_that_holds(self):
        text = (Path(__file__).parents[2] / "docs" / "rights.md").read_text(encoding="utf-8")
        rows = [
            [cell.strip() for cell in line.strip("|").split("|")] for line in text.splitlines() if line.startswith("| ")
        ]
        said = {name: [cell == "yes" for cell in cells] for name, *cells in rows[1:]}
        self.assertEqual(rows[0][1:], [role.label for role in User.Role])
        held = {right.value: [role in holders for role in User.Role] for right, holders in HOLDERS.items()}
        self.assertEqual(said, held)

    def test_looking_at_a_workshop_that_nobody_has_set_writes_none(self):
        Workshop.objects.all().delete()
        self.assertEqual(Workshop.current().pk, 1)
        self.assertEqual(Workshop.objects.count(), 0)

    def test_things_of_another_job_are_not_reached_through_this_one(self):
        client, other = Client(), make_job(self.people["technician"], ("wiggle drops",))
        client.force_login(self.people["lead"])
        entry = other.entries.filter(kind="check").first()
        for name in ("strike", "restore"):
            with self.subTest(act=name):
                self.assertEqual(
                    client.post(reverse(f"jobs:{name}", args=[self.job.pk, entry.pk]), {"why": "x"}).status_code, 404
                )
        entry.refresh_from_db()
        self.assertIsNone(entry.struck_at)


class Meters(TestCase):
    """A meter's address is no way to try the network out."""

    @classmethod
    def setUpTestData(cls):
        cls.user = make_user(role="owner")

    def setUp(self):
        self.client.force_login(self.user)

    def test_only_where_the_owner_allows_and_never_by_a_name(self):
        for host, says in (
            ("192.168.4.20", "is not where meters may be"),
            ("10.0.0.1", "is not where meters may be"),
            ("intranet.example", "is no address"),
            (".", "is no address"),
            ("169.254.169.254", "that a machine gives itself"),
            ("::ffff:10.0.0.1", "is not where meters may be"),
        ):
            for page, more in (("instruments:meter", {}), ("reference:new_meter", {"name": "M", "style": "any"})):
                with self.subTest(host=host, page=page):
                    sent = self.client.post(reverse(page), {"host": host, "port": "22", **more})
                    self.assertContains(sent, says, status_code=422)
            with self.subTest(host=host), self.assertRaisesMessage(ReadingError, says):
                refuse_address(host)
        keeping = reverse("people:keeping")
        shown = {"idle_minutes": "90", "keep_months": "0"}
        for wrong in ("8.8.8.8", "shop", "192.168.4.0/99"):
            with self.subTest(network=wrong):
                self.assertEqual(self.client.post(keeping, {**shown, "meter_networks": wrong}).status_code, 422)
        self.client.post(keeping, {**shown, "meter_networks": "127.0.0.1, 192.168.4.0/24"})
        stored = self.client.post(reverse("instruments:meter"), {"host": "192.168.4.20", "port": "7711"})
        self.assertEqual(stored.status_code, 302)
        self.assertContains(self.client.get(keeping), "Meters may be at: 127.0.0.0/8 -&gt; 127.0.0.1, 192.168.4.0/24")

    def test_only_the_owner_says_where_instruments_answer(self):
        self.client.force_login(make_user("lead", "lead"))
        for page in ("instruments:meter", "instruments:supply"):
            self.assertContains(self.client.get(reverse(page)), "is set by the owner")
            self.assertEqual(self.client.post(reverse(page), {"host": "127.0.0.1", "port": "22"}).status_code, 403)
        sent = {"name": "M", "style": "any", "host": "127.0.0.1", "port": "22"}
        self.assertEqual(self.client.post(reverse("reference:new_meter"), sent).status_code, 302)
        self.assertFalse(DiodeMeter.objects.get().is_live)
        with self.assertRaises(NotAllowed):
            set_instrument(Mock(), user=User.objects.get(username="lead"))
        form = Mock(changed_data=["host"])
        with self.assertRaises(NotAllowed):
            store_meter(form, user=User.objects.get(username="lead"))
        form.save.assert_not_called()


class Coming(TestCase):
    """The first owner, somebody new, somebody who lost the password."""

    def link(self, text):
        return re.search(r"/people/begin/[\w/-]+/", text).group()

    def set_password(self, link, password):
        page = Client().get(link, follow=True)
        if not page.context["validlink"]:
            return page
        client = Client()
        at = client.get(link, follow=True).request["PATH_INFO"]
        return client.post(at, {"new_password1": password, "new_password2": password})

    def sign_in(self, name, password, **more):
        client = Client()
        return client, client.post("/people/sign-in/", {"username": name, "password": password, **more})

    def test_from_nobody_to_two_people_without_a_default_password(self):
        self.assertContains(Client().get("/people/sign-in/"), "make_owner NAME")
        out = StringIO()
        call_command("make_owner", "Harbour", "--at", "https://bench.example", stdout=out)
        self.assertIn("https://bench.example/people/begin/", out.getvalue())
        link = self.link(out.getvalue())
        for weak in ("short-one", "123456789012", "harbour12345"):
            with self.subTest(weak=weak):
                self.assertEqual(self.set_password(link, weak).status_code, 200)
                self.assertFalse(User.objects.get().has_usable_password())
        self.assertEqual(self.set_password(link, GOOD).status_code, 302)
        self.assertContains(Client().get(link, follow=True), "This link is used up")
        owner, _ = self.sign_in("harbour", GOOD)
        made = owner.post(reverse("people:people"), {"username": "bench.two", "initials": "K.L.", "role": "technician"})
        self.assertContains(made, "/people/begin/")
        self.assertEqual(self.set_password(self.link(made.content.decode()), GOOD).status_code, 302)
        client, answer = self.sign_in("bench.two", GOOD)
        self.assertEqual((answer.status_code, client.get("/").status_code), (302, 200))
        taken = owner.post(reverse("people:people"), {"username": "Bench.Two", "role": "lead"})
        self.assertContains(taken, "&#x27;bench.two&#x27; is taken", status_code=422)

    def test_switched_off_and_reset_sign_out_at_once_and_the_last_owner_stays(self):
        owner, other = make_user("first", "owner"), make_user("bench")
        mine, theirs = Client(), Client()
        mine.force_login(owner)
        theirs.force_login(other)
        page = reverse("people:person", args=[other.pk])
        mine.post(page, {"initials": "B.B.", "role": "lead"})
        self.assertEqual(theirs.get("/").status_code, 302)
        mine.post(page, {"initials": "B.B.", "role": "lead", "active": "on"})
        theirs.force_login(User.objects.get(pk=other.pk))
        link = mine.post(reverse("people:reset", args=[other.pk]))
        self.assertContains(link, "/people/begin/")
        self.assertEqual((theirs.get("/").status_code, self.sign_in("bench", PASSWORD)[1].status_code), (302, 200))
        self.assertContains(mine.get(page), "technician -&gt; lead")
        self.assertContains(mine.get(page), "switched on again")
        last = mine.post(reverse("people:person", args=[owner.pk]), {"initials": "F", "role": "lead", "active": "on"})
        self.assertContains(last, "make somebody else an owner first", status_code=422)
        self.assertEqual(User.objects.get(pk=owner.pk).role, "owner")

    @override_settings(AXES_FAILURE_LIMIT=4)
    def test_guessing_is_stopped_for_a_name_from_an_address_and_far_later_for_either_alone(self):
        for name in ("bench", "other", "third"):
            make_user(name)

        def guess(name, password, address="10.0.0.1"):
            return Client(REMOTE_ADDR=address).post("/people/sign-in/", {"username": name, "password": password})

        self.assertEqual([guess("bench", "wrong").status_code for _ in range(5)], [200, 200, 200, 429, 429])
        self.assertContains(guess("bench", PASSWORD), "in 10 minutes", status_code=429)
        # Nobody is locked out by a few guesses from elsewhere, nor a colleague at the same machine.
        self.assertEqual(guess("bench", PASSWORD, "10.0.0.9").status_code, 302)
        self.assertEqual(guess("other", PASSWORD).status_code, 302)
        many = [guess("third", "wrong", f"10.0.1.{n}").status_code for n in range(40)]
        self.assertEqual((many[38], many[39]), (200, 429))
        self.assertEqual(guess("third", PASSWORD, "10.0.2.1").status_code, 429)
        sprayed = [guess(f"a{n}", "wrong", "10.0.0.77").status_code for n in range(20)]
        self.assertEqual((sprayed[18], sprayed[19]), (200, 429))
        self.assertEqual(guess("other", PASSWORD, "10.0.0.77").status_code, 429)

    @override_settings(AXES_FAILURE_LIMIT=4)
    def test_somebody_elses_signing_in_gives_no_further_guesses(self):
        make_user("apprentice", "apprentice")
        make_user("owner", "owner")
        answers = []
        for n in range(12):
            sent = {"username": "owner", "password": "wrong"}
            answers.append(self.client.post("/people/sign-in/", sent).status_code)
            if n % 2:
                Client().post("/people/sign-in/", {"username": "apprentice", "password": PASSWORD})
        self.assertEqual(answers[3:], [429] * 9)

    @override_settings(AXES_FAILURE_LIMIT=4)
    def test_the_own_password_is_guessed_no_quicker(self):
        user = make_user("bench")
        self.client.force_login(user)
        new = {"new_password1": "four-dry-ferries", "new_password2": "four-dry-ferries"}
        for page, wrong, right in (
            ("people:password", {"old_password": "wrong", **new}, {"old_password": PASSWORD, **new}),
            ("people:time_codes", {"off": "yes", "password": "wrong"}, {"off": "yes", "password": PASSWORD}),
        ):
            AccessAttempt.objects.all().delete()
            with self.subTest(page=page):
                answers = [self.client.post(reverse(page), wrong).status_code for _ in range(5)]
                self.assertEqual(answers, [422, 422, 422, 429, 429])
                self.assertEqual(self.client.post(reverse(page), right).status_code, 429)
        user.refresh_from_db()
        self.assertTrue(user.check_password(PASSWORD))

    def test_the_demos_people_are_made_nowhere_else(self):
        with override_settings(DEMO=False), self.assertRaisesMessage(CommandError, "only under the demo's settings"):
            call_command("load_demo")
        self.assertFalse(User.objects.exists())


class Staying(TestCase):
    """How long somebody stays signed in, and where they go on."""

    @classmethod
    def setUpTestData(cls):
        cls.user = make_user()
        cls.job = make_job(cls.user)

    def setUp(self):
        self.client.force_login(self.user)

    def age(self, key, by):
        session = self.client.session
        session[key] -= by
        session.save()

    def test_idle_or_a_whole_day_ends_it(self):
        self.age("seen", 89 * 60)
        self.assertEqual(self.client.get("/").status_code, 200)
        self.age("seen", 91 * 60)
        self.assertEqual(self.client.get("/").status_code, 302)
        self.client.force_login(self.user)
        self.age("since", settings.SESSION_COOKIE_AGE + 1)
        self.assertEqual(self.client.get("/").status_code, 302)

    def test_a_look_notes_the_moment_once_a_minute(self):
        seen = self.client.session["seen"]
        self.client.get("/")
        self.assertEqual(self.client.session["seen"], seen)
        self.age("seen", 61)
        self.client.get("/")
        self.assertAlmostEqual(self.client.session["seen"], time.time(), delta=30)

    def test_a_page_that_asks_by_itself_keeps_nobody_signed_in(self):
        self.age("seen", 30 * 60)
        before = self.client.session["seen"]
        self.client.get("/", headers={"HX-Request": "true", "X-By-Itself": "yes"})
        self.assertEqual(self.client.session["seen"], before)
        self.age("seen", 61 * 60)
        fragment = self.client.get("/", headers={"HX-Request": "true", "X-By-Itself": "yes"})
        self.assertEqual(fragment.status_code, 401)

    def test_what_was_sent_after_signing_out_leads_to_signing_in_and_back_to_its_page(self):
        page, line = self.job.get_absolute_url(), reverse("jobs:line", args=[self.job.pk])
        where = f"/people/sign-in/?next={page.replace('/', '%2F')}"
        fragment = Client().post(line, headers={"HX-Request": "true", "HX-Current-URL": f"http://testserver{page}"})
        self.assertEqual((fragment.status_code, fragment["HX-Redirect"]), (401, where))
        whole = Client().post(line, headers={"Referer": f"http://testserver{page}"})
        self.assertRedirects(whole, where, fetch_redirect_response=False)
        away = Client().post(line, headers={"Referer": "http://elsewhere.example/trap/"})
        self.assertRedirects(away, "/people/sign-in/", fetch_redirect_response=False)


class TimeCodes(TestCase):
    """A second step, checked against the test values of RFC 6238 through the package that makes it."""

    @classmethod
    def setUpTestData(cls):
        cls.user = make_user()

    def setUp(self):
        self.client.force_login(self.user)

    def code(self, device, steps=0):
        made = TOTP(device.bin_key, device.step, device.t0, device.digits, device.drift)
        made.time = time.time() + steps * device.step
        return f"{made.token():06d}"

    def rest(self, **more):
        """As after the seconds for which a wrong code is answered with nothing."""
        for table in (TOTPDevice, StaticDevice):
            table.objects.update(throttling_failure_count=0, throttling_failure_timestamp=None)
        TOTPDevice.objects.update(**more or {"drift": 0})

    def sign_in(self, **more):
        return Client().post("/people/sign-in/", {"username": "tech", "password": PASSWORD, **more})

    def test_the_package_gives_the_values_of_the_standard(self):
        # RFC 6238, appendix B, SHA-1: the secret is the ASCII digits 1 to 0, twice.
        for at, wanted in ((59, 94287082), (1111111109, 7081804), (20000000000, 65353130)):
            made = TOTP(b"12345678901234567890", digits=8)
            made.time = at
            self.assertEqual(made.token(), wanted)

    def test_on_used_once_spare_and_off(self):
        page = self.client.get(reverse("people:time_codes"))
        device = TOTPDevice.objects.get()
        self.assertContains(page, "<svg")
        self.assertEqual(self.sign_in().status_code, 302)  # Not asked for before a code has proved the app.
        wrong = self.client.post(reverse("people:time_codes"), {"code": "000000"})
        self.assertEqual(wrong.status_code, 422)
        self.rest()
        on = self.client.post(reverse("people:time_codes"), {"code": self.code(device)})
        spare = on.context["spare"]
        self.assertEqual(len(spare), 8)
        self.assertContains(self.sign_in(), "Type the six digits")
        self.assertContains(self.sign_in(code=self.code(device)), "used already")
        self.rest(last_t=-1)
        self.assertEqual(self.sign_in(code=self.code(device)).status_code, 302)
        self.assertEqual(self.sign_in(code=spare[0]).status_code, 302)
        self.rest()
        self.assertEqual(self.sign_in(code=spare[0]).status_code, 200)
        still = self.client.post(reverse("people:time_codes"), {"off": "yes", "password": "a guess"})
        self.assertContains(still, "still on", status_code=422)
        self.client.post(reverse("people:time_codes"), {"off": "yes", "password": PASSWORD})
        self.assertEqual(self.sign_in().status_code, 302)
        self.assertEqual(
            list(self.user.changes.values_list("text", flat=True)),
            ["time codes switched off", "time codes switched on"],
        )
