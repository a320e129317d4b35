"""Changes as they are kept: named sets of edits with author, reason and state, and their whole history."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from enum import StrEnum

import msgspec
import numpy as np
from msgspec.structs import replace

from kathodos.change.edit_sets import EditSet, RecordEdit, edit_from, texts_of
from kathodos.columns.csr import Ints, ints
from kathodos.errors import CallError
from kathodos.ledger.operations import Plan
from kathodos.model.kinds import CHANGE_EDITS, CHANGES
from kathodos.model.rows import Rows
from kathodos.model.suggestions import nearest
from kathodos.store.records import Records, Stored

OF_REQUESTS = "requests"  # where a change comes from that ends several requests
_MOST_COMPARED = 5000  # names of changes, the newest, of which the nearest is told


class ChangeState(StrEnum):
    """How far a change has come."""

    DRAFT = "draft"
    APPLIED = "applied"
    CARRIED_OUT = "carried out"
    DROPPED = "dropped"


class Change(msgspec.Struct, frozen=True):
    """A change as it is kept. `origin`: where it came from; `effect`: the digest of what it was applied for."""

    row: int
    name: str
    state: ChangeState
    origin: str = ""
    author: str = ""
    made_at: str = ""
    reason: str = ""
    applied_by: str = ""
    applied_at: str = ""
    effect: str = ""
    despite: str = ""

    @property
    def is_applied(self) -> bool:
        """Whether it was applied, whatever its orders have come to since."""
        return self.state in (ChangeState.APPLIED, ChangeState.CARRIED_OUT)

    @property
    def is_of_requests(self) -> bool:
        """Whether it gives or takes what runs by requests, which know what they gave."""
        return self.origin == OF_REQUESTS or self.origin.startswith(("request:", "kit:"))


def changes_in(records: Records) -> list[Change]:
    """All changes, the oldest first."""
    return changes_at(records, np.arange(len(records.rows(CHANGES))))


def changes_at(records: Records, positions: Ints) -> list[Change]:
    """The changes at some positions, the oldest first."""
    return _changes(records.some(CHANGES, records.rows(CHANGES)[positions].tolist()))


def _changes(rows: Rows) -> list[Change]:
    found = [
        Change(row, str(values[0]), ChangeState(values[1]), *(str(it or "") for it in values[2:]))
        for row, values in zip(rows.ids, rows.values(), strict=True)
    ]
    return sorted(found, key=lambda it: (it.made_at, it.row))


def changes_called(records: Records, names: Iterable[str]) -> dict[str, Change]:
    """The changes with some names, by name; what is not there is left out."""
    return {it.name: it for it in _changes(records.holding(CHANGES, {"change": list(names)}))}


def change_called(records: Records, name: str) -> Change | None:
    """The change of a name, if there is one."""
    return changes_called(records, [name]).get(name)


def find_change(records: Records, name: str) -> Change:
    """The change of that name. Raises CallError with the nearest."""
    found = change_called(records, name)
    if found is None:
        some = np.arange(len(records.rows(CHANGES)))[-_MOST_COMPARED:]
        known = [str(it) for it in records.column(CHANGES, "change").listed(some)]
        raise CallError(f"There is no change {name}.", f"{nearest(name, known)} See `kathodos change list`.")
    return found


def edits_kept(records: Records, name: str) -> EditSet:
    """The edits of a change, in order."""
    found = records.holding(CHANGE_EDITS, {"change": [name]})
    return EditSet(edit_from(*values[2:]) for values in sorted(found.values(), key=lambda it: int(it[1])))


def positions_of_edits(records: Records, name: str) -> Ints:
    """The positions of the edits of a change, in order."""
    at = records.column(CHANGE_EDITS, "change").holding(name).nonzero()[0]
    number = records.column(CHANGE_EDITS, "edit")
    numbers = np.append(ints(int(it or 0) for it in number.values), 0)[number.codes[at]]
    return at[np.argsort(numbers, kind="stable")]


def edits_at(records: Records, positions: Ints) -> list[RecordEdit]:
    """The edits at some positions."""
    found = records.some(CHANGE_EDITS, records.rows(CHANGE_EDITS)[positions].tolist())
    return [edit_from(*values[2:]) for values in found.values()]


def entry_applied(records: Stored, name: str) -> int:
    """The number of the ledger entry in which a change was applied; 0 where it was not."""
    history = records.history(CHANGES)
    states = [ChangeState.APPLIED.value, ChangeState.CARRIED_OUT.value]
    entries = history.opened_by(history.holding({"change": [name], "state": states}))
    return int(entries.min()) if len(entries) else 0


def free_name(records: Records, start: str, is_plain_first: bool = False) -> str:
    """The name that the next change without one takes: a word and a number; or the word, where it is free."""

    def is_free(name: str) -> bool:
        return not len(records.rows_holding(CHANGES, {"change": [name]}))

    if is_plain_first and is_free(start):
        return start
    step = 1
    while not is_free(f"{start}-{step}"):  # of many numbers in use not each is tried
        step *= 2
    number = step // 2
    while step > 1:
        step //= 2
        number += step * (not is_free(f"{start}-{number + step}"))
    return f"{start}-{number + 1}"


def put_change(plan: Plan, change: Change) -> None:
    """Writes a change as it is now, in the place of what was kept of it (`row` 0: nothing)."""
    if change.row:
        plan.close_rows(CHANGES, [change.row])
    rest = (change.origin, change.author, change.made_at, change.reason, change.applied_by, change.applied_at)
    kept = (it or None for it in (*rest, change.effect, change.despite))
    plan.open_rows(CHANGES, [(change.name, change.state.value, *kept)])


def set_change_state(plan: Plan, change: Change, state: ChangeState) -> None:
    """Puts a change into another state."""
    put_change(plan, replace(change, state=state))


def put_edits(plan: Plan, name: str, edits: EditSet, is_new: bool = False) -> None:
    """Writes the edits of a change, in the place of those that it had (`is_new`: there were none)."""
    if is_new:
        plan.open_rows(CHANGE_EDITS, _rows(name, list(edits)))
        return
    plan.close_rows(CHANGE_EDITS, plan.records.holding(CHANGE_EDITS, {"change": [name]}).ids)
    plan.open_rows(CHANGE_EDITS, _rows(name, list(edits)))


def _rows(name: str, edits: Sequence[RecordEdit]) -> list[tuple[str | int | None, ...]]:
    return [
        (name, number, *texts_of(edit), edit.why or None, edit.author or None) for number, edit in enumerate(edits, 1)
    ]
