"""How edits stand against the records as they are now: still to be made, made already, or about what has moved."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
from msgspec.structs import replace

from kathodos.change.edit_sets import EditSet, Key, RecordEdit
from kathodos.change.fulfilled import alike
from kathodos.model.kinds import GRANTS, Kind
from kathodos.model.rows import Record
from kathodos.store.records import Records

NOTES = ("given_by", "given_at", "reason", "last_used")  # on a grant, which its source need not keep


class Held(msgspec.Struct, frozen=True):
    """A record as it is kept: the number of its row, who brings it, and what it holds."""

    row: int
    source: str | None
    record: Record


class Moved(msgspec.Struct, frozen=True):
    """An edit that no longer fits: the record has been changed otherwise since the edit was written."""

    edit: RecordEdit
    now: Record | None

    @property
    def text(self) -> str:
        """What stands there now, in words."""
        if self.now is None:
            return "is not there any more"
        before = self.edit.before
        if before is None:
            return "is there already, and says otherwise"
        names = [name for name in self.edit.kind.names if before[name] != self.now[name]]
        told = (f"{name} is {self.now[name] or 'empty'}, and was {before[name] or 'empty'}" for name in names)
        return "; ".join(told)


class Settled(msgspec.Struct, frozen=True):
    """Edits held against the records: what is to be made, what stands already, and what has moved."""

    ready: list[tuple[RecordEdit, Held | None]]
    standing: list[RecordEdit]
    moved: list[Moved]

    @property
    def edits(self) -> EditSet:
        """What is to be made."""
        return EditSet(edit for edit, _ in self.ready)


def settled(edits: EditSet, records: Records) -> Settled:
    """How each edit stands against the records as they are."""
    found = Settled([], [], [])
    for kind, some in edits.by_kind().items():
        held = records_held(records, kind, [edit.key for edit in some])
        missing = ((kind, it.before) for it in some if it.before is not None and it.key not in held)
        others = {key: it.key for (_, key), it in alike(records, missing).items() if not it.differs}
        held_otherwise = records_held(records, kind, list(others.values())) if others else {}
        for edit in some:
            if edit.key in others:  # its source lists it under another name
                other = held_otherwise[others[edit.key]]
                after = None if edit.after is None else {**other.record, **_changes(edit)}
                _settle(replace(edit, key=others[edit.key], before=other.record, after=after), other, found)
            else:
                _settle(edit, held.get(edit.key), found)
    return found


def _changes(edit: RecordEdit) -> Record:
    assert edit.after is not None
    return {name: edit.after[name] for name in edit.changed}


def _settle(edit: RecordEdit, held: Held | None, found: Settled) -> None:
    now = held.record if held is not None else None
    if edit.kind is GRANTS and now is not None and edit.before is not None and now != edit.before:
        kept = {**now, **{name: edit.before[name] for name in NOTES}}
        if kept == edit.before:  # its source keeps none of what only says who gave it, when and why
            edit = replace(edit, before=now, after=edit.after if edit.after is None else {**now, **_changes(edit)})
    if now == edit.after:
        found.standing.append(edit)
    elif now == edit.before:
        found.ready.append((edit, held))
    elif edit.before is None or edit.after is None or now is None or not _is_apart(edit, now):
        found.moved.append(Moved(edit, now))
    else:  # what else has changed in the record since stays as it is now
        after = {**now, **{name: edit.after[name] for name in edit.changed}}
        found.ready.append((replace(edit, before=now, after=after), held))


def _is_apart(edit: RecordEdit, now: Record) -> bool:
    """Whether no column that an edit changes has been changed otherwise since."""
    before, after = edit.before, edit.after
    assert before is not None
    assert after is not None
    return all(now[name] in (before[name], after[name]) for name in edit.changed)


def records_held(records: Records, kind: Kind, keys: Sequence[Key]) -> Mapping[Key, Held]:
    """The records with some keys, by key; what is not there is left out. They are looked for all together."""
    found: dict[Key, Held] = {}
    if not keys:
        return found
    rows, wanted = records.holding(kind, dict(zip(kind.key, zip(*keys, strict=True), strict=True))), set(keys)
    held = [(row, *it) for row, it in zip(rows.ids, zip(rows.record_keys(), rows.records(), strict=True), strict=True)]
    held = [it for it in held if it[1] in wanted]
    sources = records.sources_at(kind, [row for row, _, _ in held])
    for (row, key, record), source in zip(held, sources, strict=True):
        found[key] = Held(row, None if source is None else str(source), record)
    return found
