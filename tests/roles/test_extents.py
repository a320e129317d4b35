"""What a role gives by itself is what who has nothing but the role reaches."""

import unittest

import numpy as np
from hypothesis import given as drawn

from kathodos.analysis.role_table import RoleTable
from kathodos.engine.everyone import triples
from kathodos.roles.extents import Extents, given
from tests.support import basis_of, catalogues, naming_actions, searching


class ByItself(unittest.TestCase):
    @drawn(catalogues(paths=("deny-overrides", "permit-overrides"), gates=(None,)))
    @searching(60)
    def test_a_role_gives_what_its_only_holder_reaches(self, catalogue):
        catalogue = naming_actions(catalogue)
        table = RoleTable(basis_of(catalogue).records)
        for key in table.keys:
            alone = {"grant": "only", "holder": "identity:p1", "gives": key.reference, "effect": "permit", "tier": 0}
            person = {"id": "p1", "status": "active"}
            only = {**catalogue, "identities": [person], "accounts": [], "members": [], "grants": [alone]}
            basis = basis_of(only)
            reached = {(action, where) for _, action, where in triples(basis.index, "identity:p1", basis.moment)}
            entries = sorted(RoleTable(basis.records).given_by(key))
            extents, found = Extents(basis.index, (it.resource for it in entries)), set()
            for system in basis.index.systems_in_order:
                may = given(basis.index, system, entries, extents)
                for action, node in zip(*np.nonzero(may), strict=True):
                    name = basis.index.actions[system.actions[action]][1]
                    found.add((name, basis.index.tree.addresses[system.root + node]))
            self.assertEqual(found, reached, key)


if __name__ == "__main__":
    unittest.main()
