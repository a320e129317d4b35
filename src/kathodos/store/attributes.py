"""Which records a filter selects: the filter's attributes looked up in a kind's columns and in the further attributes.

Every filter over records is answered here: each distinct value of a column is looked at once, texts all together.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from kathodos.columns.dictionary import Codes, DictionaryColumn
from kathodos.columns.matching import OPERATORS, which
from kathodos.columns.strings import StringTable
from kathodos.errors import CallError
from kathodos.model.filters import Comparison, FilterError, Mask, Negation, Node, parse_filter
from kathodos.model.kinds import Form, Kind, split_list
from kathodos.model.suggestions import nearest
from kathodos.store.records import Records

_LISTS = (Form.LIST, Form.ADDRESSES, Form.PATTERNS, Form.GATES)


@dataclass(frozen=True)
class Distinct:
    """The values of an attribute, each once, and which of them each record has; code -1 is none."""

    codes: Codes
    values: Sequence[Any]

    def listed(self) -> list[Any]:
        """The value of each record."""
        objects = np.empty(len(self.values) + 1, dtype=object)
        for position, value in enumerate(self.values):
            objects[position] = value
        found: list[Any] = objects[self.codes].tolist()
        return found


class AttributeColumns:
    """What filters and lists see of the records of a kind: lists split, yes and no as words, attributes unpacked.

    `more`: what no record holds and was computed, such as the risk, by attribute.
    """

    def __init__(self, records: Records, kind: Kind, more: Mapping[str, Distinct] | None = None) -> None:
        self.records = records
        self.kind = kind
        self.more = dict(more or {})
        self.own = {name.lower(): name for name in kind.names if name != "attributes"}
        self._known: dict[str, Distinct] = {}

    def __len__(self) -> int:
        return len(self.records.rows(self.kind))

    def column(self, name: str) -> Distinct:
        """An attribute; nothing at all where no record has it."""
        lower = name.lower()
        if lower not in self._known:
            self._known[lower] = self.more[lower] if lower in self.more else self._column(lower)
        return self._known[lower]

    def _column(self, lower: str) -> Distinct:
        if lower in self.own:
            column = self.kind.column(self.own[lower])
            held = self.records.column(self.kind, column.name)
            values: Sequence[Any] = held.values
            if column.form is Form.YES_NO:
                values = [("false", "true")[int(value or 0)] for value in values]
            elif column.form in _LISTS:
                values = [split_list(str(value)) for value in values]
            return Distinct(held.codes, values)
        column_of_all, read = self.further
        return Distinct(column_of_all.codes, [attributes.get(lower) for attributes in read])

    @cached_property
    def further(self) -> tuple[DictionaryColumn, list[dict[str, Any]]]:
        """The further attributes: which text each record has, and each distinct text as read, names in lower case."""
        if not self.kind.open_ended:
            return DictionaryColumn(np.full(len(self), -1, dtype=np.int32), []), []
        column = self.records.column(self.kind, "attributes")
        return column, [{name.lower(): it for name, it in json.loads(str(text)).items()} for text in column.values]

    def known(self) -> set[str]:
        """The names of all attributes, in lower case."""
        return set(self.own).union(self.more, *self.further[1])

    def has(self, name: str) -> bool:
        """Whether any record can have an attribute."""
        lower = name.lower()
        return lower in self.own or lower in self.more or any(lower in it for it in self.further[1])

    def selected(self, node: Node) -> Mask:
        """Which records a filter selects, as a boolean vector over them."""
        return selected(node, self.column, len(self))

    def selected_by(self, text: str) -> Mask:
        """Which records a filter that a user wrote selects. Raises CallError where it does not parse or fit."""
        return self.selected(filter_of(text, self, self.kind.one))


def selected(node: Node, column: Callable[[str], Distinct], size: int) -> Mask:
    """Where a filter is true, given the values of its attributes; each distinct value is looked at once."""
    if isinstance(node, Comparison):
        held = column(node.attribute)
        true = np.append(_true_of(node, held.values), node.holds(None))
        found: Mask = true[held.codes]
        return found
    if isinstance(node, Negation):
        return ~selected(node.part, column, size)
    parts = [selected(part, column, size) for part in node.parts]
    both: Mask = np.logical_and.reduce(parts) if node.word == "and" else np.logical_or.reduce(parts)
    return both


def _true_of(node: Comparison, values: Sequence[Any]) -> npt.NDArray[np.bool_]:
    """Of which of some values a comparison is true."""
    if isinstance(values, StringTable) and isinstance(node.value, str) and node.operator in (*OPERATORS, "ne"):
        operator = "eq" if node.operator == "ne" else node.operator
        asked = Comparison(node.attribute, operator, node.value)
        found = which(values, operator, node.value.casefold(), asked.holds)
        return ~found if node.operator == "ne" else found
    return np.fromiter((node.holds(value) for value in values), dtype=bool, count=len(values))


def filter_of(text: str, known: AttributeColumns | Iterable[str], one: str) -> Node:
    """The filter that a user wrote over records. Raises CallError where it does not parse, or names nothing known."""
    try:
        node = parse_filter(text)
    except FilterError as error:
        raise CallError(f"The filter does not parse: {error}.", 'Write it as in: department eq "Pilotage"') from None
    names = None if isinstance(known, AttributeColumns) else set(known)
    for name in sorted(node.attributes()):
        is_known = known.has(name) if isinstance(known, AttributeColumns) else name.lower() in (names or ())
        if not is_known:
            some = known.known() if isinstance(known, AttributeColumns) else names or ()
            raise CallError(f"No {one} has an attribute {name!r}.", nearest(name, sorted(some)))
    return node
