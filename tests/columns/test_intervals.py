"""Intervals put together, cut and asked hold the positions that sets of positions hold."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.csr import ints
from kathodos.columns.intervals import covered, holds, united, without
from tests.support import searching

_END = 30
LINES = st.lists(st.tuples(st.integers(0, _END), st.integers(0, _END)).map(sorted), max_size=8)


def _arrays(pairs):
    return ints(first for first, _ in pairs), ints(end for _, end in pairs)


def _positions(pairs):
    return {position for first, end in pairs for position in range(first, end)}


class Intervals(unittest.TestCase):
    def assert_apart(self, intervals, positions):
        """They hold exactly these positions, are in order, filled, and neither overlap nor touch."""
        first, end = intervals
        self.assertEqual(_positions(zip(first.tolist(), end.tolist(), strict=True)), positions)
        self.assertTrue((first < end).all())
        self.assertTrue((first[1:] > end[:-1]).all())

    @given(LINES)
    @searching(200)
    def test_put_together(self, pairs):
        self.assert_apart(united(*_arrays(pairs)), _positions(pairs))

    @given(LINES, LINES)
    @searching(200)
    def test_without_others(self, kept, taken):
        self.assert_apart(without(_arrays(kept), _arrays(taken)), _positions(kept) - _positions(taken))

    @given(LINES)
    @searching(200)
    def test_what_they_hold(self, pairs):
        expected = [position in _positions(pairs) for position in range(_END)]
        self.assertEqual(holds(united(*_arrays(pairs)), np.arange(_END)).tolist(), expected)
        self.assertEqual(covered(*_arrays(pairs), _END).tolist(), expected)


if __name__ == "__main__":
    unittest.main()
