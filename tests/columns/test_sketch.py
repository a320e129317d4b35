"""What sketches say of sets is never less than what is true of them."""

import doctest
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns import sketch
from kathodos.columns.csr import ints
from kathodos.columns.sketch import sketched
from tests.support import searching

SIZE = 5000
INTERVAL = st.tuples(st.integers(0, 3), st.integers(0, SIZE - 1), st.integers(1, 40))


class Sketches(unittest.TestCase):
    @given(st.lists(INTERVAL, max_size=8), st.lists(INTERVAL, max_size=8))
    @searching(200)
    def test_sets_that_have_anything_in_common_meet(self, one, other):
        sets, sketches = zip(*map(made, (one, other)), strict=True)
        for own, mine in enumerate(sets[0]):
            for another, its in enumerate(sets[1]):
                met = bool(sketches[0].meets(ints([own]), sketches[1], ints([another]))[0])
                self.assertTrue(met or not mine & its)
            there = ints(sorted(mine))
            self.assertTrue(sketches[0].may_hold(np.full(len(there), own), there).all())

    def test_most_of_what_is_apart_is_seen_to_be(self):
        own = sketched(np.arange(100), np.arange(100) * 50, np.arange(100) * 50 + 10, 100, SIZE)
        pairs = [(one, other) for one in range(100) for other in range(100)]
        one, other = (ints(column) for column in zip(*pairs, strict=True))
        met = own.meets(one, own, other)
        self.assertTrue(met[one == other].all())
        self.assertLess(met[one != other].mean(), 0.1)
        self.assertLess(own.may_hold(one, other * 50)[one != other].mean(), 0.1)

    def test_its_examples(self):
        self.assertEqual(doctest.testmod(sketch).failed, 0)


def made(intervals):
    """Four sets, and their sketch."""
    sets = [set() for _ in range(4)]
    for whose, first, length in intervals:
        sets[whose].update(range(first, min(first + length, SIZE)))
    columns = [ints(it) for it in zip(*intervals, strict=True)] or [ints([])] * 3
    whose, first, end = columns[0], columns[1], np.minimum(columns[1] + columns[2], SIZE)
    return sets, sketched(whose, first, end, 4, SIZE)
