"""Which rows a filter selects: the filter's attributes looked up in a kind's columns and in the further attributes."""

from __future__ import annotations

import difflib
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from kathodos.errors import CallError
from kathodos.model.filters import FilterError, Mask, Node, parse_filter
from kathodos.model.kinds import Form, Kind, split_list
from kathodos.store.sqlite import Rows

_LISTS = (Form.LIST, Form.ADDRESSES, Form.PATTERNS, Form.GATES)


class Attributes:
    """The values that filters, lists and evidence see: columns as they are meant, lists split, attributes unpacked."""

    def __init__(self, rows: Rows, more: Mapping[str, list[Any]] | None = None) -> None:
        self.rows = rows
        self.more = more or {}
        self._columns = {name.lower(): name for name in rows.kind.names if name != "attributes"}
        self._unpacked: list[dict[str, Any]] | None = None

    def column(self, name: str) -> list[Any]:
        """The values of an attribute, in the order of the rows; all None where no row has it."""
        lower = name.lower()
        if lower in self.more:
            return self.more[lower]
        if lower in self._columns:
            column = self.rows.kind.column(self._columns[lower])
            values = self.rows[column.name]
            if column.form is Form.YES_NO:
                return [None if value is None else ("false", "true")[value] for value in values]
            return [split_list(value) for value in values] if column.form in _LISTS else values
        return [attributes.get(lower) for attributes in self._further()]

    def known(self) -> set[str]:
        """The names of all attributes, in lower case."""
        return set(self._columns).union(self.more, *self._further())

    def _further(self) -> list[dict[str, Any]]:
        if self._unpacked is None:
            texts = self.rows["attributes"] if self.rows.kind.open_ended else [None] * len(self.rows)
            read = {text: _lowered(text) for text in set(texts)}
            self._unpacked = [read[text] for text in texts]
        return self._unpacked


def _lowered(text: str | None) -> dict[str, Any]:
    return {name.lower(): value for name, value in json.loads(text).items()} if text else {}


def attribute_columns(kind: Kind, names: Iterable[str]) -> list[str]:
    """The columns of a kind in which the values of attributes are kept."""
    own = {name.lower(): name for name in kind.names if name != "attributes"}
    further = ["attributes"] if kind.open_ended and any(name.lower() not in own for name in names) else []
    return sorted({own[name.lower()] for name in names if name.lower() in own}) + further


def selected(rows: Rows, node: Node) -> Mask:
    """Which of the rows the filter selects, as a boolean vector over them."""
    return node.mask(Attributes(rows).column, len(rows))


def selected_by(rows: Rows, text: str, more: Mapping[str, list[Any]] | None = None) -> Mask:
    """Which of the rows a filter given by a user selects. Raises CallError where it does not parse or names nothing.

    `more`: values that no record holds, such as the risk, by attribute.
    """
    attributes = Attributes(rows, more)
    return filter_of(text, attributes.known(), rows.kind.one).mask(attributes.column, len(rows))


def filter_of(text: str, known: Iterable[str], one: str) -> Node:
    """The filter that a user wrote over records of a kind. Raises CallError where it does not parse or fit."""
    try:
        node = parse_filter(text)
    except FilterError as error:
        raise CallError(f"The filter does not parse: {error}.", 'Write it as in: department eq "Pilotage"') from None
    known = set(known)
    for name in sorted(node.attributes()):
        if name.lower() not in known:
            raise CallError(f"No {one} has an attribute {name!r}.", nearest(name, sorted(known)))
    return node


def nearest(name: str, known: Sequence[str]) -> str:
    """A sentence with the known names that are nearest, in whole or in their last part, to one that is not known."""
    parts = {**{text.rpartition("/")[2]: text for text in known}, **{text: text for text in known}}
    found = difflib.get_close_matches(name, parts, n=3, cutoff=0.5)
    close = list(dict.fromkeys(parts[text] for text in found)) or sorted(known)[:3]
    return f"Nearest: {', '.join(close)}." if close else "There are none."


def with_blank(rows: Rows) -> Rows:
    """The rows and behind them one in which every column is absent."""
    return Rows(rows.kind, [*rows.ids, 0], {name: [*values, None] for name, values in rows.columns.items()})
