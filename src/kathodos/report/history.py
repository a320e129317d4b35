"""How a person, role, group or grant came to be as it is: entry by entry what came and went, by whom and why."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import Any

import numpy as np

from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.change.restoring import NAMED, Part, part_of
from kathodos.columns.csr import Ints, distinct
from kathodos.errors import CallError
from kathodos.ledger.entries import Entry, newest_entries
from kathodos.model.kinds import Kind
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines
from kathodos.report.edits import Wording
from kathodos.report.long import first_rows
from kathodos.report.restoring import reference_of_part
from kathodos.store.history import KindHistory
from kathodos.workspace.view import View

_FIELDS = (
    Field("entry", "Entry", 8, is_number=True),
    Field("time", "When", 9, least=20),
    Field("by", "By", 7),
    Field("act", "By what", 6),
    Field("came", "Came", 8, is_number=True),
    Field("went", "Went", 8, is_number=True),
    Field("then", "Then", 8, is_number=True),
    Field("what", "What", 9, least=28),
    Field("why", "Why", 5, least=12),
)
_MOST_TOLD = 4


def history_shown(view: View, text: str, most: int | None, form: str) -> Answer:
    """Each entry that changed something of a thing, the newest first, with how many records it had then and has now."""
    if ":/" in text:
        raise CallError(f"{text} is a resource, and its history is not kept apart.", _WHICH)
    reference = reference_of_part(view.stored, view.stored, text)
    part = part_of(view.stored, view.stored, reference)
    rows = list(_entries(view, part))
    now = rows[0]["then"] if rows else 0
    shown, more = first_rows(rows, most if form == "table" else None)
    heading = (
        f"{reference}: {plural(now, 'record')} now; {plural(len(rows), 'entry', 'entries')} changed something of it"
    )
    hint = f"{more} Put it back as it was: kathodos change restore {reference} --to POINT".strip()
    extra = () if form == "table" else ("edits",)
    return Answer(_FIELDS, shown, heading, hint=hint if rows else "", extra_keys=extra)


_WHICH = f"Name one of: {', '.join(kind.one for kind in NAMED)}."


def _entries(view: View, part: Part) -> Iterator[dict[str, Any]]:
    """A row for each entry that opened or closed records of a part, the newest first."""
    mine: list[tuple[KindHistory, Ints]] = []
    for kind in part.kinds():
        history = view.stored.history(kind)
        mine.append((history, part.holds(kind, history.column).nonzero()[0]))
    since = np.concatenate([history.since[at] for history, at in mine])
    until = np.concatenate([history.until[at] for history, at in mine])
    newest = view.point.entry
    numbers = distinct(np.concatenate([since, until]))
    wanted = numbers[numbers <= newest].tolist()
    entries = {it.number: it for it in newest_entries(view.histories.reader) if it.number in {*wanted}}
    for number in reversed(wanted):
        entry = entries[number]
        edits = EditSet()
        for history, at in mine:
            for edit in _edits(history, at, number):
                edits.put(edit)
        wording = Wording(view.stored, list(edits))
        told = [wording.sentence(edit) for edit in edits]
        more = [f"and {len(told) - _MOST_TOLD} more"] if len(told) > _MOST_TOLD else []
        yield {
            **_by(entry),
            "entry": number,
            "came": int((since == number).sum()),
            "went": int((until == number).sum()),
            "then": int(((since <= number) & (until > number)).sum()),
            "what": Lines([*told[:_MOST_TOLD], *more]),
            "edits": told,
        }


def _by(entry: Entry) -> dict[str, Any]:
    return {"time": entry.time, "by": entry.actor, "act": entry.kind, "why": entry.reason or None}


def _edits(history: KindHistory, at: Ints, number: int) -> Iterator[Any]:
    """What an entry did to some rows of a kind: those of one key that go and come are one edit."""
    kind: Kind = history.kind
    read = partial(_record, history)
    gone = {tuple(it[name] for name in kind.key): it for it in map(read, at[history.until[at] == number].tolist())}
    come = {tuple(it[name] for name in kind.key): it for it in map(read, at[history.since[at] == number].tolist())}
    for key in dict.fromkeys([*gone, *come]):
        yield edit_of(kind, gone.get(key), come.get(key))


def _record(history: KindHistory, position: int) -> dict[str, Any]:
    return {name: history.listed(name, np.array([position]))[0] for name in history.kind.names}
