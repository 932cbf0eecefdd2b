"""Money and dates as a shop writes them: minor units by ISO 4217, patterns as CLDR has them for the region."""

from datetime import UTC, date, datetime
from decimal import Decimal
from importlib import import_module

from django.core.exceptions import ValidationError
from django.test import SimpleTestCase, TestCase, override_settings

from chargepath.base.quantities import decimals_with
from rainfront.people.models import Workshop
from rainfront.web.forms import CountField, MoneyField, QuantityField
from rainfront.web.regional import Region, currencies, regions
from tests.builders import make_job, make_user


class Money(SimpleTestCase):
    # Minor units: ISO 4217 gives the euro 2 digits, the yen none, the Kuwaiti dinar 3.
    PAID = (
        ("EUR", "en_IE", "1234.5", "€1,234.50"),
        ("EUR", "en_DE", "1234.5", "1.234,50\u00a0€"),
        ("JPY", "en_IE", "1234.5", "JP¥1,235"),
        ("KWD", "en_IE", "1.2345", "KWD\u00a01.235"),
        ("CHF", "en_CH", "1234.5", "CHF\u00a01'234.50"),
        ("XXX", "en_IE", "41.2", "¤41.20"),
    )

    def test_an_amount_that_is_paid_has_the_currency_own_minor_units(self):
        for currency, locale, amount, said in self.PAID:
            with self.subTest(currency=currency, locale=locale):
                self.assertEqual(Region(currency, locale).money(Decimal(amount), cents=True), said)

    def test_an_amount_that_is_spoken_is_rounded_half_up(self):
        self.assertEqual([Region("EUR").money(value) for value in (62.5, 63.49, -2.5)], ["€63", "€63", "-€3"])

    def test_a_float_is_not_written_with_what_binary_makes_of_it(self):
        self.assertEqual(Region("EUR").money(0.1 + 0.2, cents=True), "€0.30")

    def test_every_choice_can_be_written(self):
        self.assertIn("EUR", dict(currencies()))
        for locale, _ in regions():
            self.assertTrue(Region("EUR", locale).at(date(2026, 11, 26), "date"))


@override_settings(TIME_ZONE="UTC")
class Moments(SimpleTestCase):
    def test_day_and_time_follow_the_region(self):
        at = datetime(2026, 11, 26, 16, 5, tzinfo=UTC)
        self.assertEqual(Region("EUR", "en_IE").at(at, "stamp"), "26 Nov 2026 16:05")
        self.assertEqual(Region("USD", "en_US").at(at, "date"), "Nov 26, 2026")
        self.assertEqual(Region("USD", "en_US").at(at, "time"), "4:05\u202fPM")
        self.assertEqual(Region("EUR", "en_IE").at(date(2026, 5, 25), "date"), "25 May 2026")


class Marks(SimpleTestCase):
    def test_a_mark_of_before_becomes_its_code_and_one_that_names_none_stays_without(self):
        code_of = import_module("rainfront.people.migrations.0004_currency_code").code_of
        said = {mark: code_of(mark) for mark in ("€", " £", "chf", "EUR", "¤", "shells", "")}
        wanted = {"€": "EUR", " £": "GBP", "chf": "CHF", "EUR": "EUR", "¤": "XXX", "shells": "XXX", "": "XXX"}
        self.assertEqual(said, wanted)


class Pages(TestCase):
    def test_a_page_writes_as_the_shop_does(self):
        user = make_user()
        Workshop.objects.update_or_create(pk=1, defaults={"currency": "EUR", "locale": "en_DE"})
        job = make_job(user, ("i 0.02 5.1 3%",))
        self.client.force_login(user)
        page = self.client.get(f"{job.get_absolute_url()}decide/").content.decode()
        self.assertRegex(page, r"\d+,\d\d\xa0€")
        self.assertNotIn("¤", page)


class Typed(SimpleTestCase):
    """Numbers as people of five regions type them, and as the fields show them again."""

    AMOUNTS = (
        (",", "1.250,50", "1250.50"),
        (",", "1.250", "1250"),
        (",", "1.250.000", "1250000"),
        (",", "12,5", "12.5"),
        (",", "12.5", "12.5"),
        (".", "1,250.50", "1250.50"),
        (".", "1,250", "1250"),
        (".", "1'250.50", "1250.50"),
        (",", "1 250,50", "1250.50"),
        (",", "1\u202f250", "1250"),
        (".", "-85", "-85"),
    )

    def test_amounts_and_counts_are_read_with_the_thousands_of_the_region(self):
        for mark, text, wanted in self.AMOUNTS:
            with self.subTest(mark=mark, text=text), decimals_with(mark):
                self.assertEqual(MoneyField(max_digits=12).clean(text), Decimal(wanted))
        with decimals_with(","):
            self.assertEqual(CountField("").clean("1.250"), 1250)
            self.assertEqual(QuantityField("mAh").clean("3.200"), 3200)
            self.assertEqual(QuantityField("A").clean("1.250"), 1.25)
        for wrong in ("1,25,50", "1.25.50", "12 50", "1,2503,5", "twelve"):
            with self.subTest(wrong=wrong), self.assertRaises(ValidationError):
                MoneyField().clean(wrong)
        with decimals_with(","), self.assertRaises(ValidationError):
            MoneyField().clean("1,250")

    def test_a_number_comes_back_as_the_shop_writes_it_and_what_was_typed_as_it_is(self):
        with decimals_with(","):
            money, amps = MoneyField(), QuantityField("A")
            shown = [money.prepare_value(Decimal("85.50")), money.prepare_value(Decimal("1250.00"))]
            self.assertEqual([*shown, amps.prepare_value(0.47)], ["85,50", "1250", "0,47"])
            self.assertEqual(amps.prepare_value("0.4x"), "0.4x")
