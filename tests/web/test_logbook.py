"""The logbook: found again by anything that is in a job."""

from datetime import timedelta

from django.db import connection
from django.urls import reverse

from rainfront.counter import actions as counter
from rainfront.inside.actions import add_photo
from rainfront.jobs import actions
from rainfront.jobs.models import Job
from rainfront.logbook import alike
from rainfront.logbook.alike import alike_to
from rainfront.logbook.index import follow_jobs, make_anew
from rainfront.logbook.models import Page, SavedSearch
from rainfront.logbook.tasks import forget
from rainfront.proof import actions as proof_actions
from rainfront.workshop.adapters import Shop
from tests.builders import NOW, make_job, make_user
from tests.web.test_pages import Signed
from tests.web.test_photos import picture


class LogbookTest(Signed):
    def setUp(self):
        super().setUp()
        # Another test's jobs had the same numbers.
        alike.forget()
        self.shop = Shop.as_shipped()

    def follow(self):
        while follow_jobs(self.shop):
            pass

    def found(self, **asked):
        self.follow()
        page = self.client.get(reverse("logbook:logbook"), asked)
        self.assertEqual(page.status_code, 200, page.context["form"].errors if page.context else "")
        return [row.job.pk for row in page.context["found"].rows]

    def closed(self, lines=("port lint", "did clean_port yes"), faults=("port_fouled",), **more):
        job = make_job(self.user, lines, **more)
        return proof_actions.close_job(
            job, list(faults), "grey like felt", user=self.user, now=NOW + timedelta(hours=1)
        )


class Words(LogbookTest):
    def test_a_hit_shows_no_quick_line_and_no_id(self):
        lines = (
            "port lint plug_proud",
            "line_power in_band",
            "flip one_side",
            "did clean_port other",
            "danger swollen",
        )
        make_job(self.user, lines)
        self.follow()
        text = Page.objects.get().text
        for typed in (*lines, "plug_proud", "one_side"):
            self.assertNotIn(typed, text)
        for words in ("lint or dust, plug stands proud", "Swollen cell", "Done elsewhere before: Clean the port"):
            self.assertIn(words, text)

    def test_of_jobs_entries_notes_and_captions_are_found_in_part_and_in_any_case(self):
        job, other = self.closed(customer="bosun", complaint="wobbles at the pier"), make_job(self.user)
        actions.add_note(other, "residue beside the shield", user=self.user, now=NOW)
        add_photo(other, picture(), "green pads under glass", user=self.user, now=NOW)
        for words, wanted in (
            ("bosun", [job.pk]), ("OBBLES at", [job.pk]), ("felt", [job.pk]), ("Clean the port", [job.pk]),
            ("esidu shield", [other.pk]), ("green pads", [other.pk]), ('"under glass"', [other.pk]),
            ("residue felt", []), ("zz", []), ("ru", []), ("or", [other.pk, job.pk]),
        ):  # fmt: skip
            with self.subTest(words=words):
                found = self.found(q=words)
                self.assertEqual(found, [pk for pk in found if pk in wanted] if words == "or" else wanted)

    def test_a_number_leads_to_its_job(self):
        job = self.closed()
        self.assertRedirects(self.client.get(f"/logbook/?q=%23{job.pk}"), reverse("jobs:record", args=[job.pk]))

    def test_what_was_changed_is_found_as_it_is_now(self):
        job = make_job(self.user)
        actions.add_note(job, "quicksilver", user=self.user, now=NOW)
        self.assertEqual(self.found(q="quicksilver"), [job.pk])
        self.closed(complaint="another")
        self.assertEqual(self.found(q="quicksilver"), [job.pk])

    def test_what_was_redacted_is_gone_from_the_search_and_its_tables(self):
        lead = make_user("lead", role="lead")
        job = make_job(self.user)
        actions.add_note(job, "her name is Zephyrine", user=self.user, now=NOW)
        self.assertEqual(self.found(q="zephyrine"), [job.pk])
        counter.redact(job, "Zephyrine", user=lead, now=NOW)
        forget.call()
        self.assertEqual(self.found(q="zephyrine"), [])
        with connection.cursor() as cursor:
            cursor.execute("SELECT group_concat(hex(block)) FROM logbook_search_data")
            self.assertNotIn(b"zep".hex().upper(), cursor.fetchone()[0])

    def test_lines_are_shown_with_the_words_marked(self):
        self.closed(complaint="<b>wobbles</b> at the pier")
        page = self.client.get("/logbook/?q=wobbles")
        self.assertContains(page, "&lt;b&gt;<mark>wobbles</mark>&lt;/b&gt;")


class Facts(LogbookTest):
    @classmethod
    def setUpTestData(cls):
        super().setUpTestData()
        hands, cls.second = cls.hands(), make_user("second")
        cls.clean = hands.closed()
        cls.other = hands.closed(
            ("i 0.41 5.0 20%", "did swap_battery yes"), ("battery_worn",), model_name="Tarn 4", kind="tablet"
        )
        cls.open = make_job(cls.second, ("i 0.02 5.0",))

    def test_each_narrows(self):
        clean, other, still = self.clean.pk, self.other.pk, self.open.pk
        for asked, wanted in (
            ({"fault": "port_fouled"}, [clean]), ({"route": "swap_battery"}, [other]), ({"station": "port"}, [clean]),
            ({"model": "tarn 4"}, [other]), ({"ended": "open"}, [still]), ({"ended": "works"}, [other, clean]),
            ({"person": str(self.second.pk)}, [still]), ({"value": "charger_current.amps"}, [still, other]),
            ({"value": "charger_current.amps", "low": "0,1"}, [other]),
            ({"value": "charger_current.amps", "high": "100 mA"}, [still]),
            ({"fault": "port_fouled", "route": "swap_battery"}, []), ({"fault": "rail_short", "q": "port"}, []),
            ({"since": "2026-03-03"}, []),
            ({"until": "2026-03-02", "q": "felt lint"}, [clean]), ({}, [still, other, clean]),
        ):  # fmt: skip
            with self.subTest(asked=asked):
                self.assertEqual(self.found(**asked), wanted)

    def test_a_device_that_came_back_ended_so(self):
        from rainfront.jobs.actions import link_return

        again = make_job(self.user)
        link_return(again, self.clean.pk, True, user=self.user, now=NOW)
        Job.objects.filter(pk=self.clean.pk).update(log_due=True)
        self.assertEqual(self.found(ended="back"), [self.clean.pk])

    def test_what_cannot_be_is_said_and_stays(self):
        page = self.client.get("/logbook/", {"low": "three", "value": "charger_current.amps"})
        self.assertEqual(page.status_code, 422)
        self.assertContains(page, "is not a number", status_code=422)
        self.assertContains(page, 'value="three"', status_code=422)
        self.assertContains(self.client.get("/logbook/", {"low": "3"}), "say of which reading", status_code=422)

    def test_older_jobs_follow_by_number(self):
        for _ in range(42):
            make_job(self.user)
        self.follow()
        first = self.client.get("/logbook/").context["found"]
        second = self.client.get("/logbook/", {"before": first.before}).context["found"]
        pks = [row.job.pk for row in (*first.rows, *second.rows)]
        self.assertEqual(pks, sorted(Job.objects.values_list("pk", flat=True), reverse=True))
        self.assertEqual((first.count, second.before), ("45 jobs", None))

    def test_searches_are_kept_by_person(self):
        self.client.post(reverse("logbook:save"), {"name": "worn", "query": "fault=battery_worn&before=3&q="})
        kept = SavedSearch.objects.get()
        self.assertEqual((kept.name, kept.query, kept.person), ("worn", "fault=battery_worn", self.user))
        self.assertContains(self.client.get("/logbook/"), '?fault=battery_worn">worn')
        page = self.client.post(reverse("logbook:save"), {"name": "", "query": "q=x"}, follow=True)
        self.assertContains(page, "give it a name")
        self.client.force_login(self.second)
        self.assertNotContains(self.client.get("/logbook/"), "worn</a>")
        self.client.post(reverse("logbook:forget", args=[kept.pk]))
        self.assertTrue(SavedSearch.objects.exists())


class LikeThisOne(LogbookTest):
    def test_shows_what_was_read_of_both_and_how_they_ended(self):
        for _ in range(3):
            self.closed(("port lint plug_proud", "wiggle drops", "did clean_port yes"))
        self.closed(("start dead", "cell 2.9", "did swap_battery yes"), ("battery_worn",))
        self.follow()
        job = make_job(self.user, ("port lint plug_proud",))
        found = alike_to(job, self.shop)
        self.assertEqual((found.count, found.most, found.most_count), (3, "Dirty port", 3))
        self.assertEqual(found.held, "Clean the port held 3 of 3 times")
        self.assertEqual(
            found.rows[0].shared, ["Look into the port: lint or dust", "Look into the port: plug stands proud"]
        )
        page = self.client.get(job.get_absolute_url())
        self.assertContains(page, "Like this one:")
        self.assertContains(page, "most often dirty port")

    def test_says_only_what_held_of_repairs_that_fit_the_device(self):
        for _ in range(3):
            self.closed(("port worn", "wiggle drops", "did swap_carrier yes"), ("port_worn",))
        self.follow()
        with_one, without = (make_job(self.user, ("port worn",), carrier=carrier) for carrier in ("flex", "none"))
        self.assertEqual(alike_to(with_one, self.shop).held, "Swap the port flex held 3 of 3 times")
        self.assertEqual(alike_to(without, self.shop).held, "")

    def test_follows_jobs_that_are_closed_and_opened_again(self):
        job, first = (
            make_job(self.user, ("port lint plug_proud",)),
            self.closed(("port lint plug_proud", "did clean_port yes")),
        )
        self.follow()
        self.assertEqual(alike_to(job, self.shop).count, 1)
        proof_actions.reopen_job(first, "wrong box", came_back=False, user=self.user, now=NOW)
        self.follow()
        self.assertIsNone(alike_to(job, self.shop))

    def test_nothing_is_like_a_job_that_nothing_was_read_of(self):
        self.closed()
        self.follow()
        self.assertIsNone(alike_to(make_job(self.user), self.shop))

    def test_other_numbers_that_ship_have_every_page_made_anew(self):
        self.closed()
        self.follow()
        Page.objects.update(basis="of before")
        make_anew(self.shop)
        self.assertEqual(Job.objects.log_is_due().count(), 1)
