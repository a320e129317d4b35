"""What a filter over the lines of a review may name: what stands with them, what was decided, the people concerned."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from typing import Protocol

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, Scalar, positions_among, row_numbers
from kathodos.model.filters import Mask
from kathodos.model.kinds import IDENTITIES, Form, split_list
from kathodos.store.attributes import AttributeColumns, Distinct, filter_of, selected
from kathodos.store.records import Records

_LINE = (
    *("line", "identity", "reviewer", "holder", "grant", "group", "part", "value", "status", "ends", "until"),
    *("given_by", "given_at"),
)
_MORE = (
    "signed_in",
    "risk",
    "excess",
    "redundant",
    "certified_at",
    "certified_by",
    "speaks",
    "stands_out",
    "last_used",
    "uses",
    "peers_having",
    "peers_counted",
    "needed_by",
    "conflicts",
    "fences",
    "also_needed",
    "no_account",
    "stands_by",
)
_RENAMED = {
    "given_for": "given_for",
    "former_department": "former",
    "beyond_need": "beyond",
    "never_used": "never",
    "would_be_lost": "lost",
    "found_about": "found",
}
_DECIDED = ("decision", "decided_by", "decided_at", "capacity")
_THING = {"gives": "gives", "sensitivity": "sensitivity"}
_EVERYONE = {"everyone_having": ("all_having", "having"), "everyone_counted": ("all_counted", "counted")}
_TIMES = ("signed_in", "certified_at", "ends", "until", "given_at", "last_used", "decided_at")
_NUMBERS = (
    "line",
    "uses",
    "risk",
    "sensitivity",
    "peers_having",
    "peers_counted",
    "everyone_having",
    "everyone_counted",
    "would_be_lost",
)
_LISTS = ("excess", "needed_by", "conflicts", "fences", "also_needed", "never_used", "found_about", "no_account")
_WORDS = ("needed", "use")
_OF_WHAT = ("system", "role", "action", "resource")
_SAID = ("asked", "passed_to")


class SeenLines(Protocol):
    """The lines of a review, opened or about to be."""

    @property
    def records(self) -> Records: ...

    def __len__(self) -> int: ...

    def column(self, name: str) -> DictionaryColumn: ...

    def of_things(self, name: str) -> DictionaryColumn: ...

    def decided(self, name: str) -> DictionaryColumn: ...

    def said(self, name: str) -> DictionaryColumn: ...


class LineAttributes:
    """The attributes of the lines of a review, and behind them those of the people whom the lines are about."""

    def __init__(self, lines: SeenLines, today: int) -> None:
        self.lines = lines
        self.today = today
        self.people = AttributeColumns(lines.records, IDENTITIES, today=today)
        self._own = {*_LINE, *_MORE, *_RENAMED, *_DECIDED, *_THING, *_EVERYONE, *_WORDS, *_OF_WHAT, *_SAID}

    def has(self, name: str) -> bool:
        """Whether lines, or people, have an attribute."""
        return name.lower() in self._own or self.people.has(name)

    def known(self) -> set[str]:
        """The names of all attributes."""
        return self._own | self.people.known()

    def form(self, name: str) -> Form | None:
        """How an attribute compares."""
        lower = name.lower()
        if lower not in self._own:
            return self.people.form(name)
        known = {"redundant": Form.YES_NO}
        return Form.MOMENT if lower in _TIMES else Form.NUMBER if lower in _NUMBERS else known.get(lower)

    def column(self, name: str) -> Distinct:
        """An attribute of each line."""
        lower = name.lower()
        if lower not in self._own:
            held = self.people.column(name)
            return Distinct(np.append(held.codes, np.int32(-1))[self._person], held.values, held.form)
        if lower == "needed":
            needed, spoken = self.lines.column("needed_by").codes >= 0, self.lines.column("spoken")
            needed |= self.lines.column("also_needed").codes >= 0
            codes = np.where(needed, 0, np.where(spoken.holding(1), 1, 2))
            return Distinct(np.where(spoken.codes >= 0, codes, -1).astype(np.int32), ["yes", "no", "no rule"])
        if lower == "use":
            used, recorded = self.lines.column("last_used").codes >= 0, self.lines.of_things("recorded").codes >= 0
            said = self.lines.column("lost").codes >= 0  # of these it is known of each line
            recorded = np.where(said, self.lines.column("known_since").codes >= 0, recorded)
            codes = np.where(used, 0, np.where(recorded, 1, 2))
            is_known = self.lines.column("spoken").codes >= 0
            return Distinct(np.where(is_known, codes, -1).astype(np.int32), ["used", "never", "not recorded"])
        if lower in _OF_WHAT:
            return self._of_what(lower)
        column = self._column(lower)
        values: Sequence[object] = column.values
        if lower == "redundant":
            values = ["true" if value else "false" for value in values]
        if lower in _LISTS:
            values = [split_list(str(value)) for value in values]
        return Distinct(column.codes, values, self.form(name))

    def _column(self, lower: str) -> DictionaryColumn:
        if lower in _THING:
            return self.lines.of_things(_THING[lower])
        if lower in _EVERYONE:
            own, of_thing = _EVERYONE[lower]
            column = self.lines.column(own)
            return column if (column.codes >= 0).any() else self.lines.of_things(of_thing)
        if lower in _DECIDED:
            return self.lines.decided(lower)
        if lower in _SAID:
            return self.lines.said(lower)
        return self.lines.column(_RENAMED.get(lower, lower))

    def _of_what(self, lower: str) -> Distinct:
        """The systems, roles, actions or resources that each line gives, contains or is a part of."""
        parts = [self.lines.of_things(name) for name in ("gives", "brings", "contains", "within")]
        parts.append(self.lines.column("part"))
        numbers = row_numbers([it.codes for it in parts])
        _, sample, codes = np.unique(numbers, return_index=True, return_inverse=True)
        values = [sorted(named_in(lower, [it.value(at) for it in parts])) for at in sample.tolist()]
        return Distinct(codes.astype(np.int32), values, None)

    @property
    def _person(self) -> Ints:
        """The position of the record of the person whom each line is about; -1: an account."""
        named, ids = self.lines.column("identity"), self.lines.records.column(IDENTITIES, "id")
        codes = np.append(positions_among(named.values, ids.values), -1)[named.codes]
        position = np.full(len(ids.values) + 1, -1, dtype=np.int64)
        position[ids.codes] = np.arange(len(ids))
        found: Ints = position[codes]
        return found

    def selected_by(self, text: str) -> Mask:
        """Which lines a filter selects. Raises CallError where it does not fit."""
        return selected(filter_of(text, self, "line of a review or person"), self.column, len(self.lines), self.today)


def named_in(what: str, values: Sequence[Scalar]) -> set[str]:
    """The systems, roles, actions or resources that texts name: references, or an action with a pattern."""
    found = set()
    for text in _texts(values):
        plain = text.removeprefix("deny ").removeprefix("never ")
        prefix, _, rest = plain.partition(":")
        if prefix in ("role", "group", "system"):
            name = rest.partition(" on ")[0]
            found |= {name.partition("/")[0]} if what == "system" else {name} if prefix == what else set()
            continue
        action, _, pattern = plain.partition(" ")
        pattern = pattern if ":/" in pattern else action if ":/" in action else ""
        if pattern:
            system, where = pattern.partition(":/")[0], pattern.partition(" on ")[0]
            named = {"system": {system}, "resource": {where}, "action": {action} if ":/" not in action else set()}
            found |= named.get(what, set())
    return found


def _texts(values: Sequence[Scalar]) -> Iterator[str]:
    for value in values:
        text = str(value or "")
        yield from json.loads(text) if text.startswith("[") else [text]
