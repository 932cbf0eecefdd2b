"""What the bench page says, in the words a technician reads."""

from django.urls import reverse
from django.utils.html import escape

from chargepath.knowledge.loader import shipped
from rainfront.jobs import actions
from rainfront.jobs.fetching import get_job
from rainfront.jobs.judging import is_proved
from rainfront.jobs.models import Job
from rainfront.jobs.presenters.bench import bench_of
from rainfront.jobs.views.common import basis_of
from rainfront.people.models import Workshop
from rainfront.proof import actions as proof_actions
from rainfront.work import actions as work_actions
from tests.builders import NOW, PASSWORD, THREE_AT_ONCE, judged, make_job, make_user
from tests.web.test_pages import Signed


class TheBench(Signed):
    def bench(self, *lines, station="", **details):
        job = make_job(self.user, lines, **details)
        request = self.client.get("/").wsgi_request
        return bench_of(basis_of(request, get_job(job.pk), station), NOW)

    def test_the_first_thing_asked_of_a_device_is_measured_from_outside(self):
        bench = self.bench()
        self.assertEqual((bench.next.kind, bench.next.opens), ("check", ""))
        self.assertGreaterEqual(len(bench.next.answers), 2)
        for answer in bench.next.answers:
            self.assertIn(answer.line.split()[0], {check.word for check in shipped().checks.values()})

    def test_next_says_what_it_saves_and_what_each_answer_would_mean(self):
        card = self.bench("port clean", "i 0.08 5.1 12%").next
        self.assertRegex(card.reason, r"Saves about .\d+.* (against repairing now|next, .* alone): .* instead of .\d+")
        chances = [int(chance.strip("<>%")) for chance in (row.chance for row in card.outcomes)]
        self.assertAlmostEqual(sum(chances), 100, delta=len(chances))

    def test_a_repair_says_its_chance_its_cost_and_what_measuring_would_bring(self):
        bench = self.bench("i 0.0 5.1 20%", "port lint plug_proud", "wiggle drops", history=["pocket_carried"])
        self.assertEqual((bench.next.verb, bench.next.id), ("Repair", "clean_port"))
        self.assertRegex(
            bench.next.reason,
            r"^\d+% to cure all that is wrong for .\d+; the whole job then is expected to cost .\d+\.",
        )
        self.assertIn("Measuring more", bench.next.reason)

    def test_handing_on_is_advised_with_the_sums_that_say_so(self):
        bench = self.bench("rail 2/400", "idle 1.0", "hot elsewhere", value=8)
        self.assertEqual((bench.next.verb, bench.next.id), ("Stop here", "refer"))
        self.assertIn("The device is worth", bench.next.reason)

    def test_an_opening_comes_with_its_cautions_and_is_asked_for_once(self):
        device = {"connector": "eight_pad", "carrier": "flex", "history": ["cheap_accessory"]}
        lines = ("i 0.1 5", "data silent", "port clean", "start starts", "try advise_source no", "report plausible")
        lines += ("plugline 493/500", "message clean")
        closed, opened = self.bench(*lines, **device), self.bench(*lines, "inside clean", **device)
        self.assertEqual(closed.next.opens, "cover off")
        self.assertIn("Lithium cell", [caution.label for caution in closed.next.cautions])
        self.assertNotEqual(opened.next.opens, "cover off")

    def test_suspects_show_what_pushed_them_up_and_down(self):
        bench = self.bench("i 0.0 5.1 20%", "port clean", "wiggle drops")
        top = bench.suspects[0]
        self.assertTrue(any(push.up and push.factor.startswith("×") for push in top.pushes))
        worn = next(s for s in bench.suspects if s.id == "port_worn")
        self.assertIn(("Look into the port: nothing to see", False), [(push.words, push.up) for push in worn.pushes])

    def test_nothing_is_shown_as_certain_or_ruled_out(self):
        bench = self.bench("i none", "power 3/512", "power 2/512 at board", "hot part")
        shown = [gauge.percent for gauge in bench.scene.gauges] + [suspect.percent for suspect in bench.suspects]
        self.assertFalse({"0%", "100%"} & set(shown))

    def test_marks_follow_the_readings_and_a_repair_wipes_them(self):
        marks = lambda bench: {gauge.id: gauge.mark for gauge in bench.scene.gauges}  # noqa: E731
        before = marks(self.bench("port clean", "vport 3.2", "power OL at board", "rail 3/400"))
        self.assertEqual(
            [before[s] for s in ("port", "guard", "board", "carrier", "battery")],
            ["good", "open", "short", "off", "none"],
        )
        after = marks(self.bench("port lint", "did clean_port no", "wiggle steady"))
        self.assertEqual((after["port"], after["board"]), ("good", "none"))

    def test_routes_over_the_customers_limit_are_marked(self):
        rows = {row.id: row for row in self.bench("i 0.0 5.1 20%", "port lint", limit=20).routes}
        self.assertFalse(rows["clean_port"].over_limit)
        self.assertTrue(rows["swap_carrier"].over_limit)
        self.assertFalse(rows["refer"].over_limit)

    def test_a_try_can_be_entered_by_mouse_until_it_is_done(self):
        bench = self.bench("i none")
        rows = {row.id: row.try_line for row in (*bench.routes, *bench.more_routes)}
        self.assertEqual((rows["swap_carrier"], rows["clean_port"]), ("try swap_carrier", ""))
        bench = self.bench("i none", "try swap_carrier no")
        rows = {row.id: row.try_line for row in (*bench.routes, *bench.more_routes)}
        self.assertEqual(rows.get("swap_carrier", ""), "")

    def test_the_log_shows_the_newest_first_with_the_comparison(self):
        bench = self.bench("i 0.02 5.1 3%", "start dead", "data silent", "i 0.03 5.1 3%", "power 41/512")
        rows = [(row.said.title, row.said.text, row.said.note) for row in bench.log]
        self.assertEqual(rows[-1][:2], ("Job", "received"))
        self.assertIn(
            (
                "Power line, diode mode",
                "shorted",
                "41\u00a0mV against reference 512\u00a0mV: about 41\u00a0ohm to ground",
            ),
            rows,
        )
        notes = [note for _, _, note in rows]
        self.assertIn("does not count: replaced by a later reading", notes)
        self.assertIn("does not count: says nothing after 'Does it start?: stays dead'", notes)

    def test_three_at_once_are_said(self):
        self.assertTrue(self.bench(*THREE_AT_ONCE).widened)


class ByForm(Signed):
    def test_one_number_with_limits_is_typed_with_its_unit_and_drawn_on_its_scale(self):
        job = make_job(self.user, ())
        for check, typed, grade, mark in (
            ("thermistor_ohms", {"ohms": "OL"}, "open", "open"),
            ("thermistor_ohms", {"ohms": "9,8 kΩ"}, "in_band", "good"),
            ("cell_temperature", {"celsius": "-4"}, "cold", "off"),
            ("cell_temperature", {"celsius": "40"}, "warm", "off"),
        ):
            at = reverse("jobs:check", args=[job.pk, check])
            self.assertEqual(self.client.post(at, typed).status_code, 302, typed)
            read = judged(Job.objects.get(pk=job.pk)).belief.entries[-1]
            self.assertEqual((read.event.check, read.grade), (check, grade))
            spot = self.client.get(at).context["scale"].spots[-1]
            self.assertEqual(spot.mark, mark)
        self.assertContains(self.client.get(at), "too warm from 40\u00a0°C, too cold under 3\u00a0°C")
        refused = self.client.post(reverse("jobs:check", args=[job.pk, "thermistor_ohms"]), {"ohms": "9.8 V"})
        self.assertContains(refused, "has the unit V", status_code=422)

    def test_what_the_charger_gives_is_offered_by_its_kind_and_counts(self):
        job = make_job(self.user, ())
        at = reverse("jobs:check", args=[job.pk, "charger_current"])
        page = self.client.get(at)
        self.assertContains(page, '<option value="0.90\u00a0A">USB 3 port, configured</option>', html=True)
        self.assertContains(page, 'list="id_charger_amps_list"')
        for gives, grade in (("", "reduced"), ("0.50\u00a0A", "normal"), ("0,9", "reduced")):
            self.client.post(
                at, {"amps": "0,47", "volts": "5", "battery_percent": "40", "charger_amps": gives, "variant": "shop"}
            )
            self.assertEqual(judged(Job.objects.get(pk=job.pk)).belief.entries[-1].grade, grade)

    def test_a_mishap_is_entered_with_its_words_counts_and_is_told_to_the_customer(self):
        job = make_job(self.user, ("port lint", "did clean_port yes", "did prove yes"))
        self.assertTrue(is_proved(Job.objects.get(pk=job.pk), shipped()))
        at = reverse("jobs:mishap", args=[job.pk])
        self.assertContains(self.client.get(job.get_absolute_url()), f'href="{at}"')
        self.assertContains(self.client.get(at), escape(shipped().mishaps["flex_torn"].look))
        told = {"mishap": "flex_torn", "lost": "plug of the sub-board", "read": "data OL, was 540", "stays": ""}
        self.assertContains(self.client.post(at, {**told, "lost": ""}), "Fill this in.", status_code=422)
        self.assertRedirects(self.client.post(at, told), job.get_absolute_url())
        page = self.client.get(job.get_absolute_url())
        row = page.context["bench"].log[0]
        self.assertEqual(row.said.title, "Mishap: Flex or its connector torn")
        self.assertEqual(row.said.text, "Damaged or lost: plug of the sub-board. Read on both sides: data OL, was 540.")
        stored = Job.objects.get(pk=job.pk)
        self.assertFalse(is_proved(stored, shipped()))
        self.assertGreater(judged(stored).belief.stations["link"], 0.5)
        report = self.client.get(reverse("counter:paper", args=[job.pk, "report"]))
        self.assertContains(report, "A flat cable or its connector was torn during the work.")
        self.assertNotContains(report, "was 540")
        code = self.client.post(at, {**told, "stays": "the PIN is 4711"})
        self.assertEqual(code.status_code, 422)

    def test_both_control_lines_are_typed_side_by_side(self):
        job = make_job(self.user, ())
        at = reverse("jobs:check", args=[job.pk, "control_pulldown"])
        self.assertContains(self.client.get(at), "CC2 (Ω)")
        self.client.post(at, {"first": "5.1k", "second": "OL"})
        self.assertEqual(judged(Job.objects.get(pk=job.pk)).belief.entries[-1].grade, "one")
        self.assertEqual(self.client.post(at, {"first": "5.1k"}).status_code, 422)


class ShopAndPeople(Signed):
    def test_the_labour_rate_moves_the_advice(self):
        job = make_job(self.user, ("i 0.0 5.1 20%", "port lint"))
        before = self.client.get(job.get_absolute_url()).context["bench"].routes[0].cost
        Workshop.objects.update_or_create(pk=1, defaults={"hourly_rate": 200})
        after = self.client.get(job.get_absolute_url()).context["bench"].routes[0].cost
        self.assertGreater(int(after[1:].replace(",", "")), int(before[1:].replace(",", "")))

    def test_everybody_sets_their_meter_and_only_the_lead_the_shop(self):
        url = reverse("workshop:settings")
        self.assertNotContains(self.client.get(url), "Labour per hour")
        self.client.post(
            url, {"me-initials": "Q.R.", "me-meter": "volts", "shop-name": "mine", "shop-hourly_rate": "1"}
        )
        self.user.refresh_from_db()
        self.assertEqual((self.user.initials, self.user.meter), ("Q.R.", "volts"))
        self.assertNotEqual(Workshop.current().name, "mine")
        self.client.force_login(make_user("boss", role="lead"))
        shop = {
            "me-initials": "A.S.",
            "me-meter": "any",
            "shop-name": "Quay",
            "shop-currency": "EUR",
            "shop-locale": "en_IE",
            "shop-hourly_rate": "-5",
            "shop-warranty_months": "3",
            "shop-tax_percent": "0",
        }
        self.assertEqual(self.client.post(url, shop).status_code, 422)
        self.client.post(url, {**shop, "shop-hourly_rate": "60"})
        self.assertEqual(Workshop.current().hourly_rate, 60)

    def test_signing_in_and_out(self):
        self.client.logout()
        url = reverse("people:sign_in")
        self.assertContains(self.client.post(url, {"username": "tech", "password": "wrong"}), "do not match")
        self.assertRedirects(self.client.post(url, {"username": "tech", "password": PASSWORD}), "/")
        self.assertRedirects(self.client.post(reverse("people:sign_out")), url)

    def test_the_list_is_searched_by_number_model_customer_and_complaint(self):
        first = make_job(self.user, model_name="Quillan P9", customer="purser", complaint="hums")
        second = make_job(self.user, model_name="Hestral Tab", customer="cook", complaint="smells")
        for text, job in (("quillan", first), ("COOK", second), ("hums", first), ("sMELL", second)):
            page = self.client.get("/", {"q": text}).context["page"]
            self.assertEqual([found.job.pk for found in page], [job.pk])
        actions.record_line(first, "did clean_port yes", user=self.user, now=NOW)
        proof_actions.close_job(Job.objects.get(pk=first.pk), [], user=self.user, now=NOW)
        self.assertEqual([row.job.pk for row in self.client.get("/").context["page"]], [second.pk])
        self.assertRedirects(self.client.get(f"/?q={first.pk}"), first.get_absolute_url())

    def test_a_glued_device_is_told_of_the_seal_test_before_its_first_step(self):
        says = "seal test now, before it is opened"
        for traits, told in ((["rear_glass"], True), (["clip_back"], False)):
            job = make_job(self.user, ("port clean", "i 0.0 5.0 12%", "wiggle drops"), traits=traits)
            repair = actions.choose_route(job, "swap_carrier", "as agreed", user=self.user, now=NOW)
            page = self.client.get(self.url("work:repair", job.pk)).content.decode()
            self.assertEqual(says in page, told, traits)
            first = self.client.get(self.url("work:repair", job.pk)).context["page"].now.id
            work_actions.do_step(repair, first, user=self.user, now=NOW)
            self.assertNotContains(self.client.get(self.url("work:repair", job.pk)), says)

    def test_the_likeliest_and_the_cheapest_repair_are_never_folded_away(self):
        told = {"connector": "micro_b", "carrier": "none", "history": ["port_replaced", "opened_before"]}
        job = make_job(self.user, ("port clean",), **told)
        shown = {row.id for row in self.client.get(job.get_absolute_url()).context["bench"].routes}
        repairs = [term for term in judged(job).advice.plan if term.id != "refer"]
        likeliest, cheapest = max(repairs, key=lambda term: term.cure).id, min(repairs, key=lambda term: term.total).id
        self.assertLessEqual({likeliest, cheapest}, shown)
        drawn = self.client.get(self.url("decide", job.pk)).context["page"].sides
        self.assertLessEqual({likeliest, cheapest}, {side.id for side in drawn})

    def test_pages_of_a_closed_job_lead_to_its_record(self):
        job = make_job(self.user, ("did clean_port yes",))
        proof_actions.close_job(job, ["port_fouled"], user=self.user, now=NOW)
        for name in ("proof:prove", "proof:close", "proof:refer", "proof:cancel"):
            self.assertRedirects(self.client.get(self.url(name, job.pk)), self.url("record", job.pk))
        self.assertNotContains(self.client.get(job.get_absolute_url()), 'id="line"')
        self.client.post(self.url("proof:reopen", job.pk), {"why": "came back"})
        self.assertContains(self.client.get(job.get_absolute_url()), 'id="line"')

    def test_handing_on_asks_why_and_keeps_what_is_believed(self):
        job = make_job(self.user, ("rail 2/400", "idle 1.0", "hot elsewhere"))
        url = self.url("proof:refer", job.pk)
        self.assertContains(self.client.get(url), 'value="rail_short" id="id_faults_0"')
        self.assertNotContains(self.client.get(url), " checked")
        empty = self.client.post(url, {"faults": ["rail_short"]})
        self.assertEqual(
            (empty.status_code, {*empty.context["form"].errors}), (422, {"why", "to", "leaves_as", "note"})
        )
        told = {"why": "worth", "to": "the customer", "leaves_as": "closed", "note": "too dear"}
        self.assertEqual(self.client.post(url, {**told, "faults": ["gremlins"]}).status_code, 422)
        record = self.client.post(url, {**told, "faults": ["rail_short"]}, follow=True)
        says = "Handed on to the customer: it is not worth what it would cost. Suspected: "
        self.assertContains(record, says)
        self.assertContains(record, "Opened, and closed up again.")
        job.refresh_from_db()
        self.assertEqual((job.outcome_works, job.outcome_faults), (False, ["rail_short"]))
        exported = self.client.get(self.url("exchange:case_file", job.pk)).json()
        self.assertEqual(exported["outcome"], {"faults": ["rail_short"], "repairs": ["refer"], "works": False})

    def test_completions_and_grammar_are_fragments(self):
        job = make_job(self.user)
        response = self.client.get(self.url("complete", job.pk), {"line": "try swap_b"})
        self.assertContains(response, 'data-line="try swap-battery "')
        self.assertEqual(self.client.get(self.url("complete", job.pk), {"line": "x" * 5000}).status_code, 200)
        fragment = self.client.get(self.url("grammar", job.pk), headers={"HX-Request": "true"})
        self.assertTemplateNotUsed(fragment, "web/base.html")
        self.assertContains(fragment, "vboard")
