"""What had been taken away and a gather brought back: kept until somebody settles it."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from kathodos.columns.dictionary import Scalar, rows_of
from kathodos.errors import CallError
from kathodos.ingest.comparing import SEPARATOR, Key
from kathodos.ledger.entries import json_text, newest_entries
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import TAKING_AWAY, Act
from kathodos.model.kinds import RETURNED, Kind
from kathodos.store.records import Stored, positions_holding
from kathodos.store.records import rows_of as records_of


@dataclass(frozen=True)
class Settle(Operation[int]):
    """Takes a record that came back, given by its number, or `all` of them off the list; gives how many."""

    act: ClassVar[Act] = Act.SETTLE
    which: str

    def compose(self, plan: Plan) -> int:
        """Raises CallError where there is none of that number, or no reason."""
        if not plan.reason:
            raise CallError("Nothing is settled without a reason.", "Say --reason WHY; the ledger keeps it.")
        numbers = plan.records.rows(RETURNED).tolist()
        chosen = numbers if self.which == "all" else [number for number in numbers if str(number) == self.which]
        if not chosen:
            raise CallError(f"There is no open record {self.which}.", "See `kathodos returned`.")
        plan.close_rows(RETURNED, chosen)
        plan.subjects += [f"returned:{number}" for number in chosen]
        return len(chosen)


def note_returned(plan: Plan, kind: Kind, source: str, came: Iterable[Key]) -> int:
    """Keeps a note of each record that comes although a review or a change had taken it away; gives how many."""
    taken = _taken_away(plan.records, kind, source)
    back = {key: taken[key] for key in came if key in taken} if taken else {}
    rows = [(kind.name, json_text(list(key)), source, *how, plan.now) for key, how in back.items()]
    for row in rows:
        known = positions_holding(plan.records, RETURNED, {"kind": row[0], "record": row[1]})
        plan.close_rows(RETURNED, plan.records.rows(RETURNED)[known])
    plan.open_rows(RETURNED, rows)
    return len(back)


def _taken_away(records: Stored, kind: Kind, source: str) -> dict[Key, tuple[int, str, str]]:
    """The keys of rows of a source that a review or a change ended: by which entry, when and why."""
    entries = {it.number: it for it in newest_entries(records.histories.reader) if it.kind in TAKING_AWAY}
    if not entries:
        return {}
    history = records.history(kind)
    ended = history.ended_by(entries)
    brought = history.column("source")
    is_of = np.array([*(source in str(names).split(SEPARATOR) for names in brought.values), False])
    ended = ended[is_of[brought.codes[ended]]]
    keys: list[tuple[Scalar, ...]] = [*rows_of([history.column(name) for name in kind.key], ended)]
    by = (entries[number] for number in history.until[ended].tolist())
    return {key: (it.number, it.time, it.reason) for key, it in zip(keys, by, strict=True)}


def returned_records(records: Stored) -> list[dict[str, Scalar]]:
    """What came back and is not settled, each with its number; `record` is its key in words."""
    held = records_of(records, RETURNED, *RETURNED.names)
    found = []
    for number, values in zip(held.ids, held.values(), strict=True):
        record = dict(zip(RETURNED.names, values, strict=True))
        key = " ".join(str(part) for part in json.loads(record["record"]) if part is not None)
        found.append({**record, "number": number, "record": key})
    return found
