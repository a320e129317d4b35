"""Fences and needs equal the plain reference; machines are measured against their needs."""

import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.findings.fences import crossings, idle_rules, lacks, surpluses
from tests.reference import Reference, instant, matches, split
from tests.support import NOW, OFFICE, basis_of, catalogues, rules_of, searching

AT = datetime.fromisoformat(NOW)
PATTERNS = st.sampled_from(("s:/a", "s:/a/**", "s:/*", "s:/**/b", "t:/b"))
ACTIONS = st.sampled_from(("view", "edit", "*"))
RULES = """
topic = "T"
[[fence]]
id = "F"
who = 'department eq "dock"'
except = 'id eq "p3"'
never = ["{action} {pattern}"]
[[need]]
id = "N"
who = 'department pr'
must = ["{action} {pattern}"]
"""


class Against(unittest.TestCase):
    @given(catalogues(), ACTIONS, PATTERNS)
    @searching(25)
    def test_the_reference(self, catalogue, action, pattern):
        basis, reference = basis_of(catalogue), Reference(catalogue)
        rules = rules_of(RULES.format(action=action, pattern=pattern))
        people = {row["id"]: row for row in catalogue["identities"]}

        def cells(is_reached, nodes):
            for name in people:
                for node in nodes:
                    for one in reference.actions(node[0]) if action == "*" else {action} & reference.actions(node[0]):
                        if reference.reaches(f"identity:{name}", one, node, AT) == is_reached:
                            yield name, one, f"{node[0]}:/{'/'.join(node[1:])}"

        def told(found):
            address, names = basis.index.tree.addresses, basis.index.holders.identities
            return {
                (names[it.identity], basis.index.actions[it.action][1], address[node])
                for it in found
                for node in it.nodes.tolist()
            }

        below = [node for node in reference.nodes if reference.targets_reaching(pattern, node)]
        docked = {name for name, row in people.items() if row["department"] == "Dock" and name != "p3"}
        expected = {cell for cell in cells(True, below) if cell[0] in docked}
        found = told(crossings(basis, rules.fences))
        self.assertLessEqual(found, expected)
        self.assertEqual({cell[0] for cell in found}, {cell[0] for cell in expected})
        path = split(pattern.removesuffix("/**"))
        named = [node for node in reference.nodes if node[0] == path[0] and matches(path[1:], node[1:])]
        there = {
            name
            for name, row in people.items()
            if row["department"] and f"identity:{name}" in reference.principals(f"identity:{name}", AT)
        }
        lacking = {cell for cell in cells(False, named) if cell[0] in there}
        self.assertEqual(told(lacks(basis, rules.needs)), lacking)


class Machines(unittest.TestCase):
    def test_surplus_is_what_no_need_asks_for_and_of_it_what_was_never_used(self):
        catalogue = {
            **OFFICE,
            "identities": [*OFFICE["identities"], {"id": "bot", "kind": "agent"}, {"id": "mute", "kind": "service"}],
            "grants": [
                {"grant": "b", "holder": "identity:bot", "gives": "edit dues:/tariffs"},
                {"grant": "m", "holder": "identity:mute", "gives": "view dues:/waivers/2025"},
                {"grant": "e", "holder": "everyone", "gives": "view dues:/waivers"},
            ],
            "activity": [
                {"time": "2026-05-01", "identity": "bot", "action": "edit", "resource": "dues:/tariffs/2026"},
            ],
        }
        needs = rules_of(
            'topic = "T"\n[[need]]\nid = "B"\nwho = \'id eq "bot"\'\nmust = ["view dues:/tariffs"]\n'
        ).needs
        basis = basis_of(catalogue)
        found = {basis.index.holders.identities[it.identity]: it for it in surpluses(basis, needs)}
        bot, mute = found["bot"], found["mute"]
        self.assertEqual((bot.pairs, bot.unused, bot.resources, bot.is_stated), (2, 1, 2, True))
        self.assertEqual([basis.index.actions[it][1] for it in bot.actions], ["edit"])
        self.assertEqual([basis.index.grants.ids[it] for it in bot.grants], ["b"])
        self.assertEqual((mute.pairs, mute.is_stated), (1, False), "what everyone has is not counted")

    @given(
        catalogues(),
        ACTIONS,
        PATTERNS,
        st.lists(st.tuples(ACTIONS, st.sampled_from(("s:/a", "s:/a/b", "t:/b"))), max_size=3),
    )
    @searching(25)
    def test_surplus_equals_the_reference(self, catalogue, action, pattern, used):
        kinds = {"p1": "agent", "p2": "service", "p3": "person"}
        uses = [
            {"time": "2026-06-01", "identity": "p1", "action": action, "resource": resource}
            for action, resource in used
        ]
        identities = [{**row, "kind": kinds[row["id"]]} for row in catalogue["identities"]]
        catalogue = {**catalogue, "identities": identities, "activity": uses}
        own = [row for row in catalogue["grants"] if row["holder"] != "everyone" or row["effect"] == "deny"]
        reference, alone = Reference(catalogue), Reference({**catalogue, "grants": own})
        alone.actions = reference.actions
        need = f'topic = "T"\n[[need]]\nid = "B"\nwho = \'id eq "p1"\'\nmust = ["{action} {pattern}"]\n'
        basis = basis_of(catalogue)
        told = {}
        for it in surpluses(basis, rules_of(need).needs):
            actions = {basis.index.actions[number][1] for number in it.actions.tolist()}
            name = basis.index.holders.identities[it.identity]
            told[name, it.system] = (it.pairs, it.unused, it.resources, actions, it.is_stated)
        expected = {}
        for name in ("p1", "p2"):
            for system in {node[0] for node in reference.nodes} if self.is_there(reference, name) else ():
                beyond = set()
                for node in (node for node in reference.nodes if node[0] == system):
                    needed = name == "p1" and reference.targets_reaching(pattern, node)
                    for one in reference.actions(system):
                        is_asked = needed and (action == "*" or reference.implies(system, action, one))
                        reached = (it.reaches(f"identity:{name}", one, node, AT) for it in (reference, alone))
                        if not is_asked and all(reached):
                            beyond.add((one, f"{node[0]}:/{'/'.join(node[1:])}"))
                unused = beyond - set(used) if name == "p1" else beyond
                if beyond:
                    resources, actions = {where for _, where in beyond}, {one for one, _ in beyond}
                    expected[name, system] = (len(beyond), len(unused), len(resources), actions, name == "p1")
        self.assertEqual(told, expected)

    def is_there(self, reference, name):
        row = reference.identities[name]
        return row.get("status") != "left" and instant(row.get("ends"), end=True) > AT

    def test_a_rule_that_nothing_answers_to_is_told(self):
        rules = rules_of(
            'topic = "T"\n[[fence]]\nid = "F"\nwho = "id pr"\nnever = ["view dues:/gone", "* dues:/tariffs"]'
        )
        basis = basis_of(OFFICE)
        self.assertEqual([str(permission) for _, permission in idle_rules(basis, rules.fences)], ["view dues:/gone"])


if __name__ == "__main__":
    unittest.main()
