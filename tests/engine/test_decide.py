"""The engine equals the plain reference on catalogues of every feature, whichever way it is asked."""

import unittest
from datetime import datetime
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.columns.csr import closures, csr_from_lists, spread
from kathodos.engine import everyone, reach
from kathodos.engine.decide import principals_of
from kathodos.engine.explain import explain
from kathodos.engine.redundant import redundant_grants
from kathodos.model.times import microseconds
from tests.reference import Reference, split
from tests.support import NOW, catalogues, index_of, searching

AT = datetime.fromisoformat(NOW)
PATIENT = searching(120)


def everything(index, moment):
    return {
        (index.holders.references[asker], index.actions[found.system.actions[action]][1], index.tree.addresses[node])
        for askers, reached in everyone.everything(index, moment)
        for found in reached
        for action, node in zip(*(found.may.nonzero()), strict=True)
        for node in [node + found.system.root]
        for asker in askers
    }


class TheEngineEqualsTheReference(unittest.TestCase):
    @given(catalogues(), st.booleans())
    @PATIENT
    def test_for_everyones_everything(self, catalogue, as_of_few):
        index = index_of(catalogue)
        with mock.patch.object(thresholds, "TIMES_AS_MANY", 0 if as_of_few else 1e9):
            self.assertEqual(everything(index, microseconds(AT)), Reference(catalogue).everything(AT))

    @given(catalogues(scopes=("area:x", "area:y"), paths=("nearest",)))
    @searching(50)
    def test_for_areas_where_the_nearest_decides(self, catalogue):
        index = index_of(catalogue)
        self.assertEqual(everything(index, microseconds(AT)), Reference(catalogue).everything(AT))

    @given(catalogues())
    @searching(50)
    def test_for_who_reaches_one_resource(self, catalogue):
        index, reference = index_of(catalogue), Reference(catalogue)
        askers = [index.holders.references[asker] for asker in index.holders.askers]
        for node, address in enumerate(index.tree.addresses):
            for action in index.system_of(node).actions.tolist():
                found = reach.who_reaches(index, node, action, microseconds(AT))[index.holders.askers]
                path = split(address)
                expected = [reference.reaches(asker, index.actions[action][1], path, AT) for asker in askers]
                self.assertEqual(found.tolist(), expected, (address, index.actions[action]))

    @given(catalogues(), st.integers(1, 3), st.booleans())
    @searching(80)
    def test_for_who_reaches_any_of_several_resources(self, catalogue, step, as_of_few):
        index, at = index_of(catalogue), microseconds(AT)
        with mock.patch.object(thresholds, "ONE_IN_SCOPED", 1e-9 if as_of_few else 1e9):
            for system in index.systems.values():
                nodes = np.arange(system.root, system.end, step)
                for action in system.actions.tolist():
                    expected = np.any([reach.who_reaches(index, node, action, at) for node in nodes.tolist()], axis=0)
                    found = reach.who_reaches_any(index, nodes, action, at)
                    self.assertEqual(found.tolist(), expected.tolist(), (index.actions[action], nodes))

    @given(catalogues(), st.integers(1, 3))
    @searching(20)
    def test_for_who_reaches_something(self, catalogue, step):
        index, at = index_of(catalogue), microseconds(AT)
        for system in index.systems.values():
            nodes = np.arange(system.root, system.end, step)
            asked = [(node, action) for node in nodes.tolist() for action in system.actions.tolist()]
            if asked:
                expected = np.any([reach.who_reaches(index, node, action, at) for node, action in asked], axis=0)
                self.assertEqual(reach.who_reaches_something(index, nodes, at).tolist(), expected.tolist())


class HoldersBehind(unittest.TestCase):
    @given(catalogues(), st.data())
    @searching(60)
    def test_they_are_those_among_the_principals_of_each(self, catalogue, data):
        index, moment = index_of(catalogue), microseconds(datetime.fromisoformat(NOW))
        holding = index.holder_grants.sizes().nonzero()[0].tolist()
        wanted = data.draw(st.sets(st.sampled_from(holding))) if holding else set()
        askers = index.holders.askers.astype(np.int64)
        found = reach.holders_behind(index, askers, np.array(sorted(wanted), dtype=np.int64), moment)
        expected = [
            (at, it)
            for at, asker in enumerate(askers.tolist())
            for it in sorted({*principals_of(index, asker, moment).tolist()} & wanted)
        ]
        self.assertEqual(sorted({*zip(*(it.tolist() for it in found), strict=True)}), expected)


class Closures(unittest.TestCase):
    @given(st.lists(st.tuples(st.integers(0, 7), st.integers(0, 7)), max_size=20), st.integers(0, 3))
    @searching(80)
    def test_they_are_what_can_be_reached_from_each(self, pairs, first):
        inside = sorted({(a + first, b + first) for a, b in pairs})
        edges = csr_from_lists(
            [[], *[[]] * 7][:first] + [[b for a, b in inside if a == at] for at in range(first, first + 8)]
        )
        kept = np.arange(first + 8) % 3 != 1
        found = closures(edges, first, kept)
        for at in range(8):
            expected = (spread(edges, np.array([at + first])) & kept).nonzero()[0].tolist()
            self.assertEqual(found[at].tolist(), expected)
        self.assertIsNone(closures(edges, first, kept, len(found.items) - 1) if len(found.items) else None)


class OrderOfTheTree(unittest.TestCase):
    def test_ancestors_that_no_source_lists_exist(self):
        index = index_of({"systems": [{"system": "s"}], "resources": [{"resource": "s:/a/b/c"}]})
        self.assertEqual(list(index.tree.addresses), ["s:/", "s:/a", "s:/a/b", "s:/a/b/c"])

    def test_nesting_ten_thousand_deep_does_not_recurse(self):
        depth, last = 10_000, 9_999
        members = [{"system": "s", "group": f"g{at + 1}", "member": f"group:s/g{at}"} for at in range(last)]
        catalogue = {
            "systems": [{"system": "s"}],
            "identities": [{"id": "p"}],
            "groups": [{"system": "s", "group": f"g{at}"} for at in range(depth)],
            "members": [*members, {"system": "s", "group": "g0", "member": "identity:p"}],
            "roles": [{"system": "s", "role": f"r{at}"} for at in range(depth)],
            "role_juniors": [{"system": "s", "role": f"r{at}", "junior": f"role:s/r{at + 1}"} for at in range(last)],
            "role_permissions": [{"system": "s", "role": f"r{last}", "action": "view", "resource": "s:/**"}],
            "resources": [{"resource": "s:/" + "/".join(["d"] * 500)}],
            "grants": [{"grant": "g", "holder": f"group:s/g{last}", "gives": "role:s/r0"}],
        }
        index = index_of(catalogue)
        self.assertEqual(len(everything(index, microseconds(AT))), 501)
        found = explain(index, 0, len(index.tree) - 1, index.action_number["s", "view"], microseconds(AT)).permits
        self.assertEqual((found.total, found.is_exact), (1, True))
        self.assertEqual((len(found.shown[0].holders), len(found.shown[0].roles)), (depth + 1, depth))
        self.assertEqual(len(redundant_grants(index, microseconds(AT)).grants), 0)


if __name__ == "__main__":
    unittest.main()
