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
from kathodos.columns.dictionary import in_chunks


class Sketch(msgspec.Struct, frozen=True):
    """The bits of some sets of positions of a line of so many: bytes by sets."""

    bits: npt.NDArray[np.uint8]
    size: int

    def meets(self, own: Ints, other: Sketch, others: Ints) -> Bools:
        """Whether sets, by number, may have anything in common with those of another sketch of the same line."""
        mine, its = self.bits.view(np.uint64), other.bits.view(np.uint64)
        found = np.zeros(len(own), dtype=bool)
        for some in in_chunks(len(own), thresholds.COMPARED_TOGETHER):
            found[some] = (mine[own[some]] & its[others[some]]).any(axis=1)
        return found

    def may_hold(self, own: Ints, positions: Ints) -> Bools:
        """Whether sets, by number, may hold positions of the line, each its own."""
        bit = _bit_of(positions, self.size)
        byte = self.bits.ravel().take(own * self.bits.shape[1] + (bit >> 3))
        found: Bools = byte & _ONE[bit & 7] != 0
        return found


_ONE = (1 << np.arange(8)).astype(np.uint8)


def _bit_of(positions: Ints, size: int) -> Ints:
    """The bit of the stretch in which each position of a line of so many lies."""
    return positions.astype(np.int64) * (64 * thresholds.SKETCHED) // max(size, 1)


def sketched(whose: Ints, first: Ints, end: Ints, sets: int, size: int) -> Sketch:
    """The sketch of so many sets, given by intervals of a line of so many positions, none empty.

    >>> own = sketched(np.array([0, 1]), np.array([2, 8]), np.array([4, 9]), 2, 10)
    >>> other = sketched(np.array([0]), np.array([3]), np.array([7]), 1, 10)
    >>> own.meets(np.array([0, 1]), other, np.array([0, 0])).tolist()
    [True, False]
    """
    begin = _bit_of(first, size)
    at, bit = stretches(begin, _bit_of(end - 1, size) + 1 - begin)
    bits = np.zeros((sets, 8 * thresholds.SKETCHED), dtype=np.uint8)
    np.bitwise_or.at(bits, (whose[at], bit >> 3), _ONE[bit & 7])
    return Sketch(bits, size)
