"""What a new workshop sets first: region, prices in its own money, and what is still missing."""

from decimal import Decimal

from django.test import TestCase
from django.urls import reverse

from rainfront.people.models import Workshop
from rainfront.workshop import actions as workshop
from rainfront.workshop.adapters import Shop
from rainfront.workshop.levels import level_of, offered_currencies, usual_rate
from tests.builders import NOW, make_user

PAGE = reverse("keeping:first_things")


class FirstThings(TestCase):
    def setUp(self):
        self.lead = make_user("lead", "lead")
        self.client.force_login(self.lead)

    def money(self, status=302, **values):
        asked = {"which": "money", "currency": "JPY", "hourly_rate": "6,000", "tax_percent": "10", "battery": "2,400"}
        answer = self.client.post(PAGE, {**asked, **values})
        self.assertEqual(answer.status_code, status)
        return answer

    def test_a_region_brings_its_currency_unless_another_was_chosen(self):
        self.client.post(PAGE, {"which": "region", "locale": "en_JP"})
        self.assertEqual(Workshop.current().currency, "JPY")
        self.client.post(PAGE, {"which": "region", "locale": "en_CH"})
        self.assertEqual(Workshop.current().currency, "CHF")
        self.money(currency="EUR", hourly_rate="60", battery="20")
        self.client.post(PAGE, {"which": "region", "locale": "en_NZ"})
        self.assertEqual(Workshop.current().currency, "EUR")

    def test_until_the_shop_says_its_prices_they_follow_the_currency_and_are_not_merely_given_its_sign(self):
        before = Shop.current().known.routes["swap_battery"].part
        for locale, level, rate in (("en_JP", 170, 7700), ("en_SE", 11, 500), ("en_IE", 1, 45)):
            self.client.post(PAGE, {"which": "region", "locale": locale})
            here = Shop.current()
            self.assertAlmostEqual(here.known.routes["swap_battery"].part, level * before)
            self.assertEqual(here.rate_per_hour, rate)
            self.assertContains(self.client.get(PAGE), "not yours yet")
        self.money(currency="EUR", hourly_rate="60", battery="20")
        self.client.post(PAGE, {"which": "region", "locale": "en_JP"})
        self.assertEqual(Shop.current().rate_per_hour, 60)

    def test_every_listed_currency_can_be_chosen_and_has_a_rate_that_money_is_written_in(self):
        offered = [code for code, name in offered_currencies("en_IE") if name != code]
        for currency in set(offered) - {"XXX"}:
            self.assertGreater(level_of(currency), 0, currency)
            self.assertGreater(usual_rate(currency), 0, currency)
        self.assertGreater(len(offered), 40)

    def test_the_regions_own_currency_is_offered_first_among_those_of_today(self):
        self.client.post(PAGE, {"which": "region", "locale": "en_SE"})
        choices = self.client.get(PAGE).context["prices"].fields["currency"].choices
        self.assertEqual(choices[0][0], "SEK")
        self.assertLess(len(choices), 80)
        self.assertNotIn("DEM", dict(choices))

    def test_example_prices_follow_one_price_that_the_shop_knows(self):
        before = Shop.current().known
        self.money()
        here = Shop.current()
        self.assertEqual(here.settings.price_level, Decimal(150))
        self.assertEqual(here.rate_per_hour, 6000)
        for route in ("swap_battery", "swap_carrier", "replace_port"):
            self.assertAlmostEqual(here.known.routes[route].part, 150 * before.routes[route].part)
        self.assertAlmostEqual(here.known.routes["swap_battery"].part_on["tablet"], 150 * 38)
        self.assertAlmostEqual(here.known.costs.default_value["phone"], 150 * before.costs.default_value["phone"])
        self.assertEqual(here.known.costs.comeback_share, before.costs.comeback_share)
        self.assertEqual(here.known.routes["swap_battery"].minutes, before.routes["swap_battery"].minutes)
        self.assertNotEqual(here.edition, "")

    def test_an_amount_that_the_lead_has_set_stays_as_it_was_set(self):
        workshop.change_number("costs.day_price", 90.0, "as agreed", user=self.lead, now=NOW)
        self.money()
        self.assertEqual(Shop.current().known.costs.day_price, 90.0)
        self.assertAlmostEqual(Shop.current().known.costs.comeback_handling, 1500)

    def test_what_a_change_would_do_is_reckoned_in_this_shops_money(self):
        self.money()
        after = workshop.try_change("costs.day_price", 90.0)
        self.assertEqual(after.costs.day_price, 90.0)
        self.assertEqual(after.routes["swap_battery"].part, Shop.current().known.routes["swap_battery"].part)

    def test_what_is_wrong_is_said_and_nothing_is_stored(self):
        page = self.money(422, battery="0")
        self.assertContains(page, "greater than or equal to 0.01", status_code=422)
        self.assertIsNone(Workshop.current().price_level)

    def test_the_list_says_what_is_missing_and_shrinks(self):
        self.assertContains(self.client.get(PAGE), "9 of 9 are still missing")
        self.assertContains(self.client.get("/"), "what a new workshop sets first")
        self.client.post(PAGE, {"which": "region", "locale": "en_JP"})
        self.money()
        self.assertContains(self.client.get(PAGE), "7 of 9 are still missing")

    def test_nobody_is_led_to_what_they_may_not_set(self):
        for person in (self.lead, make_user("owner", "owner")):
            self.client.force_login(person)
            for row, mine in self.client.get(PAGE).context["rows"]:
                with self.subTest(person=person, row=row.label):
                    page = self.client.get(PAGE).content.decode()
                    self.assertEqual(f'<a href="{row.href}"><b>{row.label}' in page, mine)
                    if mine:
                        self.assertEqual(self.client.get(row.href.partition("#")[0]).status_code, 200)

    def test_it_is_for_the_lead(self):
        self.client.force_login(make_user("tech"))
        self.assertEqual(self.client.get(PAGE).status_code, 403)
        self.assertNotContains(self.client.get("/"), PAGE)
