"""What is wrong in the record of a person put right: one attribute with another value."""

from __future__ import annotations

import json

from kathodos.errors import CallError, UnfitError
from kathodos.model.cells import CellReader, attributes_text
from kathodos.model.kinds import IDENTITIES
from kathodos.model.references import Names
from kathodos.model.rows import Record
from kathodos.store.naming import resolved
from kathodos.store.records import Records

_COLUMNS = {column.name: column for column in IDENTITIES.columns}


def checked_value(records: Records, part: str, text: str) -> str:
    """A value as a record holds it. Raises CallError where it cannot be one."""
    column = _COLUMNS.get(part)
    if column is None:
        return text
    if column.refers:
        return resolved(records, text, (IDENTITIES,)).removeprefix("identity:")
    try:
        return str(CellReader(IDENTITIES, Names()).value(column, text, None))
    except UnfitError as error:
        raise CallError(f"{part} {text!r} {error.reason}. Nothing was changed.", error.remedy) from None


def held_text(record: Record, part: str) -> str | None:
    """What a record holds of an attribute, as text; None where it holds nothing."""
    if part in _COLUMNS:
        value = record[part]
    else:
        further = json.loads(str(record["attributes"])) if record["attributes"] else {}
        value = {name.lower(): it for name, it in further.items()}.get(part)
    return None if value is None else str(value)


def corrected(record: Record, part: str, value: str | None) -> Record:
    """The record with another value of one attribute; None: with none."""
    if part in _COLUMNS:
        return {**record, part: value}
    further = json.loads(str(record["attributes"])) if record["attributes"] else {}
    name = next((it for it in further if it.lower() == part), part)
    return {**record, "attributes": attributes_text({**further, name: value})}
