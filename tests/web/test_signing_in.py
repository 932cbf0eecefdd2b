"""Signing in: one-time links, guessing, idling, time codes."""

import re
import time
from datetime import timedelta
from io import StringIO

from axes.models import AccessAttempt
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import CommandError
from django.test import Client, TestCase, override_settings
from django.urls import reverse
from django.utils import timezone
from django_otp.oath import TOTP
from django_otp.plugins.otp_static.models import StaticDevice
from django_otp.plugins.otp_totp.models import TOTPDevice

from rainfront.keeping import doctor
from rainfront.people.models import User
from tests.builders import PASSWORD, make_job, make_user

GOOD = "three-wet-ferries"


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

    def doctor_on_owner(self, now):
        return next(one for one in doctor.examine(now=now) if one.text.startswith("owner"))

    def sign_in(self, name, password, **more):
        client = Client()
        return client, client.post("/people/sign-in/", {"username": name, "password": password, **more})

    def test_from_nobody_to_two_people_without_a_default_password(self):
        self.assertContains(Client().get("/people/sign-in/"), "make_owner NAME")
        out = StringIO()
        call_command("make_owner", "Harbour", "--at", "https://bench.example", stdout=out)
        self.assertIn("https://bench.example/people/begin/", out.getvalue())
        link = self.link(out.getvalue())
        told = {late: self.doctor_on_owner(timezone.now() + timedelta(hours=late)) for late in (1, 25)}
        self.assertEqual({late: one.fine for late, one in told.items()}, {1: True, 25: False})
        self.assertIn("HA has a one-time link", told[1].text)
        for weak in ("short-one", "123456789012", "harbour12345"):
            with self.subTest(weak=weak):
                self.assertEqual(self.set_password(link, weak).status_code, 200)
                self.assertFalse(User.objects.get().has_usable_password())
        self.assertEqual(self.set_password(link, GOOD).status_code, 302)
        self.assertContains(Client().get(link, follow=True), "This link is used up")
        owner, _ = self.sign_in(" Harbour", GOOD)
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
