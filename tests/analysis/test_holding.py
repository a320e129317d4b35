"""How many of each peer group hold a thing, or something with a part, as asking each person for each thing says."""

import unittest
from datetime import datetime

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.analysis.holding import Holding, Things
from kathodos.columns.csr import csr_from_pairs
from tests.reference import Reference
from tests.support import NOW, basis_of, catalogues, searching

AT = datetime.fromisoformat(NOW)


class Counting(unittest.TestCase):
    @given(catalogues(), st.lists(st.integers(-1, 1), min_size=9, max_size=9), st.data())
    @searching(60)
    def test_everybody_is_counted_once_for_all_that_they_hold(self, catalogue, grouped, data):
        basis, reference = basis_of(catalogue), Reference(catalogue)
        index, people = basis.index, basis.people
        groups, peers = len(index.holders.groups), np.array(grouped[:people], dtype=np.int64)
        of_grant = index.grants.entitlement.astype(np.int64) + groups
        counts = basis.live & ~index.grants.denies
        total = groups + len(index.entitlements)
        pairs = data.draw(st.sets(st.tuples(st.integers(0, total - 1), st.integers(0, 3)), max_size=8))
        rows, items = np.array(sorted(pairs), dtype=np.int64).reshape(-1, 2).T
        parts = csr_from_pairs(rows, items, total)
        held = []
        for name in [index.holders.references[at] for at in range(people)]:
            who = reference.principals(name, AT)
            things = {at for at in range(groups) if index.holders.references[index.holders.first_group + at] in who}
            of_grants = zip(index.grants.holder.tolist(), of_grant.tolist(), counts.tolist(), strict=True)
            things |= {it for holder, it, live in of_grants if live and index.holders.references[holder] in who}
            held.append(things)
        holding = Holding(Things(index, basis.moment, of_grant, counts, total), peers)
        asked = [(group, thing) for group in (-1, 0, 1) for thing in range(total)]
        found = holding.counted(*np.array(asked, dtype=np.int64).T)
        by_thing = [sum(at == group >= 0 and thing in it for at, it in zip(grouped, held)) for group, thing in asked]  # noqa: B905
        self.assertEqual(found.of_pair.tolist(), by_thing)
        asked = [(group, part) for group in (-1, 0, 1) for part in range(4)]
        of_part = [{part for thing, part in pairs if thing in it} for it in held]
        by_part = [sum(at == group >= 0 and part in it for at, it in zip(grouped, of_part)) for group, part in asked]  # noqa: B905
        self.assertEqual(holding.counted_by_part(*np.array(asked, dtype=np.int64).T, parts, 4).tolist(), by_part)


if __name__ == "__main__":
    unittest.main()
