"""Roles that were combined of others: what is remembered of them, and which are no longer what their parts are."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence

import msgspec

from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.model.kinds import ROLE_PARTS
from kathodos.store.records import Records


class Parts(msgspec.Struct, frozen=True):
    """The parts of combined roles as they are remembered: of each whole its parts, and what it took of each."""

    took: Mapping[RoleKey, Mapping[RoleKey, frozenset[Entry]]] = msgspec.field(default_factory=dict)

    @classmethod
    def of(cls, records: Records) -> Parts:
        """All that is remembered."""
        found: dict[RoleKey, dict[RoleKey, frozenset[Entry]]] = {}
        columns = (records.column(ROLE_PARTS, name).listed() for name in ("whole", "part", "took"))
        for whole, part, took in zip(*columns, strict=True):
            entries = frozenset(Entry(*it) for it in json.loads(str(took or "[]")))
            found.setdefault(RoleKey.of(str(whole)), {})[RoleKey.of(str(part))] = entries
        return cls(found)

    def within(self, whole: RoleKey) -> set[RoleKey]:
        """All that a role is combined of, its parts' parts included."""
        found: set[RoleKey] = set()
        fresh = [whole]
        while fresh:
            more = [it for it in self.took.get(fresh.pop(), ()) if it not in found]
            found.update(more)
            fresh += more
        return found


class Stale(msgspec.Struct, frozen=True):
    """A combined role that is no longer what its parts are: what it lacks, and what it has that they lost."""

    key: RoleKey
    parts: Sequence[RoleKey]
    lacks: Sequence[Entry]
    lost: Sequence[Entry]


def stale_roles(records: Records) -> list[Stale]:
    """The combined roles that are no longer what their parts are, in order."""
    remembered = Parts.of(records)
    if not remembered.took:
        return []
    table = RoleTable(records)
    found = []
    for key, took in sorted(remembered.took.items()):
        if not table.exists(key):
            continue
        has = table.given_by(key)
        now: set[Entry] = set().union(*(table.given_by(part) for part in took))
        taken: set[Entry] = set().union(*took.values())
        lacks, lost = sorted(now - has), sorted((taken - now) & set(table.own(key)))
        if lacks or lost:
            found.append(Stale(key, list(took), lacks, lost))
    return found
