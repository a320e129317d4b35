"""What stands beside a line of whoever it belongs to: last sign-in, risk, what was found, the last certification."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import (
    DictionaryColumn,
    Numbers,
    dictionary_column,
    nothing,
)
from kathodos.model.times import BEGINNING, moment_text
from kathodos.review.drafts.items import Items


class Found(msgspec.Struct, frozen=True):
    """What was found before. `risk`: of each identity, rounded; empty where it is not known.

    `excess`: for each kind of finding the identities, or accounts that are nobody's, whom it is about; `of_things`: for
    each role, or other thing that is nobody's, the kinds, by reference; `redundant`: the grants without which nobody
    would lose anything (None: not looked for).
    """

    risk: Ints
    excess: Sequence[tuple[str, Ints]] = ()
    of_things: Mapping[str, Sequence[str]] = msgspec.field(default_factory=dict)
    redundant: Ints | None = None

    @property
    def is_known(self) -> bool:
        """Whether anything was looked for."""
        return len(self.risk) > 0


class HolderEvidence(msgspec.Struct, frozen=True):
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
        return DictionaryColumn(np.append(of_asker, np.int32(-1))[self.items.asker], Numbers(values))

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
        return DictionaryColumn(np.append(known.codes[of.ravel()], np.int32(-1))[self.items.asker], known.values)
