"""Scores are sums of their parts, move as they should, and charts show what is counted."""

import tempfile
import unittest
from datetime import datetime
from pathlib import Path

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.findings import pictures
from kathodos.findings.conflicts.roles import roles_at_fault
from kathodos.findings.conflicts.states import all_conflicts, no_conflicts
from kathodos.findings.escalation import administrations, climbers
from kathodos.findings.excess.batches import ExcessContext
from kathodos.findings.excess.kinds import find_excess
from kathodos.findings.risk.judging import Judged, Risk
from kathodos.findings.risk.weights import FLOOR, PARTS, Weights
from kathodos.output import charts
from tests.findings.excess.test_excess_by_reference import Reading, live_permits, permitted_cells
from tests.reference import Reference, split
from tests.support import NOW, OFFICE, OFFICE_RULES, basis_of, catalogues, naming_actions, rules_of, searching

AT = datetime.fromisoformat(NOW)
ADMINS = {
    "systems": [{"system": "d"}, {"system": "e"}],
    "actions": [
        {"system": "d", "action": "run", "kind": "administer"},
        {"system": "e", "action": "run", "kind": "administer"},
    ],
    "resources": [
        {"resource": "d:/groups/admins", "type": "group"},
        {"resource": "d:/groups/other", "type": "group"},
    ],
    "identities": [{"id": name} for name in ("a", "b", "c", "x")],
    "groups": [{"system": "d", "group": "admins"}, {"system": "d", "group": "other"}],
    "members": [{"system": "d", "group": "admins", "member": f"identity:{name}"} for name in ("a", "b")],
    "grants": [
        {"grant": "1", "holder": "group:d/admins", "gives": "run d:/groups"},
        {"grant": "2", "holder": "identity:c", "gives": "run d:/groups"},
        {"grant": "3", "holder": "identity:x", "gives": "run e:/"},
    ],
}
KINDS = ("identities", "accounts", "roles", "resources", "systems")


def judged(catalogue, rules=OFFICE_RULES, covered=False, **weights):
    basis, rules = basis_of(catalogue), rules_of(rules)
    context = ExcessContext(basis, rules.needs)
    conflicts = all_conflicts(basis, rules.conflicts)
    faults = roles_at_fault(basis, rules.conflicts)
    kept = np.full(len(conflicts), covered)
    climbs = [it.climb for it in climbers(basis)]
    found = list(find_excess(context)), climbs, Weights(**weights), rules.fences
    return Judged(context, conflicts, kept, faults, *found)


def nothing_judged(basis):
    return Judged(ExcessContext(basis), no_conflicts([]), np.zeros(0, dtype=bool))


def score(catalogue, name, **options):
    scores = Risk(judged(catalogue, **options)).identities()
    at = list(scores.subjects).index(f"identity:{name}")
    return float(scores.totals[at]), {part.name: part.points for part in scores.parts(at)}


class Scores(unittest.TestCase):
    @given(catalogues(gates=(None,)))
    @searching(15)
    def test_the_parts_add_up_and_stay_within_their_weights(self, catalogue):
        risk = Risk(judged(catalogue))
        for kind in KINDS:
            scores = getattr(risk, kind)()
            for at in range(len(scores.totals)):
                parts = scores.parts(at)
                names = [part.name for part in parts]
                self.assertIn(names, (list(PARTS), [*PARTS, FLOOR]))
                self.assertEqual(round(sum(part.points for part in parts), 1), float(scores.totals[at]))
                for part in parts:
                    self.assertTrue(0 <= part.points <= part.weight and part.why, part)

    @given(catalogues(), st.lists(st.integers(0, 3), min_size=9, max_size=9))
    @searching(25)
    def test_what_counts_for_sensitivity_is_the_highest_that_is_reached(self, catalogue, levels):
        resources = [{**row, "sensitivity": at} for row, at in zip(catalogue["resources"], levels, strict=False)]
        catalogue = {**catalogue, "resources": resources}
        reference, basis = Reference(catalogue), basis_of(catalogue)

        def level(node):
            own = (reference.resources.get(node[:size], {}).get("sensitivity") for size in range(len(node), 0, -1))
            return next((it for it in own if it is not None), 0)

        expected = dict.fromkeys(reference.askers(), 0)
        for asker, _, address in reference.everything(AT):
            expected[asker] = max(expected[asker], level(split(address)))
        risk, names = Risk(nothing_judged(basis)), basis.index.holders.references
        found = {names[at]: int(risk.level[at]) for at in basis.index.holders.askers.tolist()}
        self.assertEqual(found, expected)
        points = dict(zip(risk.identities().subjects, risk.identities().points[:, 0].tolist(), strict=True))
        self.assertEqual(points, {it: (0, 3, 9, 15)[expected[it]] for it in points})

    @given(catalogues(gates=(None,)))
    @searching(25)
    def test_breadth_and_kinds_of_action_are_of_what_was_given(self, catalogue):
        present = {"status": "active", "starts": None, "ends": None}
        people = [{**row, **present} for row in catalogue["identities"]]
        accounts = [{**row, "status": "enabled"} for row in catalogue["accounts"]]
        catalogue = naming_actions({**catalogue, "identities": people, "accounts": accounts})
        reading, basis = Reading(catalogue), basis_of(catalogue)
        kinds = {(row["system"], row["action"]): row.get("kind") for row in catalogue["actions"]}
        risk = Risk(nothing_judged(basis))
        gravest = {"read": 1.0, "write": 4.0, None: 0.0}
        for kind in ("identities", "accounts"):
            scores = getattr(risk, kind)()
            for at, name in enumerate(scores.subjects):
                if name in reading.askers():
                    held = reading.principals(name, AT)
                    grants = [row for row in live_permits(catalogue) if row["holder"] in held]
                    cells = set(permitted_cells(reading, grants))
                    systems = {node[0] for _, node in cells}
                    given_kinds = {kinds[node[0], action] for action, node in cells}
                    expected = [2.5 * len(systems), max((gravest[it] for it in given_kinds), default=0.0)]
                    self.assertEqual(scores.points[at, 1:3].tolist(), expected, name)

    def test_they_move_as_they_should(self):
        total, parts = score(OFFICE, "ann")
        self.assertEqual(total, max(score(OFFICE, name)[0] for name in ("ann", "bo", "head")))
        self.assertGreater(parts["conflicts"], 0)
        self.assertLess(score(OFFICE, "ann", covered=True)[1]["conflicts"], parts["conflicts"] / 2)
        held = {**OFFICE, "activity": []}
        self.assertLess(score(held, "ann")[1]["conflicts"], parts["conflicts"], "exercised counts for more than held")
        secret = {**OFFICE, "resources": [{**row, "sensitivity": 3} for row in OFFICE["resources"]]}
        self.assertEqual((parts["sensitivity"], score(secret, "ann")[1]["sensitivity"]), (0.0, 15.0))
        denied = [{"grant": "no", "holder": "identity:ann", "gives": "view dues:/**", "effect": "deny"}]
        shut = {**secret, "grants": [*OFFICE["grants"], *denied]}
        self.assertEqual(score(shut, "ann")[1]["sensitivity"], 0.0, "what is denied is not reached")
        idle = [{**OFFICE["accounts"][0], "last_login": "2025-06-15"}, *OFFICE["accounts"][1:]]
        self.assertEqual(score({**OFFICE, "accounts": idle}, "ann")[1]["dormancy"], 5.0)
        climbing = {**OFFICE, "mandates": [{"holder": "identity:bo", "roles": "dues/*"}]}
        self.assertGreater(score(climbing, "bo")[1]["escalation"], score(OFFICE, "bo")[1]["escalation"])

    def test_a_crossed_fence_counts_and_a_critical_one_lifts(self):
        parts = {}
        for severity in ("medium", "critical"):
            fence = f'[[fence]]\nid = "F-1"\ntitle = "f"\nseverity = "{severity}"\n'
            fence += 'who = \'id eq "bo"\'\nnever = ["view dues:/tariffs/**"]\n'
            rules = OFFICE_RULES + fence
            scores = Risk(judged(OFFICE, rules=rules)).identities()
            at = list(scores.subjects).index("identity:bo")
            parts[severity] = {it.name: it.points for it in scores.parts(at)}
            self.assertIn("F-1 crossed", next(it.why for it in scores.parts(at) if it.name == "conflicts"))
            total = float(scores.totals[at])
            self.assertEqual(total >= Weights().exercised, severity == "critical")
        self.assertLess(score(OFFICE, "bo")[1]["conflicts"], parts["medium"]["conflicts"])
        self.assertLess(parts["medium"]["conflicts"], parts["critical"]["conflicts"])

    def test_an_account_in_use_that_nobody_owns_is_lifted_and_an_idle_one_is_not(self):
        for day, least in (("2026-06-10", Weights().unguarded), ("2025-06-10", 0)):
            accounts = [{**row, "last_login": day} for row in OFFICE["accounts"]]
            scores = Risk(judged({**OFFICE, "accounts": accounts})).accounts()
            total = float(scores.totals[list(scores.subjects).index("account:dues/nobody")])
            self.assertEqual(total >= Weights().unguarded, least > 0, (day, total))

    def test_who_could_give_itself_everything_is_lifted_unless_that_is_its_office(self):
        resources = [*ADMINS["resources"], {"resource": "d:/grants", "type": "grants"}]
        grants = [*ADMINS["grants"][:2], {"grant": "9", "holder": "identity:c", "gives": "run d:/grants"}]
        titled = {"a": "Operator", "b": "Operator", "c": "Clerk", "x": "Clerk"}
        for titles, is_lifted in ((titled, True), ({**titled, "x": "Other"}, False)):
            people = [{"id": it, "title": title} for it, title in titles.items()]
            house = {**ADMINS, "identities": people, "resources": resources, "grants": grants}
            lifted = score({**house, "mandates": []}, "c", rules='topic = "t"')[0] >= Weights().unguarded
            self.assertEqual(lifted, is_lifted, titles)

    def test_weights_are_taken(self):
        weights = {"sensitivity": 0, "breadth": 0, "actions": 0, "excess": 0, "dormancy": 0, "escalation": 0}
        total, parts = score(OFFICE, "ann", conflicts=100, exercised=0, **weights)
        self.assertEqual(total, parts["conflicts"])
        self.assertEqual(Weights().total(), 100)


class Administrators(unittest.TestCase):
    def test_who_can_remove_whom_and_who_is_the_last(self):
        basis = basis_of(ADMINS)
        names = basis.index.holders.references
        found = {it.system: it for it in administrations(basis)}
        self.assertEqual([names[it] for it in found["d"].administrators], ["identity:a", "identity:b", "identity:c"])
        pairs = [{names[a], names[b]} for a, b in found["d"].pairs]
        self.assertEqual(pairs, [{"identity:a", "identity:b"}], "c holds its right itself: no group can be taken away")
        self.assertEqual([names[it] for it in found["e"].administrators], ["identity:x"])

    def test_those_who_climb_alike_are_told_together(self):
        basis = basis_of(
            {
                **ADMINS,
                "grants": [*ADMINS["grants"], {"grant": "4", "holder": "group:d/other", "gives": "run e:/"}],
            }
        )
        names = basis.index.holders.references
        found = {tuple(names[it] for it in climber.askers): climber.climb.gain for climber in climbers(basis)}
        self.assertIn(("identity:a", "identity:b"), found)
        self.assertIn(("identity:c",), found)
        self.assertNotIn("identity:x", [name for alike in found for name in alike])


class Pictures(unittest.TestCase):
    def test_what_is_counted(self):
        found = judged(OFFICE)
        access = pictures.access_by_department(found.context)
        self.assertEqual((access.rows, access.of.tolist()), (["Dues"], [3]))
        self.assertEqual(dict(zip(access.columns, access.counts[0].tolist(), strict=True)), {"dues": 2, "directory": 0})
        conflicts = pictures.conflicts_by_topic(found.context.basis, found.conflicts)
        self.assertEqual((conflicts.rows, conflicts.columns, conflicts.counts.tolist()), (["Dues"], ["Dues"], [[1]]))
        ages = pictures.excess_by_age(found.excess)
        self.assertEqual(int(ages.counts.sum()), sum(map(len, found.excess)))

    def test_they_are_drawn_the_same_each_time_whatever_the_names(self):
        hostile = "$x_{1}$ \x1b[31m<b>&\n"
        table = pictures.Table([hostile, "r"], [hostile] * 8, np.arange(16).reshape(2, 8), np.array([9, 99]))
        nothing = pictures.Table([], [], np.zeros((0, 0), dtype=np.int64), np.zeros(0, dtype=np.int64))
        ages = pictures.Table(["unused"], list(pictures.AGES), np.array([[1, 2, 3, 4, 5]]), np.array([15]))
        with tempfile.TemporaryDirectory() as folder:
            for kind in ("png", "svg"):
                for figure in (
                    lambda: charts.draw_access(table),
                    lambda: charts.draw_conflicts(table),
                    lambda: charts.draw_conflicts(nothing),
                    lambda: charts.draw_access(nothing),
                    lambda: charts.draw_risk(np.array([1.0, 50.0, 99.9]), [(hostile, 99.9)]),
                    lambda: charts.draw_excess(ages),
                    lambda: charts.draw_excess(nothing),
                ):
                    contents = set()
                    for at in range(2 if kind == "svg" else 1):
                        file = Path(folder) / f"{at}.{kind}"
                        charts.save(figure(), str(file), True)
                        contents.add(file.read_bytes())
                    self.assertEqual(len(contents), 1)
                    start = contents.pop()
                    self.assertTrue(start.startswith(b"\x89PNG" if kind == "png" else b"<?xml"))
                    self.assertNotIn(b"\x1b[31m", start)


if __name__ == "__main__":
    unittest.main()
