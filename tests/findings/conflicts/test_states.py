"""Conflicts equal what the plain reference says about each side, and evidence says what it should."""

import unittest
from datetime import datetime
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.findings.conflicts.roles import marked, roles_at_fault
from kathodos.findings.conflicts.states import all_conflicts, chains_of, find_conflicts, no_conflicts, who_breaks
from kathodos.findings.escalation import climbers, latent_conflicts
from kathodos.rules.targets import PermissionTargets
from tests.reference import Reference, split
from tests.support import (
    NOW,
    OFFICE,
    OFFICE_RULES,
    basis_of,
    catalogues,
    naming_actions,
    rule_of,
    rules_of,
    searching,
)

AT = datetime.fromisoformat(NOW)
PERMISSION = st.tuples(
    st.sampled_from(("view", "edit", "own", "*")),
    st.sampled_from(("s:/", "s:/a", "s:/**", "s:/a/*", "t:/b/**", "s:/*/b")),
)
USE = st.tuples(
    st.sampled_from(("identity:p1", "identity:p2", "account:s/l1", "account:s/l2")),
    st.sampled_from(("view", "edit", "own")),
    st.sampled_from(("s:/", "s:/a", "s:/a/b", "s:/b", "t:/b/c")),
    st.sampled_from((None, "1", "2")),
)
DUTIES = st.lists(st.lists(PERMISSION, min_size=1, max_size=2), min_size=2, max_size=3)


def expected(reference, duties, threshold, within):
    """Who breaks the rule, asked cell by cell: {identity, or account of nobody: names of the duties it holds}."""
    broken = {}
    for asker in reference.askers():
        by_value = {}
        for number, duty in enumerate(duties):
            for action, pattern in duty:
                for node in reference.nodes:
                    actions = reference.actions(node[0]) if action == "*" else {action} & reference.actions(node[0])
                    value = reference.resources.get(node, {}).get(within) if within else "any"
                    if value and reference.targets_reaching(pattern, node):
                        for each in actions:
                            if reference.reaches(asker, each, node, AT):
                                by_value.setdefault(value, set()).add(number)
        held = [numbers for numbers in by_value.values() if len(numbers) >= threshold]
        if held:
            broken[asker] = {f"d{number}" for number in set().union(*held)}
    return broken


def uses_duty(reference, use, duty, within, value):
    """Whether a use is one of a duty, on a resource with the value."""
    action, node, _ = use
    if node not in reference.nodes or action not in reference.actions(node[0]):
        return False
    has_value = not within or reference.resources.get(node, {}).get(within) == value
    return has_value and any(
        reference.targets_reaching(pattern, node) and (asked == "*" or reference.implies(node[0], action, asked))
        for asked, pattern in duty
        if asked == "*" or asked in reference.actions(node[0])
    )


class Conflicts(unittest.TestCase):
    @given(catalogues(), DUTIES, st.integers(2, 3), st.sampled_from((None, "type")))
    @searching(50)
    def test_they_equal_the_reference(self, catalogue, duties, threshold, within):
        rule = rule_of(duties, threshold=min(threshold, len(duties)), within=within)
        basis = basis_of(catalogue)
        index, found = basis.index, find_conflicts(basis, [rule])
        shown = {index.holders.references[it.asker]: {duty.name for duty in it.duties} for it in found}
        self.assertEqual(shown, expected(Reference(catalogue), duties, rule.threshold, within))
        for conflict in found:
            for duty in conflict.duties:
                self.assertTrue(chains_of(PermissionTargets(basis), conflict, duty))

    @given(catalogues(), DUTIES, st.sampled_from((None, "type")))
    @searching(15)
    def test_several_threads_find_what_one_does(self, catalogue, duties, within):
        rules = [rule_of(duties[at:] + duties[:at], f"R{at}", within=within) for at in range(len(duties))]
        alone = [(it.askers.tolist(), it.held) for it in who_breaks(basis_of(catalogue), rules)]
        with mock.patch.object(thresholds, "RULES_APART", 0):
            together = [(it.askers.tolist(), it.held) for it in who_breaks(basis_of(catalogue), rules)]
        self.assertEqual(alone, together)

    @given(catalogues(), DUTIES, st.sampled_from((None, "type")), st.lists(USE, min_size=3, max_size=14))
    @searching(40)
    def test_states_equal_the_reference(self, catalogue, duties, within, used):
        people = [{**row, "status": "active", "starts": None, "ends": None} for row in catalogue["identities"]]
        activity = [
            {
                "time": "2026-06-01",
                who.partition(":")[0]: who.partition(":")[2],
                "action": action,
                "resource": where,
                "record": record,
            }
            for who, action, where, record in used
        ]
        catalogue = {**catalogue, "identities": people, "activity": activity}
        basis, reference, rule = basis_of(catalogue), Reference(catalogue), rule_of(duties, within=within)
        for conflict in find_conflicts(basis, [rule]):
            me = basis.index.holders.references[conflict.asker]
            mine = [
                (action, split(where), record)
                for who, action, where, record in used
                if who == me or (who.startswith("account:") and f"identity:{reference.owner(who)}" == me)
            ]
            states, records = {"held"}, set()
            for value in conflict.values:
                by_duty = [[use for use in mine if uses_duty(reference, use, duty, within, value)] for duty in duties]
                if sum(map(bool, by_duty)) >= 2:
                    states.add("exercised")
                named = [{record for _, _, record in uses if record} for uses in by_duty]
                records |= {it for one in named for it in one if sum(it in other for other in named) >= 2}
            expected = "exercised on the same record" if records else max(states, key=len)
            self.assertEqual((conflict.state, set(conflict.records)), (expected, records))

    def test_states(self):
        rules = rules_of(OFFICE_RULES)
        for activity, state, records, days in (
            ([], "held", (), []),
            (OFFICE["activity"][:1], "held", (), []),
            (
                [{**row, "record": str(at)} for at, row in enumerate(OFFICE["activity"])],
                "exercised",
                (),
                ["2026-05-01", "2026-05-02"],
            ),
            (OFFICE["activity"], "exercised on the same record", ("7",), ["2026-05-01", "2026-05-02"]),
        ):
            (found,) = find_conflicts(basis_of({**OFFICE, "activity": activity}), rules.conflicts)
            self.assertEqual((found.state, found.records), (state, records))
            self.assertEqual(sorted(use.day for use in found.uses), days)

    def test_a_duty_of_which_all_permissions_are_needed(self):
        both = 'any = ["edit dues:/tariffs/**"]\nall = ["view dues:/waivers/**", "approve dues:/waivers/2025"]'
        text = OFFICE_RULES.replace('any = ["edit dues:/tariffs/**"]', both).replace('within = "site"', "")
        (found,) = find_conflicts(basis_of(OFFICE), rules_of(text).conflicts)
        self.assertEqual([duty.name for duty in found.duties], ["set", "waive"])
        gone = text.replace("approve dues:/waivers/2025", "edit dues:/waivers/2025")
        self.assertEqual(find_conflicts(basis_of(OFFICE), rules_of(gone).conflicts), [])

    def test_who_is_excepted_is_not_in_conflict(self):
        for who, count in (('id eq "ann"', 0), ('id eq "bo"', 1), ('title eq "clerk"', 0)):
            text = OFFICE_RULES.replace("within =", f"except = '{who}'\nwithin =")
            self.assertEqual(len(find_conflicts(basis_of(OFFICE), rules_of(text).conflicts)), count)

    def test_latent_is_what_a_mandate_would_give(self):
        catalogue = {
            **OFFICE,
            "mandates": [{"holder": "identity:bo", "roles": "dues/*"}, {"holder": "identity:head", "roles": "dues/x*"}],
        }
        basis, rules = basis_of(catalogue), rules_of(OFFICE_RULES).conflicts
        found = all_conflicts(basis, rules)
        climbing = climbers(basis)
        self.assertEqual([basis.index.holders.references[it] for it in climbing[0].askers], ["identity:bo"])
        latent = list(latent_conflicts(basis, rules, found, climbing))
        self.assertEqual([it.name(basis.index) for it in latent], ["D-1/bo"])
        excepted = rules_of(OFFICE_RULES.replace("within =", "except = 'id eq \"bo\"'\nwithin =")).conflicts
        self.assertEqual(list(latent_conflicts(basis, excepted, no_conflicts(excepted), climbing)), [])


class Roles(unittest.TestCase):
    @given(catalogues(gates=(None,)), DUTIES, st.sampled_from((None, "type")))
    @searching(25)
    def test_a_role_is_at_fault_where_one_who_has_nothing_else_is_in_conflict(self, catalogue, duties, within):
        rule = rule_of(duties, within=within)
        catalogue = naming_actions(catalogue)
        faults = roles_at_fault(basis_of(catalogue), [rule])
        alone = set()
        for role in catalogue["roles"]:
            name = f"role:s/{role['role']}"
            only = {**catalogue, "identities": [{"id": "new"}], "accounts": [], "groups": [], "members": []}
            only["grants"] = [{"grant": "g", "holder": "identity:new", "gives": name}]
            if role.get("active", 1) and find_conflicts(basis_of(only), [rule]):
                alone.add(name)
        found = {f"role:{basis_of(catalogue).index.roles[it.role]}" for it in faults}
        self.assertLessEqual(found, alone)
        self.assertEqual(bool(found), bool(alone))

    @given(catalogues(gates=(None,)), DUTIES)
    @searching(60)
    def test_of_one_person_the_roles_at_fault_are_those_of_all_that_the_person_has(self, catalogue, duties):
        basis, rule = basis_of(naming_actions(catalogue)), rule_of(duties)
        every = roles_at_fault(basis, [rule])
        for identity in range(basis.people):
            mine = roles_at_fault(basis, [rule], identity)
            found = [it.role for it in mine if identity in it.askers]
            self.assertEqual(found, [it.role for it in every if identity in it.askers])

    def test_the_conflict_of_whoever_has_the_role_is_marked_as_the_role_s(self):
        catalogue = {
            **OFFICE,
            "roles": [*OFFICE["roles"], {"system": "dues", "role": "both"}],
            "role_juniors": [
                {"system": "dues", "role": "both", "junior": "role:dues/setter"},
                {"system": "dues", "role": "both", "junior": "role:dues/waiver"},
            ],
            "grants": [*OFFICE["grants"], {"grant": "g9", "holder": "identity:bo", "gives": "role:dues/both"}],
        }
        basis, rules = basis_of(catalogue), rules_of(OFFICE_RULES).conflicts
        (fault,) = roles_at_fault(basis, rules)
        self.assertEqual(basis.index.roles[fault.role], "dues/both")
        found = {it.name(basis.index): it.roles for it in marked(basis, find_conflicts(basis, rules), [fault])}
        self.assertEqual(found, {"D-1/ann": (), "D-1/bo": ("role:dues/both",)})
        denied = [{**catalogue["grants"][-1], "effect": "deny"}]
        for grants in (OFFICE["grants"], denied, [*denied, *catalogue["grants"][-1:]]):
            (fault,) = roles_at_fault(basis_of({**catalogue, "grants": grants}), rules)
            self.assertEqual(fault.duties, tuple(rules[0].duties), "whoever holds it, and whomever it is denied")


if __name__ == "__main__":
    unittest.main()
