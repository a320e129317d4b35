"""Fences and needs equal the plain reference; machines are measured against their needs."""

import unittest
from datetime import datetime

from hypothesis import given
from hypothesis import strategies as st

from kathodos.findings.excess.batches import ExcessContext, findings
from kathodos.findings.excess.kinds import find_excess
from kathodos.findings.fences import crossed_by, crossings, given_to, idle_rules, lacks, surpluses, without_stated_need
from tests.findings.excess.test_excess_by_reference import live_permits
from tests.reference import Reference, instant, matches, split
from tests.support import NOW, OFFICE, basis_of, catalogues, naming_actions, rules_of, searching

AT = datetime.fromisoformat(NOW)
PATTERNS = st.sampled_from(("s:/a", "s:/a/**", "s:/*", "s:/**/b", "t:/b"))
ACTIONS = st.sampled_from(("view", "edit", "*"))
RULES = """
topic = "T"
[[fence]]
id = "F"
who = 'department eq "dock" or login eq "L2"'
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
            for name in reference.askers():
                for node in nodes:
                    for one in reference.actions(node[0]) if action == "*" else {action} & reference.actions(node[0]):
                        if reference.reaches(name, one, node, AT) == is_reached:
                            yield name, one, f"{node[0]}:/{'/'.join(node[1:])}"

        def told(found):
            address, names = basis.index.tree.addresses, basis.index.holders.references
            return {
                (names[it.asker], basis.index.actions[it.action][1], address[node])
                for it in found
                for node in it.nodes.tolist()
            }

        below = [node for node in reference.nodes if reference.targets_reaching(pattern, node)]
        docked = {f"identity:{name}" for name, row in people.items() if row["department"] == "Dock" and name != "p3"}
        docked |= {it for it in reference.askers() if it == "account:s/l2"}
        expected = {cell for cell in cells(True, below) if cell[0] in docked}
        crossing = crossings(basis, rules.fences)
        found = told(crossing)
        for asker in basis.index.holders.askers.tolist():
            crossed = {it.fence.id for it in crossing if it.asker == asker}
            self.assertEqual(crossed_by(basis, rules.fences, asker), crossed)
        self.assertLessEqual(found, expected)
        self.assertEqual({cell[0] for cell in found}, {cell[0] for cell in expected})
        path = split(pattern.removesuffix("/**"))
        named = [node for node in reference.nodes if node[0] == path[0] and matches(path[1:], node[1:])]
        there = {
            f"identity:{name}"
            for name, row in people.items()
            if row["department"] and f"identity:{name}" in reference.principals(f"identity:{name}", AT)
        }
        lacking = {cell for cell in cells(False, named) if cell[0] in there}
        self.assertEqual(told(lacks(basis, rules.needs)), lacking)

    @given(catalogues(), st.lists(st.tuples(ACTIONS, PATTERNS), min_size=1, max_size=3, unique=True))
    @searching(25)
    def test_whoever_reaches_none_of_those_of_which_one_is_enough_lacks_it(self, catalogue, some):
        catalogue = naming_actions(catalogue)
        basis, reference = basis_of(catalogue), Reference(catalogue)
        listed = ", ".join(f'"{action} {pattern}"' for action, pattern in some)
        rules = rules_of(f'topic = "T"\n[[need]]\nid = "N"\nwho = "id pr"\nany = [{listed}]\n')
        cells = [
            (one, node)
            for action, pattern in some
            for node in reference.nodes
            if reference.targets_reaching(pattern, node)
            for one in (reference.actions(node[0]) if action == "*" else {action} & reference.actions(node[0]))
        ]
        there = {it for it in reference.askers() if it.startswith("identity:") and it in reference.principals(it, AT)}
        lacking = (
            {it for it in there if not any(reference.reaches(it, *cell, AT) for cell in cells)} if cells else set()
        )
        found = lacks(basis, rules.needs)
        self.assertEqual({basis.index.holders.references[it.asker] for it in found}, lacking)
        self.assertEqual(len(found), len(lacking), "each lack is told once")


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
        bot = found.pop("bot")
        self.assertEqual((bot.pairs, bot.unused, bot.resources), (2, 1, 2))
        self.assertEqual([basis.index.actions[it][1] for it in bot.actions], ["edit"])
        self.assertEqual([basis.index.grants.ids[it] for it in bot.grants], ["b"])
        self.assertEqual(found, {}, "of whom no need speaks it is told once, whatever is held")
        unstated = without_stated_need(basis, needs)
        self.assertEqual([basis.index.holders.identities[it] for it in unstated], ["mute"])
        given = given_to(basis, int(unstated[0])).tolist()
        self.assertEqual([basis.index.grants.ids[it] for it in given], ["m"], "what everyone has is not counted")
        (batch,) = find_excess(ExcessContext(basis, needs), ["surplus"])
        self.assertEqual(sorted(it.subject for it in findings(batch)), ["identity:bot", "identity:mute"])

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
            told[name, it.system] = (it.pairs, it.unused, it.resources, actions)
        expected = {}
        for system in {node[0] for node in reference.nodes} if self.is_there(reference, "p1") else ():
            beyond = set()
            for node in (node for node in reference.nodes if node[0] == system):
                needed = reference.targets_reaching(pattern, node)
                for one in reference.actions(system):
                    is_asked = needed and (action == "*" or reference.implies(system, action, one))
                    reached = (it.reaches("identity:p1", one, node, AT) for it in (reference, alone))
                    if not is_asked and all(reached):
                        beyond.add((one, f"{node[0]}:/{'/'.join(node[1:])}"))
            if beyond:
                resources, actions = {where for _, where in beyond}, {one for one, _ in beyond}
                expected["p1", system] = (len(beyond), len(beyond - set(used)), len(resources), actions)
        self.assertEqual(told, expected)
        held = reference.principals("identity:p2", AT) - {"everyone"} if self.is_there(reference, "p2") else set()
        is_given = any(row["holder"] in held for row in live_permits(catalogue))
        unstated = without_stated_need(basis, rules_of(need).needs)
        self.assertEqual([basis.index.holders.identities[it] for it in unstated], ["p2"] if is_given else [])

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
