"""Two things beside each other, held to what the plain reading of reach says of each."""

import itertools
import unittest
from datetime import datetime

from hypothesis import given

from kathodos.analysis.side_by_side import Side, of_askers, of_groups, of_resources, of_roles
from tests.reference import Reference, split
from tests.support import NOW, basis_of, catalogues, searching

AT = datetime.fromisoformat(NOW)


def sides(lines):
    return {line.what: line.side for line in lines}


def expected_sides(first, second):
    both = dict.fromkeys(first & second, Side.BOTH)
    return both | dict.fromkeys(first - second, Side.FIRST) | dict.fromkeys(second - first, Side.SECOND)


class SideBySide(unittest.TestCase):
    @given(catalogues())
    @searching(40)
    def test_who_reaches_two_resources_and_who_is_in_two_groups(self, catalogue):
        basis, reference = basis_of(catalogue), Reference(catalogue)
        index, moment = basis.index, basis.moment
        reached = {}
        for asker, _, address in reference.everything(AT):
            reached.setdefault(split(address), set()).add(asker)
        addresses = list(index.tree.addresses)
        for first, second in zip(range(len(addresses)), range(1, len(addresses)), strict=False):
            found = list(of_resources(index, first, second, moment))
            one, other = (reached.get(split(addresses[at]), set()) for at in (first, second))
            self.assertEqual(sides(found), expected_sides(one, other))
            for line in found:
                self.assertEqual((bool(line.first), bool(line.second)), (line.what in one, line.what in other))
        groups = [name for name in index.holders.references if name.startswith("group:")]
        for first, second in itertools.pairwise(groups):
            found = sides(of_groups(index, index.holders.find(first), index.holders.find(second), moment))
            members = [
                {asker for asker in reference.askers() if group in reference.principals(asker, AT)}
                for group in (first, second)
            ]
            self.assertEqual(found, expected_sides(*members))

    @given(catalogues())
    @searching(40)
    def test_what_two_people_reach_adds_up_to_what_each_reaches(self, catalogue):
        basis, reference = basis_of(catalogue), Reference(catalogue)
        index = basis.index
        reached = {}
        for asker, action, address in reference.everything(AT):
            reached.setdefault(asker, set()).add((action, address))
        people = [name for name in index.holders.references if name.startswith("identity:")]
        for first, second in itertools.pairwise(people):
            one, other = reached.get(first, set()), reached.get(second, set())
            wanted = {Side.FIRST: one - other, Side.SECOND: other - one, Side.BOTH: one & other}
            found = list(of_askers(index, index.holders.find(first), index.holders.find(second), basis.moment))
            self.assertEqual({it.side for it in found}, {side for side, pairs in wanted.items() if pairs})
            for line in found:
                actions, address = line.what.partition(" and ")[0].rsplit(" ", 1)
                pairs = {(action, address) for action in actions.split(", ")}
                self.assertLessEqual(pairs, wanted[line.side], line)
                self.assertEqual(bool(line.first), line.side != Side.SECOND, line)
                self.assertEqual(bool(line.second), line.side != Side.FIRST, line)
            for side, pairs in wanted.items():
                told = 0
                for line in found:
                    top, _, below = line.what.partition(" and ")
                    told += (line.side == side) * len(top.split(", ")) * (1 + int(below.split()[0] if below else 0))
                self.assertEqual(told, len(pairs), side)

    @given(catalogues())
    @searching(20)
    def test_what_two_roles_give(self, catalogue):
        index = basis_of(catalogue).index
        for first in range(len(index.roles)):
            (mine, own) = (list(of_roles(index, first, first)), index.role_is_active[first])
            self.assertTrue(all(line.side == Side.BOTH for line in mine))
            self.assertTrue(own or not any("itself" in line.first for line in mine))


if __name__ == "__main__":
    unittest.main()
