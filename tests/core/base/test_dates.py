"""Warranties over month ends and clock changes; months against dateutil's rule of the last day (checked by hand)."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from django.test import SimpleTestCase

from chargepath.base.dates import in_warranty, months_later, warranty_until

LONDON = ZoneInfo("Europe/London")


class Warranty(SimpleTestCase):
    def test_months_end_where_their_month_ends(self):
        rows = [
            ((2026, 1, 31), 1, (2026, 2, 28)),
            ((2028, 1, 31), 1, (2028, 2, 29)),
            ((2026, 8, 31), 6, (2027, 2, 28)),
            ((2026, 12, 15), 1, (2027, 1, 15)),
            ((2026, 11, 30), 24, (2028, 11, 30)),
            ((2028, 2, 29), 12, (2029, 2, 28)),
            ((2026, 5, 5), 0, (2026, 5, 5)),
        ]
        for day, months, wanted in rows:
            self.assertEqual(months_later(date(*day), months), date(*wanted))

    def test_the_day_is_the_shops_own_on_both_sides_of_a_clock_change(self):
        """On 29 March 2026 clocks in London go from 1:00 to 2:00, on 25 October back from 2:00 to 1:00."""
        late = datetime(2026, 3, 28, 23, 30, tzinfo=UTC)
        self.assertEqual(warranty_until(late, 1, LONDON), date(2026, 4, 28))
        summer = datetime(2026, 3, 29, 23, 30, tzinfo=UTC)
        self.assertEqual(warranty_until(summer, 1, LONDON), date(2026, 4, 30))
        self.assertEqual(warranty_until(datetime(2026, 10, 25, 0, 30, tzinfo=UTC), 3, LONDON), date(2027, 1, 25))

    def test_the_last_day_counts_whole(self):
        until = warranty_until(datetime(2026, 7, 31, 12, tzinfo=UTC), 3, LONDON)
        self.assertEqual(until, date(2026, 10, 31))
        last = datetime(2026, 10, 31, 23, 59, tzinfo=UTC)
        self.assertTrue(in_warranty(until, last, LONDON))
        self.assertFalse(in_warranty(until, last + timedelta(minutes=2), LONDON))
        self.assertTrue(in_warranty(date(2026, 7, 31), datetime(2026, 7, 31, 22, 30, tzinfo=UTC), LONDON))
        self.assertFalse(in_warranty(date(2026, 7, 31), datetime(2026, 7, 31, 23, 30, tzinfo=UTC), LONDON))
        self.assertFalse(in_warranty(None, last, LONDON))
