"""Segregation of duties: who holds too many duties of a rule (static separation of duty, ANSI INCITS 359, 5.3)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from kathodos.access.arrays import Bools, Ints
from kathodos.access.chains import Chain, explain
from kathodos.access.index import Index
from kathodos.access.reach import one_per_answer, who_reaches, who_reaches_any
from kathodos.catalogue.store import Rows
from kathodos.findings.activity import Use, uses_by_identity
from kathodos.findings.places import Places
from kathodos.findings.rules import Conflicting, Duty

_MOST_EXPLAINED = 40
HELD, EXERCISED, SAME_RECORD = "held", "exercised", "exercised on the same record"


@dataclass(frozen=True)
class Conflict:
    """An identity that breaks a rule: the duties it holds, and whether its activity shows them used."""

    rule: Conflicting
    identity: int
    duties: tuple[Duty, ...]
    values: tuple[str | None, ...]
    state: str
    records: tuple[str, ...] = ()


@dataclass(frozen=True)
class Breach:
    """All who break one rule: `alike` says for each of `identities` which of the `held` (duties, values) it is."""

    rule: Conflicting
    identities: Ints
    alike: Ints
    held: list[tuple[tuple[Duty, ...], tuple[str | None, ...]]]


def who_breaks(index: Index, rules: Sequence[Conflicting], resources: Rows, at: int) -> list[Breach]:
    """All who break each rule at a moment, whatever their activity shows."""
    finder = _Finder(index, resources, None, at)
    return [finder.breach(rule) for rule in rules]


def find_conflicts(
    index: Index, rules: Sequence[Conflicting], resources: Rows, activity: Rows, at: int
) -> list[Conflict]:
    """Every conflict at a moment, by rule and then identity."""
    finder = _Finder(index, resources, activity, at)
    return [conflict for rule in rules for conflict in finder.conflicts(finder.breach(rule))]


@dataclass(frozen=True)
class Given:
    """What gives one duty: an action on an address, on how many more alike, and the chains."""

    action: str
    address: str
    more: int
    chains: list[Chain]


def chains_of(index: Index, resources: Rows, conflict: Conflict, duty: Duty, at: int) -> list[Given]:
    """What gives one duty to the conflict's identity; what comes by the same grants and permissions is told once."""
    places = Places(index, resources)
    found: dict[object, Given] = {}
    for action, nodes in places.of_duty(duty, conflict.rule.within, conflict.values):
        for node in one_per_answer(index, nodes)[:_MOST_EXPLAINED]:
            if who_reaches(index, node, action, at)[conflict.identity]:
                chains = explain(index, conflict.identity, node, action, at).permits.shown
                alike = (action, frozenset((chain.grant, chain.line) for chain in chains))
                if alike in found:
                    found[alike] = replace(found[alike], more=found[alike].more + 1)
                else:
                    found[alike] = Given(index.actions[action][1], index.tree.addresses[node], 0, chains)
    return list(found.values())


class _Finder:
    def __init__(self, index: Index, resources: Rows, activity: Rows | None, at: int) -> None:
        self.index = index
        self.at = at
        self.places = Places(index, resources)
        self.people = index.holders.people
        self.uses = uses_by_identity(index, activity) if activity is not None else {}
        self._holders: dict[tuple[int, bytes], Bools] = {}

    def breach(self, rule: Conflicting) -> Breach:
        held = [self.holders(duty, rule.within) for duty in rule.duties]
        values = sorted({value for duty in held for value in duty}, key=str)
        together = np.zeros(self.people, dtype=bool)
        for value in values:
            duties_held = np.zeros(self.people, dtype=np.int16)
            for duty in held:
                duties_held += duty.get(value, False)
            together |= duties_held >= rule.threshold
        breaking = together.nonzero()[0]
        if not len(breaking):
            return Breach(rule, breaking, breaking, [])
        nobody = np.zeros(self.people, dtype=bool)
        holds = np.array([[duty.get(value, nobody)[breaking] for duty in held] for value in values])
        breaks = holds.sum(axis=1) >= rule.threshold
        marks = np.packbits(holds.reshape(-1, len(breaking)), axis=0)
        marks = np.ascontiguousarray(marks.T).view(f"V{len(marks)}").ravel() if len(marks) > 1 else marks[0]
        _, first, alike = np.unique(marks, return_index=True, return_inverse=True)
        told = []
        for one in first.tolist():
            mine = breaks[:, one].nonzero()[0]
            duties = tuple(duty for at, duty in enumerate(rule.duties) if holds[mine, at, one].any())
            told.append((duties, tuple(values[at] for at in mine)))
        return Breach(rule, breaking, alike, told)

    def conflicts(self, breach: Breach) -> Iterator[Conflict]:
        """A breach one by one, with what activity shows."""
        for identity, which in zip(breach.identities.tolist(), breach.alike.tolist(), strict=True):
            duties, where = breach.held[which]
            state, records = self.state(breach.rule, identity, where) if identity in self.uses else (HELD, ())
            yield Conflict(breach.rule, identity, duties, where, state, records)

    def holders(self, duty: Duty, within: str | None) -> dict[str | None, Bools]:
        """Identities that reach at least one permission of the duty, by the value of the attribute of `within`."""
        found: dict[str | None, Bools] = {}
        for permission in duty.permissions:
            actions, nodes = self.places.of_permission(permission)
            for value, some in self.places.by_value(nodes, within).items():
                for action in actions:
                    found[value] = found.get(value, np.zeros(self.people, dtype=bool)) | self.reaching(action, some)
        return found

    def reaching(self, action: int, nodes: Ints) -> Bools:
        key = (action, nodes.tobytes())
        if key not in self._holders:
            self._holders[key] = who_reaches_any(self.index, nodes, action, self.at)[: self.people]
        return self._holders[key]

    def state(self, rule: Conflicting, identity: int, values: Sequence[str | None]) -> tuple[str, tuple[str, ...]]:
        """Whether activity shows the duties used, and the records on which enough of them were."""
        uses = self.uses[identity]
        best, records = HELD, set()
        for value in values:
            used = [self.records_used(uses, duty, rule.within, value) for duty in rule.duties]
            if sum(found is not None for found in used) >= rule.threshold:
                best = EXERCISED
            named = [record for found in used if found for record in found]
            records |= {record for record in named if named.count(record) >= rule.threshold}
        return (SAME_RECORD, tuple(sorted(records))) if records else (best, ())

    def records_used(self, uses: list[Use], duty: Duty, within: str | None, value: str | None) -> set[str] | None:
        """The records that uses of the duty name; None where there is no use of it."""
        found: set[str] | None = None
        for action, nodes in self.places.of_duty(duty, within, (value,)):
            system = self.index.systems[self.index.actions[action][0]]
            members = set(nodes.tolist())
            for use in uses:
                if use.node in members and system.covers[use.action - system.actions[0], action - system.actions[0]]:
                    found = (found or set()) | ({use.record} if use.record else set())
        return found
