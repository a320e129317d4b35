"""Several whole numbers kept in one, so that one sort, one sum or one comparison does for all of them.

All fit into 62 bits, so that nothing overflows a signed 64-bit number and nothing turns negative.
"""

from __future__ import annotations

import msgspec
import numpy as np

from kathodos.columns.csr import CSRList, Ints

_BITS = 62


class PackedPairs(msgspec.Struct, frozen=True):
    """Pairs of numbers from 0 in one each: in order of the first, then of the second, which has so many `bits`.

    >>> pairs = PackedPairs.below(1000)
    >>> packed = np.sort(pairs.pack(np.array([2, 1]), np.array([7, 999])))
    >>> pairs.firsts(packed).tolist(), pairs.seconds(packed).tolist()
    ([1, 2], [999, 7])
    """

    bits: int

    @classmethod
    def below(cls, limit: int) -> PackedPairs:
        """Pairs whose second number is below a limit."""
        return cls(max(limit - 1, 0).bit_length())

    @property
    def most_firsts(self) -> int:
        """How many different first numbers there may be."""
        return 1 << max(_BITS - self.bits, 0)

    def pack(self, first: Ints | int, second: Ints | int) -> Ints:
        """The pairs, each as one number."""
        return np.asarray((first << self.bits) | second)

    def firsts(self, packed: Ints) -> Ints:
        """The first number of each pair."""
        return packed >> self.bits

    def seconds(self, packed: Ints) -> Ints:
        """The second number of each pair."""
        return packed & ((1 << self.bits) - 1)

    def starts(self, count: int) -> Ints:
        """The least pair of each of so many first numbers, and behind them of one more."""
        return np.arange(count + 1, dtype=np.int64) << self.bits


class CountsAndSums(msgspec.Struct, frozen=True):
    """How many numbers there are and what they add up to, in one number each, so that both are summed at once.

    The numbers are below 2 ** `bits`, and never so many at once that their sum needs more than twice as many bits.
    Where there is only one, the sum says which.

    >>> totals = CountsAndSums(4)
    >>> counts, sums = totals.apart(np.cumsum(totals.steps(np.array([5, 9, 5]), np.array([1, 1, -1]))))
    >>> counts.tolist(), sums.tolist()
    ([1, 2, 1], [5, 14, 9])
    """

    bits: int

    def steps(self, numbers: Ints, signs: Ints) -> Ints:
        """What each number adds, by sign 1, or takes away again, by sign -1."""
        return ((1 << (2 * self.bits)) | numbers) * signs

    def apart(self, totals: Ints) -> tuple[Ints, Ints]:
        """How many there are, and what they add up to, of some totals."""
        return totals >> (2 * self.bits), totals & ((1 << (2 * self.bits)) - 1)


def fingerprints(lists: CSRList) -> Ints:
    """A number of each list, the same for lists of the same items; two others share one by chance of 1 in 2 ** 64.

    Each item is mixed by the two multiplications of SplitMix64 (Steele, Lea and Flood, Fast Splittable Pseudorandom
    Number Generators, OOPSLA 2014), and what comes out is added up.
    """
    weight = (lists.items.astype(np.uint64) + np.uint64(1)) * np.uint64(0x9E3779B97F4A7C15)
    weight ^= weight >> np.uint64(30)
    weight *= np.uint64(0xBF58476D1CE4E5B9)
    weight ^= weight >> np.uint64(27)
    weight *= np.uint64(0x94D049BB133111EB)
    weight ^= weight >> np.uint64(31)
    total = np.concatenate([np.zeros(1, dtype=np.uint64), np.cumsum(weight, dtype=np.uint64)])
    sizes = lists.sizes().astype(np.uint64)
    found: Ints = ((total[lists.starts[1:]] - total[lists.starts[:-1]]) ^ sizes).view(np.int64)
    return found
