"""Records as rows of an answer: a reference first, then the columns, yes or no as such, further attributes unpacked."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any

from kathodos import thresholds
from kathodos.model.kinds import Form, Kind
from kathodos.model.references import PREFIXES
from kathodos.model.rows import Rows

if TYPE_CHECKING:
    from kathodos.columns.csr import Ints
    from kathodos.store.records import Records


def records_of(rows: Rows) -> Iterator[dict[str, Any]]:
    """The rows as records: a reference first, then the columns that any of them has, yes or no as such."""
    kind = rows.kind
    flags = {column.name for column in kind.columns if column.form is Form.YES_NO}
    for row, values in zip(rows.ids, rows.values(), strict=True):
        held = dict(zip(kind.names, values, strict=True))
        further = json.loads(held.pop("attributes", None) or "{}")
        record = {name: bool(value) if name in flags and value is not None else value for name, value in held.items()}
        yield {"ref": reference_of(kind, row, record), **record, **further}


def records_at(records: Records, kind: Kind, positions: Ints) -> Iterator[dict[str, Any]]:
    """The records at some positions, some thousand at a time."""
    numbers = records.rows(kind)[positions]
    for first in range(0, len(numbers), thresholds.RECORDS_TOGETHER):
        yield from records_of(records.some(kind, numbers[first : first + thresholds.RECORDS_TOGETHER].tolist()))


def names_of(records: Records, kind: Kind, positions: Ints) -> list[str]:
    """The names of the columns of some records, and behind them those of their further attributes."""
    import numpy as np

    names = ["ref", *(name for name in kind.names if name != "attributes")]
    if kind.open_ended:
        held = records.column(kind, "attributes")
        codes, first = np.unique(held.codes[positions], return_index=True)
        for code in codes[np.argsort(first)].tolist():
            names += json.loads(str(held.values[code])) if code >= 0 else []
    return list(dict.fromkeys(names))


def reference_of(kind: Kind, row: int, record: Mapping[str, Any]) -> str:
    """What `kathodos show` takes for the record: its name, or for what bears none the number of its row."""
    if kind.name == "resources":
        return str(record["resource"])
    if kind.name in PREFIXES:
        return f"{PREFIXES[kind.name]}:{'/'.join(str(record[name]) for name in kind.key)}"
    return f"{kind.one.replace(' ', '-')}:{row}"
