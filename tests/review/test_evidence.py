"""The evidence of whoever a line belongs to, and the sentence of what stands out, against a plain computation."""

import json
import unittest
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.analysis.evidence.held import units_of
from kathodos.columns.dictionary import dictionary_column
from kathodos.model.kinds import REVIEW_THINGS
from kathodos.model.times import BEGINNING, DAY, NEVER, first_moment
from kathodos.review.drafts.holder_evidence import Found, HolderEvidence
from kathodos.review.drafts.standing_out import NOTHING, Facts, standing_out
from tests import stores
from tests.review.test_review import drafted_of
from tests.support import (
    OFFICE,
    OFFICE_RULES,
    Prepared,
    basis_of,
    catalogues,
    inside,
    lay_out,
    records_inside,
    searching,
)

AT = first_moment("2026-06-15")
DAYS = st.sampled_from((None, "2026-01-02", "2026-05-04", "2026-06-14"))


@stores.ABOUT_ANSWERS
class OfHolders(unittest.TestCase):
    @searching(120)
    @given(catalogues(), st.data())
    def test_sign_ins_risk_and_findings_are_those_of_who_holds_it(self, catalogue, data):
        catalogue["accounts"] = [{**row, "last_login": data.draw(DAYS)} for row in catalogue["accounts"]]
        basis = basis_of(catalogue)
        holders, askers = basis.index.holders, np.arange(basis.size)
        risk = np.array(data.draw(st.lists(st.integers(0, 100), min_size=basis.people, max_size=basis.people)))
        some = st.lists(st.integers(-1, basis.size - 1), max_size=4)
        excess = [
            ("unused", np.array(data.draw(some), dtype=int)),
            ("beyond-peers", np.array(data.draw(some), dtype=int)),
        ]
        items = units_of(basis.index, askers, basis.moment)
        found = HolderEvidence(basis, items, Found(risk, excess))
        columns = zip(found.signed_in().listed(), found.risk().listed(), found.excess().listed(), strict=True)
        for at, (signed_in, points, kinds) in enumerate(columns):
            asker, holder = int(items.asker[at]), holders.references[int(items.holder[at])]
            days = [
                row["last_login"]
                for row in catalogue["accounts"]
                if row["last_login"]
                and holder in (f"account:{row['system']}/{row['login']}", f"identity:{row['identity']}")
            ]
            self.assertEqual(signed_in, max(days, default=None))
            self.assertEqual(points, int(risk[asker]) if asker < basis.people else None)
            expected = sorted(kind for kind, whose in excess if asker in whose.tolist())
            self.assertEqual(kinds, ";".join(expected) or None)

    def test_sensitivity_is_the_highest_of_what_it_opens(self):
        resources = [
            {"resource": "s:/a", "sensitivity": 1},
            {"resource": "s:/a/b", "sensitivity": 3},
            {"resource": "s:/c"},
        ]
        grants = [
            {"grant": "whole", "holder": "identity:p", "gives": "view s:/a/**"},
            {"grant": "top", "holder": "identity:p", "gives": "view s:/a"},
            {"grant": "none", "holder": "identity:p", "gives": "view s:/c"},
            {"grant": "of group", "holder": "group:s/g", "gives": "view s:/a/b"},
        ]
        house = {
            "systems": [{"system": "s", "inherit": 0}],
            "identities": [{"id": "p"}],
            "groups": [{"system": "s", "group": "g"}],
            "members": [{"system": "s", "group": "g", "member": "identity:p"}],
            "resources": resources,
            "grants": grants,
        }
        _, drafted = drafted_of(house)
        columns = dict(zip(REVIEW_THINGS.names[1:], drafted.things, strict=True))
        level = dict(zip(columns["gives"].listed(), columns["sensitivity"].listed(), strict=True))
        self.assertEqual(level, {"view s:/a/**": 3, "view s:/a": 1, "view s:/c": 0, "group:s/g": 3})


def _plainly(line, used, idle_after, share):
    """The sentence of one line, and which way it speaks."""
    status, fences, conflicts, former, needed, recorded, having, counted = line
    gone = {"left": "has left and still", "suspended": "is suspended and still", "disabled": "is disabled and still"}
    if status in gone:
        return "against", f"{gone[status]} holds it."
    if fences:
        return "against", f"leads across the fence {fences}."
    if conflicts:
        return "against", f"a conflict of duties: {conflicts}."
    days = (AT - used) // DAY if used is not None else 0
    is_idle = used is not None and AT - used > idle_after * DAY
    if not needed:
        if former:
            return "against", f"Kept from {former}, where the person was before; no rule needs it."
        if recorded and used is None and AT - first_moment(recorded) > idle_after * DAY:
            return "against", f"Never used since {recorded}, from when on uses are known; no rule needs it."
        if is_idle:
            return "against", f"Not used for {days // 30} months; no rule needs it."
        if counted >= 5 and having <= share * counted:
            return "against", f"Only {having} of {counted} peers have it; no rule needs it."
    elif used is not None and not is_idle:
        return "for", f"Expected: {needed} needs it, and it is used."
    else:
        return "for", f"Expected: {needed} needs it."
    if counted >= 5 and having >= 0.75 * counted and used is not None and not is_idle:
        return "for", f"Usual: {having} of {counted} peers have it, and it is used."
    return None, NOTHING


NAMES = ("status", "fences", "conflicts", "former", "needed_by", "recorded", "having", "counted")
LINES = st.tuples(
    st.sampled_from(("active", "active", "active", "left", "suspended", "disabled")),
    *(st.sampled_from((None, None, None, text)) for text in ("F-1", "D-1;D-2", "Pilotage")),
    st.sampled_from((None, "N-1")),
    st.sampled_from((None, "2025-10-19", "2026-06-01")),
    st.integers(0, 9),
    st.integers(1, 9),
)


@stores.ABOUT_ANSWERS
class StandingOut(unittest.TestCase):
    @searching(600)
    @given(
        st.lists(st.tuples(LINES, st.none() | st.integers(0, 400), st.sampled_from((60, 180))), min_size=1, max_size=12)
    )
    def test_it_is_what_weighs_most_of_each_line(self, drawn):
        columns = dict(zip(NAMES, map(dictionary_column, zip(*(it for it, _, _ in drawn), strict=True)), strict=True))
        used = np.array([AT - days * DAY if days is not None else BEGINNING for _, days, _ in drawn])
        idle_after = np.array([it for _, _, it in drawn])
        watched = np.array([first_moment(line[5]) if line[5] else NEVER for line, _, _ in drawn])
        text, speaks = standing_out(Facts(columns, used, watched, AT, idle_after, 0.25))
        for at, (line, days, idle) in enumerate(drawn):
            way, sentence = _plainly(line, AT - days * DAY if days is not None else None, idle, 0.25)
            self.assertEqual(speaks.value(at), way)
            self.assertTrue(str(text.value(at)).endswith(sentence), (text.value(at), sentence))


class CertifiedBefore(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", OFFICE, OFFICE_RULES)
        inside("gather", cwd=at)
        return at

    def opened(self, name, now):
        words = ("--where", 'title eq "Clerk"', "--by-manager", "--due", "2026-12-31", "--as", "auditor")
        inside("review", "open", name, *words, cwd=self.here, now=now)
        return self.lines(name, now)

    def lines(self, name, now):
        rows = records_inside("review", "lines", name, cwd=self.here, now=now)
        return {(it["identity"], it["gives"]): it for it in rows}

    def test_the_last_certification_that_was_signed_off_is_shown(self):
        first, second, third = (f"2026-{month:02}-01T09:00:00Z" for month in (7, 8, 9))
        lines = self.opened("july", first)
        self.assertEqual({it["certified_at"] for it in lines.values()}, {None})
        kept, undecided = ("ann", "role:dues/setter"), ("ann", "group:directory/inner")
        inside("review", "decide", lines[kept]["line"], "certify", "--as", "head", cwd=self.here, now=first)
        self.assertEqual(self.opened("august", second)[kept]["certified_at"], None, "it is not signed off yet")
        inside("review", "close", "july", "--as", "auditor", cwd=self.here, now=second)
        again = self.opened("september", third)
        self.assertEqual((again[kept]["certified_at"], again[kept]["certified_by"]), (first, "head"))
        self.assertIsNone(again[undecided]["certified_at"])
        same = self.lines("august", third)[kept]
        self.assertIsNone(same["certified_at"], "evidence stays as it was when the review was opened")

    def test_what_has_not_changed_is_carried_over_and_says_from_where(self):
        first, second, third = (f"2026-{month:02}-01T09:00:00Z" for month in (7, 8, 9))
        self.opened("july", first)
        inside("review", "decide", "all", "certify", "--as", "head", cwd=self.here, now=first)
        inside("review", "close", "july", "--as", "auditor", cwd=self.here, now=first)
        table = self.here / "tables" / "role_permissions.csv"
        table.write_text(table.read_text() + "dues,waiver,edit,dues:/waivers/**\n")
        inside("gather", cwd=self.here, now=second)
        words = ("--where", 'title eq "Clerk"', "--by-manager", "--due", "2026-12-31", "--changed", "--as", "auditor")
        said = inside("review", "open", "august", *words, cwd=self.here, now=second).stdout
        self.assertIn("1 line is carried over: certified before, and not changed since", said)
        lines = self.lines("august", second)
        kept, changed = lines["ann", "role:dues/setter"], lines["ann", "group:directory/inner"]
        self.assertEqual((kept["decision"], kept["capacity"]), ("certify", "carried over"))
        self.assertEqual((kept["decided_by"], kept["decided_at"]), ("head", first))
        self.assertEqual(kept["decision_reason"], "not changed since july")
        self.assertIsNone(changed["decision"], "the group brings a right more than when it was certified")
        (status,) = records_inside("review", "status", "august", cwd=self.here, now=second)
        self.assertEqual((status["done"], status["by_others"], status["left"]), (1, 0, 1))
        inside("review", "decide", "all", "certify", "--as", "head", cwd=self.here, now=second)
        inside("review", "close", "august", "--as", "auditor", cwd=self.here, now=second)
        inside("review", "open", "september", *words, cwd=self.here, now=third)
        again = self.lines("september", third)
        since = {key: (it["decided_at"], it["decision_reason"]) for key, it in again.items()}
        self.assertEqual(since["ann", "role:dues/setter"], (first, "not changed since august"))
        self.assertEqual(since["ann", "group:directory/inner"], (second, "not changed since august"))
        (measured,) = records_inside("review", "status", "august", "--measures", cwd=self.here, now=third)
        self.assertEqual(measured["decided"], 1, "what is carried over is nobody's decision")

    @stores.BELOW_THRESHOLDS
    def test_where_there_are_many_people_excess_and_risk_stand_there_only_if_asked_for(self):
        words = ("review", "open", "x", "--where", "title pr", "--by-manager", "--due", "2026-12-31", "--dry-run")
        with mock.patch.object(thresholds, "PEOPLE_REVIEWED", 1):
            self.assertIn("--thorough adds them", inside(*words, cwd=self.here).stdout)
            self.assertNotIn("--thorough adds them", inside(*words, "--thorough", cwd=self.here).stdout)
        self.assertNotIn("--thorough adds them", inside(*words, cwd=self.here).stdout)

    def test_a_filter_names_it(self):
        self.opened("july", "2026-06-20T09:00:00Z")
        speaking = records_inside("review", "lines", "july", "--where", 'speaks eq "against"', cwd=self.here)
        self.assertEqual([(it["identity"], it["gives"]) for it in speaking][:1], [("ann", "role:dues/setter")])
        self.assertIn("conflict of duties: D-1", speaking[0]["stands_out"])
        shown = json.loads(inside("review", "lines", "july", "--format", "json", cwd=self.here).stdout)
        self.assertLessEqual({"risk", "excess", "signed_in", "sensitivity"}, set(json.dumps(shown).split('"')))


if __name__ == "__main__":
    unittest.main()
