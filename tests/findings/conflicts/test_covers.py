"""Covers hold to the end of their day and of their control's; controls are due once each period."""

import unittest

from msgspec.structs import asdict

from kathodos.findings.conflicts.covers import (
    CONTROL_GONE,
    ENDED,
    HOLDS,
    RAN_OUT,
    Confirmation,
    Control,
    Cover,
    Register,
    covered,
)
from kathodos.findings.conflicts.states import all_conflicts
from kathodos.model.periods import parts_of
from kathodos.model.times import day_text, first_moment
from tests.support import OFFICE, OFFICE_RULES, basis_of, rules_of

CONTROL = Control("C", "Look", "head", "looks at it", "P1M", until="2026-12-31")
COVER = Cover("D-1", "ann", "C", "2026-06-15", "for now", "head", "2026-01-31T10:00:00Z")


def register(*covers, controls=(CONTROL,), confirmed=()):
    said = [Confirmation("C", time, "head", "done") for time in confirmed]
    return Register({it.id: it for it in controls}, covers or [COVER], said)


class Covers(unittest.TestCase):
    def test_what_becomes_of_a_cover(self):
        held = register()
        self.assertEqual(held.state(COVER, first_moment("2026-06-15T23:59:59Z")), HOLDS)
        self.assertEqual(held.state(COVER, first_moment("2026-06-16")), RAN_OUT)
        self.assertEqual(register(controls=()).state(COVER, first_moment("2026-02-01")), CONTROL_GONE)
        late = Cover(**{**asdict(COVER), "until": "2027-06-01"})
        self.assertEqual(held.state(late, first_moment("2027-01-01")), CONTROL_GONE)
        ended = Cover(**{**asdict(COVER), "ended_by": "head", "ended_at": "2026-03-01T00:00:00Z"})
        self.assertEqual(held.state(ended, first_moment("2026-04-01")), ENDED)

    def test_a_conflict_is_open_again_when_its_cover_ran_out(self):
        basis = basis_of(OFFICE)
        conflicts = all_conflicts(basis, rules_of(OFFICE_RULES).conflicts)
        names = basis.index.holders
        for day, count in (("2026-06-15", 0), ("2026-06-16", 1), ("2026-01-30", 1)):
            is_open = ~covered(conflicts, register(), names, first_moment(day))
            self.assertEqual(is_open.sum(), count, day)

    def test_a_later_cover_stands_in_for_an_earlier_one(self):
        later = Cover(**{**asdict(COVER), "until": "2026-12-01", "covered_at": "2026-06-20T00:00:00Z"})
        both = register(COVER, later)
        self.assertEqual(both.standing(first_moment("2026-06-18"))["D-1", "ann"], COVER)
        self.assertEqual(both.standing(first_moment("2026-06-21"))["D-1", "ann"], later)

    def test_a_control_is_due_a_period_after_it_was_confirmed(self):
        for confirmed, at, due, late in (
            ((), "2026-02-27", "2026-02-28", False),
            ((), "2026-03-01", "2026-02-28", True),
            (("2026-02-20T08:00:00Z",), "2026-03-01", "2026-03-20", False),
            (("2026-02-20T08:00:00Z", "2026-03-31T08:00:00Z"), "2026-04-29", "2026-04-30", False),
        ):
            (found,) = register(confirmed=confirmed).dues(first_moment(at))
            self.assertEqual((day_text(found.due), found.is_late), (due, late), confirmed)
        self.assertEqual(register().dues(first_moment("2026-07-01")), [], "what covers nothing is not due")

    def test_periods(self):
        self.assertEqual(parts_of("P1Y2M3W4D"), (1, 2, 3, 4))
        for text in ("P", "7D", "P0D", "PT1H", "P1.5D", "P-1D", "every week"):
            with self.assertRaises(ValueError):
                parts_of(text)


if __name__ == "__main__":
    unittest.main()
