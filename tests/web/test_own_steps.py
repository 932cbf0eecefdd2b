"""The shop's own steps through their pages: hung onto a step, held to the rules, in every later plan, struck out."""

import io
import json
from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image

from chargepath.base.errors import ChargepathError
from rainfront.demo.proofs import TICKED_LATE
from rainfront.jobs import actions
from rainfront.jobs.models import Job
from rainfront.jobs.planning import plan_of
from rainfront.work import actions as work_actions
from rainfront.workshop.adapters import Shop
from rainfront.workshop.models import ShopStep
from rainfront.workshop.ownphotos import add_mark, keep_photo, photos_in
from rainfront.workshop.ownsteps import misfits, steps_out, store_step, take_steps_in
from tests.builders import NOW, judged, make_job, make_user
from tests.web.test_pages import Signed
from tests.web.test_photos import picture

PEEL = "Peel the heat spreader off whole and keep it."
NEW, LIST = reverse("workshop:new_own_step"), reverse("workshop:own_steps")


class OwnSteps(Signed):
    def write(self, status=302, to=NEW, **values):
        sent = {"at": "cell_off", "goes": "after", "do": PEEL, "minutes": "1,5", "kind": "", **values}
        answer = self.client.post(to, sent)
        self.assertEqual(answer.status_code, status, answer.context and answer.context["form"].errors)
        return answer

    def plan(self, repair):
        return [row.step.do for row in plan_of(repair, Job.objects.get(pk=repair.job_id), Shop.current()).steps]

    def repair(self, minutes=0, **details):
        job = make_job(self.user, ("port clean", "i 0.0 5.0", "wiggle drops"), **details)
        at = NOW + timedelta(minutes=minutes)
        return actions.choose_route(job, "swap_carrier", "as agreed", user=self.user, now=at)

    def stored(self, **values):
        given = {"at": "cell_off", "goes": "after", "do": PEEL, "minutes": 1.5, **values}
        return store_step(given, user=self.user, now=NOW + timedelta(minutes=5), shop=Shop.current())

    def test_it_comes_into_each_later_plan_of_its_model_and_into_none_that_was_begun(self):
        begun = self.repair()
        self.stored(model_name="orvane d2")
        later, other = self.repair(minutes=10), self.repair(minutes=10, model_name="Tarn 4")
        self.assertNotIn(PEEL, self.plan(begun))
        self.assertNotIn(PEEL, self.plan(other))
        steps = self.plan(later)
        self.assertIn("Take the battery connector off", steps[steps.index(PEEL) - 1])
        there = reverse("work:repair", args=[later.job_id])
        step = ShopStep.objects.get()
        self.assertContains(self.client.get(there, {"step": f"own_{step.pk}"}), "A step of our own.")
        self.stored(at="off", goes="instead", do="Hold the key for 20 s.")
        again = reverse("work:repair", args=[self.repair(minutes=20).job_id])
        self.assertContains(self.client.get(again, {"step": "off"}), "In our own way.")
        choose = reverse("jobs:choose", args=[make_job(self.user).pk, "swap_carrier"])
        self.assertContains(self.client.get(choose), PEEL)

    def test_its_minutes_are_in_what_the_advice_reckons_with(self):
        job = make_job(self.user, ("port clean", "i 0.0 5.0", "wiggle drops"))

        def minutes():
            return {term.id: term.act.minutes for term in judged(job).advice.routes}

        before = minutes()
        self.stored(at="new_in", minutes=9.0)
        after = minutes()
        more = {route: round(after[route] - before[route], 4) for route in before if after[route] != before[route]}
        self.assertEqual(more, {"swap_carrier": 9.0})

    def test_what_it_needs_is_laid_out_with_the_rest(self):
        self.stored(do="Lay it on the warm plate.", acts=["warm"], settings={"plate_c": 55}, tools="glass mat")
        repair = self.repair(minutes=10)
        page = self.client.get(reverse("work:layout", args=[repair.job_id]))
        for words in ("glass mat", "Plate 70, 55, 60 °C", "isopropanol 99 %", "Sub-board", "known-good charger"):
            self.assertContains(page, words)
        work_actions.do_rest(repair, reasons=TICKED_LATE, user=self.user, now=NOW + timedelta(minutes=20))
        self.assertNotContains(self.client.get(reverse("work:layout", args=[repair.job_id])), "glass mat")

    def test_beside_a_danger_nothing_of_it_heats_pries_or_takes_a_shipped_steps_place(self):
        self.stored()
        self.stored(do="Warm it a little.", acts=["warm"], settings={"plate_c": 55})
        self.stored(at="off", goes="instead", do="Hold the key for 20 s.")
        repair = self.repair(minutes=10)
        self.assertIn("Warm it a little.", self.plan(repair))
        self.assertEqual(ShopStep.objects.get(do="Warm it a little.").cautions, ["lithium"])
        repair.dangers = ["swollen"]
        steps = self.plan(repair)
        self.assertIn(PEEL, steps)
        self.assertFalse({"Warm it a little.", "Hold the key for 20 s."} & {*steps})

    def test_it_is_ticked_off_as_every_step_is(self):
        step = self.stored()
        repair = self.repair(minutes=10)
        work_actions.do_step(repair, f"own_{step.pk}", user=self.user, now=NOW + timedelta(minutes=20))
        page = self.client.get(reverse("work:repair", args=[repair.job_id]))
        row = next(row for row in page.context["page"].rows if row.id == f"own_{step.pk}")
        self.assertEqual((row.state, row.minutes), ("done", "2 min"))

    def test_what_would_make_a_plan_wrong_is_refused_with_the_reason_and_nothing_is_stored(self):
        rows = (
            ({"at": "off", "do": "Lever the plate up.", "acts": ["pry"]}, "nothing is pried or unplugged while"),
            ({"do": "Lever the plate up."}, "tick that, or say it otherwise"),
            ({"at": "lens_look", "do": "Wipe it.", "acts": ["solvent"]}, "it would be wrong"),
            ({"setting_0": "plate_c", "value_0": "55"}, "nothing that is ticked sets plate"),
            ({"setting_0": "plate_c", "value_0": "140", "acts": ["warm"]}, "at most 100 °C"),
            ({"setting_0": "torque_ncm", "value_0": "9"}, "at most 3 N cm"),
            ({"minutes": "-1"}, "0"),
            ({"setting_0": "plate_c"}, "A setting and its value belong together"),
            ({"at": "no_such"}, "valid choice"),
            ({"do": ""}, "Fill this in"),
        )
        for values, says in rows:
            with self.subTest(values=values):
                self.assertContains(self.write(422, **values), says, status_code=422)
        self.assertFalse(ShopStep.objects.exists())

    def test_it_is_changed_struck_out_and_its_history_stays(self):
        self.write(setting_0="torque_ncm", value_0="2,5", cautions=["glass"], check_text="It is whole.")
        self.assertContains(self.client.get(LIST), "Driver 2.5 N cm")
        step = ShopStep.objects.get()
        self.assertEqual((step.settings, step.minutes), ({"torque_ncm": 2.5}, 1.5))
        there = reverse("workshop:own_step", args=[step.pk])
        self.assertContains(self.client.get(there), "It is whole.")
        self.write(to=there, do="Lift the heat spreader off whole.")
        old, new = ShopStep.objects.order_by("pk")
        self.assertEqual((old.struck_why, new.replaces), ("changed", old))
        self.assertEqual(self.client.post(there, {}).status_code, 404)
        strike = reverse("workshop:strike_own_step", args=[new.pk])
        self.assertContains(self.client.post(strike, {"why": ""}, follow=True), "nobody says why")
        self.client.post(strike, {"why": "no spreader on this revision"})
        self.assertEqual(list(ShopStep.objects.standing()), [])
        page = self.client.get(LIST)
        self.assertContains(page, "no spreader on this revision")
        self.assertContains(page, PEEL)

    def test_two_who_change_the_same_step_do_not_both_hold(self):
        step = self.stored()
        for turn in range(2):
            with self.subTest(turn=turn):
                changed = {"at": "cell_off", "goes": "after", "do": f"Peel it off, {turn}.", "minutes": 1}
                hand = {"user": self.user, "now": NOW, "shop": Shop.current(), "before": step}
                if turn:
                    with self.assertRaisesMessage(ChargepathError, "changed or struck out meanwhile"):
                        store_step(changed, **hand)
                else:
                    store_step(changed, **hand)
        self.assertEqual([row.do for row in ShopStep.objects.standing()], ["Peel it off, 0."])

    def test_one_whose_shipped_step_is_gone_is_shown_to_the_lead_and_hurts_no_plan(self):
        step = self.stored()
        ShopStep.objects.update(at="renamed_step")
        self.assertEqual(list(misfits(Shop.current())), [step])
        self.assertContains(self.client.get(LIST), "These hang on nothing any more")
        self.assertNotIn(PEEL, self.plan(self.repair(minutes=10)))

    def test_what_was_done_otherwise_twice_on_a_model_is_offered_as_its_way(self):
        def worked(note, minutes, **details):
            repair = self.repair(minutes=minutes, **details)
            at = {"user": self.user, "now": NOW + timedelta(minutes=minutes + 1)}
            work_actions.do_step(repair, "off", note=note, **at)
            work_actions.do_rest(repair, reasons=TICKED_LATE, **at)
            return self.client.get(reverse("work:repair", args=[repair.job_id]))

        offer = "Keep this as our way on this model?"
        self.assertNotContains(worked("held the key for 20 s", 0), offer)
        self.assertNotContains(worked("held the key for 20 s", 20, model_name="Tarn 4"), offer)
        page = worked("key held 20 s first", 40)
        self.assertContains(page, "Done otherwise in 2 repairs of this model")
        (row,) = page.context["proposals"]
        form = self.client.get(row.href).context["form"]
        self.assertEqual((form["at"].value(), form["do"].value(), form["goes"].value()), ("off", row.note, "instead"))
        self.stored(at="off", goes="instead", do="Hold the key for 20 s.", model_name="ORVANE D2")
        self.assertNotContains(worked("key held 20 s first", 60), offer)

    def test_what_must_be_so_before_it_and_what_is_so_after_it_is_chosen_and_held_to(self):
        seen_to = {"do": "Skip the look.", "makes_0": "!unlooked", "at": "nudge", "goes": "before"}
        self.assertContains(
            self.write(422, **seen_to), "nobody sees to it that every joint was looked at", status_code=422
        )
        off = {"do": "Lift the foam off and keep it.", "makes_0": "unmoved"}
        self.assertContains(self.write(422, **off), "gaskets and stickers are moved over before", status_code=422)
        self.write(do="Lay the foam back.", at="rest_on", makes_0="!unmoved", needs_0="!powered")
        self.write(**off)
        page = self.client.get(LIST)
        self.assertContains(page, "Before it the device is off; After it no gasket or sticker waits to go back")
        step = ShopStep.objects.get(at="rest_on")
        form = self.client.get(reverse("workshop:own_step", args=[step.pk])).context["form"]
        self.assertEqual((form["needs_0"].value(), form["makes_0"].value()), ("!powered", "!unmoved"))
        self.assertTrue(form.facts_told)

    def test_a_photo_with_marks_stands_at_its_step_and_goes_on_with_its_successor(self):
        step = self.stored()
        here = reverse("workshop:own_step_photo", args=[step.pk])
        mark = reverse("workshop:mark_own_step", args=[step.pk])
        self.assertContains(self.client.post(mark, {"x": "5", "y": "5", "text": "clip"}), "no photo", status_code=422)
        sent = {"file": SimpleUploadedFile("no.jpg", b"words")}
        self.assertContains(self.client.post(here, sent, follow=True), "this is not a picture")
        self.client.post(here, {"file": SimpleUploadedFile("place.jpg", picture())})
        self.client.post(mark, {"x": "25", "y": "50 %", "text": "hidden clip"})
        self.client.post(mark, {"x": "75", "y": "50", "text": "screw under the tape"})
        self.assertContains(self.client.post(mark, {"x": "1", "y": "1", "text": ""}), "Fill this in", status_code=422)
        self.client.post(reverse("workshop:unmark_own_step", args=[step.pk, 1]))
        self.assertContains(self.client.get(here), "screw under the tape")
        changed = {"at": "cell_off", "goes": "after", "do": "Lift the heat spreader off whole.", "minutes": 1}
        hand = {"user": self.user, "now": NOW + timedelta(minutes=6), "shop": Shop.current()}
        store_step(changed, before=step, **hand)
        new = ShopStep.objects.standing().get()
        self.assertEqual(
            (new.photo_width, new.photo_marks), (640, [{"x": 0.75, "y": 0.5, "text": "screw under the tape"}])
        )
        page = self.client.get(reverse("work:repair", args=[self.repair(20).job_id]), {"step": f"own_{new.pk}"})
        self.assertContains(page, "screw under the tape")
        shown = self.client.get(reverse("workshop:own_step_picture", args=[new.pk]))
        self.assertEqual(Image.open(io.BytesIO(b"".join(shown))).size, (640, 480))

    def test_the_place_on_the_device_is_pressed_on_its_outline_and_stands_at_the_step(self):
        step = self.stored()
        here, place = (reverse(f"workshop:{name}", args=[step.pk]) for name in ("own_step_photo", "place_own_step"))
        self.assertContains(self.client.get(here), "no place marked on it")
        for wrong in ({"at.x": "900", "at.y": "20"}, {"at.x": "", "at.y": "3"}):
            self.client.post(place, wrong)
        self.assertIsNone(ShopStep.objects.get().place_x)
        self.client.post(place, {"at.x": "42", "at.y": "81"})
        self.assertContains(self.client.get(here), "Done at the top left of the device")
        outline = self.client.get(reverse("workshop:own_step_outline", args=[step.pk]))
        self.assertEqual(outline["Content-Type"], "image/svg+xml")
        page = self.client.get(reverse("work:repair", args=[self.repair(20).job_id]), {"step": f"own_{step.pk}"})
        self.assertContains(page, "Done at the top left of the device")
        self.assertContains(page, 'class="own-spot"')
        sent = json.loads(json.dumps(steps_out()))
        self.assertEqual(sent[0]["place"], [0.15, 0.15])
        ShopStep.objects.all().delete()
        take_steps_in(sent, user=self.user, now=NOW, shop=Shop.current())
        self.assertEqual(ShopStep.objects.get().place_y, 0.15)

    def test_facts_photo_and_marks_go_into_another_shop_with_the_references(self):
        step = self.stored(makes=["unmoved"], at="side_by_side")
        keep_photo(step, picture(), user=self.user, now=NOW, shop=Shop.current())
        add_mark(step, 0.5, 0.5, "clip", user=self.user, now=NOW, shop=Shop.current())
        sent = json.loads(json.dumps(steps_out()))
        ShopStep.objects.all().delete()
        sent.append({**sent[0], "do": "Its photo is broken.", "photo": "no base64"})
        sent.append({**sent[0], "do": "Hung on an old name.", "at": "guard_off", "makes": [], "photo": ""})
        new, left = take_steps_in(sent, photos_in(sent), user=self.user, now=NOW, shop=Shop.current())
        self.assertEqual((new, len(left)), (3, 1))
        self.assertIn("its photo or place: photo: the photo is no base64", left[0])
        first, broken, old = ShopStep.objects.order_by("pk")
        marks = [{"x": 0.5, "y": 0.5, "text": "clip"}]
        self.assertEqual(
            (first.makes, first.photo_marks, first.photo_width),
            (["unmoved"], marks, 640),
        )
        self.assertEqual((bool(broken.photo), old.at), (False, "part_off"))
        self.assertEqual(take_steps_in(sent[:1], user=self.user, now=NOW, shop=Shop.current()), (0, []))

    def test_an_apprentice_reads_them_and_writes_none(self):
        self.stored()
        self.client.force_login(make_user("young", "apprentice"))
        self.assertNotContains(self.client.get(LIST), "Strike it out")
        self.assertEqual(self.client.post(NEW, {}).status_code, 403)
