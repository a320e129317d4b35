"""Records as typed data frames, for notebooks."""

from __future__ import annotations

import json
from typing import Any

import pandas as pd

from kathodos.columns.csr import Ints
from kathodos.model.kinds import Form, Kind
from kathodos.store.records import Records


def frame_of(records: Records, kind: Kind, positions: Ints) -> pd.DataFrame:
    """The records at some positions: dates and times as timestamps in UTC, each further attribute a column."""
    columns: dict[str, Any] = {}
    for column in kind.columns:
        values = records.column(kind, column.name).taken(positions).listed()
        columns[column.name] = _typed(values, column.form)
    if kind.open_ended:
        held = records.column(kind, "attributes").taken(positions)
        read = [json.loads(str(text)) for text in held.values]
        for name in dict.fromkeys(name for attributes in read for name in attributes):
            columns.setdefault(name, [read[at].get(name) if at >= 0 else None for at in held.codes.tolist()])
    return pd.DataFrame(columns)


def _typed(values: list[Any], form: Form) -> Any:
    if form is Form.MOMENT:
        return pd.to_datetime(pd.Series(values, dtype=object), utc=True, format="ISO8601")
    if form is Form.YES_NO:
        return pd.Series([None if value is None else bool(value) for value in values], dtype="boolean")
    if form is Form.NUMBER:
        return pd.Series(values, dtype="Int64")
    return values
