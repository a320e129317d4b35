"""What needs ask for, as positions on the line of all pairs: of each need's actions, and of all that these imply."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_pairs, distinct, joined, stretches
from kathodos.columns.intervals import Intervals, covered, united
from kathodos.columns.ordered import insertion_points

TOGETHER = 60  # needs that are looked at together, a bit each


class Asked(msgspec.Struct, frozen=True, dict=True):
    """What some needs ask for. `of_need`: the pairs that each asks for, apart and in order; `who`: whom each is about,
    over identities and then accounts."""

    of_need: Sequence[Intervals] = ()
    who: Sequence[Bools] = ()

    @cached_property
    def chunks(self) -> list[range]:
        """The needs in numbers that have a bit each."""
        return [range(at, min(at + TOGETHER, len(self.of_need))) for at in range(0, len(self.of_need), TOGETHER)]

    @cached_property
    def _segments(self) -> tuple[Ints, list[Ints]]:
        """Where each stretch of the line begins of which the same is asked, and the bits of each, chunk by chunk."""
        parts = [np.concatenate(it) for it in self.of_need]
        edges = distinct(np.concatenate([np.zeros(1, dtype=np.int64), *parts]).astype(np.int64))
        bits = []
        for chunk in self.chunks:
            found = np.zeros(len(edges), dtype=np.int64)
            for bit, number in enumerate(chunk):
                first, end = (insertion_points(edges, it) for it in self.of_need[number])
                found[covered(first, end, len(edges))] |= 1 << bit
            bits.append(found)
        return edges, bits

    def asking_for(self, owner: Ints, first: Ints, end: Ints, size: int) -> list[Ints]:
        """Which needs ask for something in the intervals of each of `size` owners: bits, chunk by chunk."""
        edges, bits = self._segments
        low = insertion_points(edges, first, side="right") - 1
        counts = insertion_points(edges, end) - low
        found = [np.zeros(size, dtype=np.int64) for _ in bits]
        if len(edges) > 1:
            origin, at = stretches(low, counts)
            for chunk, of_segment in zip(found, bits, strict=True):
                asks = of_segment[at] != 0
                np.bitwise_or.at(chunk, owner[origin[asks]], of_segment[at[asks]])
        return found

    def sets(self, askers: Ints) -> tuple[Ints, list[Ints]]:
        """For each of some askers the number of the set of needs that are about it, and the needs of each set."""
        if not self.of_need or not len(askers):
            return np.zeros(len(askers), dtype=np.int64), []
        packed = np.packbits(np.stack([who[askers] for who in self.who]), axis=0).T
        _, sample, of = np.unique(packed, axis=0, return_index=True, return_inverse=True)
        about = [
            np.array([at for at, who in enumerate(self.who) if who[asker]], dtype=np.int64) for asker in askers[sample]
        ]
        return of.ravel().astype(np.int64), about

    def together(self, needs: Ints) -> Intervals:
        """The pairs that some needs ask for together."""
        parts = [self.of_need[at] for at in needs.tolist()]
        return united(joined([it[0] for it in parts]), joined([it[1] for it in parts]))


def bits_where(columns: Sequence[Ints]) -> CSRList:
    """The numbers of the bits that are set, of each row of some columns of bits."""
    rows, items = [], []
    for at, column in enumerate(columns):
        for bit in range(TOGETHER):
            here = (column >> bit & 1).nonzero()[0]
            rows.append(here)
            items.append(np.full(len(here), at * TOGETHER + bit))
    return csr_from_pairs(joined(rows), joined(items), len(columns[0]) if columns else 0)
