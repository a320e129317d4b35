"""Numbers packed together come apart again, and sort, count and add up as they would by themselves."""

import doctest
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns import packed
from kathodos.columns.csr import csr_from_lists
from kathodos.columns.packed import CountsAndSums, PackedPairs, fingerprints
from tests.support import searching


class Packed(unittest.TestCase):
    @given(st.integers(1, 2**40), st.data())
    @searching(100)
    def test_pairs_come_apart_and_sort_as_pairs(self, limit, data):
        packing = PackedPairs.below(limit)
        most = min(packing.most_firsts, 2**61)
        number = st.tuples(st.integers(0, most - 1), st.integers(0, limit - 1))
        pairs = data.draw(st.lists(number, min_size=1, max_size=20))
        first, second = (np.array(column, dtype=np.int64) for column in zip(*pairs, strict=True))
        one = packing.pack(first, second)
        self.assertTrue((one >= 0).all())
        self.assertEqual([*zip(packing.firsts(one).tolist(), packing.seconds(one).tolist(), strict=True)], pairs)
        self.assertEqual([pairs[at] for at in np.argsort(one, kind="stable")], sorted(pairs))

    def test_the_least_pairs_part_the_firsts(self):
        packing = PackedPairs.below(10)
        packed_pairs = packing.pack(np.array([0, 0, 2, 2, 2]), np.array([0, 9, 0, 3, 9]))
        self.assertEqual(np.diff(np.searchsorted(packed_pairs, packing.starts(3))).tolist(), [2, 0, 3])

    @given(st.integers(1, 20), st.data())
    @searching(100)
    def test_counts_and_sums_of_what_is_open(self, bits, data):
        totals = CountsAndSums(bits)
        opened = data.draw(st.lists(st.integers(0, 2**bits - 1), min_size=1, max_size=min(2**bits, 20)))
        closed = opened[: data.draw(st.integers(0, len(opened)))]
        numbers, signs = np.array([*opened, *closed]), np.array([1] * len(opened) + [-1] * len(closed))
        counts, sums = totals.apart(np.cumsum(totals.steps(numbers, signs)))
        left = [opened[: at + 1] for at in range(len(opened))] + [opened[at + 1 :] for at in range(len(closed))]
        self.assertEqual(counts.tolist(), [len(it) for it in left])
        self.assertEqual(sums.tolist(), [sum(it) for it in left])

    @given(st.lists(st.lists(st.integers(0, 5), max_size=4).map(sorted), min_size=1, max_size=12))
    @searching(150)
    def test_lists_have_one_fingerprint_where_they_are_the_same(self, lists):
        found = fingerprints(csr_from_lists(lists)).tolist()
        for one, mine in zip(lists, found, strict=True):
            for other, its in zip(lists, found, strict=True):
                self.assertEqual(one == other, mine == its)

    def test_the_examples_of_the_documentation(self):
        self.assertEqual(doctest.testmod(packed).failed, 0)


if __name__ == "__main__":
    unittest.main()
