"""An array of which only what is asked for is checked answers as the plain array, and checks all that it gives."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos.columns.parted import PartedArray
from tests.support import searching


class DamagedPartError(Exception):
    pass


class Parts:
    """A parted array that notes which parts were checked, and of which some are damaged."""

    def __init__(self, plain, size, damaged=()):
        self.checked, self.damaged = set(), set(damaged)
        self.array = PartedArray(plain, size, self.check, lambda: self.check(np.arange(-(-len(plain) // size))))

    def check(self, parts):
        if self.damaged & set(parts.tolist()):
            raise DamagedPartError
        self.checked |= set(parts.tolist())


ARRAYS = st.lists(st.integers(-50, 50), min_size=1, max_size=40).map(lambda it: np.array(it, dtype=np.int64))


@st.composite
def questions(draw, length):
    """What somebody may ask of an array of some length, as a function, with the positions that it gives numbers of."""
    sort = draw(st.sampled_from(("one", "slice", "some", "mask", "sum", "compare", "joined", "listed", "typed")))
    if sort == "one":
        at = draw(st.integers(-length, length - 1))
        return lambda it: it[at], [at % length]
    if sort == "slice":
        part = slice(
            *(draw(st.none() | st.integers(-length - 2, length + 2)) for _ in range(2)),
            draw(st.sampled_from((None, 1, 2, -1))),
        )
        return lambda it: it[part].tolist(), list(range(length))[part]
    if sort == "some":
        at = np.array(draw(st.lists(st.integers(-length if draw(st.booleans()) else 0, length - 1))), dtype=np.int64)
        return lambda it: it[at].tolist(), [one % length for one in at.tolist()]
    if sort == "mask":
        mask = np.array(draw(st.lists(st.booleans(), min_size=length, max_size=length)))
        return lambda it: it[mask].tolist(), mask.nonzero()[0].tolist()
    whole = {
        "sum": lambda it: (int(it.sum()), int(np.max(it)), 3 in it, len(it), it.shape, it.nbytes),
        "compare": lambda it: ((it == 3).tolist(), (2 * it + it).tolist(), (-it).tolist(), (it[:1] | it).tolist()),
        "joined": lambda it: (np.concatenate([it, it]).tolist(), np.diff(it).tolist(), np.unique(it).tolist()),
        "listed": lambda it: (list(it), it.tolist(), it.astype(np.int32).tolist(), it.dtype.str),
        "typed": lambda it: (
            np.array(it, dtype=np.float64).tolist(),
            np.asarray(it).tolist(),
            it.argsort(kind="stable").tolist(),
        ),
    }[sort]
    return whole, list(range(length))


class AsThePlainArray(unittest.TestCase):
    @given(ARRAYS, st.integers(1, 12), st.data())
    @searching(300)
    def test_whatever_is_asked(self, plain, size, data):
        parts = Parts(plain, size)
        for _ in range(data.draw(st.integers(1, 6))):
            ask, given_out = data.draw(questions(len(plain)))
            self.assertEqual(ask(parts.array), ask(plain))
            self.assertLessEqual({at // size for at in given_out}, parts.checked)

    @given(ARRAYS, st.integers(1, 12), st.data())
    @searching(300)
    def test_what_is_damaged_is_never_given_out(self, plain, size, data):
        count = -(-len(plain) // size)
        parts = Parts(plain, size, data.draw(st.sets(st.integers(0, count - 1), min_size=1)))
        for _ in range(data.draw(st.integers(1, 6))):
            ask, given_out = data.draw(questions(len(plain)))
            if {at // size for at in given_out} & parts.damaged:
                with self.assertRaises(DamagedPartError):
                    ask(parts.array)

    @given(ARRAYS.map(np.sort), st.integers(1, 12), st.lists(st.integers(-55, 55), max_size=80), st.booleans())
    @searching(300)
    def test_searching(self, plain, size, wanted, is_right):
        parts, side = Parts(plain, size), "right" if is_right else "left"
        found = np.searchsorted(parts.array, np.array(wanted, dtype=np.int64), side=side)
        self.assertEqual(found.tolist(), np.searchsorted(plain, np.array(wanted, dtype=np.int64), side=side).tolist())
        for one in wanted[:3]:
            self.assertEqual(
                int(np.searchsorted(parts.array, one, side=side)), int(np.searchsorted(plain, one, side=side))
            )

    def test_few_numbers_of_many_take_few_parts(self):
        plain = np.arange(100_000)
        parts = Parts(plain, 100)
        self.assertEqual(parts.array[np.array([5, 7, 99_999])].tolist(), [5, 7, 99_999])
        self.assertEqual(parts.checked, {0, 999})
        self.assertEqual(int(np.searchsorted(parts.array, 70_000)), 70_000)
        self.assertLess(len(parts.checked), 20)
        self.assertEqual(len(parts.array[np.zeros(0, dtype=np.int64)]) + len(parts.array[50:50]), 0)
        self.assertLess(len(parts.checked), 20)

    def test_whoever_asks_often_has_all_of_it_checked_once(self):
        parts = Parts(np.arange(1000), 10)
        for at in range(1000):
            self.assertEqual(parts.array[at], at)
        self.assertEqual(parts.checked, set(range(100)))


if __name__ == "__main__":
    unittest.main()
