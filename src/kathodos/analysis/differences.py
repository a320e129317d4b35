"""What differs between two states of the catalogue: by kind of record, and by person in what they reach."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from kathodos.engine.index import Index
from kathodos.engine.reach import Reached, grants_of, pairs_in, what_grants_give
from kathodos.model.kinds import GATHERED, Kind
from kathodos.model.rows import State


@dataclass(frozen=True)
class KindDifference:
    """How many records of a kind came, changed and went from the first state to the second."""

    kind: Kind
    came: int
    changed: int
    went: int


@dataclass(frozen=True)
class Asker:
    """What one identity, or account without one, reaches more and less in the second state, as `action address`."""

    reference: str
    gained: list[str]
    lost: list[str]


def by_kind(first: State, second: State) -> list[KindDifference]:
    """The differences in the records of each gathered kind, where there is one."""
    found = []
    for kind in GATHERED:
        before = dict(zip(first[kind.name].record_keys(), first[kind.name].values(), strict=True))
        after = dict(zip(second[kind.name].record_keys(), second[kind.name].values(), strict=True))
        came, went = len(after.keys() - before.keys()), len(before.keys() - after.keys())
        changed = sum(before[key] != after[key] for key in before.keys() & after.keys())
        if came or changed or went:
            found.append(KindDifference(kind, came, changed, went))
    return found


def by_asker(first: Index, second: Index, first_at: int, second_at: int) -> Iterator[Asker]:
    """Those whose reach differs. Where both hold the same permissions over the same resources, nothing is computed."""
    is_same_ground = first.tree.addresses == second.tree.addresses and _ground(first) == _ground(second)
    names = sorted({*_askers(first), *_askers(second)})
    reached: dict[tuple[int, object], set[str]] = {}
    for name in names:
        before, after = _held(first, name, first_at), _held(second, name, second_at)
        if not (is_same_ground and before == after):
            had = _reach(first, name, first_at, reached, 1, before)
            has = _reach(second, name, second_at, reached, 2, after)
            if had != has:
                yield Asker(name, sorted(has - had), sorted(had - has))


def _ground(index: Index) -> object:
    """What decides besides grants: detached resources, types, systems, and what areas hold."""
    areas = {
        text: [column.tobytes() for column in (scope.intervals.first, scope.intervals.end, scope.intervals.anchor)]
        for text, scope in zip(index.entitlements.scope_texts, index.entitlements.scopes, strict=True)
        if scope.intervals is not None
    }
    systems = [
        (system.name, system.combining, system.inherits, system.covers.tobytes(), tuple(system.gates))
        for system in index.systems.values()
    ]
    return index.tree.region.tobytes(), index.types.tobytes(), list(index.type_names), systems, index.actions, areas


def _askers(index: Index) -> list[str]:
    return [index.holders.references[asker] for asker in index.holders.askers.tolist()]


def _held(index: Index, name: str, moment: int) -> frozenset[object]:
    """The permissions that one has been given, with all that bears on how they are decided."""
    asker = index.holders.find(name)
    if asker < 0:
        return frozenset()
    given = set()
    for grant in grants_of(index, asker, moment).tolist():
        entries = index.scoped_entry[index.entitlements.scoped[index.grants.entitlement[grant]]]
        texts = frozenset(str(index.entries[entry]) for entry in entries.tolist())
        given.add((texts, index.scope(grant), bool(index.grants.denies[grant]), int(index.grants.tier[grant])))
    return frozenset(given)


def _reach(
    index: Index, name: str, moment: int, known: dict[tuple[int, object], set[str]], side: int, held: frozenset[object]
) -> set[str]:
    """Everything that one reaches; those who hold the same are answered once."""
    if (side, held) not in known:
        asker = index.holders.find(name)
        grants = grants_of(index, asker, moment) if asker >= 0 else None
        known[side, held] = _texts(index, what_grants_give(index, grants)) if grants is not None else set()
    return known[side, held]


def _texts(index: Index, reached: list[Reached]) -> set[str]:
    return {f"{action} {address}" for found in reached for action, address in pairs_in(index, found)}
