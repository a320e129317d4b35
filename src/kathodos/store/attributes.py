"""Which records a filter selects: the filter's attributes looked up in a kind's columns and in the further attributes.

Every filter over records is answered here: each distinct value of a column is looked at once, texts all together.
"""

from __future__ import annotations

import contextlib
import json
import operator
from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from typing import Any, Protocol

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos.columns.dictionary import Codes, DictionaryColumn, Numbers
from kathodos.columns.matching import OPERATORS, which
from kathodos.columns.moments import moments_of
from kathodos.columns.strings import StringTable
from kathodos.errors import CallError
from kathodos.model.comparing import check_comparisons, is_true_of, number_of, stretch_of, yes_or_no
from kathodos.model.filters import Comparison, FilterError, Mask, Negation, Node, parse_filter
from kathodos.model.kinds import Form, Kind, split_list
from kathodos.model.suggestions import nearest
from kathodos.model.times import is_moment
from kathodos.store.records import Records

_COMPARED = (Form.MOMENT, Form.NUMBER, Form.YES_NO)
_ORDERED: Mapping[str, Callable[[Any, Any], Any]] = {
    "eq": operator.eq,
    "gt": operator.gt,
    "ge": operator.ge,
    "lt": operator.lt,
    "le": operator.le,
}
_OF_A_LIST = 'Write it as in: ends le today+30d, or: last_login lt "2026-05"'
_LISTS = (Form.LIST, Form.ADDRESSES, Form.PATTERNS, Form.GATES)


class Distinct(msgspec.Struct, frozen=True):
    """The values of an attribute, each once, and which of them each record has; code -1 is none.

    `form`: how they compare with the value of a filter, where it is not as texts. `is_ranked`: they stand in order, and
    compare by where they stand.
    """

    codes: Codes
    values: Sequence[Any]
    form: Form | None = None
    is_ranked: bool = False

    def listed(self) -> list[Any]:
        """The value of each record."""
        objects = np.empty(len(self.values) + 1, dtype=object)
        for position, value in enumerate(self.values):
            objects[position] = value
        found: list[Any] = objects[self.codes].tolist()
        return found


class Known(Protocol):
    """What a filter that a user wrote may name, and how each of it compares."""

    @property
    def today(self) -> int | None: ...

    def has(self, name: str) -> bool: ...

    def known(self) -> set[str]: ...

    def form(self, name: str) -> Form | None: ...


class AttributeColumns:
    """What filters and lists see of the records of a kind: lists split, yes and no as words, attributes unpacked.

    `more`: what no record holds and was computed, such as the risk, by attribute. `today`: the moment that a filter
    means by today (None: filters that are kept may not name it).
    """

    def __init__(
        self, records: Records, kind: Kind, more: Mapping[str, Distinct] | None = None, today: int | None = None
    ) -> None:
        self.records = records
        self.kind = kind
        self.today = today
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
            return Distinct(held.codes, values, column.form)
        column_of_all, read = self.further
        held_values = [attributes.get(lower) for attributes in read]
        return Distinct(column_of_all.codes, held_values, Form.MOMENT if _are_dates(held_values) else None)

    def form(self, name: str) -> Form | None:
        """How an attribute compares: the form of its column; of a further attribute a date, where all of it is."""
        return self.column(name).form

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
        return selected(node, self.column, len(self), self.today)

    def selected_by(self, text: str) -> Mask:
        """Which records a filter that a user wrote selects. Raises CallError where it does not parse or fit."""
        return self.selected(filter_of(text, self, self.kind.one))


def selected(node: Node, column: Callable[[str], Distinct], size: int, today: int | None = None) -> Mask:
    """Where a filter is true, given the values of its attributes; each distinct value is looked at once.

    `today`: the moment that it means by today. What cannot be compared is not selected; `filter_of` refuses it.
    """
    if isinstance(node, Comparison):
        held = column(node.attribute)
        true = np.append(_true_of(node, held, today), node.holds(None))
        found: Mask = true[held.codes]
        return found
    if isinstance(node, Negation):
        return ~selected(node.part, column, size, today)
    parts = [selected(part, column, size, today) for part in node.parts]
    both: Mask = np.logical_and.reduce(parts) if node.word == "and" else np.logical_or.reduce(parts)
    return both


def _true_of(node: Comparison, held: Distinct, today: int | None) -> npt.NDArray[np.bool_]:
    """Of which of the values a comparison is true."""
    values = held.values
    if node.value is not None and (held.form in _COMPARED or held.is_ranked):
        with contextlib.suppress(FilterError):
            return _compared(node, held, today)
    if isinstance(values, StringTable) and isinstance(node.value, str) and node.operator in (*OPERATORS, "ne"):
        verb = "eq" if node.operator == "ne" else node.operator
        asked = Comparison(node.attribute, verb, node.value)
        found = which(values, verb, node.value.casefold(), asked.holds)
        return ~found if node.operator == "ne" else found
    return np.fromiter((node.holds(value) for value in values), dtype=bool, count=len(values))


def _compared(node: Comparison, held: Distinct, today: int | None) -> npt.NDArray[np.bool_]:
    """Of which of some dates, numbers, or ranked words a comparison is true. Raises FilterError where of none."""
    verb = "eq" if node.operator == "ne" else node.operator
    if verb in ("co", "sw", "ew"):
        raise FilterError("a part of it is compared as text")
    known = np.array([value is not None for value in held.values], dtype=bool)
    values = held.values if known.all() else [value for value in held.values if value is not None]
    found = np.zeros(len(known), dtype=bool)
    if held.is_ranked:
        names = [str(value).casefold() for value in values]
        found[known] = _ORDERED[verb](np.arange(len(names)), _rank(names, node.value))
    elif held.form is Form.MOMENT:
        found[known] = is_true_of(moments_of(values), verb, stretch_of(node.value, today))
    elif held.form is Form.YES_NO:
        found[known] = np.array([value == "true" for value in values]) == yes_or_no(node.value)
    else:
        numbers = values.array if isinstance(values, Numbers) else np.array(values, dtype=np.float64)
        found[known] = _ORDERED[verb](numbers, number_of(node.value))
    return ~found if node.operator == "ne" else found


def _rank(names: list[str], value: object) -> int:
    if str(value).casefold() not in names:
        raise FilterError(f"{value} is none of {', '.join(names)}")
    return names.index(str(value).casefold())


def _are_dates(values: Sequence[Any]) -> bool:
    """Whether some attributes are dates and times as we write them, and nothing else."""
    held = [value for value in values if value is not None]
    return bool(held) and all(isinstance(value, str) and is_moment(value) for value in held)


def filter_of(text: str, known: Known, one: str) -> Node:
    """The filter that a user wrote over records.

    Raises CallError where it does not parse, names nothing known, or compares what cannot be compared.
    """
    try:
        node = parse_filter(text)
    except FilterError as error:
        raise CallError(f"The filter does not parse: {error}.", 'Write it as in: department eq "Pilotage"') from None
    for name in sorted(node.attributes()):
        if not known.has(name):
            raise CallError(f"No {one} has an attribute {name!r}.", nearest(name, sorted(known.known())))
    try:
        check_comparisons(node, known.form, known.today)
    except FilterError as error:
        raise CallError(f"The filter compares what cannot be compared: {error}.", _OF_A_LIST) from None
    return node
