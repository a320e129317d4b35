"""Conflicts equal what the plain reference says about each side, and evidence says what it should."""

import unittest
from datetime import datetime
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

from kathodos.catalogue.addresses import parse_pattern
from kathodos.findings.conflicts import chains_of, find_conflicts, who_breaks
from kathodos.findings.escalation import climbers, latent_conflicts
from kathodos.findings.places import Places
from kathodos.findings.role_conflicts import marked, roles_at_fault
from kathodos.findings.rules import Conflicting, Duty, Permission
from tests.reference import Reference
from tests.support import NOW, OFFICE, OFFICE_RULES, catalogues, facts_of, rules_of, searching

AT = datetime.fromisoformat(NOW)
PERMISSION = st.tuples(
    st.sampled_from(("view", "edit", "own", "*")),
    st.sampled_from(("s:/", "s:/a", "s:/**", "s:/a/*", "t:/b/**", "s:/*/b")),
)
DUTIES = st.lists(st.lists(PERMISSION, min_size=1, max_size=2), min_size=2, max_size=3)


def expected(reference, duties, threshold, within):
    """Who breaks the rule, asked cell by cell: {identity: names of the duties it holds}."""
    broken = {}
    for identity in reference.identities:
        by_value = {}
        for number, duty in enumerate(duties):
            for action, pattern in duty:
                for node in reference.nodes:
                    actions = reference.actions(node[0]) if action == "*" else {action} & reference.actions(node[0])
                    value = reference.resources.get(node, {}).get(within) if within else "any"
                    if value and reference.targets_reaching(pattern, node):
                        for each in actions:
                            if reference.reaches(f"identity:{identity}", each, node, AT):
                                by_value.setdefault(value, set()).add(number)
        held = [numbers for numbers in by_value.values() if len(numbers) >= threshold]
        if held:
            broken[identity] = {f"d{number}" for number in set().union(*held)}
    return broken


class Conflicts(unittest.TestCase):
    @given(catalogues(), DUTIES, st.integers(2, 3), st.sampled_from((None, "type")))
    @searching(50)
    def test_they_equal_the_reference(self, catalogue, duties, threshold, within):
        rule = Conflicting(
            "R",
            "",
            "",
            threshold=min(threshold, len(duties)),
            within=within,
            duties=tuple(
                Duty(f"d{number}", tuple(Permission(action, parse_pattern(pattern)) for action, pattern in duty))
                for number, duty in enumerate(duties)
            ),
        )
        facts = facts_of(catalogue)
        index, found = facts.index, find_conflicts(facts, [rule])
        shown = {index.holders.identities[it.identity]: {duty.name for duty in it.duties} for it in found}
        self.assertEqual(shown, expected(Reference(catalogue), duties, rule.threshold, within))
        for conflict in found:
            for duty in conflict.duties:
                self.assertTrue(chains_of(Places(facts), conflict, duty))

    @given(catalogues(), DUTIES, st.sampled_from((None, "type")))
    @searching(15)
    def test_several_threads_find_what_one_does(self, catalogue, duties, within):
        rules = [
            Conflicting(
                f"R{at}",
                "",
                "",
                within=within,
                duties=tuple(
                    Duty(f"d{number}", tuple(Permission(action, parse_pattern(pattern)) for action, pattern in duty))
                    for number, duty in enumerate(duties[at:] + duties[:at])
                ),
            )
            for at in range(len(duties))
        ]
        alone = [(it.identities.tolist(), it.held) for it in who_breaks(facts_of(catalogue), rules)]
        with mock.patch("kathodos.findings.conflicts._LARGE", 0):
            together = [(it.identities.tolist(), it.held) for it in who_breaks(facts_of(catalogue), rules)]
        self.assertEqual(alone, together)

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
            (found,) = find_conflicts(facts_of({**OFFICE, "activity": activity}), rules.conflicts)
            self.assertEqual((found.state, found.records), (state, records))
            self.assertEqual(sorted(use.day for use in found.uses), days)

    def test_a_duty_of_which_all_permissions_are_needed(self):
        both = 'any = ["edit dues:/tariffs/**"]\nall = ["view dues:/waivers/**", "approve dues:/waivers/2025"]'
        text = OFFICE_RULES.replace('any = ["edit dues:/tariffs/**"]', both).replace('within = "site"', "")
        (found,) = find_conflicts(facts_of(OFFICE), rules_of(text).conflicts)
        self.assertEqual([duty.name for duty in found.duties], ["set", "waive"])
        gone = text.replace("approve dues:/waivers/2025", "edit dues:/waivers/2025")
        self.assertEqual(find_conflicts(facts_of(OFFICE), rules_of(gone).conflicts), [])

    def test_who_is_excepted_is_not_in_conflict(self):
        for who, count in (('id eq "ann"', 0), ('id eq "bo"', 1), ('title eq "clerk"', 0)):
            text = OFFICE_RULES.replace("within =", f"except = '{who}'\nwithin =")
            self.assertEqual(len(find_conflicts(facts_of(OFFICE), rules_of(text).conflicts)), count)

    def test_latent_is_what_a_mandate_would_give(self):
        catalogue = {
            **OFFICE,
            "mandates": [{"holder": "identity:bo", "roles": "dues/*"}, {"holder": "identity:head", "roles": "dues/x*"}],
        }
        facts, rules = facts_of(catalogue), rules_of(OFFICE_RULES).conflicts
        found = find_conflicts(facts, rules)
        climbing = climbers(facts)
        self.assertEqual([facts.index.holders.references[it] for it in climbing[0].askers], ["identity:bo"])
        latent = list(latent_conflicts(facts, rules, found, climbing))
        self.assertEqual([it.name(facts.index) for it in latent], ["D-1/bo"])
        excepted = rules_of(OFFICE_RULES.replace("within =", "except = 'id eq \"bo\"'\nwithin =")).conflicts
        self.assertEqual(list(latent_conflicts(facts, excepted, [], climbing)), [])


class Roles(unittest.TestCase):
    @given(catalogues(gates=(None,)), DUTIES, st.sampled_from((None, "type")))
    @searching(25)
    def test_a_role_is_at_fault_where_one_who_has_nothing_else_is_in_conflict(self, catalogue, duties, within):
        rule = Conflicting(
            "R",
            "",
            "",
            within=within,
            duties=tuple(
                Duty(f"d{at}", tuple(Permission(action, parse_pattern(pattern)) for action, pattern in duty))
                for at, duty in enumerate(duties)
            ),
        )
        faults = roles_at_fault(facts_of(catalogue), [rule])
        alone = set()
        for role in catalogue["roles"]:
            name = f"role:s/{role['role']}"
            only = {**catalogue, "identities": [{"id": "new"}], "accounts": [], "groups": [], "members": []}
            only["grants"] = [{"grant": "g", "holder": "identity:new", "gives": name}]
            if role.get("active", 1) and find_conflicts(facts_of(only), [rule]):
                alone.add(name)
        found = {f"role:{facts_of(catalogue).index.roles[it.role]}" for it in faults}
        self.assertLessEqual(found, alone)
        self.assertEqual(bool(found), bool(alone))

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
        facts, rules = facts_of(catalogue), rules_of(OFFICE_RULES).conflicts
        (fault,) = roles_at_fault(facts, rules)
        self.assertEqual(facts.index.roles[fault.role], "dues/both")
        found = {it.name(facts.index): it.roles for it in marked(facts, find_conflicts(facts, rules), [fault])}
        self.assertEqual(found, {"D-1/ann": (), "D-1/bo": ("role:dues/both",)})


if __name__ == "__main__":
    unittest.main()
