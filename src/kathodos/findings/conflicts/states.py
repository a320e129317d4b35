"""Segregation of duties: who holds too many duties of a rule (static separation of duty, ANSI INCITS 359, 5.3)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from enum import StrEnum

import msgspec
import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.threads import in_threads
from kathodos.engine.compiled.index import Index
from kathodos.engine.explain import Chain, explain
from kathodos.engine.reach import Reached, one_per_answer, what_reached_by, who_reaches_any
from kathodos.model.severities import SEVERITIES
from kathodos.model.times import day_text
from kathodos.rules.reading import Conflicting, Duty, Permission
from kathodos.rules.targets import PermissionTargets

_MOST_EXPLAINED = 40
Packed = npt.NDArray[np.uint8]  # a bit for each asker, as numpy packs them
Values = set[str | None]  # of the attribute of `within`; None where a rule has none


class State(StrEnum):
    """How far a conflict has gone; arrays keep the position in this order."""

    LATENT = "latent"
    HELD = "held"
    EXERCISED = "exercised"
    SAME_RECORD = "exercised on the same record"


STATES = tuple(State)
LATENT, HELD, EXERCISED, SAME_RECORD = STATES


class Used(msgspec.Struct, frozen=True):
    """One use of a duty: its name, the day, and the record that it was about."""

    duty: str
    day: str
    record: str | None


class Conflict(msgspec.Struct, frozen=True):
    """An identity, or an account of nobody, that breaks a rule: the duties it holds, and whether its activity shows
    them used.

    `uses`: the newest use of each duty, or of each on a record that enough of them were used on; `records` are those.
    `roles`: those that alone give all of it.
    """

    rule: Conflicting
    asker: int
    duties: tuple[Duty, ...]
    values: tuple[str | None, ...]
    state: State
    records: tuple[str, ...] = ()
    uses: tuple[Used, ...] = ()
    roles: tuple[str, ...] = ()

    def name(self, index: Index) -> str:
        """What it is called in commands: the rule and who breaks it."""
        return f"{self.rule.id}/{index.holders.asker_name(self.asker)}"


Held = tuple[tuple[Duty, ...], tuple[str | None, ...]]  # the duties held, and the values on which enough of them are


class Breach(msgspec.Struct, frozen=True):
    """All who break one rule: `alike` says for each of `askers` which of the `held` (duties, values) it is."""

    rule: Conflicting
    askers: Ints
    alike: Ints
    held: list[Held]


def who_breaks(basis: Basis, rules: Sequence[Conflicting]) -> list[Breach]:
    """All who break each rule at a moment, whatever their activity shows."""
    finder = _Finder(basis)
    if basis.people < thresholds.RULES_APART:
        return [finder.breach(rule) for rule in rules]
    for rule in rules:  # what is read from the store is read here, for only one thread may
        finder.touch(rule)
    return in_threads(finder.breach, rules)


class Conflicts(msgspec.Struct, frozen=True):
    """Many conflicts, one element each: `rule` a position in `rules`, `held` one in `held_alike`, `state` in STATES.

    `asker` is the number of an identity, or of an account that is tied to nobody.

    `by_role`: whether a role alone gives it. Of those alike the duties held, and the values, are kept once.
    """

    rules: Sequence[Conflicting]
    rule: Ints
    asker: Ints
    held: Ints
    held_alike: Sequence[Held]
    state: Ints
    by_role: Bools

    def __len__(self) -> int:
        return len(self.rule)

    @property
    def is_latent(self) -> Bools:
        """Which of them need potential reach."""
        found: Bools = self.state == STATES.index(LATENT)
        return found

    @property
    def is_exercised(self) -> Bools:
        """Of which of them activity shows enough duties used."""
        found: Bools = self.state >= STATES.index(EXERCISED)
        return found

    def severity(self) -> Ints:
        """The severity of each, as a position in SEVERITIES."""
        levels = np.array([SEVERITIES.index(rule.severity) for rule in self.rules], dtype=np.int64)
        return levels[self.rule]

    def taken(self, chosen: Bools | Ints) -> Conflicts:
        """Only some of them."""
        columns = (self.rule[chosen], self.asker[chosen], self.held[chosen])
        return Conflicts(self.rules, *columns, self.held_alike, self.state[chosen], self.by_role[chosen])

    def followed_by(self, others: Sequence[Conflict]) -> Conflicts:
        """These and behind them some more, of the same rules."""
        if not others:
            return self
        number = {rule.id: at for at, rule in enumerate(self.rules)}
        first = len(self.held_alike)
        rule = np.array([number[it.rule.id] for it in others], dtype=np.int64)
        asker = np.array([it.asker for it in others], dtype=np.int64)
        state = np.array([STATES.index(it.state) for it in others], dtype=np.int64)
        return Conflicts(
            self.rules,
            np.concatenate([self.rule, rule]),
            np.concatenate([self.asker, asker]),
            np.concatenate([self.held, first + np.arange(len(others))]),
            [*self.held_alike, *((it.duties, it.values) for it in others)],
            np.concatenate([self.state, state]),
            np.concatenate([self.by_role, np.zeros(len(others), dtype=bool)]),
        )

    def conflict(self, position: int, basis: Basis) -> Conflict:
        """One of them in full, with the uses that activity shows."""
        return next(self.each(basis, np.array([position])))

    def each(self, basis: Basis, positions: Ints | None = None) -> Iterator[Conflict]:
        """Some of them in full (all: none said), in order."""
        finder = _Finder(basis)
        for position in range(len(self)) if positions is None else positions.tolist():
            rule, asker = self.rules[int(self.rule[position])], int(self.asker[position])
            duties, values = self.held_alike[int(self.held[position])]
            state = STATES[int(self.state[position])]
            records, uses = finder.uses_shown(rule, asker, values) if state != LATENT else ((), ())
            yield Conflict(rule, asker, duties, values, state, records, uses)


def no_conflicts(rules: Sequence[Conflicting]) -> Conflicts:
    """No conflict of some rules."""
    nothing = np.zeros(0, dtype=np.int64)
    return Conflicts(rules, nothing, nothing, nothing, [], nothing, np.zeros(0, dtype=bool))


def all_conflicts(basis: Basis, rules: Sequence[Conflicting]) -> Conflicts:
    """Every conflict that reach alone gives at a moment, by rule and then asker."""
    finder, breaches = _Finder(basis), who_breaks(basis, rules)
    first = np.cumsum([0, *(len(breach.held) for breach in breaches)])
    parts = list(enumerate(breaches))
    nothing = np.zeros(0, dtype=np.int64)
    return Conflicts(
        list(rules),
        np.concatenate([nothing, *(np.full(len(breach.askers), at) for at, breach in parts)]),
        np.concatenate([nothing, *(breach.askers for breach in breaches)]).astype(np.int64),
        np.concatenate([nothing, *(breach.alike + first[at] for at, breach in parts)]).astype(np.int64),
        [held for breach in breaches for held in breach.held],
        np.concatenate([nothing, *(finder.states(breach) for breach in breaches)]),
        np.zeros(sum(len(breach.askers) for breach in breaches), dtype=bool),
    )


def find_conflicts(basis: Basis, rules: Sequence[Conflicting]) -> list[Conflict]:
    """As `all_conflicts`, each in full."""
    return list(all_conflicts(basis, rules).each(basis))


def conflicts_of_one(basis: Basis, rules: Sequence[Conflicting], asker: int) -> list[Conflict]:
    """The conflicts that reach alone gives to one identity or account, in full; nobody else is looked at."""
    finder, reached = _Finder(basis), what_reached_by(basis.index, asker, basis.moment)
    found = []
    for rule in rules:
        if rule.excepted is not None and basis.selected(rule.excepted)[asker]:
            continue
        broken = broken_by(finder.targets, rule, reached)
        if broken is not None:
            alone = np.array([asker])
            breach = Breach(rule, alone, np.zeros(1, dtype=np.int64), [broken])
            state = STATES[int(finder.states(breach)[0])]
            found.append(Conflict(rule, asker, *broken, state, *finder.uses_shown(rule, asker, broken[1])))
    return found


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


class Given(msgspec.Struct, frozen=True):
    """What gives one duty: an action on an address, on how many more alike, and the chains."""

    action: str
    address: str
    more: int
    chains: list[Chain]


def chains_of(targets: PermissionTargets, conflict: Conflict, duty: Duty) -> list[Given]:
    """What gives one duty to whoever breaks the rule; what comes by the same grants and permissions is told once."""
    index, at = targets.index, targets.basis.moment
    reached = {it.system.name: it for it in what_reached_by(index, conflict.asker, at)}
    found: dict[object, Given] = {}
    for action, nodes in targets.of_duty(duty, conflict.rule.within, conflict.values):
        held = reached.get(index.actions[action][0])
        for node in one_per_answer(index, nodes)[:_MOST_EXPLAINED] if held is not None and len(nodes) else ():
            if held is not None and held.holds(int(action - held.system.actions[0]), node):
                chains = explain(index, conflict.asker, node, action, at).permits.shown
                alike = (action, frozenset((chain.grant, chain.entry) for chain in chains))
                if alike in found:
                    found[alike] = replace(found[alike], more=found[alike].more + 1)
                else:
                    found[alike] = Given(index.actions[action][1], index.tree.addresses[node], 0, chains)
    return list(found.values())


class _Finder:
    def __init__(self, basis: Basis) -> None:
        self.basis = basis
        self.index = basis.index
        self.moment = basis.moment
        self.targets = PermissionTargets(basis)
        self.size = basis.size
        self._holders: dict[tuple[int, bytes], Packed] = {}

    def touch(self, rule: Conflicting) -> None:
        """Reads what a rule needs of the records."""
        if rule.within:
            self.basis.node(rule.within)
        if rule.excepted is not None:
            self.basis.selected(rule.excepted)

    def breach(self, rule: Conflicting) -> Breach:
        held = [self.holders(duty, rule.within) for duty in rule.duties]
        values = sorted({value for duty in held for value in duty}, key=str)
        nobody = np.packbits(np.zeros(self.size, dtype=bool))
        together = nobody.copy()
        for value in values:
            together |= _at_least(rule.threshold, [duty.get(value, nobody) for duty in held])
        breaking = np.unpackbits(together, count=self.size).view(bool).nonzero()[0]
        if rule.excepted is not None:
            breaking = breaking[~self.basis.selected(rule.excepted)[breaking]]
        if not len(breaking):
            return Breach(rule, breaking, breaking, [])
        holds = np.array([[_is_set(duty.get(value, nobody), breaking) for duty in held] for value in values])
        breaks = holds.sum(axis=1) >= rule.threshold
        marks = np.packbits(holds.reshape(-1, len(breaking)), axis=0)
        marks = np.ascontiguousarray(marks.T).view(f"V{len(marks)}").ravel() if len(marks) > 1 else marks[0]
        _, first, alike = np.unique(marks, return_index=True, return_inverse=True)
        alike_held = []
        for one in first.tolist():
            mine = breaks[:, one].nonzero()[0]
            duties = tuple(duty for at, duty in enumerate(rule.duties) if holds[mine, at, one].any())
            alike_held.append((duties, tuple(values[at] for at in mine)))
        return Breach(rule, breaking, alike, alike_held)

    def states(self, breach: Breach) -> Ints:
        """How far each conflict of a breach has gone, as a position in STATES, by what activity shows."""
        uses, count = self.basis.uses, len(breach.askers)
        state = np.full(count, STATES.index(HELD), dtype=np.int64)
        origin, mine = uses.by_user.of(breach.askers)
        mine = mine.astype(np.int64)
        for value in {value for _, values in breach.held for value in values} if len(mine) else ():
            concerned = np.array([value in values for _, values in breach.held], dtype=bool)[breach.alike]
            kept = concerned[origin].nonzero()[0]
            of, some = origin[kept], mine[kept]
            duties = np.zeros(count, dtype=np.int64)
            on_record = []
            for duty in breach.rule.duties:
                is_use = self.is_use_of(some, duty, breach.rule.within, value)
                duties += np.bincount(of[is_use], minlength=count) > 0
                noted = is_use & (uses.record[some] >= 0)
                width = len(uses.records) + 1
                on_record.append(distinct(of[noted] * width + uses.record[some[noted]]))
            state[duties >= breach.rule.threshold] = np.maximum(
                state[duties >= breach.rule.threshold], STATES.index(EXERCISED)
            )
            pairs, times = np.unique(np.concatenate(on_record), return_counts=True)
            width = len(uses.records) + 1
            state[pairs[times >= breach.rule.threshold] // width] = STATES.index(SAME_RECORD)
        return state

    def is_use_of(self, some: Ints, duty: Duty, within: str | None, value: str | None) -> Bools:
        """Which of some uses are uses of a duty on a value."""
        uses, found = self.basis.uses, np.zeros(len(some), dtype=bool)
        is_there = np.zeros(len(self.index.tree), dtype=bool)
        for action, nodes in self.targets.of_duty(duty, within, (value,)):
            system = self.index.systems[self.index.actions[action][0]]
            first, end = int(system.actions[0]), int(system.actions[-1]) + 1
            is_there[nodes] = True
            here = (is_there[uses.node[some]] & (uses.action[some] >= first) & (uses.action[some] < end)).nonzero()[0]
            is_there[nodes] = False
            found[here[system.covers[uses.action[some[here]] - first, action - first]]] = True
        return found

    def holders(self, duty: Duty, within: str | None) -> dict[str | None, Packed]:
        """Askers that hold the duty, by the value of the attribute of `within`."""
        parts = [self.reaching_one(duty.permissions, within)] if duty.permissions else []
        parts += [self.reaching_one((permission,), within) for permission in duty.every]
        if len(parts) == 1:
            return parts[0]
        values = set.intersection(*(set(part) for part in parts)) if parts else set()
        return {value: np.bitwise_and.reduce([it[value] for it in parts]) for value in values}

    def reaching_one(self, permissions: Sequence[Permission], within: str | None) -> dict[str | None, Packed]:
        """Askers that reach at least one of the permissions, by value."""
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
            reaching = who_reaches_any(self.index, nodes, action, self.moment) & self.index.holders.is_asker
            self._holders[key] = np.packbits(reaching)
        return self._holders[key]

    def uses_shown(
        self, rule: Conflicting, asker: int, values: Sequence[str | None]
    ) -> tuple[tuple[str, ...], tuple[Used, ...]]:
        """The records on which activity shows enough of the duties used, and the newest uses."""
        mine = self.basis.uses.by_user[asker]
        records: set[str] = set()
        newest: dict[tuple[str, str | None], Used] = {}
        for value in values if len(mine) else ():
            used = [self.uses_of(mine, duty, rule.within, value) for duty in rule.duties]
            if sum(bool(uses) for uses in used) >= rule.threshold:
                newest |= {(uses[-1].duty, None): uses[-1] for uses in used if uses}
            named = [record for uses in used for record in {use.record for use in uses} if record]
            records |= {record for record in named if named.count(record) >= rule.threshold}
            newest |= {(use.duty, use.record): use for uses in used for use in uses if use.record in records}
        shown = [use for (_, record), use in newest.items() if record is not None or not records]
        return tuple(sorted(records)), tuple(sorted(shown, key=_in_time))

    def uses_of(self, mine: Ints, duty: Duty, within: str | None, value: str | None) -> list[Used]:
        """The uses of a duty among some, oldest first."""
        uses, some = self.basis.uses, mine.astype(np.int64)
        found = some[self.is_use_of(some, duty, within, value)].tolist()
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
