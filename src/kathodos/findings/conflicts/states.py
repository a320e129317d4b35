"""Segregation of duties: who holds too many duties of a rule (static separation of duty, ANSI INCITS 359, 5.3)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from kathodos.analysis.snapshot import Snapshot
from kathodos.columns.csr import Bools, Ints
from kathodos.engine.explain import Chain, explain
from kathodos.engine.index import Index
from kathodos.engine.reach import Reached, one_per_answer, who_reaches, who_reaches_any
from kathodos.model.times import day_text
from kathodos.rules.reading import Conflicting, Duty, Permission
from kathodos.rules.targets import PermissionTargets

_MOST_EXPLAINED = 40
_LARGE = 50_000  # people from which on rules are worked on by several threads
_WORKERS = 2
Packed = npt.NDArray[np.uint8]  # a bit for each identity, as numpy packs them
Values = set[str | None]  # of the attribute of `within`; None where a rule has none
LATENT, HELD, EXERCISED, SAME_RECORD = "latent", "held", "exercised", "exercised on the same record"
STATES = (LATENT, HELD, EXERCISED, SAME_RECORD)


@dataclass(frozen=True)
class Used:
    """One use of a duty: its name, the day, and the record that it was about."""

    duty: str
    day: str
    record: str | None


@dataclass(frozen=True)
class Conflict:
    """An identity that breaks a rule: the duties it holds, and whether its activity shows them used.

    `uses`: the newest use of each duty, or of each on a record that enough of them were used on; `records` are those.
    `roles`: those that alone give all of it.
    """

    rule: Conflicting
    identity: int
    duties: tuple[Duty, ...]
    values: tuple[str | None, ...]
    state: str
    records: tuple[str, ...] = ()
    uses: tuple[Used, ...] = ()
    roles: tuple[str, ...] = ()

    def name(self, index: Index) -> str:
        """What it is called in commands: the rule and the identity."""
        return f"{self.rule.id}/{index.holders.identities[self.identity]}"


Held = tuple[tuple[Duty, ...], tuple[str | None, ...]]  # the duties held, and the values on which enough of them are


@dataclass(frozen=True)
class Breach:
    """All who break one rule: `alike` says for each of `identities` which of the `held` (duties, values) it is."""

    rule: Conflicting
    identities: Ints
    alike: Ints
    held: list[Held]


def who_breaks(snapshot: Snapshot, rules: Sequence[Conflicting]) -> list[Breach]:
    """All who break each rule at a moment, whatever their activity shows."""
    finder = _Finder(snapshot)
    if snapshot.people < _LARGE:
        return [finder.breach(rule) for rule in rules]
    for rule in rules:  # what is read from the store is read here, for only one thread may
        finder.touch(rule)
    with ThreadPoolExecutor(_WORKERS) as pool:
        return list(pool.map(finder.breach, rules))


def find_conflicts(snapshot: Snapshot, rules: Sequence[Conflicting]) -> list[Conflict]:
    """Every conflict that reach alone gives at a moment, by rule and then identity."""
    finder = _Finder(snapshot)
    return [conflict for rule in rules for conflict in finder.conflicts(finder.breach(rule))]


def broken_by(targets: PermissionTargets, rule: Conflicting, reached: Sequence[Reached]) -> Held | None:
    """The duties, and the values, in which somebody who reaches exactly this breaks a rule; None where nobody would."""
    by_name = {it.system.name: it for it in reached}
    held = [_values_reached(targets, duty, rule.within, by_name) for duty in rule.duties]
    every = sorted(set().union(*held), key=str)
    values = tuple(value for value in every if sum(value in duty for duty in held) >= rule.threshold)
    duties = tuple(duty for duty, mine in zip(rule.duties, held, strict=True) if mine & set(values))
    return (duties, values) if values else None


def _values_reached(targets: PermissionTargets, duty: Duty, within: str | None, reached: dict[str, Reached]) -> Values:
    """The values on which the duty is held by what is reached, by system."""

    def of(permission: Permission) -> Values:
        it = reached.get(permission.pattern.system)
        if it is None:
            return set()
        actions, nodes = targets.of_permission(permission)
        first, root = int(it.system.actions[0]) if len(it.system.actions) else 0, it.system.root
        return {
            value
            for value, some in targets.by_value(nodes, within).items()
            if any(bool(it.may[action - first, some - root].any()) for action in actions)
        }

    parts = [set().union(*(of(permission) for permission in duty.permissions))] if duty.permissions else []
    parts += [of(permission) for permission in duty.every]
    return set.intersection(*parts) if parts else set()


@dataclass(frozen=True)
class Given:
    """What gives one duty: an action on an address, on how many more alike, and the chains."""

    action: str
    address: str
    more: int
    chains: list[Chain]


def chains_of(targets: PermissionTargets, conflict: Conflict, duty: Duty) -> list[Given]:
    """What gives one duty to the conflict's identity; what comes by the same grants and permissions is told once."""
    index, at = targets.index, targets.snapshot.moment
    found: dict[object, Given] = {}
    for action, nodes in targets.of_duty(duty, conflict.rule.within, conflict.values):
        for node in one_per_answer(index, nodes)[:_MOST_EXPLAINED]:
            if who_reaches(index, node, action, at)[conflict.identity]:
                chains = explain(index, conflict.identity, node, action, at).permits.shown
                alike = (action, frozenset((chain.grant, chain.entry) for chain in chains))
                if alike in found:
                    found[alike] = replace(found[alike], more=found[alike].more + 1)
                else:
                    found[alike] = Given(index.actions[action][1], index.tree.addresses[node], 0, chains)
    return list(found.values())


class _Finder:
    def __init__(self, snapshot: Snapshot) -> None:
        self.snapshot = snapshot
        self.index = snapshot.index
        self.moment = snapshot.moment
        self.targets = PermissionTargets(snapshot)
        self.people = snapshot.people
        self._holders: dict[tuple[int, bytes], Packed] = {}

    def touch(self, rule: Conflicting) -> None:
        """Reads what a rule needs of the records."""
        if rule.within:
            self.snapshot.node(rule.within)
        if rule.excepted is not None:
            self.snapshot.selected(rule.excepted)

    def breach(self, rule: Conflicting) -> Breach:
        held = [self.holders(duty, rule.within) for duty in rule.duties]
        values = sorted({value for duty in held for value in duty}, key=str)
        nobody = np.packbits(np.zeros(self.people, dtype=bool))
        together = nobody.copy()
        for value in values:
            together |= _at_least(rule.threshold, [duty.get(value, nobody) for duty in held])
        breaking = np.unpackbits(together, count=self.people).view(bool).nonzero()[0]
        if rule.excepted is not None:
            breaking = breaking[~self.snapshot.selected(rule.excepted)[breaking]]
        if not len(breaking):
            return Breach(rule, breaking, breaking, [])
        holds = np.array([[_is_set(duty.get(value, nobody), breaking) for duty in held] for value in values])
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
            yield Conflict(breach.rule, identity, duties, where, *self.state(breach.rule, identity, where))

    def holders(self, duty: Duty, within: str | None) -> dict[str | None, Packed]:
        """Identities that hold the duty, by the value of the attribute of `within`."""
        parts = [self.reaching_one(duty.permissions, within)] if duty.permissions else []
        parts += [self.reaching_one((permission,), within) for permission in duty.every]
        if len(parts) == 1:
            return parts[0]
        values = set.intersection(*(set(part) for part in parts)) if parts else set()
        return {value: np.bitwise_and.reduce([it[value] for it in parts]) for value in values}

    def reaching_one(self, permissions: Sequence[Permission], within: str | None) -> dict[str | None, Packed]:
        """Identities that reach at least one of the permissions, by value."""
        found: dict[str | None, Packed] = {}
        for permission in permissions:
            actions, nodes = self.targets.of_permission(permission)
            for value, some in self.targets.by_value(nodes, within).items():
                for action in actions:
                    reaching = self.reaching(action, some)
                    found[value] = found[value] | reaching if value in found else reaching
        return found

    def reaching(self, action: int, nodes: Ints) -> Packed:
        key = (action, nodes.tobytes())
        if key not in self._holders:
            self._holders[key] = np.packbits(who_reaches_any(self.index, nodes, action, self.moment)[: self.people])
        return self._holders[key]

    def state(
        self, rule: Conflicting, identity: int, values: Sequence[str | None]
    ) -> tuple[str, tuple[str, ...], tuple[Used, ...]]:
        """Whether activity shows the duties used, the records on which enough of them were, and the newest uses."""
        mine = self.snapshot.uses.by_user[identity]
        state, records = HELD, set()
        newest: dict[tuple[str, str | None], Used] = {}
        for value in values if len(mine) else ():
            used = [self.uses_of(mine, duty, rule.within, value) for duty in rule.duties]
            if sum(bool(uses) for uses in used) >= rule.threshold:
                state = EXERCISED
                newest |= {(uses[-1].duty, None): uses[-1] for uses in used if uses}
            named = [record for uses in used for record in {use.record for use in uses} if record]
            records |= {record for record in named if named.count(record) >= rule.threshold}
            newest |= {(use.duty, use.record): use for uses in used for use in uses if use.record in records}
        shown = [use for (_, record), use in newest.items() if record is not None or not records]
        return SAME_RECORD if records else state, tuple(sorted(records)), tuple(sorted(shown, key=_in_time))

    def uses_of(self, mine: Ints, duty: Duty, within: str | None, value: str | None) -> list[Used]:
        """The uses of a duty among some, oldest first."""
        uses, found = self.snapshot.uses, set()
        for action, nodes in self.targets.of_duty(duty, within, (value,)):
            system = self.index.systems[self.index.actions[action][0]]
            first = int(system.actions[0])
            here = mine[np.isin(uses.node[mine], nodes)]
            covers = system.covers[uses.action[here] - first, action - first] if len(here) else []
            found |= set(here[covers].tolist()) if len(here) else set()
        ordered = sorted(found, key=lambda at: int(uses.time[at]))
        named = [str(uses.records[uses.record[at]]) if uses.record[at] >= 0 else None for at in ordered]
        return [Used(duty.name, day_text(int(uses.time[at])), name) for at, name in zip(ordered, named, strict=True)]


def _at_least(fewest: int, held: Sequence[Packed]) -> Packed:
    """Who holds so many of the duties, given who holds each."""
    if fewest >= len(held):
        return np.bitwise_and.reduce(held) if fewest == len(held) else np.zeros_like(held[0])
    counts = np.sum([np.unpackbits(it) for it in held], axis=0, dtype=np.int32)
    return np.packbits(counts >= fewest)


def _is_set(bits: Packed, positions: Ints) -> Bools:
    """Which of the positions are set."""
    found: Bools = (bits[positions >> 3] >> (7 - (positions & 7)).astype(np.uint8)) & 1 > 0
    return found


def _in_time(use: Used) -> tuple[str, str, str]:
    return use.record or "", use.day, use.duty
