"""Which of many sets of positions may have any in common, seen by a few bits of each.

The line is cut into stretches, and a set has the bits of those stretches that it has anything in: sets without a
common bit are apart.
"""

from __future__ import annotations

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.csr import Bools, Ints, stretches

_WORD = 64


class Sketch(msgspec.Struct, frozen=True):
    """The bits of some sets of positions of a line of so many, in words: words by sets."""

    words: npt.NDArray[np.uint64]
    size: int

    def meets(self, own: Ints, other: Sketch, others: Ints) -> Bools:
        """Whether sets, by number, may have anything in common with those of another sketch of the same line."""
        found = np.zeros(len(own), dtype=bool)
        for mine, its in zip(self.words, other.words, strict=True):
            found |= (mine[own] & its[others]) != 0
        return found

    def may_hold(self, own: Ints, positions: Ints) -> Bools:
        """Whether sets, by number, may hold positions of the line, each its own."""
        bit = _bits_of(positions, self.size)
        found: Bools = self.words[bit // _WORD, own] & np.uint64(1) << (bit % _WORD).astype(np.uint64) != 0
        return found


def _bits_of(positions: Ints, size: int) -> Ints:
    """The bit of the stretch in which each position of a line of so many lies."""
    return positions.astype(np.int64) * (_WORD * thresholds.SKETCHED) // max(size, 1)


def sketched(whose: Ints, first: Ints, end: Ints, sets: int, size: int) -> Sketch:
    """The sketch of so many sets, given by intervals of a line of so many positions, none empty.

    >>> own = sketched(np.array([0, 1]), np.array([2, 8]), np.array([4, 9]), 2, 10)
    >>> other = sketched(np.array([0]), np.array([3]), np.array([7]), 1, 10)
    >>> own.meets(np.array([0, 1]), other, np.array([0, 0])).tolist()
    [True, False]
    """
    begin = _bits_of(first, size)
    at, bit = stretches(begin, _bits_of(end - 1, size) + 1 - begin)
    words = np.zeros((thresholds.SKETCHED, sets), dtype=np.uint64)
    np.bitwise_or.at(words, (bit // _WORD, whose[at]), np.uint64(1) << (bit % _WORD).astype(np.uint64))
    return Sketch(words, size)
