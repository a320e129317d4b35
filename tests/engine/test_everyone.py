"""Everyone's everything, counted and streamed, is what the plain reference says."""

import collections
import unittest
import unittest.mock
from datetime import datetime

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.columns.csr import csr_from_lists
from kathodos.engine import everyone
from kathodos.model.times import microseconds
from tests.reference import Reference
from tests.support import NOW, catalogues, index_of, searching

AT = datetime.fromisoformat(NOW)
PATIENT = searching(40)


class CountingAndStreaming(unittest.TestCase):
    @given(catalogues(), st.sampled_from((None, None, "view", "edit", "nothing")), st.integers(1, 40))
    @PATIENT
    def test_equal_the_reference(self, catalogue, action, block):
        index, at = index_of(catalogue), microseconds(AT)
        expected = [it for it in Reference(catalogue).everything(AT) if action in (None, it[1])]
        pairs = collections.Counter(who for who, _, _ in expected)
        resources = collections.Counter(who for who, _ in {(who, on) for who, _, on in expected})
        names = [index.holders.references[asker] for asker in index.holders.askers.tolist()]
        with unittest.mock.patch.multiple(thresholds, SORTED_TOGETHER=block, STREAMED=block):
            counts = everyone.count_everything(index, at, action)
            streamed = list(everyone.stream_pairs(index, at, action))
        self.assertEqual(counts.pairs.tolist(), [pairs[name] for name in names])
        self.assertEqual(counts.resources.tolist(), [resources[name] for name in names])
        self.assertEqual(everyone.count_pairs(index, at, action)[1].tolist(), counts.pairs.tolist())
        told = [
            (index.holders.references[asker], index.actions[number][1], index.tree.addresses[node])
            for part in streamed
            for asker, number, node in zip(*(column.tolist() for column in part), strict=True)
        ]
        self.assertEqual(sorted(told), sorted(expected))


class TheSameParts(unittest.TestCase):
    def test_lists_with_the_same_checksum_are_still_told_apart(self):
        lists = csr_from_lists([[1, 2], [1, 2], [3], [], []])
        alike, chosen = everyone.alike(lists)
        self.assertEqual(alike[0], alike[1])
        self.assertEqual(alike[3], alike[4])
        self.assertEqual(len(chosen), 3)
        with unittest.mock.patch.object(np, "unique", lambda mark, **_: (mark[:1], np.zeros(1, int), np.zeros(5, int))):
            alike, chosen = everyone.alike(lists)
        self.assertEqual([lists[at].tolist() for at in chosen[alike].tolist()], [[1, 2], [1, 2], [3], [], []])


if __name__ == "__main__":
    unittest.main()
