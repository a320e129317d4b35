"""Back to an earlier state, of one thing or of everything, and an applied change taken back: both as edits."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import partial

import msgspec
import numpy as np

from kathodos.change.edit_sets import EditSet, Key, RecordEdit, system_of
from kathodos.change.kept import Change, edits_kept
from kathodos.change.orders import pending_edits
from kathodos.change.settling import Moved, records_held, settled
from kathodos.columns.csr import Bools
from kathodos.columns.dictionary import DictionaryColumn, dictionary_column
from kathodos.engine.compiled.index import NEEDED
from kathodos.errors import CallError
from kathodos.model.kinds import (
    ACCOUNTS,
    GRANTS,
    GROUPS,
    IDENTITIES,
    MANDATES,
    MEMBERS,
    RESOURCES,
    ROLE_JUNIORS,
    ROLE_PERMISSIONS,
    ROLES,
    SYSTEMS,
    Kind,
)
from kathodos.model.rows import Record
from kathodos.store.edited import edited
from kathodos.store.records import Records, Stored

EVERYTHING = "everything"
Columns = Callable[[str], DictionaryColumn]  # a column of some records, by name
NAMED = (IDENTITIES, ACCOUNTS, GROUPS, ROLES, GRANTS, SYSTEMS)  # of which one can be put back
_BEARING = tuple(dict.fromkeys((*NEEDED, MANDATES)))


class Part(msgspec.Struct, frozen=True):
    """What is put back: everything, or what belongs to one thing, given by its full reference."""

    reference: str
    accounts: tuple[str, ...] = ()  # of an identity, then and now

    def kinds(self) -> tuple[Kind, ...]:
        """The kinds of which something belongs to it."""
        return {
            EVERYTHING: _BEARING,
            "system": tuple(it for it in _BEARING if it not in (IDENTITIES, MANDATES)),
            "identity": (IDENTITIES, ACCOUNTS, MEMBERS, GRANTS),
            "account": (ACCOUNTS, MEMBERS, GRANTS),
            "group": (GROUPS, MEMBERS, GRANTS),
            "role": (ROLES, ROLE_JUNIORS, ROLE_PERMISSIONS),
            "grant": (GRANTS,),
        }[self._prefix]

    @property
    def _prefix(self) -> str:
        return self.reference.partition(":")[0]

    @property
    def _name(self) -> str:
        return self.reference.partition(":")[2]

    def holds(self, kind: Kind, column: Columns) -> Bools:
        """Which records of a kind belong to it, by their columns."""
        if self.reference == EVERYTHING:
            return np.ones(len(column(kind.key[0])), dtype=bool)
        if self._prefix == "system":
            return self._of_system(kind, column)
        if self._prefix == "grant":
            return column("grant").holding(self._name)
        if kind is GRANTS:
            return column("holder").holding_any([self.reference, *self.accounts])
        if kind is MEMBERS:
            members = column("member").holding_any([self.reference, *self.accounts])
            return members if self._prefix != "group" else members | self._named(kind, column, "group")
        if kind is ACCOUNTS and self._prefix == "identity":
            return column("identity").holding(self._name)
        if kind is IDENTITIES:
            return column("id").holding(self._name)
        return self._named(kind, column, {ACCOUNTS: "login", GROUPS: "group"}.get(kind, "role"))

    def _named(self, kind: Kind, column: Columns, name: str) -> Bools:
        system, _, rest = self._name.partition("/")
        found: Bools = column("system").holding(system) & column(name).holding(rest)
        return found

    def _of_system(self, kind: Kind, column: Columns) -> Bools:
        if "system" in kind.names:
            return column("system").holding(self._name)
        name = {GRANTS: "gives", RESOURCES: "resource"}.get(kind)
        if name is None:  # an area: of the system that one of its patterns is of
            held = column("resources")
            mine = [any(it.startswith(f"{self._name}:") for it in str(text).split(";")) for text in held.values]
        else:
            held = column(name)
            mine = [system_of(kind, {name: text}) == self._name for text in held.values]
        return np.array([*mine, False])[held.codes]


def restoring(records: Stored, then: Stored, part: Part) -> EditSet:
    """The edits that put a part of what has been decided back to what it was then."""
    pending = pending_edits(records)
    now = edited(records, pending.edits) if len(pending) else records
    found = EditSet()
    for kind in part.kinds():
        keys = dict.fromkeys(_differing(records, then, kind, part))
        keys |= {edit.key: None for edit in pending.of(kind) if _concerns(kind, edit, keys, part)}
        wanted = list(keys)
        before, after = (records_held(some, kind, wanted) for some in (now, then))
        for key in wanted:
            was, is_then = before.get(key), after.get(key)
            edit = RecordEdit(kind, key, was.record if was else None, is_then.record if is_then else None)
            if not edit.is_empty:
                found.put(edit)
    return found


def _concerns(kind: Kind, edit: RecordEdit, keys: dict[Key, None], part: Part) -> bool:
    """Whether a pending edit is of the part that is put back."""
    return edit.key in keys or bool(part.holds(kind, lambda name: dictionary_column([edit.record[name]]))[0])


def _differing(records: Stored, then: Stored, kind: Kind, part: Part) -> Iterable[Key]:
    """The keys of the records of a part that came, went or changed since."""
    history = records.history(kind)
    newest = records.histories.newest.entry
    gone, come = history.between(then.point if then.point is not None else newest, newest)
    positions = np.concatenate([gone, come])
    if not len(positions):
        return
    positions = positions[part.holds(kind, lambda name: history.column(name).taken(positions))]
    yield from zip(*(history.column(name).listed(positions) for name in kind.key), strict=True)


# Taking a change back


def undoing(records: Records, change: Change, now: Records) -> EditSet:
    """The edits that take an applied change back; `now`: the records as decided.

    Raises CallError where something of it was changed again since.
    """
    if not change.is_applied:
        what = f"The change {change.name} is {'a draft' if change.state == 'draft' else str(change.state)}."
        raise CallError(what, "Only what was applied can be taken back.")
    if change.is_of_requests:
        what = f"The change {change.name} comes from {change.origin}, and is taken back by what it comes from."
        raise CallError(what, "End the request: kathodos request return. Or change the kit: kathodos kit set.")
    edits = edits_kept(records, change.name).reversed()
    found = settled(edits, now)
    if found.moved:
        raise _in_the_way(found.moved, change)
    if not found.ready:
        raise CallError(f"Nothing of the change {change.name} is left to take back.", "It was taken back already.")
    return found.edits


def _in_the_way(moved: Sequence[Moved], change: Change) -> CallError:
    told = [f"{it.edit.kind.one} {' '.join(map(str, it.edit.key))}: {it.text}" for it in moved[:5]]
    more = f"; and {len(moved) - 5} more" if len(moved) > 5 else ""
    what = f"{change.name} cannot be taken back, for this was changed again since: {'; '.join(told)}{more}."
    return CallError(what, "Put these back first, or restore each thing with: kathodos change restore REF --to POINT")


# Counting then and now


class PartCounts(msgspec.Struct, frozen=True):
    """How many records of a kind belong to a part at a point."""

    kind: Kind
    count: int


def counted(records: Stored, part: Part) -> list[PartCounts]:
    """How many records of each kind belong to a part."""
    found = []
    for kind in part.kinds():
        mask = part.holds(kind, partial(records.column, kind))
        found.append(PartCounts(kind, int(mask.sum())))
    return found


def accounts_of(records: Records, identity: str) -> list[str]:
    """The accounts of an identity, by reference."""
    at = records.column(ACCOUNTS, "identity").holding(identity).nonzero()[0]
    columns = (records.column(ACCOUNTS, name).listed(at) for name in ("system", "login"))
    return [f"account:{system}/{login}" for system, login in zip(*columns, strict=True)]


def part_of(records: Stored, then: Stored, reference: str) -> Part:
    """The part that belongs to a thing; of an identity with the accounts that it has or had."""
    if not reference.startswith("identity:"):
        return Part(reference)
    name = reference.partition(":")[2]
    accounts = dict.fromkeys([*accounts_of(records, name), *accounts_of(then, name)])
    return Part(reference, tuple(accounts))


def record_named(records: Records, kind: Kind, key: Key) -> Record | None:
    """The record with a key."""
    held = records_held(records, kind, [key]).get(key)
    return held.record if held is not None else None
