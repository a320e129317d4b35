"""Which records point at another: declared by the columns, so that lists and the ledger need no case of their own."""

from __future__ import annotations

from collections.abc import Iterator

from kathodos.model.kinds import ACTIVITY, CHANGES, REVIEWS, Column, Form, Kind

_FULL = (Form.HOLDER, Form.GIVES)


def key_of(kind: Kind, reference: str) -> tuple[str | int, ...]:
    """The identifying values that a full reference of the kind holds."""
    if kind.name == "resources":
        return (reference,)
    return key_named(kind, reference.partition(":")[2])


def key_named(kind: Kind, name: str) -> tuple[str | int, ...]:
    """The identifying values that a name without its prefix holds; too few where it is none of the kind."""
    if len(kind.key) > 1:
        return tuple(name.split("/", 1))
    is_number = kind.column(kind.key[0]).form is Form.NUMBER and name.isascii() and name.isdecimal()
    return (int(name) if is_number else name,)


def columns_pointing(other: Kind, kind: Kind, reference: str) -> Iterator[dict[str, str | int]]:
    """Each way in which a record of `other` points at the one named: columns and the values that they then have."""
    key = key_of(kind, reference)
    name = "/".join(map(str, key))
    for column in other.columns:
        if column.form in _FULL or column.name == "junior":
            if kind.name in column.refers or (column.form is Form.GIVES and kind.name == "roles"):
                yield {column.name: reference}
        elif column.form is Form.REFERENCE and kind.name in column.refers:
            is_short = len(key) == 2 and "system" in other.names
            yield {"system": key[0], column.name: key[1]} if is_short else {column.name: name}
        elif column.form is Form.SCOPE and kind.name in ("areas", "resources"):
            yield {column.name: reference}
        elif _is_by_name(column, other, kind):
            yield {column.name: name}


def _is_by_name(column: Column, other: Kind, kind: Kind) -> bool:
    """Whether the column names a record of the kind without being declared a reference."""
    if kind is REVIEWS:
        return column.name == "review" and other is not REVIEWS
    if kind is CHANGES:
        return column.name == "change" and other is not CHANGES
    return kind.name == "resources" and other is ACTIVITY and column.name == "resource"
