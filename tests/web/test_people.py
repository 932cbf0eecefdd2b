"""People: who may do what at every address, and who may set an instrument."""

import re
from decimal import Decimal
from pathlib import Path
from unittest.mock import Mock, patch

from django.template.backends.django import Template
from django.test import Client, TestCase
from django.urls import reverse
from django.utils.html import escape

from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.knowledge.loader import shipped
from rainfront.counter import actions as counter
from rainfront.instruments.actions import remove_instrument, set_supply, store_instrument
from rainfront.instruments.models import BenchInstrument
from rainfront.jobs import actions as jobs
from rainfront.jobs.models import Entry, Job
from rainfront.keeping.actions import backup_now
from rainfront.people import actions
from rainfront.people.models import User, Workshop
from rainfront.people.networks import refuse_address
from rainfront.people.rights import HOLDERS, NotAllowed, Right, may
from rainfront.proof import actions as proof
from rainfront.stock import actions as stock
from rainfront.stock.models import Item
from rainfront.work import actions as work
from rainfront.workshop.actions import change_number
from tests.builders import NOW, handed_on, make_job, make_user
from tests.fuzz.pages import PLACES, every_address
from tests.sizes import sized

FINE = (200, 204, 302, 400, 404, 405, 422)
OPEN = {"people:sign_in", "people:begin", "keeping:health", "keeping:here", "workshop:emergency"}
# To what is one's own everybody sends.
OWN = {"people:sign_out", "people:password", "people:time_codes", "workshop:settings", "logbook:save", "logbook:forget"}
# What only looks, and not for everybody.
LOOKS = {"exchange:archive": Right.KEEP, "exchange:table": Right.KEEP, "exchange:references_out": Right.TEACH}
LOOKS["counter:erase"], LOOKS["keeping:first_things"] = Right.ERASE, Right.LEAD
# Everybody may see where the instruments answer; only who may place them sends to these.
LOOKS |= dict.fromkeys(
    (
        "instruments:supply",
        "bench:new_instrument",
        "bench:instrument",
        "bench:profiles",
    )
)
# Every address that takes anything, and the right it asks for. Written by hand, as the shop reads it.
ASKS = {
    Right.TAKE_IN: "jobs:take_in jobs:note jobs:give jobs:details counter:order counter:drop_off",
    Right.MEASURE: """exchange:case jobs:line jobs:check jobs:mishap jobs:stage jobs:strike jobs:restore jobs:school
        work:step work:step_answer work:pick work:screws proof:seal instruments:hand_in instruments:confirm
        instruments:use instruments:columns instruments:strike instruments:conditions instruments:start instruments:stop
        instruments:wait instruments:command instruments:routine inside:start inside:point
        inside:enter inside:lift inside:ladder inside:supply inside:hunt inside:sense inside:add_photo inside:mark
        inside:unmark inside:remove_photo heat:stations heat:station heat:give_away heat:strike cell:desk cell:stop
        instruments:pretend bench:calibrated bench:try bench:compare bench:steady stock:bench
        board:lay board:remove_picture board:lay_photo""",
    Right.REPAIR: """jobs:choose jobs:drop proof:read proof:again proof:failed proof:refer
        instruments:proof_start instruments:proof_watch""",
    Right.PROMISE: "jobs:quote jobs:answer proof:close proof:cancel proof:reopen",
    Right.PARTS: "stock:shelf stock:item stock:donor stock:import workshop:costs",
    Right.TEACH: """instruments:known_good inside:keep inside:keep_supply reference:import reference:forget
        reference:new_meter reference:meter reference:new_connector exchange:references workshop:new_own_step
        workshop:own_step workshop:strike_own_step workshop:own_step_photo workshop:mark_own_step
        workshop:unmark_own_step workshop:place_own_step board:read board:confirm board:begin board:remove board:point
        board:say board:tie board:cover board:take_back board:add_picture work:open_photo""",
    Right.LEAD: "workshop:change workshop:work workshop:undo workshop:set_learning keeping:first_things",
    Right.OVERRULE: "jobs:overrule",
    Right.REDACT: "counter:redact",
    Right.ERASE: "counter:erase",
    Right.PEOPLE: "people:people people:person people:reset",
    Right.KEEP: """people:keeping keeping:backups exchange:exchange exchange:bring_in
        instruments:supply bench:new_instrument bench:instrument
        bench:lines bench:profiles bench:find""",
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
                lambda hand: jobs.link_return(job, None, None, **hand),
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
                lambda hand: handed_on(job, "no more", **hand),
            ],
            Right.PROMISE: [
                lambda hand: jobs.make_quote(job, "clean_port", Decimal(9), "nine", **hand),
                lambda hand: jobs.answer_quote(quote, "approved", "bosun", **hand),
                lambda hand: proof.close_job(job, [], **hand),
                lambda hand: proof.cancel_job(job, "taken in twice", **hand),
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
            for page, more in (
                ("instruments:supply", {}),
                ("bench:new_instrument", {"name": "M", "profile": "csv_lines", "way": "tcp"}),
            ):
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
        stored = self.client.post(reverse("instruments:supply"), {"host": "192.168.4.20", "port": "7711"})
        self.assertEqual(stored.status_code, 302)
        self.assertContains(self.client.get(keeping), "Meters may be at: 127.0.0.0/8 -&gt; 127.0.0.1, 192.168.4.0/24")

    def test_only_the_owner_says_where_instruments_answer(self):
        self.client.force_login(make_user("lead", "lead"))
        page = reverse("instruments:supply")
        self.assertContains(self.client.get(page), "is set by the owner")
        self.assertEqual(self.client.post(page, {"host": "127.0.0.1", "port": "22"}).status_code, 403)
        sent = {"name": "M", "profile": "csv_lines", "way": "tcp", "host": "127.0.0.1", "port": "22"}
        self.assertEqual(self.client.post(reverse("bench:new_instrument"), sent).status_code, 403)
        self.assertFalse(BenchInstrument.objects.exists())
        lead, form = User.objects.get(username="lead"), Mock()
        for act in (set_supply, store_instrument):
            with self.assertRaises(NotAllowed):
                act(form, user=lead)
        form.save.assert_not_called()
        with self.assertRaises(NotAllowed):
            remove_instrument(BenchInstrument(pk=1), user=lead)
