"""Dates and times are read exactly, kept in UTC, and refused where they do not exist."""

import unittest
from datetime import UTC, datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.model.times import end_moment, first_moment, moment_of, normal_moment, time_text


class Moments(unittest.TestCase):
    def test_a_date_holds_from_its_first_moment_to_its_last(self):
        self.assertEqual(moment_of("2026-03-01"), datetime(2026, 3, 1, tzinfo=UTC))
        self.assertEqual(end_moment("2026-03-01") - first_moment("2026-03-01"), 86_400_000_000)
        self.assertEqual(end_moment("2026-03-01T10:00:00Z"), first_moment("2026-03-01T10:00:00Z"))
        self.assertEqual(end_moment("9999-12-31") - first_moment("9999-12-31"), 86_400_000_000)

    def test_times_come_to_utc(self):
        self.assertEqual(normal_moment("2026-03-01T01:30:00+02:00"), "2026-02-28T23:30:00Z")
        self.assertEqual(normal_moment("2026-03-01 01:30:00.250Z"), "2026-03-01T01:30:00.25Z")

    def test_other_forms_are_read_where_they_are_named(self):
        self.assertEqual(normal_moment("14.03.2019", ["%d.%m.%Y"]), "2019-03-14")
        self.assertEqual(normal_moment("14.03.2019 08:15", ["%d.%m.%Y", "%d.%m.%Y %H:%M"]), "2019-03-14T08:15:00Z")

    def test_what_does_not_exist_is_refused(self):
        for text in ("2026-02-30", "2026-13-01", "14.03.2019", "2026-3-1", "2026-03-01T25:00:00Z", "", "0000-01-01"):
            with self.assertRaisesRegex(ValueError, "write a date as"):
                normal_moment(text)
        with self.assertRaisesRegex(ValueError, "write a date as"):
            normal_moment("31.02.2024", ["%d.%m.%Y"])

    @given(st.datetimes(timezones=st.just(UTC)))
    def test_every_time_is_kept_exactly(self, moment):
        text = time_text(moment)
        self.assertEqual(moment_of(normal_moment(text)), moment)


if __name__ == "__main__":
    unittest.main()
