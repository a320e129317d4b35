"""What stands beside a line of whoever it belongs to: last sign-in, risk, what was found, the last certification."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.held import Units
from kathodos.columns.csr import Bools, Ints, among, distinct
from kathodos.columns.dictionary import (
    DictionaryColumn,
    Numbers,
    dictionary_column,
    nothing,
)
from kathodos.model.times import BEGINNING, moment_text


class Found(msgspec.Struct, frozen=True):
    """What was found before. `risk`: of each identity, rounded; empty where it is not known.

    `excess`: for each kind of finding the identities, or accounts that are nobody's, whom it is about (-1: everybody
    who has the thing), and the thing of theirs that it is about (-1: it is about them); `of_things`: for each role, or
    other thing that is nobody's, the kinds, by reference.
    """

    risk: Ints
    excess: Sequence[tuple[str, Ints, Ints]] = ()
    of_things: Mapping[str, Sequence[str]] = msgspec.field(default_factory=dict)

    @property
    def is_known(self) -> bool:
        """Whether anything was looked for."""
        return len(self.risk) > 0


class HolderEvidence(msgspec.Struct, frozen=True):
    """What is known of whoever each unit belongs to."""

    basis: Basis
    units: Units
    found: Found

    def risk(self) -> DictionaryColumn:
        """The risk of the person, from 0 to 100, as it was found; nothing for accounts that are nobody's."""
        if not len(self.found.risk):
            return nothing(len(self.units))
        values, codes = np.unique(self.found.risk, return_inverse=True)
        of_asker = np.full(self.basis.size, -1, dtype=np.int32)
        of_asker[: len(codes)] = codes
        return DictionaryColumn(np.append(of_asker, np.int32(-1))[self.units.asker], Numbers(values))

    def excess(self) -> DictionaryColumn:
        """The kinds of excess that were found about whoever each unit belongs to, as a kept list."""
        marks = np.zeros((len(self._kinds), self.basis.size + 1), dtype=bool)
        for at, (_, whose, thing) in enumerate(self._kinds):
            marks[at, whose[(whose >= 0) & (thing < 0)]] = True
        return self._listed(marks[:, self.units.asker])

    def excess_of(self, thing: Ints) -> DictionaryColumn:
        """The kinds of excess that were found about each unit itself, given the thing that it is, as a kept list."""
        width = int(max((int(it.max(initial=-1)) for _, _, it in self._kinds), default=-1)) + 2
        marks = np.zeros((len(self._kinds), len(self.units)), dtype=bool)
        code = np.where(thing < width, self.units.asker * width + thing, -1)
        for at, (_, whose, about) in enumerate(self._kinds):
            marks[at] = among(code, distinct(whose[about >= 0] * width + about[about >= 0]))
            marks[at] |= among(thing, distinct(about[(about >= 0) & (whose < 0)]))
        return self._listed(marks)

    @property
    def _kinds(self) -> list[tuple[str, Ints, Ints]]:
        return sorted(self.found.excess, key=lambda it: it[0])

    def _listed(self, marks: Bools) -> DictionaryColumn:
        """The kinds that are marked for each unit, as a kept list."""
        if not len(marks):
            return nothing(len(self.units))
        _, sample, of = np.unique(np.packbits(marks, axis=0).T, axis=0, return_index=True, return_inverse=True)
        named = [[kind for (kind, _, _), mark in zip(self._kinds, marks[:, at], strict=True) if mark] for at in sample]
        known = dictionary_column(";".join(it) or None for it in named)
        return DictionaryColumn(known.codes[of.ravel()], known.values)


def last_sign_in(basis: Basis, askers: Ints) -> DictionaryColumn:
    """When any account of each of some identities, or accounts that are nobody's, signed in last."""
    holders = basis.index.holders
    seen = basis.moments(basis.account("last_login"))
    newest = np.full(holders.first_group, BEGINNING, dtype=np.int64)
    np.maximum.at(newest, holders.asker_of[holders.people : holders.people + len(seen)], seen)
    return moments_column(newest[askers])


def moments_column(moments: Ints) -> DictionaryColumn:
    """Moments as a column; nothing for the beginning."""
    known, codes = np.unique(moments, return_inverse=True)
    texts = dictionary_column(moment_text(it) if it > BEGINNING else None for it in known.tolist())
    return DictionaryColumn(texts.codes[codes], texts.values)
