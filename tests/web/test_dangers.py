"""Dangers at the bench: what is refused and where, what stands on the pages, who may overrule what."""

from django.test import SimpleTestCase, TestCase
from django.urls import reverse
from django.utils.html import escape

from chargepath.base.errors import DangerError
from chargepath.hazards.standing import dangers_of
from chargepath.knowledge.loader import shipped
from rainfront.demo.proofs import prove_whole
from rainfront.inside import actions as inside
from rainfront.instruments import actions as instruments
from rainfront.instruments.models import Record
from rainfront.jobs import actions
from rainfront.jobs.adapters import case_of
from rainfront.jobs.models import Entry, Job
from rainfront.jobs.presenters.dangers import because
from rainfront.jobs.writing import JobError
from rainfront.people.rights import NotAllowed
from rainfront.proof import actions as proof_actions
from rainfront.proof.models import Proof
from tests.builders import NOW, case, make_job, make_user


class EmergencyCard(TestCase):
    def test_everybody_reaches_it_signed_in_or_not_and_it_says_what_to_do_in_order(self):
        address = reverse("workshop:emergency")
        self.assertContains(self.client.get(reverse("people:sign_in")), f'href="{address}"')
        page = self.client.get(address)
        for card in shipped().emergencies.values():
            places = [page.content.decode().index(escape(text)) for text in (card.label, *card.do, *card.never)]
            self.assertEqual(places, sorted(places), card.id)
        vents, burns = page.context["large"]
        self.assertRegex(vents.do[0], "^Supply off, charger out")
        self.assertIn("tongs and fire-proof gloves", " ".join(vents.do))
        self.assertRegex(burns.do[0], "^Leave it. Everybody out")
        self.assertIn("Call for help", " ".join(burns.do))


class FlatCells(TestCase):
    def test_flat_alone_is_asked_for_its_volts_and_nothing_is_stored(self):
        """A flat cell may be too deep to be charged at all: the grade alone raised nothing."""
        user = make_user()
        self.client.force_login(user)
        job = make_job(user)
        page = self.client.post(reverse("jobs:line", args=[job.pk]), {"line": "cell flat"})
        self.assertContains(page, "the volts in V, as 2.40", status_code=422)
        self.assertFalse(job.entries.filter(kind="check").exists())
        self.client.post(reverse("jobs:line", args=[job.pk]), {"line": "cell 1,4"})
        self.assertContains(self.client.get(job.get_absolute_url()), "Cell under its recovery voltage")


class Words(SimpleTestCase):
    def test_a_limit_that_was_crossed_is_named_with_the_side_it_was_crossed_on(self):
        known = shipped()
        for line, says in (
            ("cell 1.2", "1.20 V, under 2.00 V"),
            ("cell 4.9", "4.90 V, over 4.50 V"),
            ("vport 20", "20.00 V, over 17.25 V"),
            ("vboard 12 9", "12.00 V, over 10.35 V"),
        ):
            with self.subTest(line=line):
                (danger,) = dangers_of(known, case([line]))
                self.assertIn(says, because(danger, known).replace("\u00a0", " "))


class Refused(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.user = make_user()
        cls.hand = {"user": cls.user, "now": NOW}

    def setUp(self):
        self.client.force_login(self.user)

    def test_everything_that_puts_current_into_a_wet_device_is_refused_with_the_reason_and_the_way_out(self):
        job = make_job(self.user, history=["liquid"])
        sheet = {"map_id": "usb_c", "place": "contact", "mode": "volts", "revision": "", "meter": None}
        for act in (
            lambda: actions.record_line(job, "i 0.2 5.0", **self.hand),
            lambda: actions.record_line(job, "start starts", **self.hand),
            lambda: actions.record_line(job, "try swap_carrier yes", **self.hand),
            lambda: actions.record_line(job, "did swap_carrier yes", **self.hand),
            lambda: actions.choose_route(job, "swap_carrier", "to be quick", **self.hand),
            lambda: proof_actions.record_proof(job, {"amps": 1.1, "volts": 5.0}, **self.hand),
            lambda: instruments.start_record(job, "", {}, **self.hand),
            lambda: instruments.start_record(job, "wiggle", {}, **self.hand),
            lambda: instruments.start_waiting(job, 12.0, **self.hand),
            lambda: inside.store_ladder(job, {"plug": 5.0, "carrier": 4.9}, 0.5, **self.hand),
            lambda: inside.enter_supply(job, 0.004, None, **self.hand),
            lambda: inside.start_sheet(job, sheet, **self.hand),
        ):
            with self.assertRaisesRegex(DangerError, "Wet.*Do not power it.*first: look inside, then clean the board"):
                act()
        self.assertEqual((Record.objects.count(), Proof.objects.count()), (0, 0))
        self.assertFalse(Entry.objects.filter(job=job, kind__in=("check", "try", "repair")).exists())
        actions.record_line(job, "inside clean", **self.hand)
        actions.record_line(job, "i 0.2 5.0", **self.hand)

    def test_what_is_proved_is_not_closed_while_a_danger_stands(self):
        job = make_job(self.user, ["port lint", "did clean_port yes"])
        prove_whole(job, self.user, NOW)
        actions.record_line(job, "cell 4.9", **self.hand)
        with self.assertRaisesRegex(DangerError, "Cell over its limit"):
            proof_actions.close_job(job, ["port_fouled"], **self.hand)

    def test_a_page_says_it_and_keeps_what_was_typed(self):
        job = make_job(self.user, ("inside swollen",))
        page = self.client.post(reverse("jobs:line", args=[job.pk]), {"line": "i 0,2 5,0"}, headers={"HX-Request": "1"})
        self.assertContains(page, "Swollen cell: Do not charge it", status_code=422)
        self.assertContains(page, 'value="i 0,2 5,0"', status_code=422)
        bench = self.client.get(job.get_absolute_url())
        self.assertContains(bench, "look inside: cell swollen")
        self.assertEqual(bench.context["bench"].next.id, "swap_battery")
        self.assertContains(bench, "not now: swollen cell")
        for name in ("proof:prove", "instruments:outside", "inside:supply", "jobs:decide"):
            self.assertContains(self.client.get(reverse(name, args=[job.pk])), 'class="danger"')
        self.assertContains(self.client.get(reverse("jobs:check", args=[job.pk, "power_up"])), 'class="danger"')

    def test_found_in_the_middle_of_a_repair_the_repair_waits_and_so_does_its_proof(self):
        job = make_job(self.user, ("port worn", "wiggle drops", "flip one_side"))
        actions.choose_route(job, "swap_carrier", "as agreed", **self.hand)
        actions.record_line(job, "danger swollen", **self.hand)
        bench = self.client.get(job.get_absolute_url()).context["bench"]
        self.assertTrue(bench.repair_waits)
        self.assertEqual(bench.next.id, "swap_battery")
        done = make_job(self.user, ("inside clean", "did swap_carrier", "danger swollen"))
        self.assertEqual(Job.objects.get(pk=done.pk).stage, "decide")
        page = self.client.post(reverse("proof:read", args=[done.pk]), {"item": "start", "answer": "starts"})
        self.assertContains(page, "Do not charge it", status_code=422)

    def test_seen_at_the_counter(self):
        form = {
            "model_name": "Orvane D2",
            "customer": "cook",
            "kind": "phone",
            "connector": "usb_c",
            "value": "120,50",
            "carrier": "sub_board",
            "complaint": "warm",
            "backup": "done",
            "dangers": ["cell_hot", "wet"],
        }
        page = self.client.get(reverse("jobs:take_in"))
        self.assertContains(page, "Dangers seen at the counter")
        self.assertContains(page, "Do not power it, not even to see whether it starts")
        made = self.client.post(reverse("jobs:take_in"), form, follow=True)
        self.assertEqual([row.hazard.id for row in made.context["dangers"]], ["cell_hot", "wet"])
        titles = ["Danger: Wet, or told wet and not looked into", "Danger: Cell hot or smelling"]
        self.assertEqual(
            [row.said.title for row in made.context["bench"].log[:2]],
            titles,
        )

    def test_how_long_ago_it_got_wet_is_one_press_and_may_be_taken_back(self):
        job = make_job(make_user("lead", "lead"), (), history=["liquid"])
        at = reverse("jobs:details", args=[job.pk])
        form = self.client.get(at).context["form"]
        data = {name: form.initial.get(name) or "" for name in form.fields if name in form.initial}
        for told, hours, flags in (
            (["liquid"], "24", ("liquid", "wet_lately")),
            (["liquid"], "720", ("liquid", "wet_weeks")),
            (["salt_liquid"], "", ("salt_liquid",)),
            (["drop"], "24", ("drop",)),
        ):
            page = self.client.post(at, {**data, "history": told, "wet_hours": hours})
            self.assertEqual(page.status_code, 302)
            case = case_of(Job.objects.get(pk=job.pk), shipped()).told(shipped())
            self.assertEqual(set(case.history), set(flags))
        self.assertIsNone(case.wet_hours)
        self.assertEqual(self.client.post(at, {**data, "history": ["liquid"], "wet_hours": "7"}).status_code, 422)


class Overruled(TestCase):
    @classmethod
    def setUpTestData(cls):
        cls.user, cls.lead = make_user(), make_user("head", "lead")

    def test_only_by_the_lead_in_writing_and_never_for_a_swollen_cell(self):
        job = make_job(self.user, ("cell 1.4", "danger swollen"), history=["liquid"])
        with self.assertRaises(NotAllowed):
            actions.overrule_danger(job, "wet", "dried for a week", user=self.user, now=NOW)
        for hazard, why, says in (
            ("wet", "", "say why"),
            ("cell_swollen", "customer insists on it", "overruled by nobody"),
            ("cell_deep", "it came up again", "overruled by nobody"),
            ("input_shorted", "no reason at all", "does not stand"),
        ):
            with self.subTest(hazard=hazard), self.assertRaisesMessage(JobError, says):
                actions.overrule_danger(job, hazard, why, user=self.lead, now=NOW)
        self.client.force_login(self.user)
        address = reverse("jobs:overrule", args=[job.pk])
        self.assertEqual(self.client.post(address, {"hazard": "wet", "why": "dried for a week"}).status_code, 403)
        self.assertNotContains(self.client.get(job.get_absolute_url()), "Overrule, in writing")
        self.client.force_login(self.lead)
        self.assertContains(self.client.get(job.get_absolute_url()), "Overrule, in writing", count=1)
        page = self.client.post(address, {"hazard": "wet", "why": "dried for a week"}, follow=True)
        self.assertEqual([row.hazard.id for row in page.context["dangers"]], ["cell_swollen", "cell_deep"])
        self.assertContains(page, "dried for a week")

    def test_it_can_be_struck_out_like_every_entry_and_the_danger_stands_again(self):
        job = make_job(self.user, history=["liquid"])
        entry = actions.overrule_danger(job, "wet", "dried for a week", user=self.lead, now=NOW)
        actions.record_line(job, "i 0.2 5.0", user=self.user, now=NOW)
        actions.strike_entry(entry, "wrong device", user=self.lead, now=NOW)
        with self.assertRaises(DangerError):
            actions.record_line(job, "flip same", user=self.user, now=NOW)

    def test_it_goes_into_the_case_file_and_comes_back(self):
        job = make_job(self.user, ("danger burnt", "inside clean", "danger wet"))
        actions.overrule_danger(job, "wet", "only the case was wet", user=self.lead, now=NOW)
        self.client.force_login(self.user)
        file = self.client.get(reverse("exchange:case_file", args=[job.pk]))
        self.assertEqual(
            file.json()["events"],
            [
                {"hazard": "burnt_smell"},
                {"check": "inside_look", "signs": []},
                {"hazard": "wet"},
                {"hazard": "wet", "overruled": "only the case was wet"},
            ],
        )
        self.assertEqual(file.json()["version"], 3)
        from io import BytesIO

        data = {"model_name": "x", "customer": "y", "file": BytesIO(file.content)}
        data["file"].name = "case.json"
        page = self.client.post(reverse("exchange:case"), data, follow=True)
        self.assertEqual(page.context["dangers"], [])
        self.assertEqual(page.context["job"].entries.filter(kind="hazard").count(), 3)
