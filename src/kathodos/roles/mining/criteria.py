"""Whom a suggested role is for: the attributes that tell its holders from all others, alone or two together."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Bools, Ints
from kathodos.model.kinds import IDENTITIES

_MOST_VALUES = 0.5  # distinct values as a share of people, above which an attribute tells nothing in common
_MOST_ATTRIBUTES, _BEST = 12, 6
_FIRST = ("title", "department", "location", "employment", "kind")
_WITHOUT = ("id", "name", "email", "status", "starts", "ends", "sponsor", "risk", "attributes")


class Criterion(msgspec.Struct, frozen=True):
    """Attributes and values, all of which hold: for how many of the holders, of how many, and for how many in all."""

    terms: Sequence[tuple[str, str]]
    inside: int
    holders: int
    matching: int

    @property
    def is_exact(self) -> bool:
        """Whether it holds for all of the holders and for nobody else."""
        return self.inside == self.holders == self.matching

    @property
    def quality(self) -> float:
        """The share of those who hold it or match it that do both (Jaccard)."""
        return self.inside / (self.holders + self.matching - self.inside)

    @property
    def filter(self) -> str:
        """It as a filter over people."""
        return " and ".join(f'{name} eq "{_quoted(value)}"' for name, value in self.terms)


def _quoted(value: str) -> str:
    return value.replace("\\", "\\\\").replace('"', '\\"')


class Criteria:
    """Finds criteria among the attributes of people. `among`: who counts as being there at all, by number."""

    def __init__(self, basis: Basis, among: Bools) -> None:
        self.among = among
        self.count = int(among.sum())
        names = sorted(basis.attributes(IDENTITIES).known(), key=lambda name: (name not in _FIRST, name))
        self.columns: list[tuple[str, Ints, Sequence[object]]] = []
        for name in names:
            if name in _WITHOUT or len(self.columns) >= _MOST_ATTRIBUTES:
                continue
            column = basis.identity(name)
            codes = column.codes.astype(np.int64)
            distinct = len(np.unique(codes[among & (codes >= 0)]))
            if 0 < distinct <= max(_MOST_VALUES * self.count, 2):
                self.columns.append((name, codes, column.values))

    def best(self, holders: Bools) -> Criterion | None:
        """The attributes that tell some people best from all others; None where none tells most of them."""
        total = int(holders.sum())
        if not total:
            return None
        single = [it for column in self.columns for it in self._of(column, holders)]
        single = sorted(single, key=lambda it: (-it[0].quality, len(it[0].terms), it[0].terms))[: 2 * _BEST]
        found = [criterion for criterion, _ in single]
        for (one, mask), (other, also) in combinations(single, 2):
            if one.terms[0][0] != other.terms[0][0]:
                both = mask & also
                found.append(self._criterion([*one.terms, *other.terms], both, holders))
        best = max(found, key=lambda it: (it.quality, -len(it.terms)), default=None)
        return best if best is not None and best.quality >= 0.5 else None

    def _of(self, column: tuple[str, Ints, Sequence[object]], holders: Bools) -> list[tuple[Criterion, Bools]]:
        """The values of an attribute that most of the holders have, or that most who have them hold it."""
        name, codes, values = column
        own = np.bincount(codes[holders & (codes >= 0)], minlength=len(values))
        every = np.bincount(codes[self.among & (codes >= 0)], minlength=len(values))
        quality = own / np.maximum(int(holders.sum()) + every - own, 1)
        shared = own / max(int(holders.sum()), 1)
        best = np.argsort(-np.maximum(quality, shared), kind="stable")[:_BEST]
        found = []
        for code in best[own[best] > 0].tolist():
            mask = self.among & (codes == code)
            found.append((self._criterion([(name, str(values[code]))], mask, holders), mask))
        return found

    @staticmethod
    def _criterion(terms: Sequence[tuple[str, str]], mask: Bools, holders: Bools) -> Criterion:
        return Criterion(terms, int((mask & holders).sum()), int(holders.sum()), int(mask.sum()))
