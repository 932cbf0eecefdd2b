"""The heat desk and its stations through the web."""

import re
from datetime import timedelta
from urllib.parse import urlencode

from django.http import QueryDict
from django.urls import reverse

from chargepath.knowledge.loader import shipped
from chargepath.repair.heat import AirStation, Setting
from chargepath.repair.station import Melt, seconds_to_move
from chargepath.repair.stepheat import heat_of
from rainfront.heat.extension import Heat
from rainfront.heat.forms import DeskForm
from rainfront.heat.models import HotAir, Melted
from rainfront.heat.presenters import desk_query
from rainfront.jobs import actions
from rainfront.jobs.planning import plan_of
from rainfront.work import actions as work_actions
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, make_job
from tests.web.test_pages import Signed

HEAT = shipped().heat
AIR = {"flow_l_min": "50", "nozzle_mm": "8", "distance_mm": "12"}
TYPED = {"target": "metal_thin", "alloy": "sac305", "set_c": "360", **AIR}


class Desk(Signed):
    path = "/heat/"

    def ask(self, status=200, **typed):
        page = self.client.get(self.path, typed)
        self.assertEqual(page.status_code, status)
        return page.content.decode()

    def title(self, **typed):
        return re.search(r'<h2 class="do">([^<]+)<', self.ask(**typed))[1]

    def test_figures_are_read_as_people_type_them_and_more_heat_is_sooner(self):
        self.assertEqual(self.title(set_c="350,0", distance_mm="1,2 cm"), self.title(set_c="350", distance_mm="12"))
        cooler, hotter = (int(re.search(r"\d+", self.title(target="metal_thin", set_c=c))[0]) for c in ("350", "420"))
        self.assertLess(hotter, cooler)

    def test_what_fails_is_said_first_and_in_plain_words(self):
        page = self.ask(target="plastic", set_c="450", most_s="90", past_melt_s="20")
        says = re.findall(r'<li class="(bad|near|good)">', page)
        self.assertEqual(says[0], "bad")
        self.assertRegex(page, r"Plastic tongue peaks at \d+ °C; its limit is 240: the plastic softens")

    def test_too_cool_says_what_it_needs(self):
        page = self.ask(target="closed_thick", set_c="300")
        self.assertIn("Does not melt", page)
        self.assertRegex(page, r"It needs (the plate|low-melt|the iron)|°C is enough")

    def test_low_melt_lowers_it_and_says_how_much_wire_and_what_it_costs(self):
        page = self.ask(target="closed_thick", set_c="300", low_melt="50")
        self.assertIn("Melts after", page)
        self.assertRegex(page, r"Low-melt wire</dt><dd><span class=\"num\">\d+ mm")
        self.assertNotIn("leave a film", page)
        self.assertIn("lead and bismuth together leave a film", self.ask(alloy="sn63pb37", low_melt="50"))

    def test_more_solder_takes_more_wire_and_more_time(self):
        asked = {"target": "closed_thick", "set_c": "350", "low_melt": "50"}
        few, many = (self.ask(**asked, joints=mm3) for mm3 in ("7,0 mm³", "28 mm3"))
        wire = [int(re.search(r'Low-melt wire</dt><dd><span class="num">(\d+) mm', page)[1]) for page in (few, many)]
        self.assertAlmostEqual(wire[1] / wire[0], 4, delta=0.2)
        seconds = [int(re.search(r"Melts after (\d+) s", page)[1]) for page in (few, many)]
        self.assertLess(*seconds)

    def test_iron_and_from_below(self):
        self.assertIn("Melts after", self.title(tool="iron", set_c="380", tip_mm="3", alloy="sn63pb37"))
        self.assertNotEqual(self.title(tool="below", set_c="380"), self.title(tool="above", set_c="380"))

    def test_a_wrong_figure_is_named_in_page_and_fragment_and_kept(self):
        page = self.ask(status=422, set_c="900")
        self.assertIn("is too much", page)
        self.assertIn('value="900"', page)
        part = self.client.get(self.path, {"set_c": "warm"}, headers={"HX-Request": "true"})
        self.assertContains(part, "Set to (°C): ", status_code=422)
        self.assertNotContains(part, "<html", status_code=422)

    def test_the_plate_reports_the_cells_margin_whatever_it_is(self):
        page = self.client.get("/heat/plate/", {"plate": "80", "minutes": "4"})
        self.assertContains(page, "The cell")
        page = self.client.get("/heat/plate/", {"plate": "120", "minutes": "20"})
        self.assertRegex(page.content.decode(), r"The cell reaches \d+ °C; its limit is 60")


class AtAStep(Signed):
    def test_a_step_that_heats_leads_to_the_desk_with_its_values(self):
        job = make_job(self.user, ("i 0.0 5.1 12%", "wiggle drops", "joint moves"), carrier="none")
        actions.choose_route(job, "replace_port", "as agreed", user=self.user, now=NOW)
        repair, seen = job.repairs.get(), set()
        for minute, row in enumerate(plan_of(repair, job, Shop.current()).steps):
            page = self.client.get(reverse("work:repair", args=[job.pk])).content.decode()
            seen |= set(re.findall(r'href="(/heat/\?[^"]+)"', page))
            if seen:
                break
            work_actions.do_step(repair, row.step.id, user=self.user, now=NOW + timedelta(minutes=minute))
        self.assertTrue(seen)
        query = seen.pop().replace("&amp;", "&")
        self.assertRegex(query, r"target=closed_thick&alloy=sn63pb37&tool=iron&set_c=370&.*tip_mm=3&.*most_s=8")
        page = self.client.get(query)
        self.assertIn("Melts after", page.context["desk"].title)
        self.assertContains(page, f"Back to the step of job {job.pk}")
        back = re.search(rf'href="(/jobs/{job.pk}/repair/\?step=[^"]+)"', page.content.decode())[1]
        self.assertEqual(self.client.get(back).context["page"].step.id, row.step.id)

    def test_the_desk_judges_what_the_step_sets(self):
        """Every figure of the step is in the form that the link opens, so that desk and plan cannot disagree."""
        known = shipped()
        target = HEAT.targets["closed_thick"]
        for step in known.procedures.steps():
            heat = heat_of(known, step, target)
            if heat is None:
                continue
            form = DeskForm(known, QueryDict(urlencode(desk_query(heat))))
            with self.subTest(step=step.id):
                self.assertTrue(form.is_valid(), form.errors)
                self.assertEqual(form.setting(known), heat.setting)
                self.assertEqual(form.target_of(known), heat.target)
                self.assertEqual(form.cleaned_data["alloy"], heat.alloy.id)
                self.assertEqual((form.cleaned_data["low_melt"] or 0) / 100, heat.low_share)

    def test_past_a_shield_the_desk_melts_leaded_paste_at_the_steps_own_setting_and_harms_nothing(self):
        job = make_job(self.user, ("joint moves",), carrier="none", traits=["hidden_pins", "plastic_near_port"])
        for route, name in (("replace_port", "seat_shield_air"), ("resolder_port", "reflow_shield_air")):
            repair = actions.choose_route(job, route, "as agreed", user=self.user, now=NOW)
            plan = plan_of(repair, job, Shop.current())
            step = next(row.step for row in plan.steps if row.step.id == name)
            (panel,) = Heat().step_panels(job, step, plan, Shop.current())
            desk = self.client.get(panel.context["href"]).context["desk"]
            held = [holds for *_, holds in desk.limits]
            with self.subTest(step=name):
                self.assertIn("alloy=sn63pb37", panel.context["href"])
                self.assertIn("Melts after", desk.title)
                self.assertTrue(held and all(held))
            actions.drop_repair(repair, user=self.user, now=NOW)


class Stations(Signed):
    def setUp(self):
        super().setUp()
        self.client.post("/heat/stations/", {"name": "  left   bench "})
        self.station = HotAir.objects.get()
        self.path = reverse("heat:station", args=[self.station.pk])

    def melt(self, **typed):
        return self.client.post(self.path, {**TYPED, **typed})

    def log(self, gain, count, slower=1.0):
        for k in range(count):
            setting = Setting(set_c=345.0 + 15 * (k % 6), flow_l_min=50, nozzle_mm=8, distance_mm=12)
            asked = Melt(HEAT.targets["metal_thin"], "sac305", setting, 1.0)
            seconds = slower * seconds_to_move(asked, AirStation(gain=gain), HEAT)
            answer = self.melt(set_c=f"{setting.set_c}", seconds=f"{seconds:.1f} s".replace(".", ","))
            self.assertEqual(answer.status_code, 302)

    def test_a_name_once_and_back_under_it(self):
        self.assertEqual(self.station.name, "left bench")
        self.assertContains(self.client.post("/heat/stations/", {"name": "Left bench"}), "already", status_code=422)
        self.melt(seconds="30")
        self.client.post(reverse("heat:give_away", args=[self.station.pk]))
        self.assertNotContains(self.client.get("/heat/stations/"), self.path)
        self.client.post("/heat/stations/", {"name": "left bench"})
        self.assertEqual(HotAir.objects.get().melts.count(), 1)

    def test_the_desk_speaks_in_this_stations_settings_and_says_how_sure_it_is(self):
        before = self.client.get("/heat/", {**TYPED, "station": self.station.pk}).content.decode()
        self.assertIn("As a usual station does it", before)
        self.log(0.84, 6)
        after = self.client.get("/heat/", {**TYPED, "station": self.station.pk}).content.decode()
        self.assertRegex(after, r"Fitted to 6 melts of this station: it melts after \d+ s, between \d+ and \d+ in 19")
        moves = [int(re.search(r"Melts after (\d+) s", page)[1]) for page in (before, after)]
        self.assertGreater(moves[1], moves[0])
        self.assertContains(self.client.get(self.path), "Reaches the nozzle")

    def test_a_drift_is_said_and_a_struck_melt_counts_no_more(self):
        self.log(0.95, 8)
        self.log(0.95, 4, slower=1.6)
        self.assertContains(self.client.get(self.path), "It drifts.")
        for melt in Melted.objects.order_by("-pk")[:4]:
            self.client.post(reverse("heat:strike", args=[melt.pk]))
        page = self.client.get(self.path)
        self.assertNotContains(page, "It drifts.")
        self.assertContains(page, "count again", 4)

    def test_what_was_typed_wrongly_is_kept_and_nothing_stored(self):
        wrong = (("seconds", "", "Fill this in"), ("seconds", "0,2", "too little"), ("set_c", "60", "too little"))
        for name, text, says in wrong:
            page = self.melt(**{"seconds": "31", name: text})
            self.assertContains(page, says, status_code=422)
            self.assertContains(page, 'value="50"', status_code=422)
        self.assertFalse(Melted.objects.exists())
