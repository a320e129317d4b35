"""Whether something gives what was ordered: what has the ordered effect counts, whatever its source calls it.

The same thing, to the same holder or to an account of the same person, on the same scope, with the same effect and the
same end. What an order does not fix - ids, a beginning, who gave it - is the system's own, and does not count.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

import msgspec

from kathodos.change.edit_sets import Key, RecordEdit
from kathodos.model.kinds import ACCOUNTS, GRANTS, MEMBERS, Kind
from kathodos.model.references import name_in, reference_to
from kathodos.model.rows import Record
from kathodos.model.times import end_moment, first_moment
from kathodos.store.records import Records

Named = tuple[str, Key]  # a record by the name of its kind and its key
_EFFECT = ("gives", "on", "effect", "tier")


class Alike(msgspec.Struct, frozen=True):
    """A record that gives what a record that was ordered would give; `differs`: in what it is otherwise, in words."""

    kind: Kind
    record: Record
    differs: str = ""

    @property
    def key(self) -> Key:
        """The key under which it is kept."""
        return tuple(self.record[name] for name in self.kind.key)


def alike(records: Records, wanted: Iterable[tuple[Kind, Record]]) -> dict[Named, Alike]:
    """What gives the same as each of some grants and memberships, under another key; by the kind and key of each.

    One with another end or beginning than was ordered is told only where there is none that fits.
    """
    some = [(kind, record) for kind, record in wanted if kind in (GRANTS, MEMBERS)]
    if not some:
        return {}
    holders = _holders(records, some)
    known: dict[Kind, dict[tuple[Any, ...], list[Record]]] = {
        kind: _by_effect(records, kind, [record for of, record in some if of is kind], holders)
        for kind in dict.fromkeys(kind for kind, _ in some)
    }
    found: dict[Named, Alike] = {}
    for kind, record in some:
        own = tuple(record[name] for name in kind.key)
        there = [
            it
            for holder in holders[_holder(kind, record)]
            for it in known[kind].get((holder, *_effect(kind, record)), [])
            if tuple(it[name] for name in kind.key) != own
        ]
        best = min(there, key=lambda it: bool(_differs(kind, record, it)), default=None)
        if best is not None:
            found[kind.name, own] = Alike(kind, best, _differs(kind, record, best))
    return found


def fulfilling(records: Records, edits: Iterable[RecordEdit]) -> dict[Named, Alike]:
    """What gives what edits would make come, by the kind and key of each; also what does so differently."""
    return alike(records, ((it.kind, it.after) for it in edits if it.before is None and it.after is not None))


def _holder(kind: Kind, record: Record) -> str:
    return str(record["holder" if kind is GRANTS else "member"])


def _effect(kind: Kind, record: Record) -> tuple[Any, ...]:
    names = _EFFECT if kind is GRANTS else ("system", "group")
    return tuple(record[name] for name in names)


def _holders(records: Records, some: Sequence[tuple[Kind, Record]]) -> Mapping[str, list[str]]:
    """Who may hold what was ordered for each holder: itself, and the accounts of a person."""
    found = {_holder(kind, record): [_holder(kind, record)] for kind, record in some}
    people = [name_in("identity", it) for it in found if it.startswith("identity:")]
    if people:
        accounts = records.holding(ACCOUNTS, {"identity": people})
        for system, login, person in zip(accounts["system"], accounts["login"], accounts["identity"], strict=True):
            found[reference_to("identity", person)].append(reference_to("account", system, login))
    return found


def _by_effect(
    records: Records, kind: Kind, wanted: Sequence[Record], holders: Mapping[str, Sequence[str]]
) -> dict[tuple[Any, ...], list[Record]]:
    """The records that are held by one of those who may, by holder and effect; only these are read in full."""
    column = "holder" if kind is GRANTS else "member"
    some = dict.fromkeys(holder for record in wanted for holder in holders[_holder(kind, record)])
    narrow = "gives" if kind is GRANTS else "group"
    found: dict[tuple[Any, ...], list[Record]] = {}
    what = list(dict.fromkeys(str(record[narrow]) for record in wanted))
    for record in records.holding(kind, {column: list(some), narrow: what}).records():
        found.setdefault((_holder(kind, record), *_effect(kind, record)), []).append(record)
    return found


def _differs(kind: Kind, wanted: Record, there: Record) -> str:
    """In what a grant is otherwise than it was ordered, in words; empty where it fits."""
    return "; ".join(_differing(wanted, there)) if kind is GRANTS else ""


def _differing(wanted: Record, there: Record) -> Iterator[str]:
    if end_moment(wanted["until"]) != end_moment(there["until"]):
        yield f"it ends on {there['until'] or 'no day'}, and {wanted['until'] or 'no end'} was ordered"
    if wanted["from"] is not None and first_moment(wanted["from"]) < first_moment(there["from"]):
        yield f"it begins on {there['from']}, and {wanted['from']} was ordered"
