"""Conflicts equal what the plain reference says about each side, and evidence says what it should."""

import unittest
from datetime import datetime

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kathodos.access.chains import explain
from kathodos.access.index import compile_index
from kathodos.catalogue.addresses import parse_pattern
from kathodos.catalogue.moments import microseconds
from kathodos.findings.conflicts import chains_of, find_conflicts
from kathodos.findings.rules import Conflicting, Duty, Permission, read_rules
from tests.reference import Reference
from tests.support import NOW, OFFICE, OFFICE_RULES, catalogues, state_of

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
    @settings(max_examples=150, deadline=None, suppress_health_check=list(HealthCheck))
    def test_they_equal_the_reference(self, catalogue, duties, threshold, within):
        rule = Conflicting(
            "R",
            "",
            "",
            "high",
            min(threshold, len(duties)),
            within,
            tuple(
                Duty(f"d{number}", tuple(Permission(action, parse_pattern(pattern)) for action, pattern in duty))
                for number, duty in enumerate(duties)
            ),
        )
        state = state_of(catalogue)
        index = compile_index(state)
        found = find_conflicts(index, [rule], state["resources"], state["activity"], microseconds(AT))
        shown = {index.holders.identities[it.identity]: {duty.name for duty in it.duties} for it in found}
        self.assertEqual(shown, expected(Reference(catalogue), duties, rule.threshold, within))
        for conflict in found:
            for duty in conflict.duties:
                self.assertTrue(chains_of(index, state["resources"], conflict, duty, microseconds(AT)))

    def test_states(self):
        rules = read_rules([("r.toml", __import__("tomllib").loads(OFFICE_RULES), OFFICE_RULES)])
        for activity, state, records in (
            ([], "held", ()),
            (OFFICE["activity"][:1], "held", ()),
            ([{**row, "record": str(at)} for at, row in enumerate(OFFICE["activity"])], "exercised", ()),
            (OFFICE["activity"], "exercised on the same record", ("7",)),
        ):
            catalogue = state_of({**OFFICE, "activity": activity})
            found = find_conflicts(
                compile_index(catalogue),
                rules.conflicts,
                catalogue["resources"],
                catalogue["activity"],
                microseconds(AT),
            )
            self.assertEqual([(it.state, it.records) for it in found], [(state, records)])


class Explaining(unittest.TestCase):
    @given(catalogues())
    @settings(max_examples=120, deadline=None, suppress_health_check=list(HealthCheck))
    def test_every_yes_has_a_chain_and_every_no_a_reason_and_both_agree_with_the_reference(self, catalogue):
        index, reference = compile_index(state_of(catalogue)), Reference(catalogue)
        for asker in index.holders.askers.tolist():
            for node in range(0, len(index.tree), 2):
                path = tuple(part for part in index.tree.addresses[node].replace(":/", "/").split("/") if part)
                for action in index.system_of(node).actions.tolist():
                    found = explain(index, asker, node, action, microseconds(AT))
                    name = index.holders.references[asker]
                    self.assertEqual(found.is_reached, reference.reaches(name, index.actions[action][1], path, AT))
                    self.assertTrue(found.permits if found.is_reached else found.obstacles)
                    for chain in found.permits:
                        self.assert_is_real(catalogue, reference, name, chain)

    def assert_is_real(self, catalogue, reference, name, chain):
        """Each step of the chain is a record of the catalogue."""
        self.assertEqual(chain.holders[0], name)
        self.assertLessEqual(set(chain.holders), reference.principals(name, AT) | {name})
        for inner, outer in zip(chain.holders, chain.holders[1:], strict=False):
            if outer.startswith("group:"):
                group = outer.partition("/")[2]
                listed = any(row["group"] == group and row["member"] == inner for row in catalogue["members"])
                filtered = any(row["group"] == group and row["filter"] for row in catalogue["groups"])
                self.assertTrue(listed or filtered, chain)
        grant = next(row for row in catalogue["grants"] if row["grant"] == chain.grant)
        self.assertEqual(grant["holder"], chain.holders[-1])
        for senior, junior in zip(chain.roles, chain.roles[1:], strict=False):
            role = senior.partition("/")[2]
            self.assertTrue(any(row["role"] == role and row["junior"] == junior for row in catalogue["role_juniors"]))


if __name__ == "__main__":
    unittest.main()
