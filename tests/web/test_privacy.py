"""Unlock codes are kept nowhere, and what slipped in is taken out everywhere."""

import tomllib
from pathlib import Path

from django.apps import apps
from django.db import connection, models
from django.test import SimpleTestCase
from django.urls import reverse

from chargepath.base.errors import ChargepathError
from rainfront.counter import actions as counter
from rainfront.counter.actions.redact import REDACTED
from rainfront.demo.picture import draw_board
from rainfront.inside import actions as inside
from rainfront.jobs import actions
from rainfront.jobs.models import Job, Quote
from rainfront.people.rights import NotAllowed
from rainfront.proof import actions as proof_actions
from rainfront.web.secrets import HIDDEN, find_code, hide_code
from tests.builders import NOW, handed_on, make_job, make_user
from tests.web.test_pages import Signed

TEXTS = tomllib.loads((Path(__file__).parents[1] / "data" / "unlock_codes.toml").read_text(encoding="utf-8"))


class Codes(SimpleTestCase):
    def test_codes_are_found_in_any_order_and_ordinary_words_are_not(self):
        for text in TEXTS["refused"]:
            with self.subTest(text=text):
                self.assertIsNotNone(find_code(text))
                self.assertIsNone(find_code(hide_code(text)))
        for text in TEXTS["accepted"]:
            with self.subTest(text=text):
                self.assertIsNone(find_code(text))
        self.assertGreaterEqual(min(map(len, TEXTS.values())), 60)
        self.assertEqual(hide_code("Wet. PIN is 24 68, hurry"), f"Wet. PIN is {HIDDEN}, hurry")


# Columns with words in them that nobody types: ids of the knowledge, what the program words or reckons, addresses,
# secrets that are stored as hashes, and pages that are made of columns which refuse codes themselves.
NOT_TYPED = {
    "web.Sent": {"key", "digest", "answer"},
    "people.User": {"password", "username", "first_name", "last_name", "email"},
    "people.Workshop": {"school", "meter_networks"},
    "workshop.Edition": {"token"},
    "workshop.KnowledgeChange": {"path", "shipped"},
    "workshop.ShopMinutes": {"key"},
    "workshop.PartPrice": {"route"},
    "workshop.Method": {"slot", "option"},
    "workshop.Learned": {"data"},
    "workshop.ShopStep": {"at", "settings", "cautions", "acts", "needs", "makes", "kind"},
    "stock.Item": {"route", "connector", "breaks"},
    "stock.BenchTestRun": {"test"},
    "stock.BenchNeed": {"name"},
    "jobs.Job": {"refused", "school", "traits", "history", "outcome_faults"},
    "jobs.Entry": {"name", "variant", "grade", "access", "signs", "values"},
    "jobs.Repair": {"route", "advised", "reached", "picks", "dangers"},
    "jobs.Quote": {"route"},
    "work.StepRun": {"step"},
    "work.OpenPhoto": {"kind", "corners"},
    "work.Timer": {"step"},
    "learning.Taught": {"tally"},
    "learning.Counted": {"key"},
    "learning.Counting": {"basis"},
    "proof.Proof": {"phase", "back_to", "slip", "numbers", "answers", "doubts", "by_meter", "watching"},
    "instruments.Record": {"trouble", "routine", "source", "read_by", "grade", "reason", "phases", "figures"},
    "instruments.Waiting": {"readings"},
    "instruments.Supply": {"host"},
    "instruments.BenchInstrument": {"profile", "host", "line", "secret", "pin"},
    "reference.BoardConnector": {"pins"},
    "reference.GoodReading": {"map_id", "place", "pin"},
    "reference.GoodValue": {"map_id", "place", "pin"},
    "heat.Melted": {"target", "alloy"},
    "cell.CellRun": {"kind", "says", "rows", "held"},
    "inside.Sheet": {"map_id", "place", "pins"},
    "inside.Point": {"pin", "source"},
    "inside.Ladder": {"volts", "second"},
    "inside.Draws": {"without"},
    "inside.Mark": {"part"},
    "board.BoardMap": {"digest"},
    "board.BoardDraft": {"notes"},
    "board.Meaning": {"name", "means"},
    "board.Tie": {"map_id", "place", "pin", "pads"},
    "board.BoardPicture": {"pairs"},
    "counter.Visit": {"mail"},
    "counter.DropOff": {"marks", "things", "strokes", "back"},
    "day.Standing": {"stage", "words", "danger", "wants_part", "levels", "worst", "facts"},
    "logbook.Page": {"text", "basis", "shown"},
    "logbook.Fact": {"value"},
    "logbook.Measured": {"name"},
    "insights.Reckoned": {"period", "data"},
    "insights.EndedJob": {"model", "faults"},
    "insights.RepairedJob": {"route", "model", "batch", "habit"},
}


class EveryColumn(Signed):
    def test_every_column_that_people_type_into_refuses_a_code_however_it_is_written(self):
        typed, found = 0, {}
        for model in apps.get_models():
            if not model.__module__.startswith("rainfront."):
                continue
            for field in model._meta.get_fields():
                texts = (models.CharField, models.TextField, models.JSONField)
                if not isinstance(field, texts) or isinstance(field, models.FileField) or field.choices:
                    continue
                if field.name in NOT_TYPED.get(model._meta.label, ()):
                    found.setdefault(model._meta.label, set()).add(field.name)
                    continue
                typed += 1
                code = [{"x": "unlock code 4711"}] if isinstance(field, models.JSONField) else "unlock code 4711"
                with self.subTest(column=f"{model._meta.label}.{field.name}"):
                    with self.assertRaisesMessage(ChargepathError, "looks like an unlock code"):
                        model.objects.update(**{field.name: code})
                    with self.assertRaisesMessage(ChargepathError, "looks like an unlock code"):
                        model.objects.bulk_create([model(**{field.name: code})])
        self.assertGreater(typed, 50)
        self.assertEqual(found, NOT_TYPED)

    def test_every_form_says_it_at_the_field_and_hides_it(self):
        job, code = make_job(self.user), "unlock 4711"
        self.client.force_login(make_user("owner", "owner"))
        for page, args, sent in (
            ("counter:order", [job.pk], {"act": "contact", "name": "A", "phone": code, "mail": ""}),
            ("reference:new_meter", [], {"name": code, "style": "volts"}),
            ("heat:stations", [], {"name": code}),
            ("people:people", [], {"username": "newone", "initials": "pw4711", "role": "lead"}),
        ):
            with self.subTest(page=page):
                answer = self.client.post(reverse(page, args=args), sent)
                self.assertContains(answer, "looks like an unlock code", status_code=422)
                self.assertNotContains(answer, "4711", status_code=422)


class Kept(Signed):
    def test_a_refused_text_comes_back_without_its_code(self):
        job = make_job(self.user)
        posts = (
            (reverse("jobs:note", args=[job.pk]), {"text": "drops out, 2468 is the pin"}),
            (reverse("jobs:choose", args=[job.pk, "swap_battery"]), {"reason": "customer: code is 2468"}),
            (reverse("jobs:take_in"), {"complaint": "dead, unlock with 2468", "customer": "second mate"}),
        )
        for address, data in posts:
            with self.subTest(address=address):
                page = self.client.post(address, data)
                self.assertContains(page, "no code is ever stored", status_code=422)
                self.assertContains(page, HIDDEN, status_code=422)
                self.assertNotContains(page, "2468", status_code=422)

    def test_nothing_typed_is_lost_when_it_is_refused(self):
        job = proof_actions.close_job(
            make_job(self.user, ["did clean_port yes"]), ["port_fouled"], user=self.user, now=NOW
        )
        for how in ("back", "mistake"):
            page = self.client.post(reverse("proof:reopen", args=[job.pk]), {"how": how, "why": " "})
            self.assertContains(page, "say why it is opened again", status_code=422)
        other = make_job(self.user, ["danger swollen"])
        self.client.force_login(make_user("lead", "lead"))
        data = {"hazard": "cell_swollen", "why": "it is only a little bit thick"}
        page = self.client.post(reverse("jobs:overrule", args=[other.pk]), data)
        self.assertContains(page, "overruled by nobody", status_code=422)


class Redacting(Signed):
    def setUp(self):
        super().setUp()
        self.lead = make_user("lead", "lead")
        self.job = make_job(self.user, ["port lint"])
        hand = {"user": self.user, "now": NOW}
        actions.change_details(self.job, {"complaint": "Wet. Skipper Amund"}, **hand)
        actions.change_details(self.job, {"complaint": "Wet"}, **hand)
        actions.add_note(self.job, "amund will call; Amundsen not", **hand)
        actions.strike_entry(self.job.entries.get(name="port_look"), "said Amund", **hand)
        photo = inside.add_photo(self.job, draw_board(3), "Amund's port", **hand)
        inside.add_mark(photo, 0.1, 0.1, "Amund scratched here", **hand)
        Quote.objects.create(job=self.job, route="clean_port", amount=1, words="For Amund", by=self.user, at=NOW)

    def dumped(self):
        return "\n".join(str(list(model.objects.values())) for model in apps.get_models() if model is not Job)

    def test_the_lead_takes_a_text_out_everywhere_it_stands_history_included(self):
        with self.assertRaises(NotAllowed):
            counter.redact(self.job, "Amund", user=self.user, now=NOW)
        self.client.force_login(self.lead)
        address = reverse("counter:redact", args=[self.job.pk])
        page = self.client.post(address, {"text": "amund"}, follow=True)
        self.assertContains(page, "Redacted in 8 places")
        self.assertContains(page, "Amundsen not")
        # "Amundsen", in the log and on its page of the logbook.
        self.assertEqual(self.dumped().lower().count("amund"), 2)
        self.assertEqual(self.job.photos.get().caption, f"{REDACTED}'s port")
        self.assertEqual(self.job.entries.last().text, "a text was redacted, in 8 places")
        for text, says in (("amund", "stands nowhere"), ("x", "too short")):
            self.assertContains(self.client.post(address, {"text": text}), says, status_code=422)

    def test_what_is_deleted_is_overwritten_in_the_file(self):
        with connection.cursor() as cursor:
            self.assertEqual(cursor.execute("PRAGMA secure_delete").fetchone(), (1,))

    def test_every_field_that_people_write_in_is_reached(self):
        """A new model that hangs on a job says which of its texts are people's own."""
        ids = {
            "jobs.job": {"on_why", "on_as", "kind", "connector", "carrier", "backup", "school", "stage"},
            "jobs.entry": {"access", "kind", "name", "variant", "grade"},
            "jobs.repair": {"route", "advised", "reached"},
            "work.steprun": {"step"},
            "work.timer": {"step"},
            "work.screw": {"kind", "place"},
            "jobs.quote": {"route", "answer"},
            "proof.proof": {"phase", "back_to", "slip"},
            "instruments.record": {"origin", "state", "routine", "file", "source", "grade", "read_by"},
            "instruments.draft": {"origin"},
            "instruments.waiting": {"unit"},
            "inside.sheet": {"map_id", "place", "mode", "lifted"},
            "inside.point": {"pin", "source"},
            "inside.photo": {"file"},
            "inside.mark": {"part", "how"},
            "board.boardpicture": {"file", "side"},
            "stock.move": {"route", "family", "why"},
            "proof.sealtest": {"when"},
            "counter.order": {"told_how"},
            "counter.payment": {"how"},
            "counter.dropoff": {"signed"},
            "counter.extra": {"state"},
            "day.standing": {"stage", "words", "danger", "wants_part"},
            "logbook.page": {"basis"},
            "logbook.fact": {"kind"},
            "logbook.measured": {"name"},
            "cell.cellrun": {"kind", "state"},
            "insights.repairedjob": {"route", "batch", "habit"},
        }
        todo, seen = [Job], set()
        while todo:
            model = todo.pop()
            if model in seen:
                continue
            seen.add(model)
            todo += [found.related_model for found in model._meta.related_objects if not found.many_to_many]
            texts = (models.CharField, models.TextField, models.FileField)
            own = {field.name for field in model._meta.fields if isinstance(field, texts)}
            own |= {"left_out"} if model._meta.label_lower == "proof.proof" else set()
            with self.subTest(model=model._meta.label_lower):
                self.assertEqual(own - set(getattr(model, "WORDS", ())), ids.get(model._meta.label_lower, set()))


class Refused(Signed):
    def test_a_code_is_refused_by_every_act_that_takes_words(self):
        job, hand = make_job(self.user), {"user": self.user, "now": NOW}
        acts = (
            lambda text: actions.add_note(job, text, **hand),
            lambda text: actions.choose_route(job, "clean_port", text, **hand),
            lambda text: actions.choose_route(job, "clean_port", "", text, **hand),
            lambda text: actions.strike_entry(job.entries.first(), text, **hand),
            lambda text: handed_on(job, text, **hand),
            lambda text: actions.change_details(job, {"complaint": text}, **hand),
            lambda text: actions.make_quote(job, "clean_port", 10, text, **hand),
        )
        for act in acts:
            with self.assertRaisesMessage(ChargepathError, "looks like an unlock code"):
                act("the code is 2468")
