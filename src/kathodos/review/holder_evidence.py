"""What stands beside a line of whoever it belongs to: last sign-in, risk, what was found, the last certification."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import (
    DictionaryColumn,
    Numbers,
    always,
    dictionary_column,
    joined_columns,
    nothing,
    positions_among,
)
from kathodos.columns.ordered import insertion_points
from kathodos.model.times import BEGINNING, moment_text
from kathodos.review.carrying import Certified
from kathodos.review.items import Items
from kathodos.review.lines import CERTIFY, ReviewLines, reviews_in


@dataclass(frozen=True)
class Found:
    """What was found before. `risk`: of each identity, rounded; empty where it is not known.

    `excess`: for each kind of finding the identities, or accounts that are nobody's, whom it is about.
    """

    risk: Ints
    excess: Sequence[tuple[str, Ints]] = ()

    @property
    def is_known(self) -> bool:
        """Whether anything was looked for."""
        return len(self.risk) > 0


@dataclass(frozen=True)
class HolderEvidence:
    """What is known of whoever each item belongs to."""

    basis: Basis
    items: Items
    found: Found

    def signed_in(self) -> DictionaryColumn:
        """When the account that holds each item signed in last; else the one of the person that did last."""
        basis, holders = self.basis, self.basis.index.holders
        seen = basis.moments(basis.account("last_login"))
        newest = np.full(holders.first_group, BEGINNING, dtype=np.int64)
        newest[holders.people : holders.people + len(seen)] = seen
        owner = holders.asker_of[holders.people : holders.people + len(seen)]
        np.maximum.at(newest, owner, seen)
        moments, codes = np.unique(newest[np.minimum(self.items.holder, holders.first_group - 1)], return_inverse=True)
        texts = dictionary_column(moment_text(it) if it > BEGINNING else None for it in moments.tolist())
        return DictionaryColumn(texts.codes[codes], texts.values)

    def risk(self) -> DictionaryColumn:
        """The risk of the person, from 0 to 100, as it was found; nothing for accounts that are nobody's."""
        if not len(self.found.risk):
            return nothing(len(self.items))
        values, codes = np.unique(self.found.risk, return_inverse=True)
        of_asker = np.full(self.basis.size, -1, dtype=np.int32)
        of_asker[: len(codes)] = codes
        return DictionaryColumn(of_asker[self.items.asker], Numbers(values))

    def excess(self) -> DictionaryColumn:
        """The kinds of excess that were found about whoever each item belongs to, as a kept list."""
        kinds = sorted(self.found.excess, key=lambda it: it[0])
        marks = np.zeros((len(kinds), self.basis.size), dtype=bool)
        for at, (_, whose) in enumerate(kinds):
            marks[at, whose[whose >= 0]] = True
        if not kinds:
            return nothing(len(self.items))
        _, sample, of = np.unique(np.packbits(marks, axis=0).T, axis=0, return_index=True, return_inverse=True)
        texts = [";".join(kind for (kind, _), mark in zip(kinds, marks[:, at], strict=True) if mark) for at in sample]
        known = dictionary_column(text or None for text in texts)
        return DictionaryColumn(known.codes[of.ravel()][self.items.asker], known.values)

    def certified(self) -> Certified:
        """The last certification of each item in a review that was signed off."""
        keys: list[Ints] = []
        parts: dict[str, list[DictionaryColumn]] = {"review": [], "decided_at": [], "decided_by": []}
        positions: list[Ints] = []
        for review in reviews_in(self.basis.records):
            lines = ReviewLines(self.basis.records, review)
            at = (lines.decided("decision").holding(CERTIFY) & lines.is_signed).nonzero()[0]
            key = self._keys_of(lines, at)
            at, key = at[key >= 0], key[key >= 0]
            keys.append(key)
            positions.append(lines.positions[at])
            parts["review"].append(always(review.name, len(at)).compact())
            for name in ("decided_at", "decided_by"):
                parts[name].append(lines.decided(name, at).compact())
        size = len(self.items)
        if not sum(map(len, keys)):
            return Certified(nothing(size), nothing(size), nothing(size), np.full(size, -1, dtype=np.int64))
        key, (reviews, times, names) = np.concatenate(keys), (joined_columns(it) for it in parts.values())
        rank = np.argsort(np.argsort(np.array([str(it) for it in times.values])))
        last = np.lexsort((rank[times.codes], key))
        at = insertion_points(key[last], self._keys, side="right") - 1
        at = np.where((at >= 0) & (key[last[np.maximum(at, 0)]] == self._keys), last[np.maximum(at, 0)], -1)
        which, when, who = (
            DictionaryColumn(np.append(it.codes, np.int32(-1))[at], it.values) for it in (reviews, times, names)
        )
        return Certified(which, when, who, np.append(np.concatenate(positions), -1)[at])

    @property
    def _keys(self) -> Ints:
        """Of each item who holds what, as one number."""
        what = np.where(self.items.grant >= 0, self.items.grant, len(self.basis.index.grants) + self.items.group)
        return self.items.holder * self._width + what

    @property
    def _width(self) -> int:
        return len(self.basis.index.grants) + self.basis.index.holders.size

    def _keys_of(self, lines: ReviewLines, at: Ints) -> Ints:
        """The same of lines of a review; -1 where who held it, or what was held, is not there any more."""
        index = self.basis.index
        holder, group = (
            self._numbers(lines.column(name, at), index.holders.references) for name in ("holder", "group")
        )
        grant = self._numbers(lines.column("grant", at), index.grants.ids)
        what = np.where(grant >= 0, grant, np.where(group >= 0, len(index.grants) + group, -1))
        found: Ints = np.where((holder >= 0) & (what >= 0), holder * self._width + what, -1)
        return found

    @staticmethod
    def _numbers(column: DictionaryColumn, known: Sequence[str]) -> Ints:
        compact = column.compact()
        found: Ints = np.append(positions_among(compact.values, known), -1)[compact.codes].astype(np.int64)
        return found
