"""Suggested roles: planted ones are found again, everybody keeps exactly what they hold, and the costs are as said."""

import json
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.change.composition import Desk
from kathodos.change.edit_sets import EditSet
from kathodos.engine.everyone import triples
from kathodos.roles.mining.candidates import candidates_of
from kathodos.roles.mining.cover import MiningTerms, cover_of
from kathodos.roles.mining.holdings import kinds_of
from kathodos.roles.mining.weights import MiningWeights
from kathodos.store.records import InMemory
from tests.reference import Reference
from tests.roles.test_combine import AT, with_edits
from tests.support import Prepared, catalogues, index_of, inside, lay_out, searching, state_of


def planted(people, things, roles, noise, seed=3):
    """Who holds what, from planted roles; then so many of these are taken away, and as many given at random."""
    random = np.random.default_rng(seed)
    made = [np.sort(random.choice(things, size=random.integers(4, 10), replace=False)) for _ in range(roles)]
    held = np.zeros((people, things), dtype=bool)
    for person in range(people):
        for role in random.choice(roles, size=random.integers(1, 4), replace=False).tolist():
            held[person, made[role]] = True
    cells = np.argwhere(held)
    count = int(noise * len(cells))
    gone = cells[random.choice(len(cells), count, replace=False)]
    held[gone[:, 0], gone[:, 1]] = False
    held[random.integers(people, size=count), random.integers(things, size=count)] = True
    return made, held


def mined(held, terms):
    kinds, _ = kinds_of(*held.nonzero(), *held.shape)
    return kinds, cover_of(kinds, candidates_of(kinds, terms.fewest), terms)


class PlantedRoles(unittest.TestCase):
    def found_again(self, noise, tolerance):
        made, held = planted(200, 80, 8, noise)
        _, cover = mined(held, MiningTerms(fewest=6, tolerance=tolerance, seconds=2))
        found = {tuple(it.tolist()) for it in cover.roles}
        return sum(tuple(it.tolist()) in found for it in made), len(cover.roles)

    def test_all_of_them_without_noise_and_nothing_else(self):
        self.assertEqual(self.found_again(0, 0), (8, 8))

    def test_with_some_noise_and_with_much(self):
        self.assertEqual(self.found_again(0.05, 0.4)[0], 8)
        self.assertGreaterEqual(self.found_again(0.2, 0.4)[0], 7)


class Costs(unittest.TestCase):
    @searching(60)
    @given(st.lists(st.sets(st.integers(0, 6), min_size=1), min_size=1, max_size=12), st.sampled_from((1.0, 3.0)))
    def test_the_cost_is_that_of_a_plain_count_and_never_above_giving_all_by_itself(self, rows, role):
        held = np.zeros((len(rows), 7), dtype=bool)
        for at, things in enumerate(rows):
            held[at, sorted(things)] = True
        weights = MiningWeights(role=role, exception=2.0)
        kinds, cover = mined(held, MiningTerms(weights, fewest=2, seconds=2))
        assigned = 0
        left = {(at, int(thing)) for at, thing in np.argwhere(np.asarray(kinds.held.todense()) > 0)}
        for things, some in zip(cover.roles, cover.assigned, strict=True):
            assigned += int(kinds.counts[some].sum())
            for kind in some.tolist():
                for thing in things.tolist():
                    self.assertEqual(kinds.held[kind, thing], 1)  # nobody is given what they do not hold
                    left.discard((kind, thing))
        exceptions = sum(int(kinds.counts[kind]) for kind, _ in left)
        cost = role * len(cover.roles) + sum(map(len, cover.roles)) + assigned + 2 * exceptions
        self.assertAlmostEqual(cover.cost, cost)
        self.assertLessEqual(cover.cost, cover.steps[0].cost)
        self.assertEqual(kinds.counts.sum(), len(rows))
        if cover.bound is not None:
            self.assertLessEqual(cover.bound, cover.cost + 1e-6)


class NobodysReachChanges(unittest.TestCase):
    @searching(90)
    @given(catalogues())
    def test_moving_everybody_onto_the_roles_leaves_everybody_what_they_hold(self, drawn):
        from kathodos.analysis.basis import Basis
        from kathodos.analysis.role_table import RoleTable
        from kathodos.roles.mining.criteria import Criteria
        from kathodos.roles.mining.holdings import holdings_of
        from kathodos.workspace import suggesting

        # Everybody holds much alike, so that there is something to bundle.
        more = [
            {"grant": f"more{at}{who}", "holder": who, "gives": gives, "on": None, "effect": "permit", "tier": 0}
            for at, gives in enumerate(("view s:/a", "edit s:/b", "role:s/r1", "view s:/**"))
            for who in ("identity:p1", "identity:p2", "account:s/l1", "group:s/g1")
        ]
        drawn = {**drawn, "grants": [*drawn["grants"], *more]}
        records = InMemory(state_of(drawn))
        desk = Desk(records, AT, "tester")
        index = index_of(drawn)
        basis = Basis(records, index, desk.moment)
        criteria = Criteria(basis, np.ones(index.holders.people, dtype=bool))
        names = suggesting._Names(RoleTable(records))
        terms = MiningTerms(fewest=2, seconds=2)
        held = holdings_of(index, desk.moment)
        some = [suggesting._of_system(index, it, terms, criteria, names, desk.moment) for it in held]
        found = suggesting.Suggested(some, index)
        self.assertTrue(found.roles)
        edits: EditSet = suggesting.moving(desk, found).edits
        after = with_edits(drawn, edits)
        self.assertEqual(Reference(after).everything(AT), Reference(drawn).everything(AT))
        self.assertEqual(set(triples(index_of(after), None, desk.moment)), Reference(drawn).everything(AT))


CLERKS = {
    "systems": [{"system": "dues"}, {"system": "berths"}],
    "identities": [
        {"id": f"p{at:02}", "title": "Dues clerk" if at < 9 else "Planner", "department": "AB"[at < 12]}
        for at in range(20)
    ],
    "actions": [{"system": system, "action": it} for system in ("dues", "berths") for it in ("view", "edit")],
    "resources": [{"resource": f"dues:/{it}"} for it in "abcd"] + [{"resource": f"berths:/{it}"} for it in "xyz"],
    "roles": [{"system": "berths", "role": "planner"}],
    "role_permissions": [{"system": "berths", "role": "planner", "action": "edit", "resource": "berths:/x"}],
    "grants": [
        *(
            {"holder": f"identity:p{at:02}", "gives": f"{action} dues:/{it}"}
            for at in range(9)
            for action, it in (("view", "a"), ("view", "b"), ("edit", "c"), ("edit", "d"))
        ),
        *(
            {"holder": f"identity:p{at:02}", "gives": gives}
            for at in range(9, 20)
            for gives in ("role:berths/planner", "view berths:/y", "view berths:/z")
        ),
        {"holder": "identity:p01", "gives": "view berths:/y"},
        {"holder": "identity:p02", "gives": "view dues:/a", "on": "dues:/a", "until": "2027-01-01"},
    ],
    "activity": [
        {"time": "2026-06-01T08:00:00Z", "identity": f"p{at:02}", "action": action, "resource": f"dues:/{it}"}
        for at in range(9)
        for action, it in (("view", "a"), ("view", "b"))
    ],
}


class TheCommand(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", CLERKS)
        inside("gather", cwd=office)
        return office

    def asked(self, *words, status=0):
        return json.loads(inside("role", "suggest", *words, "--format", "json", cwd=self.here, status=status).stdout)

    def test_whom_each_role_is_for_is_said_and_what_it_costs(self):
        told = self.asked()
        by_role = {it["role"]: it for it in told["roles"]}
        clerk, planner = by_role["role:dues/dues-clerk"], by_role["role:berths/planner-2"]
        self.assertEqual(clerk["why"], "All 9 with title Dues clerk, and nobody else, hold these 4.")
        self.assertEqual(clerk["filter"], 'title eq "Dues clerk"')
        self.assertEqual(planner["why"], "All 11 with title Planner, and nobody else, hold these 3.")
        self.assertEqual((told["held"], told["bundled"]), (70, 69))
        (dues,) = (it for it in told["systems"] if it["system"] == "dues")
        self.assertEqual((dues["bound"], dues["steps"][-1]["cost"], dues["left_as_they_are"]), (14.0, 14.0, 1))

    def test_made_with_the_proof_that_nobodys_reach_changes(self):
        told = inside("role", "suggest", "--make", "--yes", cwd=self.here).stdout
        self.assertIn("Nobody's reach changes", told)
        grants = inside("list", "grants", "--assume", "orders", "--format", "csv", cwd=self.here).stdout
        self.assertEqual(grants.count("role:dues/dues-clerk"), 9)
        self.assertEqual(grants.count("view dues:/a"), 1)  # the one that ends is left as it is
        again = self.asked()
        self.assertEqual(again["roles"], [])

    def test_by_what_is_used_only_some_of_them_and_as_drafts(self):
        told = self.asked("--used-within", "P1M")
        self.assertEqual([it["gives"] for it in told["roles"]], [["view dues:/a", "view dues:/b"]])
        self.assertEqual(len(self.asked("--system", "berths")["roles"]), 1)
        told = inside("role", "suggest", "--only", "dues/dues-clerk", "--make", "--into", "tidy", cwd=self.here).stdout
        self.assertIn("The change tidy has 50 edits", told)
        told = inside("role", "suggest", "--make", "--inactive", "--dry-run", cwd=self.here).stdout
        self.assertIn("role:dues/dues-clerk comes, not active", told)
        self.assertNotIn("loses", told.replace("nobody loses", ""))

    def test_tolerated_gaps_are_filled_and_said(self):
        inside("change", "take", "edit dues:/d", "--from", "p03", "--yes", cwd=self.here)
        with (self.here / "kathodos.toml").open("a") as file:
            file.write("[suggest]\nextra = 0.5\n")
        (exact,) = self.asked("--system", "dues", "--most", "1")["roles"]
        told = self.asked("--system", "dues", "--most", "1", "--tolerate", "0.3")
        (role,) = told["roles"]
        self.assertEqual((exact["holders"], role["holders"], role["extras"]), (8, 9, 1))
        words = ("role", "suggest", "--system", "dues", "--tolerate", "0.3", "--make", "--dry-run")
        self.assertIn("1 person gains 1", inside(*words, cwd=self.here).stdout)

    def test_what_cannot_be_asked_is_said(self):
        for words in (
            ("--system", "docks"),
            ("--tolerate", "2"),
            ("--fewest", "0"),
            ("--used-within", "soon"),
            ("--only", "dues/none"),
            ("--into", "x"),
            ("--where", 'id eq "p99"'),
        ):
            inside("role", "suggest", *words, cwd=self.here, status=2)
