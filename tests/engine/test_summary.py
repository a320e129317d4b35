"""Counts are those of what is reached, cell by cell."""

import unittest
from datetime import datetime

from hypothesis import given

from kathodos.engine.summary import extent_of, routes_to
from kathodos.model.times import microseconds
from tests.reference import Reference, split
from tests.support import NOW, catalogues, index_of, searching

AT = datetime.fromisoformat(NOW)
PATIENT = searching(40)


class Counting(unittest.TestCase):
    @given(catalogues())
    @PATIENT
    def test_how_much_one_reaches(self, catalogue):
        index, reference = index_of(catalogue), Reference(catalogue)
        everything = reference.everything(AT)
        kinds = {(row["system"], row["action"]): row["kind"] for row in catalogue["actions"]}
        for asker in index.holders.askers.tolist():
            name = index.holders.references[asker]
            expected = {}
            for system in reference.systems:
                nodes = {node for node in reference.nodes if node[0] == system}
                actions = reference.actions(system)
                pairs = {(do, split(on)) for who, do, on in everything if who == name and split(on)[0] == system}
                for kind in {kinds.get((system, action)) for action in actions}:
                    those = {action for action in actions if kinds.get((system, action)) == kind}
                    mine = {pair for pair in pairs if pair[0] in those}
                    if mine:
                        done, on = {do for do, _ in mine}, {node for _, node in mine}
                        is_all = len(pairs) == len(actions) * len(nodes)
                        counts = (len(done), len(those), len(on), len(nodes))
                        expected[system, kind] = (*counts, is_all)
            found = {
                (it.system, it.kind): (
                    it.actions, it.of_actions, it.resources, it.of_resources, it.is_everything
                )
                for it in extent_of(index, asker, microseconds(AT))
            }  # fmt: skip
            self.assertEqual(found, expected)

    @given(catalogues())
    @PATIENT
    def test_by_which_ways_a_resource_is_reached(self, catalogue):
        index, reference = index_of(catalogue), Reference(catalogue)
        for node, address in enumerate(index.tree.addresses):
            (people, accounts), paths = routes_to(index, node, None, microseconds(AT))
            actions = reference.actions(split(address)[0])
            reaching = [
                who
                for who in reference.askers()
                if any(reference.reaches(who, action, split(address), AT) for action in actions)
            ]
            total = len(reaching)
            self.assertEqual((people, people + accounts), (sum(who.startswith("identity:") for who in reaching), total))
            self.assertLessEqual(max(paths.values(), default=0), total)
            self.assertGreaterEqual(sum(paths.values()), total)

    def test_the_ways_have_names(self):
        catalogue = {
            "systems": [{"system": "s"}],
            "identities": [{"id": name} for name in ("p", "q", "r")],
            "groups": [{"system": "s", "group": "g"}],
            "members": [{"system": "s", "group": "g", "member": f"identity:{name}"} for name in ("p", "q")],
            "roles": [{"system": "s", "role": "x"}],
            "role_permissions": [{"system": "s", "role": "x", "action": "view", "resource": "s:/a"}],
            "resources": [{"resource": "s:/a"}],
            "grants": [
                {"grant": "1", "holder": "identity:p", "gives": "view s:/a"},
                {"grant": "2", "holder": "identity:q", "gives": "role:s/x"},
                {"grant": "3", "holder": "group:s/g", "gives": "view s:/a"},
                {"grant": "4", "holder": "everyone", "gives": "view s:/a"},
            ],
        }
        index = index_of(catalogue)
        expected = {"directly, by a permission": 1, "directly, by a role": 1, "through a group": 2, "as everyone": 3}
        self.assertEqual(routes_to(index, 1, "view", 0), ((3, 0), expected))


if __name__ == "__main__":
    unittest.main()
