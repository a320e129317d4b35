"""What the value of a filter stands for in a column of dates or numbers, and what is refused."""

import unittest
from datetime import UTC, datetime, timedelta

import numpy as np
from dateutil.relativedelta import relativedelta
from hypothesis import given
from hypothesis import strategies as st

from kathodos.model.comparing import check_comparisons, is_true_of, number_of, stretch_of, yes_or_no
from kathodos.model.filters import Day, FilterError, parse_filter
from kathodos.model.kinds import Form
from kathodos.model.times import microseconds
from tests.support import searching

NOW = datetime(2026, 3, 31, 13, 45, tzinfo=UTC)
TODAY = datetime(2026, 3, 31, tzinfo=UTC)
DAY = timedelta(days=1)


def stretch(value, today=NOW):
    found = stretch_of(value, microseconds(today) if today else None)
    return found.begin, found.end


def between(begin, end):
    return microseconds(begin), microseconds(end)


class Dates(unittest.TestCase):
    def test_parts_of_dates_are_the_whole_of_them(self):
        day = datetime(2024, 2, 29, tzinfo=UTC)
        for value, begin, end in (
            ("2024", datetime(2024, 1, 1, tzinfo=UTC), datetime(2025, 1, 1, tzinfo=UTC)),
            (2024, datetime(2024, 1, 1, tzinfo=UTC), datetime(2025, 1, 1, tzinfo=UTC)),
            ("2024-02", datetime(2024, 2, 1, tzinfo=UTC), datetime(2024, 3, 1, tzinfo=UTC)),
            (Day("2024-12"), datetime(2024, 12, 1, tzinfo=UTC), datetime(2025, 1, 1, tzinfo=UTC)),
            ("2024-02-29", day, day + DAY),
        ):
            self.assertEqual(stretch(value), between(begin, end), value)
        moment = datetime(2024, 2, 29, 5, 6, 7, tzinfo=UTC)
        self.assertEqual(stretch("2024-02-29T05:06:07Z")[0], microseconds(moment))

    @given(st.integers(0, 4000), st.sampled_from("dwmy"), st.sampled_from("+-"))
    @searching(200)
    def test_days_from_today(self, count, unit, sign):
        words = {"d": "days", "w": "weeks", "m": "months", "y": "years"}
        step = relativedelta(**{words[unit]: count})
        try:
            begin = TODAY + step if sign == "+" else TODAY - step
        except (ValueError, OverflowError):
            begin = None
        if begin is None or count > {"d": 99999, "w": 9999, "m": 9999, "y": 999}[unit]:
            with self.assertRaises(FilterError):
                stretch(Day(f"today{sign}{count}{unit}"))
            return
        for text in (f"today{sign}{count}{unit}", f"TODAY{sign}P{count}{unit.upper()}"):
            self.assertEqual(stretch(Day(text)), between(begin, begin + DAY), text)
            self.assertEqual(stretch(text), between(begin, begin + DAY), text)

    def test_what_is_no_date_is_refused_in_words(self):
        for value, told in (
            ("soon", '"soon" is no date'),
            ("2026-13", '"2026-13" is no date'),
            ("2026-02-30", "is no date"),
            (True, "true is no date"),
            (Day("today+30x"), r"is no day; write today, today\+30d"),
            (Day("today*2d"), "is no"),
        ):
            with self.assertRaisesRegex(FilterError, told):
                stretch(value)
        with self.assertRaisesRegex(FilterError, "write a date"):
            stretch(Day("today"), None)

    @given(st.lists(st.integers(0, 30)), st.sampled_from(("eq", "gt", "ge", "lt", "le")))
    @searching(100)
    def test_a_moment_is_before_in_or_after_a_stretch(self, held, operator):
        wanted = stretch_of("1970-01-01", None)
        scaled = np.array(held, dtype=np.int64) * 6 * 3_600_000_000 - 3 * 86_400_000_000
        found = is_true_of(scaled, operator, wanted).tolist()
        is_in = [wanted.begin <= it < wanted.end for it in scaled.tolist()]
        after = [it >= wanted.end for it in scaled.tolist()]
        expected = {
            "eq": is_in,
            "gt": after,
            "ge": [a or b for a, b in zip(is_in, after, strict=True)],
            "lt": [not (a or b) for a, b in zip(is_in, after, strict=True)],
            "le": [not it for it in after],
        }[operator]
        self.assertEqual(found, expected)


class Checking(unittest.TestCase):
    def test_what_cannot_be_compared_is_refused(self):
        forms = {"ends": Form.MOMENT, "level": Form.NUMBER, "open": Form.YES_NO, "name": None}
        for text, told in (
            ('ends le "tomorrow"', "ends le: .*no date"),
            ("name eq today", "is compared here with what is no date"),
            ("ends co today", "compares dates in part only as text"),
            ('level gt "many"', "is no number"),
            ('level co "1"', "numbers have no parts"),
            ('open gt "yes"', "yes and no have no order"),
            ('open eq "perhaps"', "neither true nor false"),
            ('not (name pr and level eq "x")', "is no number"),
        ):
            with self.assertRaisesRegex(FilterError, told, msg=text):
                check_comparisons(parse_filter(text), forms.get, microseconds(NOW))
        for text in ('ends sw "2026"', "ends le today+30d", 'level ge "2"', "open eq true", 'name gt "a"', "ends pr"):
            check_comparisons(parse_filter(text), forms.get, microseconds(NOW))

    def test_numbers_and_yes_and_no(self):
        self.assertEqual([number_of(it) for it in (3, 2.5, "7", " 1e2")], [3, 2.5, 7, 100])
        self.assertEqual([yes_or_no(it) for it in (True, "Yes", 1, "no", False, 0)], [True] * 3 + [False] * 3)
        with self.assertRaises(FilterError):
            number_of(True)


if __name__ == "__main__":
    unittest.main()
