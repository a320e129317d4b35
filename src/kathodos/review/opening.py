"""A review opened: its lines made, with their evidence and who decides them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from kathodos.analysis.basis import Basis, numbers_among
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, always, dictionary_column, positions_among
from kathodos.engine.compiled.index import Holders
from kathodos.errors import CallError
from kathodos.findings.conflicts.states import Conflicts
from kathodos.findings.excess.batches import ExcessContext
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, OpenReviewPayload
from kathodos.model.kinds import (
    REVIEW_LINES,
    REVIEW_THINGS,
    REVIEWS,
    SYSTEMS,
)
from kathodos.model.references import reference_to
from kathodos.review.evidence import Evidence
from kathodos.review.items import beyond_items, items_of
from kathodos.review.lines import OPEN, numbered
from kathodos.rules.reading import Rules
from kathodos.store.records import columns_of, positions_holding


@dataclass(frozen=True)
class Drafted:
    """A review about to be opened: its lines and things, about how many, and what is no line of theirs."""

    lines: Sequence[DictionaryColumn]
    things: Sequence[DictionaryColumn]
    people: int
    accounts: int
    beyond: int
    without_reviewer: int

    def __len__(self) -> int:
        return len(self.lines[0])


def draft_review(context: ExcessContext, conflicts: Conflicts, chosen: Ints, rules: Rules, opener: str) -> Drafted:
    """The lines of a review of some identities, to be decided by managers, and accounts that are nobody's.

    Those are decided by who answers for them, or else by the owner of their system.
    """
    basis, needs, fences = context.basis, rules.needs, rules.fences
    index = basis.index
    items = items_of(index, chosen, basis.moment)
    mine = np.zeros(basis.size, dtype=bool)
    mine[chosen] = True
    evidence = Evidence(context, items, conflicts.taken(mine[conflicts.asker]))
    is_active = basis.identity("status").holding("active")
    manager = managers_of(basis.identity("manager"), is_active, index.holders.identities)
    decider = np.concatenate([manager, _answering(basis, is_active)])
    having, counted = evidence.peers()
    at_grant = items.grant
    identities = index.holders.identities

    def of_grant(name: str) -> DictionaryColumn:
        column = basis.grant(name)
        return DictionaryColumn(np.append(column.codes, np.int32(-1))[at_grant], column.values)

    lines = [
        numbered(np.arange(1, len(items) + 1)),
        _names_of_askers(index.holders, items.asker),
        _reviewers(decider[items.asker], identities, opener),
        DictionaryColumn(items.holder.astype(np.int32), index.holders.references),
        DictionaryColumn(at_grant.astype(np.int32), index.grants.ids),
        DictionaryColumn(np.where(items.group >= 0, items.group, -1).astype(np.int32), index.holders.references),
        numbered(evidence.thing),
        numbered(having),
        numbered(counted),
        evidence.needed_by(needs),
        evidence.taking_part(),
        evidence.spoken(needs),
        evidence.crossing(fences),
        *evidence.of_whom(),
        evidence.last_used(),
        *(of_grant(name) for name in ("until", "given_by", "given_at", "reason")),
    ]
    things = [numbered(evidence.used), *evidence.thing_columns()]
    beyond = beyond_items(index, chosen, items, basis.moment)
    people = int((chosen < basis.people).sum())
    return Drafted(lines, things, people, len(chosen) - people, beyond, int((decider[chosen] < 0).sum()))


def _names_of_askers(holders: Holders, askers: Ints) -> DictionaryColumn:
    """What the lines call those whom they are about."""
    if not len(askers) or (int(askers.max()) < holders.people and not holders.has_odd_ids):
        return DictionaryColumn(askers.astype(np.int32), holders.identities)
    used, codes = np.unique(askers, return_inverse=True)
    names = dictionary_column(holders.asker_name(asker) for asker in used.tolist())
    return DictionaryColumn(names.codes[codes], names.values)


def _answering(basis: Basis, is_active: Bools) -> Ints:
    """Who decides about each account that is nobody's: who answers for it, else the owner of its system; -1: nobody."""
    identities = basis.index.holders.identities
    found = numbers_among(identities, basis.responsible).astype(np.int64)
    systems, owners = columns_of(basis.records, SYSTEMS, "system", "owner")
    owner = {system: identities.find(str(name)) if name else -1 for system, name in zip(systems, owners, strict=True)}
    of_system = basis.account("system")
    by_system = np.array([*(owner.get(str(name), -1) for name in of_system.values), -1], dtype=np.int64)
    found = np.where((found >= 0) & is_active[found], found, by_system[of_system.codes])
    return np.where((found >= 0) & is_active[found], found, -1)


def _reviewers(manager: Ints, identities: Sequence[str], opener: str) -> DictionaryColumn:
    """Who decides each line: the manager, or who opens where there is none."""
    used, codes = np.unique(manager, return_inverse=True)
    names = [identities[at] if at >= 0 else opener for at in used.tolist()]
    known = {name: at for at, name in enumerate(dict.fromkeys(names))}
    number = np.array([known[name] for name in names], dtype=np.int32)
    return DictionaryColumn(number[codes], list(known))


def managers_of(stated: DictionaryColumn, is_active: Bools, identities: Sequence[str]) -> Ints:
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


@dataclass(frozen=True)
class OpenReview(Operation[None]):
    """Puts a drafted review into the catalogue."""

    act: ClassVar[Act] = Act.OPEN_REVIEW
    name: str
    where: str
    due: str
    drafted: Drafted

    def compose(self, plan: Plan) -> None:
        """Raises CallError where the name is taken."""
        if len(positions_holding(plan.records, REVIEWS, {"review": self.name})):
            raise CallError(f"There is a review {self.name} already.", "Give this one another name.")
        plan.open_rows(REVIEWS, [(self.name, self.where, plan.now, plan.actor.name, self.due, OPEN, None, None)])
        for kind, columns in ((REVIEW_THINGS, self.drafted.things), (REVIEW_LINES, self.drafted.lines)):
            size = len(columns[0])
            compact = [always(self.name, size), *(column.compact() for column in columns)]
            plan.open_columns(kind, compact, always(None, size))
        plan.subjects.append(reference_to("review", self.name))
        plan.payload = OpenReviewPayload(self.name, len(self.drafted), self.due)
