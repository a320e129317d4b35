"""Who decides each line of a review: the first of a chain who is active and is not the one whom it is about."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis, numbers_among
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.dictionary import DictionaryColumn, Scalar, dictionary_column, positions_among
from kathodos.columns.ordered import insertion_points
from kathodos.errors import CallError
from kathodos.ledger.actors import normal_name
from kathodos.model.kinds import IDENTITIES
from kathodos.review.owners import active, owners_of_systems
from kathodos.review.subjects import MANAGER, OWNER, PERSON, About
from kathodos.store.naming import resolved


def chain_of(basis: Basis, words: Sequence[str], about: About = About.ACCESS) -> list[str]:
    """A chain as it is kept: manager, owner, person, or the ids of people. Raises CallError where one may not be."""
    found, records = [], basis.records
    for word in words:
        name = word
        if word == PERSON and about != About.IDENTITY_DATA:
            raise CallError(f"Nobody decides about their own {about}.", "Only of identity data does `person` decide.")
        if word not in (MANAGER, OWNER, PERSON):
            name = resolved(records, word, (IDENTITIES,)).removeprefix("identity:")
            record = records.with_key(IDENTITIES, (name,))
            if record is None or record["status"] != "active":
                what = f"{name} is {record['status'] if record else 'not there'} and cannot be a reviewer."
                raise CallError(what, "Name somebody who is active, manager, or owner.")
        if ";" in name:
            raise CallError(
                f"The id {name} holds a semicolon, which parts the names of a chain.", "Pass lines on to them."
            )
        found.append(name)
    return found


class Reviewers(msgspec.Struct, frozen=True, dict=True):
    """Who decides each of some lines. `asker`: whom each is about, an identity or account by number (-1: nobody).

    `owner`: makes the numbers of the identities that own what each is about; `opener`: who decides where nobody else of
    the chain may. Only where the chain says `person` does somebody speak for themselves.
    """

    basis: Basis
    asker: Ints
    owner: Callable[[], Ints]
    chain: Sequence[str]
    opener: str

    @cached_property
    def deciders(self) -> Ints:
        """The number of the identity that decides each line; -1 where that is left to the opener."""
        found = np.full(len(self.asker), -1, dtype=np.int64)
        for word in self.chain:
            wanted = self._wanted(word)
            fits = (found < 0) & (wanted >= 0) & self.is_active[wanted]
            if word != PERSON:
                fits &= ~self._is_about(wanted)
            found[fits] = wanted[fits]
        return found

    def column(self) -> DictionaryColumn:
        """The name of who decides each line."""
        identities = self.basis.index.holders.identities
        used, codes = np.unique(self.deciders, return_inverse=True)
        names = [identities[at] if at >= 0 else self.opener for at in used.tolist()]
        known = {name: at for at, name in enumerate(dict.fromkeys(names))}
        number = np.array([known[name] for name in names], dtype=np.int32)
        return DictionaryColumn(number[codes], list(known))

    @cached_property
    def is_active(self) -> Bools:
        """Which identities are active; the last element stands for nobody."""
        return active(self.basis)

    def _wanted(self, word: str) -> Ints:
        """Whom one word of the chain means for each line; -1: nobody."""
        if word == MANAGER:
            stated = self.basis.identity("manager")
            manager = managers_of(stated, self.is_active[:-1], self.basis.index.holders.identities)
            if not (self.asker >= len(manager)).any():
                return np.append(manager, -1)[self.asker]
            return np.concatenate([manager, self._answering, [-1]])[self.asker]
        if word == OWNER:
            return self.owner()
        if word == PERSON:
            return np.where(self.asker < self.basis.people, self.asker, -1)
        return np.full(len(self.asker), self.basis.index.holders.identities.find(word), dtype=np.int64)

    @cached_property
    def _answering(self) -> Ints:
        """Who answers for each account that is nobody's, else the owner of its system; -1: nobody who is active."""
        found = numbers_among(self.basis.index.holders.identities, self.basis.responsible).astype(np.int64)
        of_systems = owners_of_systems(self.basis, self.basis.account("system"))
        found = np.where((found >= 0) & self.is_active[found], found, of_systems)
        return np.where((found >= 0) & self.is_active[found], found, -1)

    def _is_about(self, wanted: Ints) -> Bools:
        """Whether who is wanted for each line is the one it is about, or has the same mail."""
        person = np.where(self.asker < self.basis.people, self.asker, -1)
        asked = ((person >= 0) & (wanted >= 0)).nonzero()[0]
        some = distinct(np.concatenate([person[asked], wanted[asked]])).astype(np.int64)
        same = one_person(self.basis.identity("email").taken(some).compact())
        found = np.zeros(len(wanted), dtype=bool)
        found[asked] = same[insertion_points(some, wanted[asked])] == same[insertion_points(some, person[asked])]
        return found


def one_person(mails: DictionaryColumn) -> Ints:
    """A number for each identity, the same for those with the same mail; the last element stands for nobody.

    Mails are compared as the names of who acts are (`ledger.actors`).
    """
    alike = dictionary_column(normal_name(str(it)) or None for it in mails.values)
    number = np.append(alike.codes, np.int32(-1))[mails.codes].astype(np.int64)
    own = -1 - np.arange(len(number) + 1)
    return np.where(np.append(number, -1) >= 0, np.append(number, -1), own)


def managers_of(stated: DictionaryColumn, is_active: Bools, identities: Sequence[Scalar]) -> Ints:
    """Who decides about each identity: the manager, or the next one up who is active; -1 where nobody above is."""
    of = np.append(positions_among(stated.values, identities), -1)[stated.codes].astype(np.int64)
    itself = np.arange(len(of))
    found = np.where(of == itself, -1, of)
    for _ in range(_STEPS):
        idle = ((found >= 0) & ~is_active[found]).nonzero()[0]
        above = of[found[idle]]
        found[idle] = np.where(above == idle, -1, above)
    return _one_by_one(found, of, is_active)


_STEPS = 8  # up the line that all go together; who is not there then goes on alone, and notices a circle


def _one_by_one(found: Ints, of: Ints, is_active: Bools) -> Ints:
    for at in ((found >= 0) & ~is_active[found]).nonzero()[0].tolist():
        seen, above = {at}, int(found[at])
        while above >= 0 and above not in seen and not is_active[above]:
            seen.add(above)
            above = int(of[above])
        found[at] = -1 if above in seen else above
    return found
