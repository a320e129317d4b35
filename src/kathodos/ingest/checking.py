"""Cells into values: every cell read, every reference resolved, bad rows set aside with a reason and a remedy."""

from __future__ import annotations

import itertools
from collections import Counter
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.dictionary import (
    DictionaryColumn,
    Encoder,
    Ints,
    Scalar,
    dense,
    dictionary_column,
    distinct_pairs,
    first_of_each,
    nothing,
    row_numbers,
    rows_of,
)
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.connectors.mapping import Table
from kathodos.errors import UnfitError
from kathodos.formats.raw import CELL_LEFT_OUT, NOTED, SET_ASIDE, Outcome, Problem
from kathodos.model import kinds
from kathodos.model.addresses import parse_pattern
from kathodos.model.cells import IN_AN_ID, CellReader, attributes_text, derived_id, is_kept_unread
from kathodos.model.kinds import Column, Form, Kind
from kathodos.model.references import PREFIXES, Names
from kathodos.model.suggestions import nearest
from kathodos.model.times import end_moment, first_moment

_MOST_COMPARED = 5000
_MOST_LISTED = 1000
_OF_SYSTEM = (Form.REFERENCE, Form.GIVES, Form.SCOPE, Form.ADDRESS, Form.ADDRESSES, Form.PATTERN, Form.PATTERNS)
_POINTING = (Form.PATTERN, Form.PATTERNS, Form.SCOPE, Form.GIVES, Form.ADDRESSES, Form.ADDRESS)


class Checked(msgspec.Struct):
    """The good rows of a table, as columns in the kind's order, each key once; the line each is from.

    `aside`: the keys of rows that were set aside, `aside_rows` these rows of the table, `set_aside` how many of its
    lines are counted so; `left_out`: the records of which a cell of a column could not be read. `given`: the columns
    that the table speaks of.
    """

    kind: Kind
    given: frozenset[str]
    columns: list[DictionaryColumn] = msgspec.field(default_factory=list)
    lines: Ints = msgspec.field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    aside: set[tuple[Scalar, ...]] = msgspec.field(default_factory=set)
    problems: list[Problem] = msgspec.field(default_factory=list)
    set_aside: int = 0
    aside_rows: Ints = msgspec.field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    left_out: dict[str, Ints] = msgspec.field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.lines)

    def keys(self) -> list[DictionaryColumn]:
        """The columns that identify a record."""
        return [self.columns[self.kind.names.index(name)] for name in self.kind.key]

    def rows(self) -> dict[tuple[Scalar, ...], tuple[Scalar, ...]]:
        """The rows by key, for tables of few."""
        return dict(zip(rows_of(self.keys()), rows_of(self.columns), strict=True))


def check_table(table: Table, names: Names) -> Checked:
    """Reads every cell of a table. Rows that point at nothing are set aside where the reference must exist."""
    checker = _Checker(table, names)
    columns = [checker.column(column) for column in table.kind.columns]
    if table.kind.open_ended:
        columns.append(checker.attributes())
    return checker.keyed(columns)


def _text(value: Scalar) -> str | None:
    return None if value is None else str(value)


class _Checker:
    def __init__(self, table: Table, names: Names) -> None:
        self.table = table
        self.kind = table.kind
        self.names = names
        self.result = Checked(self.kind, frozenset(table.columns))
        self.bad = np.zeros(len(table), dtype=bool)
        self.systems = table.column("system")
        self.cells = CellReader(table.kind, names, table.dates)
        self.left_out: dict[str, list[Ints]] = {}
        self.listed: Counter[tuple[str, Outcome]] = Counter()
        self.declared: dict[str, set[str]] = {}
        for name in names.of["actions"]:
            system, _, action = name.partition("/")
            self.declared.setdefault(system, set()).add(action)

    def column(self, column: Column) -> DictionaryColumn:
        """The values of one column; each distinct cell is read once, with its row's system where that matters."""
        cells = self.table.column(column.name)
        if column.required:
            error = UnfitError("is empty", "Fill it in.")
            self.report((cells.codes < 0).nonzero()[0], column, cells, error, None)
        if not self.cells.is_read(column):
            return cells.filled(column.default)
        if column.form in _OF_SYSTEM and len(self.systems.values):
            codes, firsts = distinct_pairs(cells.codes, self.systems.codes)
            asked = zip(cells.listed(firsts), self.systems.listed(firsts), strict=True)
        else:
            codes, asked = cells.codes.astype(np.int64), zip(cells.values, itertools.repeat(None))
        values: list[Scalar] = []
        rows = _ByCode(codes)
        for number, (cell, system) in enumerate(asked):
            value = self.value(column, _text(cell), _text(system)) if cell is not None else None
            if isinstance(value, UnfitError):
                value = self.report(rows[number], column, cells, value, cell)
            values.append(value)
        if column.form not in _OF_SYSTEM:
            return cells.recoded(values).filled(column.default)
        coder = Encoder()
        known = np.append(coder.codes(values), np.int32(-1))
        return DictionaryColumn(known[codes], coder.values).filled(column.default)

    def value(self, column: Column, cell: str | None, system: str | None) -> Scalar | UnfitError:
        try:
            return self.cells.value(column, cell, system)
        except UnfitError as error:
            return error

    def report(self, rows: Ints, column: Column, cells: DictionaryColumn, error: UnfitError, cell: Scalar) -> Scalar:
        """Tells what is wrong with a cell of some rows; gives what stands for it."""
        outcome = NOTED if is_kept_unread(column) else SET_ASIDE
        if outcome == SET_ASIDE and self.kind.may_lack(column):
            outcome = CELL_LEFT_OUT
            self.left_out.setdefault(column.name, []).append(rows)
        self.problems(rows, column.name, cells, error.reason, error.remedy, outcome)
        return None if outcome == CELL_LEFT_OUT else cell

    def problems(
        self, rows: Ints, column: str, cells: DictionaryColumn, reason: str, remedy: str, outcome: Outcome
    ) -> None:
        """Notes the same problem for some rows; of very many in a column the first are listed, the others counted."""
        room = _MOST_LISTED - self.listed[column, outcome]
        for row in rows[: max(room, 0)].tolist():
            self.problem(row, column, str(cells.value(row) or ""), reason, remedy, outcome)
        self.listed[column, outcome] += len(rows)
        if outcome == SET_ASIDE:
            self.bad[rows] = True

    def problem(self, row: int, column: str, value: str, reason: str, remedy: str, outcome: Outcome) -> None:
        line = int(self.table.lines[row])
        self.result.problems.append(Problem(self.table.file_of(row), line, column, value, reason, remedy, outcome))

    def note_the_rest(self) -> None:
        """Says how many problems of each column were not listed."""
        for (column, outcome), count in self.listed.items():
            if count > _MOST_LISTED:
                reason = f"{count - _MOST_LISTED} more lines have such a problem, and are not listed"
                problem = Problem(self.table.file, 0, column, "", reason, "Correct the listed ones first.", outcome)
                self.result.problems.append(problem)

    def attributes(self) -> DictionaryColumn:
        """The columns that are not ours, as one canonical JSON object a row."""
        further = sorted(name for name in self.table.columns if name not in self.kind.names)
        if not further:
            return nothing(len(self.table))
        columns = [self.table.columns[name] for name in further]
        codes = dense(row_numbers([column.codes for column in columns]))
        _, firsts = np.unique(codes, return_index=True)
        texts: list[Scalar] = []
        for cells in rows_of(columns, firsts):
            texts.append(attributes_text(dict(zip(further, cells, strict=True))))
        coder = Encoder()
        return DictionaryColumn(coder.codes(texts)[codes] if texts else codes.astype(np.int32), coder.values)

    def keyed(self, columns: list[DictionaryColumn]) -> Checked:
        """The good rows, each key once; what is set aside leaves an earlier record of its key standing."""
        if self.kind.bears_id:
            columns[0] = self.with_ids(columns)
        self.note_what_is_odd(columns)
        keys = [columns[self.kind.names.index(name)] for name in self.kind.key]
        self.result.aside = set(rows_of(keys, self.bad.nonzero()[0]))
        self.result.aside_rows = self.bad.nonzero()[0]
        good = (~self.bad).nonzero()[0]
        columns = [column.taken(good) for column in columns]
        first = first_of_each(row_numbers([column.codes[good] for column in keys]))
        again = (first != np.arange(len(first))).nonzero()[0]
        if len(again) and self.kind.a_log:
            columns[-1] = _summed(columns[-1], first)
        elif len(again):
            self.note_repeats(columns, good, first, again)
        kept = (first == np.arange(len(first))).nonzero()[0] if len(again) else slice(None)
        self.result.columns = [DictionaryColumn(column.codes[kept], column.values) for column in columns]
        if self.bad.any() or self.left_out:  # no value may stay behind that was none of the kind's
            self.result.columns = [column.compact() for column in self.result.columns]
        self.result.lines = self.table.lines[good][kept]
        place = np.full(len(self.table), -1, dtype=np.int64)
        place[good[kept]] = np.arange(len(self.result.lines))
        for name, rows in self.left_out.items():
            here = place[np.concatenate(rows)]
            self.result.left_out[name] = np.sort(here[here >= 0])
        if self.kind.name in PREFIXES:
            self.names.add(self.kind, rows_of(self.result.keys()))
        self.note_the_rest()
        self.result.problems.sort(key=lambda problem: problem.line)
        return self.result

    def note_repeats(self, columns: list[DictionaryColumn], good: Ints, first: Ints, again: Ints) -> None:
        """Sets aside the rows that speak of a record that an earlier row speaks of."""
        same = np.logical_and.reduce([column.codes[again] == column.codes[first[again]] for column in columns])
        alike = dict(zip(again.tolist(), same.tolist(), strict=True))
        keys = [columns[self.kind.names.index(name)] for name in self.kind.key]
        repeated = (again[~same] if self.table.once else again).tolist()
        for row in repeated[:_MOST_LISTED]:
            earlier = int(self.table.lines[good[first[row]]])
            reason = (
                f"repeats line {earlier}"
                if alike[row]
                else f"describes the same record as line {earlier} in another way"
            )
            named = " ".join(str(column.value(row)) for column in keys)
            remedy = "Keep one of the two. The first was read."
            self.problem(good[row], self.kind.key[-1], named, reason, remedy, SET_ASIDE)
        self.listed["the key", SET_ASIDE] += len(repeated)
        self.result.aside_rows = np.concatenate([self.result.aside_rows, good[np.array(repeated, dtype=np.int64)]])

    def with_ids(self, columns: list[DictionaryColumn]) -> DictionaryColumn:
        """The ids, derived from the content where a row has none."""
        absent = ((columns[0].codes < 0) & ~self.bad).nonzero()[0]
        if not len(absent):
            return columns[0]
        content = rows_of([columns[self.kind.names.index(name)] for name in IN_AN_ID], absent)
        ids = columns[0].listed()
        for row, content_of_row in zip(absent.tolist(), content, strict=True):
            ids[row] = derived_id(content_of_row)
        return dictionary_column(ids)

    def note_what_is_odd(self, columns: list[DictionaryColumn]) -> None:
        """Notes what is loaded all the same: an end before its beginning, what no system declares, empty addresses."""
        by_name = dict(zip(self.kind.names, columns, strict=True))
        for begin, end in (("from", "until"), ("starts", "ends")):
            if begin in by_name and len(by_name[begin].values) and len(by_name[end].values):
                self.note_periods(by_name[begin], by_name[end], end)
        if self.kind is kinds.ROLE_PERMISSIONS:
            self.note_actions("action", by_name["action"], by_name["resource"])
        elif self.kind is kinds.GRANTS:
            split = [kinds.split_gives(str(gives)) for gives in by_name["gives"].values]
            actions, patterns = (by_name["gives"].recoded(part[at] or None for part in split) for at in (0, 1))
            self.note_actions("gives", actions, patterns)
        own = "resource" if self.kind is kinds.RESOURCES else ""
        for column in self.kind.columns:
            if column.form in _POINTING and column.name != own:
                self.note_addresses(column.name, by_name[column.name], column.form)

    def note_periods(self, begins: DictionaryColumn, ends: DictionaryColumn, name: str) -> None:
        codes, firsts = distinct_pairs(begins.codes, ends.codes)
        by_code = _ByCode(codes)
        for number, (begin, end) in enumerate(rows_of([begins, ends], firsts)):
            if begin and end and _is_over(str(begin), str(end)):
                rows = by_code[number][~self.bad[by_code[number]]]
                reason = f"ends before it begins ({begin}), so it is never in force"
                self.problems(rows, name, ends, reason, "Correct one of the two dates.", NOTED)

    def note_actions(self, name: str, actions: DictionaryColumn, patterns: DictionaryColumn) -> None:
        systems = patterns.mapped(lambda pattern: str(pattern).partition(":")[0])
        codes, firsts = distinct_pairs(actions.codes, systems.codes)
        by_code = _ByCode(codes)
        for number, (action, system) in enumerate(rows_of([actions, systems], firsts)):
            declared = self.declared.get(str(system), ())
            if declared and action and action != "*" and action not in declared:
                rows = by_code[number][~self.bad[by_code[number]]]
                reason = f"the system {system} declares no action {action}"
                self.problems(rows, name, actions, reason, nearest(str(action), sorted(declared)), NOTED)

    def note_addresses(self, name: str, cells: DictionaryColumn, form: Form) -> None:
        """Notes each address or pattern that no resource answers to, at the first row that points there."""
        good = (~self.bad).nonzero()[0]
        used, firsts = np.unique(cells.codes[good], return_index=True)
        row_of: dict[str, int] = {}
        for row in good[np.sort(firsts[used >= 0])].tolist():
            for address in _addresses_in(str(cells.value(row)), form):
                if ":/" in address and address not in self.names.addresses:
                    row_of.setdefault(address, row)
        asked = list(row_of)
        met = self.names.addresses.matched(map(parse_pattern, asked))
        noted = [address for address, is_met in zip(asked, met, strict=True) if not is_met]
        for address in noted[:_MOST_LISTED]:
            reason, remedy = (
                "no resource answers to it, so it applies to nothing",
                nearest(address, self.some_addresses),
            )
            if "%2A" in address:
                remedy = f"A star that is to be any characters comes from a template as {{Column:pattern}}. {remedy}"
            self.problem(row_of[address], name, address, reason, remedy, NOTED)
        self.listed[f"{name} ", NOTED] += len(noted)

    @cached_property
    def some_addresses(self) -> list[str]:
        return sorted(self.names.addresses)[:_MOST_COMPARED]


def _addresses_in(text: str, form: Form) -> list[str]:
    """The addresses and patterns that a cell of a form names; of a role, or an area, its name as it is."""
    if form in (Form.PATTERNS, Form.ADDRESSES):
        return kinds.split_list(text)
    return [kinds.split_gives(text)[1]] if form is Form.GIVES else [text]


def _summed(counts: DictionaryColumn, first: Ints) -> DictionaryColumn:
    """The counts of a log, those of repeated events added to the first."""
    totals = np.zeros(len(first), dtype=np.int64)
    np.add.at(totals, first, np.array([int(count or 0) for count in counts.listed()], dtype=np.int64))
    return dictionary_column(totals.tolist())


class _ByCode:
    """The rows that have each code, put in order when first asked for."""

    def __init__(self, codes: Ints) -> None:
        self._codes = codes

    @cached_property
    def _sorted(self) -> tuple[Ints, Ints]:
        order = order_of(self._codes)
        return order, self._codes[order]

    def __getitem__(self, code: int) -> Ints:
        order, codes = self._sorted
        first, last = insertion_points(codes, [code, code + 1])
        return order[first:last]


def _is_over(begin: str, end: str) -> bool:
    """Whether a period ends before it begins; dates that are none are told elsewhere."""
    try:
        return end_moment(end) <= first_moment(begin)
    except ValueError:
        return False
