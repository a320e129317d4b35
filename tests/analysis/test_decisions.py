"""How lines were decided: every measure, against one that goes through the decisions one by one."""

import itertools
import math
import unittest
from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.decisions import decisions_of
from kathodos.findings.excess.reviews import signs
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.model.kinds import DECISIONS, REVIEW_LINES
from kathodos.model.rows import rows_from
from kathodos.store.records import InMemory
from tests.support import searching

START = datetime(2026, 6, 15, 9, tzinfo=UTC)
SECONDS = st.sampled_from((0, 0, 0, 2, 40, 70, 500, 700, 90_000))
DECIDED = st.tuples(
    st.sampled_from(("ann", "bo", "cy")),
    SECONDS,
    st.sampled_from(("certify", "certify", "certify", "revoke", "reduce")),
    st.sampled_from((None, "against", "for")),
    st.sampled_from(("reviewer", "reviewer", "stand-in", "at the closing")),
    st.sampled_from((None, 0, 1)),
)


def records_of(drawn):
    """The lines of a review `r` with what was decided of some of them, and another review beside it."""
    lines, made = [], []
    for number, (who, seconds, decision, speaks, capacity, *more) in enumerate(drawn, 1):
        time = (START + timedelta(seconds=seconds)).isoformat().replace("+00:00", "Z")
        for review in ("r", "other"):
            line = dict.fromkeys(REVIEW_LINES.names) | {"review": review, "line": number, "thing": 1, "speaks": speaks}
            lines.append(tuple(line.values()))
        made.append(("r", number, decision, who, time, "", 0, capacity, None, *(more or [None])))
    made.append(("other", 1, "revoke", "ann", "2026-01-01T00:00:00Z", "", 0, "reviewer", None, None))
    lines.reverse()
    state = {}
    for kind, rows in ((REVIEW_LINES, lines), (DECISIONS, made)):
        state[kind.name] = rows_from(kind, [(at, *row) for at, row in enumerate(rows, 1)])
    return InMemory(state)


class Measures(unittest.TestCase):
    @searching(300)
    @given(st.lists(DECIDED, min_size=1, max_size=25))
    def test_each_is_what_going_through_them_gives(self, drawn):
        found = decisions_of(records_of(drawn), "r")
        mine = [it for it in drawn if it[4] != "at the closing"]
        self.assertEqual(sorted(found.names), sorted({it[0] for it in mine}))
        most, since = found.most_within(60_000_000)
        for at, name in enumerate(found.names):
            own = sorted((it for it in mine if it[0] == name), key=lambda it: it[1])
            kept = [it[1] for it in own if it[2] == "certify"]
            self.assertEqual((found.decided[at], found.certified[at]), (len(own), len(kept)))
            against = [it for it in own if it[3] == "against"]
            counts = (found.against[at], found.certified_against[at])
            self.assertEqual(counts, (len(against), sum(it[2] == "certify" for it in against)))
            known = [it for it in own if it[5] is not None]
            unopened = sum(it[5] == 0 and it[2] == "certify" for it in known)
            self.assertEqual((found.opened_known[at], found.unopened[at]), (len(known), unopened))
            self.assertEqual(found.at_once[at], max(map(kept.count, kept), default=0))
            within = {first: sum(first <= it <= first + 60 for it in kept) for first in kept}
            self.assertEqual(most[at], max(within.values(), default=0))
            if kept:
                first = min(it for it, count in within.items() if count == most[at])
                self.assertEqual(since[at], int((START + timedelta(seconds=first)).timestamp() * 1e6))
            gaps = [second[1] - one[1] for one, second in itertools.pairwise(own)]
            spent = sum(it for it in gaps if it <= 600) / len(own) if len(own) > 1 else math.nan
            self.assertTrue(math.isclose(found.seconds_a_line[at], spent) or math.isnan(spent))
            self.assertAlmostEqual(found.share_taken[at], (len(own) - len(kept)) / len(own))
            others = [it for it in mine if it[0] != name and sum(other[0] == it[0] for other in mine) >= 3]
            share = sum(it[2] != "certify" for it in others) / len(others) if others else 0
            self.assertAlmostEqual(found.share_of_others(3)[at], share)

    def test_signs_are_told_from_the_limits_on(self):
        fast = [("ann", 0, "certify", "for", "reviewer")] * 40 + [("ann", 30, "certify", "against", "reviewer")] * 10
        slow = [("bo", at * 100, "revoke" if at % 4 == 0 else "certify", "against", "reviewer") for at in range(40)]

        def told(limits):
            found = signs(decisions_of(records_of([*fast, *slow]), "r"), "r", limits)
            return {(it.kind, it.who): it.evidence for it in found}

        found = told(Thresholds())
        expected = {("hasty-review", "ann"), ("against-evidence", "ann"), ("nothing-taken", "ann")}
        self.assertEqual(set(found), expected)
        self.assertIn("certified 50 lines of the review r within 60 seconds", found["hasty-review", "ann"])
        self.assertIn("10 of 10 lines of the review r that the evidence", found["against-evidence", "ann"])
        self.assertIn("nothing away of 50 lines of the review r; the others took 25%", found["nothing-taken", "ann"])
        limits = {"haste_lines": 51, "against_lines": 11, "taken_lines": 51}
        self.assertEqual(told(Thresholds(**limits)), {})
        self.assertEqual(set(told(Thresholds(**limits, against_share=0.75))), {("against-evidence", "bo")})

    def test_who_never_opened_the_evidence_is_told(self):
        unseen = [("cy", at * 100, "certify", None, "reviewer", 0) for at in range(20)]
        half = [("dan", at * 100, "certify", None, "reviewer", at % 2) for at in range(60)]
        found = decisions_of(records_of([*unseen, *half]), "r")
        (sign,) = (it for it in signs(found, "r", Thresholds()) if it.kind == "unopened-evidence")
        self.assertEqual(sign.who, "cy")
        self.assertIn("certified 20 of 20 lines of the review r without opening their evidence", sign.evidence)
        self.assertEqual(list(signs(found, "r", Thresholds(unopened_lines=21, taken_lines=99))), [])


if __name__ == "__main__":
    unittest.main()
