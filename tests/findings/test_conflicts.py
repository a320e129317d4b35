"""Conflicts equal what the plain reference says about each side, and evidence says what it should."""

import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.access.compiling import compile_index
from kathodos.catalogue.addresses import parse_pattern
from kathodos.catalogue.moments import microseconds
from kathodos.catalogue.records import InMemory
from kathodos.findings.conflicts import chains_of, find_conflicts
from kathodos.findings.rules import Conflicting, Duty, Permission, read_rules
from tests.reference import Reference
from tests.support import NOW, OFFICE, OFFICE_RULES, catalogues, searching, state_of

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
    @searching(70)
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
        index = compile_index(InMemory(state))
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
                compile_index(InMemory(catalogue)),
                rules.conflicts,
                catalogue["resources"],
                catalogue["activity"],
                microseconds(AT),
            )
            self.assertEqual([(it.state, it.records) for it in found], [(state, records)])


if __name__ == "__main__":
    unittest.main()
