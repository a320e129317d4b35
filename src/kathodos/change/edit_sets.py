"""Sets of edits: each is of one record, as it was before and as it is after; several of one record are one."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from enum import StrEnum
from typing import Any

import msgspec
from msgspec.structs import replace

from kathodos.model.cells import read_record_text, record_text
from kathodos.model.json_text import json_text
from kathodos.model.kinds import BY_NAME, Kind
from kathodos.model.rows import Record
from kathodos.store.edited import Edit, Edits

Key = tuple[Any, ...]


class Verb(StrEnum):
    """What is done to a record."""

    ADD = "add"
    END = "end"
    SET = "set"


class RecordEdit(msgspec.Struct, frozen=True):
    """One record as it was (None: it was not there) and as it is to be (None: it ends), and why."""

    kind: Kind
    key: Key
    before: Record | None
    after: Record | None
    why: str = ""
    author: str = ""

    @property
    def verb(self) -> Verb:
        """What is done to the record."""
        if self.before is None:
            return Verb.ADD
        return Verb.END if self.after is None else Verb.SET

    @property
    def is_empty(self) -> bool:
        """Whether it leaves the record as it is."""
        return self.before == self.after

    @property
    def changed(self) -> list[str]:
        """The columns that differ before and after, of a record that is set."""
        if self.before is None or self.after is None:
            return []
        return [name for name in self.kind.names if self.before[name] != self.after[name]]

    @property
    def reversed(self) -> RecordEdit:
        """The edit that takes this one back."""
        return replace(self, before=self.after, after=self.before)

    @property
    def record(self) -> Record:
        """The record after the edit, or before it where it ends."""
        found = self.after if self.after is not None else self.before
        assert found is not None
        return found


def edit_of(kind: Kind, before: Record | None, after: Record | None, why: str = "") -> RecordEdit:
    """An edit whose key is in one of its records."""
    held = after if after is not None else before
    assert held is not None
    was, is_then = (None if it is None else {name: it[name] for name in kind.names} for it in (before, after))
    return RecordEdit(kind, tuple(held[name] for name in kind.key), was, is_then, why)


def edits_from(edits: Edits) -> Iterator[RecordEdit]:
    """What goes and comes, record by record: one that goes and comes again is set."""
    for name, edit in edits.items():
        kind = BY_NAME[name]
        come = {tuple(it[part] for part in kind.key): it for it in edit.come}
        for record in edit.gone:
            yield edit_of(kind, record, come.pop(tuple(record[part] for part in kind.key), None))
        yield from (edit_of(kind, None, record) for record in come.values())


class EditSet:
    """Edits in the order in which they were put in, one for each record."""

    def __init__(self, edits: Iterable[RecordEdit] = ()) -> None:
        self._edits: dict[tuple[str, Key], RecordEdit] = {}
        for edit in edits:
            self.put(edit)

    def put(self, edit: RecordEdit) -> None:
        """Puts an edit in, behind one of the same record that is there already; together they may come to nothing."""
        place = (edit.kind.name, edit.key)
        earlier = self._edits.get(place)
        if earlier is not None:
            edit = replace(edit, before=earlier.before, why=edit.why or earlier.why)
        if edit.is_empty:
            self._edits.pop(place, None)
        else:
            self._edits[place] = edit

    def __iter__(self) -> Iterator[RecordEdit]:
        return iter(self._edits.values())

    def __len__(self) -> int:
        return len(self._edits)

    def about(self, kind: Kind, key: Key) -> RecordEdit | None:
        """The edit of one record, if there is one."""
        return self._edits.get((kind.name, key))

    def of(self, kind: Kind) -> list[RecordEdit]:
        """The edits of records of a kind."""
        return [edit for edit in self if edit.kind is kind]

    def by_kind(self) -> dict[Kind, list[RecordEdit]]:
        """The edits of each kind that has some."""
        found: dict[Kind, list[RecordEdit]] = {}
        for edit in self:
            found.setdefault(edit.kind, []).append(edit)
        return found

    @property
    def edits(self) -> Edits:
        """What goes and comes, by kind."""
        return {
            kind.name: Edit(
                [edit.before for edit in some if edit.before is not None],
                [edit.after for edit in some if edit.after is not None],
            )
            for kind, some in self.by_kind().items()
        }

    def reversed(self) -> EditSet:
        """The edits that take these back, the last one first."""
        return EditSet(edit.reversed for edit in reversed(list(self)))

    @property
    def systems(self) -> list[str]:
        """The systems that they are about, in order."""
        return sorted({system for edit in self if (system := system_of(edit.kind, edit.record))})


def system_of(kind: Kind, record: Mapping[str, Any]) -> str:
    """The system that a record belongs to; empty for identities, areas and mandates, which are of none."""
    if "system" in kind.names:
        return str(record["system"])
    if kind.name == "resources":
        return str(record["resource"]).partition(":")[0]
    if kind.name == "grants":
        gives = str(record["gives"])
        return gives.partition(":")[2].partition("/")[0] if gives.startswith("role:") else _of_permission(gives)
    return ""


def _of_permission(gives: str) -> str:
    return gives.partition(" ")[2].partition(":")[0]


def texts_of(edit: RecordEdit) -> tuple[str, str, str | None, str | None]:
    """An edit as it is kept: kind, key, and the record before and after."""
    before, after = (None if it is None else record_text(edit.kind, it) for it in (edit.before, edit.after))
    return edit.kind.name, key_text(edit.key), before, after


def edit_from(
    kind: str, key: str, before: str | None, after: str | None, why: str | None = None, author: str | None = None
) -> RecordEdit:
    """An edit from what is kept of it."""
    own = BY_NAME[kind]
    was, is_then = (None if it is None else read_record_text(own, it) for it in (before, after))
    return RecordEdit(own, key_from(key), was, is_then, why or "", author or "")


def key_text(key: Sequence[Any]) -> str:
    """A key as it is kept."""
    return json_text(list(key))


def key_from(text: str) -> Key:
    """A key from what is kept of it."""
    return tuple(json.loads(text))
