"""Values looked up among others in order stand where NumPy's own search puts them, few or many, large or small."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.ordered import insertion_points, order_of
from tests.support import searching

_LIMITS = {np.int32: 2**31 - 1, np.int64: 2**62}


class Ordered(unittest.TestCase):
    @given(
        st.sampled_from(list(_LIMITS)), st.sampled_from(list(_LIMITS)), st.sampled_from(["left", "right"]), st.data()
    )
    @searching(100)
    def test_few(self, dtype, other, side, data):
        ordered, values = (
            np.array(data.draw(st.lists(st.integers(-_LIMITS[it] - 1, _LIMITS[it]), max_size=20)), dtype=it)
            for it in (dtype, other)
        )
        ordered.sort()
        expected = np.searchsorted(ordered, values, side=side)
        np.testing.assert_array_equal(insertion_points(ordered, values, side), expected)

    @given(st.sampled_from([np.int32, np.int64]), st.integers(1, 2**40), st.integers(0, 2**31))
    @searching(10)
    def test_many(self, dtype, spread, seed):
        random = np.random.default_rng(seed)
        most = min(spread, _LIMITS[dtype])
        ordered = np.sort(random.integers(-most, most, 40_000, dtype=dtype))
        values = np.concatenate([random.choice(ordered, 20_000), random.integers(-2 * spread, 2 * spread, 20_000)])
        for side in ("left", "right"):
            expected = np.searchsorted(ordered, values, side=side)
            np.testing.assert_array_equal(insertion_points(ordered, values, side), expected)
            np.testing.assert_array_equal(insertion_points(ordered, np.sort(values), side), np.sort(expected))

    @given(st.sampled_from([np.int32, np.int64, np.uint32]), st.integers(1, 2**62), st.sampled_from([50, 40_000]))
    @searching(20)
    def test_order_keeps_equals_as_they_come(self, dtype, spread, count):
        values = np.random.default_rng(spread).integers(0, min(spread, np.iinfo(dtype).max), count).astype(dtype)
        np.testing.assert_array_equal(order_of(values), np.argsort(values, kind="stable"))


if __name__ == "__main__":
    unittest.main()
