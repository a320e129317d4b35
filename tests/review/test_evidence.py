"""The evidence of whoever a line belongs to, and the sentence of what stands out, against a plain computation."""

import json
import unittest
from datetime import datetime
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.analysis.evidence.held import units_of
from kathodos.columns.dictionary import dictionary_column
from kathodos.findings.conflicts.states import all_conflicts, find_conflicts
from kathodos.findings.excess.batches import ExcessContext
from kathodos.model.kinds import REVIEW_THINGS
from kathodos.model.times import BEGINNING, DAY, day_text, first_moment, microseconds
from kathodos.review.drafts.access_evidence import Evidence
from kathodos.review.drafts.holder_evidence import Found, HolderEvidence
from kathodos.review.drafts.standing_out import NOTHING, Facts, standing_out
from kathodos.review.lines import numbered
from tests import stores
from tests.analysis.test_evidence import units_of as numbered_units
from tests.evidence import Plain
from tests.findings.conflicts.test_states import DUTIES
from tests.findings.excess.test_excess_by_reference import permitted_cells
from tests.reference import instant
from tests.review.test_review import drafted_of, rows_of
from tests.support import (
    NOW,
    OFFICE,
    OFFICE_RULES,
    Prepared,
    basis_of,
    catalogues,
    inside,
    lay_out,
    naming_actions,
    records_inside,
    rule_of,
    searching,
)

AT = first_moment("2026-06-15")
DAYS = st.sampled_from((None, "2026-01-02", "2026-05-04", "2026-06-14"))


@stores.ABOUT_ANSWERS
class OfHolders(unittest.TestCase):
    @searching(120)
    @given(catalogues(), st.data())
    def test_risk_and_findings_are_those_of_who_holds_it_or_of_what_is_held(self, catalogue, data):
        basis = basis_of(catalogue)
        usage, askers = ExcessContext(basis).usage, np.arange(basis.size)
        risk = np.array(data.draw(st.lists(st.integers(0, 100), min_size=basis.people, max_size=basis.people)))
        numbers = st.tuples(st.integers(-1, basis.size - 1), st.integers(-1, max(usage.thing_count - 1, 0)))
        excess = []
        for kind in ("unused", "beyond-peers"):
            drawn = np.array(data.draw(st.lists(numbers, max_size=6)), dtype=np.int64).reshape(-1, 2)
            excess.append((kind, drawn[:, 0], drawn[:, 1]))
        units = units_of(basis.index, askers, basis.moment)
        things, holder = usage.thing_of(units), HolderEvidence(basis, units, Found(risk, excess))
        columns = zip(holder.risk().listed(), holder.excess().listed(), holder.excess_of(things).listed(), strict=True)
        for at, (points, about_them, about_it) in enumerate(columns):
            asker, thing = int(units.asker[at]), int(things[at])
            self.assertEqual(points, int(risk[asker]) if asker < basis.people else None)
            told = {kind: set(zip(whose.tolist(), some.tolist(), strict=True)) for kind, whose, some in excess}
            expected = sorted(kind for kind, pairs in told.items() if (asker, -1) in pairs)
            self.assertEqual(about_them, ";".join(expected) or None)
            expected = sorted(kind for kind, pairs in told.items() if pairs & {(asker, thing), (-1, thing)})
            self.assertEqual(about_it, ";".join(expected) or None)

    @searching(120)
    @given(catalogues(), st.data())
    def test_signed_in_is_that_of_the_systems_in_which_something_is_given(self, catalogue, data):
        login = {"system": "t", "login": "l3", "identity": "p1", "status": "enabled"}
        accounts = [{**row, "last_login": data.draw(DAYS)} for row in [*catalogue["accounts"], login]]
        catalogue = {**catalogue, "accounts": accounts}
        _, drafted = drafted_of(catalogue)
        plain = Plain(catalogue, datetime.fromisoformat(NOW))
        for line in rows_of(drafted):
            units = (it for it in plain.units() if it.holder == line["holder"])
            unit = next(
                it
                for it in units
                if line["grant"] == it.row.get("grant") and (line["group"] is None or line["group"] == it.group)
            )
            cells = permitted_cells(plain.reading, later(plain, unit))
            systems = {node[0] for _, node in cells}
            days = [
                row["last_login"]
                for row in accounts
                if row["last_login"]
                and plain.asker_of(f"account:{row['system']}/{row['login']}") == unit.asker
                and row["system"] in systems
            ]
            self.assertEqual(line["signed_in"], max(days, default=None), line)
            having = {row["system"] for row in accounts if row.get("identity") == unit.asker.removeprefix("identity:")}
            missing = sorted(systems - having) if not days and unit.asker.startswith("identity:") else []
            self.assertEqual((line["no_account"] or "").split(";"), missing or [""])

    def test_what_was_never_used_says_where_if_the_same_was_used_elsewhere(self):
        gives = ("view s:/a", "view t:/a", "edit t:/a", "edit u:/a")
        used = [("p", "view", "s:/a"), ("q", "view", "t:/a"), ("q", "view", "u:/a")]
        house = {
            "systems": [{"system": name} for name in "stu"],
            "actions": [{"system": name, "action": action} for name in "stu" for action in ("view", "edit")],
            "resources": [{"resource": f"{name}:/a"} for name in "stu"],
            "identities": [{"id": "p"}, {"id": "q"}],
            "groups": [{"system": "s", "group": "g"}],
            "members": [{"system": "s", "group": "g", "member": f"identity:{name}"} for name in "pq"],
            "grants": [{"grant": it, "holder": "group:s/g", "gives": it} for it in gives],
            "activity": [
                {"activity": str(at), "time": "2026-05-04T09:00:00Z", "identity": who, "action": do, "resource": on}
                for at, (who, do, on) in enumerate(used)
            ],
        }
        _, drafted = drafted_of(house)
        never = {line["identity"]: set(line["never"].split(";")) for line in rows_of(drafted)}
        self.assertEqual(never, {"p": {"view in t", "edit"}, "q": {"view in s", "edit"}})

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


@stores.ABOUT_ANSWERS
class ToCome(unittest.TestCase):
    @searching(150)
    @given(catalogues(), DUTIES)
    def test_the_first_day_on_which_it_would_contribute_to_a_conflict_that_there_is_not_yet(self, catalogue, duties):
        catalogue, rule = naming_actions(catalogue), rule_of(duties)
        basis, plain = basis_of(catalogue), Plain(catalogue, datetime.fromisoformat(NOW))
        units, numbers = numbered_units(basis, plain)
        context = ExcessContext(basis)
        found = Evidence(context, numbers, all_conflicts(basis, [rule])).conflicts_to_come()
        day, rules = (it.listed() for it in found)
        breaking = {}
        for at, unit in enumerate(units):
            holder = int(numbers.asker[at])
            times = {instant(row.get("from")) for row in later(plain, unit)}
            row = plain.reading.identities.get(unit.asker.removeprefix("identity:"), {})
            times = {max(it, instant(row.get("starts"))) for it in times} if not plain.counts(unit) else times
            expected = None
            for time in sorted(it for it in {*times, plain.moment} if it >= plain.moment):
                if time not in breaking:
                    later_basis = basis_of(catalogue, time.isoformat())
                    breaking[time] = {it.asker: it for it in find_conflicts(later_basis, [rule])}
                if holder in breaking[plain.moment] or expected is not None or time == plain.moment:
                    continue
                if holder in breaking[time]:
                    held = breaking[time][holder].duties
                    wanted = [(it.action, str(it.pattern)) for duty in held for it in duty.permissions]
                    cells = set(permitted_cells(plain.reading, later(plain, unit)))
                    if any(
                        wish in ("*", action) and plain.reading.targets_reaching(pattern, node)
                        for action, node in cells
                        for wish, pattern in wanted
                    ):
                        expected = day_text(microseconds(time))
            self.assertEqual((day[at], rules[at]), (expected, expected and "R"), vars(unit))


def later(plain, unit):
    """The grants that a unit consists of, in force or to come."""
    if unit.kind == "grants":
        return [unit.row]
    groups = {unit.group}
    while more := {it for group in groups for it in plain.reading.groups_of(group)} - groups:
        groups |= more
    rows = plain.catalogue["grants"]
    return [row for row in rows if row["holder"] in groups and instant(row.get("until"), end=True) > plain.moment]


def _plainly(line, it):
    """The sentence of one line, and which way it speaks."""
    status, begins, starting, to_come, fences, conflicts, former, needed, also, beyond, excess = line
    gone = {"left": "has left and still", "suspended": "is suspended and still", "disabled": "is disabled and still"}
    if status in gone:
        return "against", f"{gone[status]} holds it."
    makes = f"From {starting} on it would make a conflict of duties: {to_come}."
    if not it["counts"]:
        if to_come:
            return "against", f"It gives nothing yet. {makes}"
        return (None, f"It gives nothing before {begins}.") if begins else ("against", "It gives nothing now.")
    if fences:
        return "against", f"leads across the fence {fences}."
    if conflicts:
        return "against", f"It is part of a conflict of duties: {conflicts}."
    if to_come:
        return "against", makes
    allowed, since = it["idle_after"], day_text(AT - it["since"] * DAY)
    is_used, asks = it["used"] is not None, needed or also
    matters, is_new = it["adds"] > 0, it["since"] <= allowed
    idle, never = is_used and it["used"] > allowed and matters, not is_used and not is_new and matters
    for_part = f"{asks} asks for part of it; it also allows {beyond}, which nobody asked for"
    if asks and beyond and not it["beyond_used"]:
        return "against", f"{for_part} and was never used."
    if former and not asks:
        return "against", f"Kept from {former}, where the person was before."
    if not it["adds"] and not it["withholds"]:
        return "against", "Nobody would lose anything without it: what it gives comes by another way too."
    if not asks:
        if never:
            return "against", f"Never used since {since}; no rule needs it."
        if idle:
            return "against", f"Not used for {it['used'] // 30} months; no rule needs it."
        if it["few"]:
            return "against", f"Only {it['having']} of {it['of']} peers have it; no rule needs it."
        if excess:
            return "against", f"Found of it: {excess}."
        if it["usual"] and is_used and not idle:
            return "for", f"Usual: {it['having']} of {it['of']} peers have it, and it is used."
        return None, NOTHING
    if beyond:
        return None, f"{for_part}."
    if never:
        return None, f"A rule needs it, but it was never used since {since}."
    if idle:
        return None, f"A rule needs it, but it was not used for {it['used'] // 30} months."
    if excess:
        return None, f"A rule needs it, but this was found of it: {excess}."
    if needed and is_used:
        return "for", f"Expected: {needed} needs it, and it is used."
    if needed and is_new:
        return "for", f"Expected: {needed} needs it, and it is new."
    if needed:
        return None, f"{needed} needs it; whether it is used is not recorded."
    return None, f"{also} needs what it gives, which comes by another way too."


NAMES = (
    *("status", "begins", "from", "to_come", "fences", "conflicts"),
    *("former", "needed_by", "also_needed", "beyond", "excess"),
)
TEXTS = ("2027-03-01", "2027-04-01", "D-3", "F-1", "D-1;D-2", "Pilotage")
LINES = st.tuples(
    st.sampled_from(("active", "active", "active", "active", "left", "suspended", "disabled")),
    *(st.sampled_from((*[None] * 4, text)) for text in TEXTS),
    *(st.sampled_from((None, None, text)) for text in ("N-1", "N-2", "allocate on 16 resources", "near-roles")),
)
KNOWN = st.fixed_dictionaries(
    {
        "counts": st.sampled_from((True, True, True, False)),
        "used": st.none() | st.integers(0, 400),
        "since": st.integers(1, 400),
        "adds": st.sampled_from((0, 3, 3)),
        "withholds": st.sampled_from((0, 0, 1)),
        "idle_after": st.sampled_from((60, 180)),
        "few": st.booleans(),
        "usual": st.booleans(),
        "beyond_used": st.booleans(),
        "having": st.integers(0, 9),
        "of": st.integers(1, 9),
    }
)


@stores.ABOUT_ANSWERS
class StandingOut(unittest.TestCase):
    @searching(900)
    @given(st.lists(st.tuples(LINES, KNOWN), min_size=1, max_size=12))
    def test_it_is_what_weighs_most_of_each_line(self, drawn):
        columns = dict(zip(NAMES, map(dictionary_column, zip(*(it for it, _ in drawn), strict=True)), strict=True))
        known = {name: [it[name] for _, it in drawn] for name in drawn[0][1]}
        columns |= {
            "peers_having": numbered(np.array(known["having"])),
            "peers_counted": numbered(np.array(known["of"])),
        }
        facts = Facts(
            columns,
            used=np.array([BEGINNING if days is None else AT - days * DAY for days in known["used"]]),
            since=np.array([AT - days * DAY for days in known["since"]]),
            adds=np.array(known["adds"]),
            withholds=np.array(known["withholds"]),
            moment=AT,
            idle_after=np.array(known["idle_after"]),
            is_few=np.array(known["few"]),
            is_usual=np.array(known["usual"]),
            counts=np.array(known["counts"]),
            is_beyond_used=np.array(known["beyond_used"]),
        )
        text, speaks = standing_out(facts)
        for at, (line, it) in enumerate(drawn):
            way, sentence = _plainly(line, it)
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
        inside("review", "open", "--yes", name, *words, cwd=self.here, now=now)
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
        inside("review", "close", "--yes", "july", "--as", "auditor", cwd=self.here, now=second)
        again = self.opened("september", third)
        self.assertEqual((again[kept]["certified_at"], again[kept]["certified_by"]), (first, "head"))
        self.assertIsNone(again[undecided]["certified_at"])
        same = self.lines("august", third)[kept]
        self.assertIsNone(same["certified_at"], "evidence stays as it was when the review was opened")

    def test_what_has_not_changed_is_carried_over_and_says_from_where(self):
        first, second, third = (f"2026-{month:02}-01T09:00:00Z" for month in (7, 8, 9))
        self.opened("july", first)
        inside("review", "decide", "all", "certify", "--as", "head", cwd=self.here, now=first)
        inside("review", "close", "--yes", "july", "--as", "auditor", cwd=self.here, now=first)
        table = self.here / "tables" / "role_permissions.csv"
        table.write_text(table.read_text() + "dues,waiver,edit,dues:/waivers/**\n")
        inside("gather", cwd=self.here, now=second)
        words = ("--where", 'title eq "Clerk"', "--by-manager", "--due", "2026-12-31", "--changed", "--as", "auditor")
        said = inside("review", "open", "--yes", "august", *words, cwd=self.here, now=second).stdout
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
        inside("review", "close", "--yes", "august", "--as", "auditor", cwd=self.here, now=second)
        inside("review", "open", "--yes", "september", *words, cwd=self.here, now=third)
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
