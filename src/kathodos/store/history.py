"""The records of every kind as columns, with their whole history: each column a dictionary, each row from when to when.

What the columns hold is kept in files beside the store, one for each kind, and mapped. Each belongs to a ledger entry;
the rows that later entries opened and closed are read from the store by their numbers, which these entries say, and
put behind. So every state of the catalogue is a choice of rows, and a column is read only when it is asked for.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Ints, joined
from kathodos.columns.dictionary import (
    DictionaryColumn,
    Numbers,
    Scalar,
    always,
    appended,
    in_chunks,
    joined_columns,
)
from kathodos.columns.ordered import insertion_points
from kathodos.columns.ranges import ranges_in
from kathodos.columns.strings import StringTable
from kathodos.errors import DataError
from kathodos.model.kinds import BY_NAME, Kind
from kathodos.store.base import Reader, rows_of_entry, unreadable
from kathodos.store.blocks import FOREVER, LAST, Block, joined_blocks
from kathodos.store.computed import Arrays, Computed, ComputedFolder
from kathodos.store.marks import checksums_of, value_checksums
from kathodos.store.recorded import Closings, Openings

SOURCE = "source"
_OPEN = 2**31 - 1  # stands for FOREVER among 32-bit entry numbers
_MOST_BEHIND = 20_000  # rows behind the file up to which they are read anew by each command
_MOST_ENTRIES = 200
_ALTERED = "See what was altered with `kathodos ledger verify`; put the store back from a copy."
_TOGETHER = 20_000  # rows whose marks are looked at together


Closed = tuple[Ints, Ints]  # the numbers of rows, and the entry that closed each
_NOTHING: Ints = np.zeros(0, dtype=np.int64)
_NONE: Closed = (_NOTHING, _NOTHING)


class Pending(msgspec.Struct):
    """What entries after a file opened and closed of one kind: ranges of row numbers."""

    opened: list[tuple[range, int]] = msgspec.field(default_factory=list)
    closed: list[tuple[range, int]] = msgspec.field(default_factory=list)
    entries: int = 0

    def __len__(self) -> int:
        return self.rows_opened + sum(len(rows) for rows, _ in self.closed)

    @property
    def rows_opened(self) -> int:
        return sum(len(rows) for rows, _ in self.opened)

    def closures(self) -> Closed:
        """The rows that were closed, ascending, and by which entry."""
        rows = joined([np.arange(numbers.start, numbers.stop) for numbers, _ in self.closed])
        entries = joined([np.full(len(numbers), entry) for numbers, entry in self.closed])
        order = np.argsort(rows)
        return rows[order], entries[order]


class KindHistory:
    """All rows of one kind there ever were, in the order of their numbers."""

    def __init__(self, kind: Kind, stored: Arrays | None, added: Added, closed: Closed) -> None:
        self.kind = kind
        self._stored = stored
        self._added = added
        self._closed = closed
        self._known: dict[str, DictionaryColumn] = {}
        self._in_file: dict[str, DictionaryColumn] = {}

    @cached_property
    def rows(self) -> Ints:
        """The number of each row, ascending."""
        return self._both("rows", self._added.rows)

    @cached_property
    def since(self) -> Ints:
        """The entry that opened each row."""
        return self._both("since", self._added.since)

    @cached_property
    def until(self) -> Ints:
        """The entry that closed each row; a number above all for those that are open."""
        until = self._both("until", self._added.until)
        rows, entries = self._closed
        if len(rows):
            until = np.array(until)
            until[insertion_points(self.rows, rows)] = entries
        return until

    def _both(self, name: str, added: Ints) -> Ints:
        if self._stored is None:
            return added
        return np.concatenate([self._stored[name], added]) if len(added) else self._stored[name]

    def column(self, name: str) -> DictionaryColumn:
        """One column over all rows; `source` is who brought each."""
        if name not in self._known:
            parts = [self._added.columns[name]] if len(self._added) or self._stored is None else []
            if self._stored is not None:
                parts = [self._kept(name), *parts]
            self._known[name] = appended(*parts) if len(parts) > 1 else parts[0]
        return self._known[name]

    def _kept(self, name: str) -> DictionaryColumn:
        """A column as the file holds it."""
        if name not in self._in_file:
            assert self._stored is not None
            self._in_file[name] = _column_in(self._stored, name)
        return self._in_file[name]

    def holding(self, wanted: Mapping[str, Sequence[Scalar]]) -> Ints:
        """The positions of the rows that hold one of some values in each of some columns, which are not put together
        for that."""
        if self._stored is None:
            return _holding(self._added.columns, wanted)
        kept = _holding({name: self._kept(name) for name in wanted}, wanted)
        if not len(self._added):
            return kept
        return np.concatenate([kept, self._kept_rows + _holding(self._added.columns, wanted)])

    @property
    def _kept_rows(self) -> int:
        """How many rows the file holds."""
        return len(self._stored["rows"]) if self._stored is not None else 0

    def at_rows(self, rows: Ints) -> Ints:
        """The positions of the rows with some numbers."""
        if self._stored is None or not len(self._added):
            return insertion_points(self.rows, rows)
        is_added = rows >= self._added.rows[0]
        found = np.empty(len(rows), dtype=np.int64)
        found[~is_added] = insertion_points(self._stored["rows"], rows[~is_added])
        found[is_added] = self._kept_rows + insertion_points(self._added.rows, rows[is_added])
        return found

    def among(self, positions: Ints, point: int | None) -> Ints:
        """Those of some positions, in order, whose rows belong to the state after an entry."""
        until = self.closed_by(positions)
        return positions[until == _OPEN if point is None else (self.opened_by(positions) <= point) & (until > point)]

    def numbers(self, positions: Ints) -> Ints:
        """The numbers of the rows at some positions."""
        return self._some("rows", positions)

    def opened_by(self, positions: Ints) -> Ints:
        """The entries that opened the rows at some positions."""
        return self._some("since", positions)

    def closed_by(self, positions: Ints) -> Ints:
        """The entries that closed the rows at some positions; a number above all for those that are open."""
        until, (rows, entries) = self._some("until", positions), self._closed
        if len(rows):
            numbers = self.numbers(positions)
            at = np.minimum(insertion_points(rows, numbers), len(rows) - 1)
            until = np.where(rows[at] == numbers, entries[at], until)
        return until

    def _some(self, name: str, positions: Ints) -> Ints:
        added: Ints = getattr(self._added, name)
        if self._stored is None or not len(added):
            return (self._stored[name] if self._stored is not None else added)[positions]
        is_added, found = positions >= self._kept_rows, np.empty(len(positions), dtype=np.int64)
        found[~is_added] = self._stored[name][positions[~is_added]]
        found[is_added] = added[positions[is_added] - self._kept_rows]
        return found

    def listed(self, name: str, positions: Ints) -> list[Scalar]:
        """What some rows hold in a column, which is not put together for them where rows stand behind the file."""
        if name in self._known or self._stored is None or not len(self._added):
            return self.column(name).listed(positions)
        count = self._kept_rows
        is_kept = positions < count
        kept = iter(self._kept(name).listed(positions[is_kept]))
        added = iter(self._added.columns[name].listed(positions[~is_kept] - count))
        return [next(kept if it else added) for it in is_kept.tolist()]

    def in_state(self, point: int | None) -> Ints | None:
        """The positions of the rows that belong to the state after an entry; None where that is all of them."""
        open_ = self.until == _OPEN if point is None else (self.since <= point) & (self.until > point)
        return None if open_.all() else open_.nonzero()[0]

    def between(self, first: int, second: int) -> tuple[Ints, Ints]:
        """The positions of the rows that go and that come from the state after one entry to that after another."""
        low, high = (np.logical_and(self.since <= it, self.until > it) for it in (first, second))
        return (low & ~high).nonzero()[0], (high & ~low).nonzero()[0]

    def ended_by(self, entries: Iterable[int]) -> Ints:
        """The positions of the rows that one of these entries closed."""
        return np.isin(self.until, list(entries)).nonzero()[0]

    def arrays(self) -> dict[str, npt.NDArray[np.generic]]:
        """All of it as named arrays."""
        arrays: dict[str, npt.NDArray[np.generic]] = {
            "rows": self.rows,
            "since": self.since.astype(np.int32),
            "until": self.until.astype(np.int32),
        }
        for name in (SOURCE, *self.kind.names):
            arrays |= _arrays_of(name, self.column(name).compact())
        return arrays


def _arrays_of(name: str, column: DictionaryColumn) -> dict[str, npt.NDArray[np.generic]]:
    """A column as named arrays."""
    arrays: dict[str, npt.NDArray[np.generic]] = {f"{name}.codes": column.codes}
    if isinstance(column.values, Numbers):
        return {**arrays, f"{name}.numbers": column.values.array}
    assert isinstance(column.values, StringTable)
    parts = {part: getattr(column.values, part) for part in ("starts", "content", "hashes", "by_hash")}
    return {**arrays, **{f"{name}.{part}": array for part, array in parts.items()}}


def _column_in(arrays: Arrays, name: str) -> DictionaryColumn:
    """A column of named arrays."""
    if f"{name}.numbers" in arrays:
        return DictionaryColumn(arrays[f"{name}.codes"], Numbers(arrays[f"{name}.numbers"]))
    parts = (arrays[f"{name}.{part}"] for part in ("starts", "content", "hashes", "by_hash"))
    return DictionaryColumn(arrays[f"{name}.codes"], StringTable(*parts))


def _holding(columns: Mapping[str, DictionaryColumn], wanted: Mapping[str, Sequence[Scalar]]) -> Ints:
    """The rows that hold one of some values in each of some columns, that which tells most apart looked at first."""
    found: Ints | None = None
    for name in sorted(wanted, key=lambda it: -len(columns[it].values)):
        codes = columns[name].codes_of(wanted[name])
        held = columns[name].codes if found is None else columns[name].codes[found]
        is_held = held == codes[0] if len(codes) == 1 else np.isin(held, codes)
        found = is_held.nonzero()[0] if found is None else found[is_held]
    return np.arange(len(next(iter(columns.values())))) if found is None else found


class Added(msgspec.Struct):
    """Rows that stand in no file yet."""

    rows: Ints
    since: Ints
    until: Ints
    columns: dict[str, DictionaryColumn]

    def __len__(self) -> int:
        return len(self.rows)


def _read(reader: Reader, kind: Kind, pending: Pending, is_whole: bool) -> Added:
    """The rows that entries opened (`is_whole`: all there are), read from the store; they have to be as entries say."""
    ranges = [range(1, LAST + 1)] if is_whole else [rows for rows, _ in pending.opened]
    blocks = [it for numbers in ranges for it in reader.blocks(kind, numbers.start, numbers.stop - 1)]
    if not blocks and not pending.rows_opened:
        return _none_of(kind)
    if sum(map(len, blocks)) != pending.rows_opened:
        there, brought = sum(map(len, blocks)), pending.rows_opened
        what = f"The store holds {there} rows of {kind.name}, and entries of the ledger have brought {brought}."
        raise DataError(what, _ALTERED)
    whole = joined_blocks(blocks)
    _must_be_marked(kind, whole)
    expected = Openings(pending.opened).of(whole.rows), Closings(pending.closed).of(whole.rows)
    wrong = ((whole.since != expected[0]) | (whole.until != expected[1])).nonzero()[0]
    if len(wrong):
        what = (
            f"Row {whole.rows[wrong[0]]} of {kind.name} in the store begins or ends where no entry of the ledger says."
        )
        raise DataError(what, _ALTERED)
    until = np.where(whole.until == FOREVER, _OPEN, whole.until)
    named = zip((SOURCE, *kind.names), (whole.sources, *whole.columns), strict=True)
    return Added(whole.rows, whole.since, until, dict(named))


def _must_be_marked(kind: Kind, block: Block) -> None:
    """Raises DataError where a row does not bear the mark of what it holds: somebody has edited it."""
    checks = [value_checksums(column) for column in block.columns]
    for part in in_chunks(len(block), _TOGETHER):
        codes = [column.codes[part] for column in block.columns]
        wrong = (checksums_of(block.rows[part], codes, checks) != block.checksums[part]).nonzero()[0]
        if len(wrong):
            what = f"Row {block.rows[part][wrong[0]]} of {kind.name} in the store is not what was written there."
            raise DataError(what, _ALTERED)


class Histories:
    """The histories of all kinds as one reader of the store sees them; each is opened when it is first asked for."""

    def __init__(self, reader: Reader, folder: ComputedFolder) -> None:
        self.reader = reader
        self.folder = folder
        self.newest = reader.newest()
        self._of: dict[str, KindHistory] = {}
        self._later: list[tuple[int, dict[str, dict[str, str]]]] = []
        self._later_than: int | None = None

    def of(self, kind: Kind) -> KindHistory:
        """The history of one kind."""
        if kind.name not in self._of:
            self._of[kind.name] = self._opened(kind)
        return self._of[kind.name]

    def touched_between(self, first: int, second: int) -> set[str]:
        """The names of the kinds of which the entries between two, the later one included, opened or closed a row."""
        low, high = min(first, second), max(first, second)
        return {name for number, rows in (self._after(low) if low < high else []) if number <= high for name in rows}

    def _after(self, entry: int) -> list[tuple[int, dict[str, dict[str, str]]]]:
        if self._later_than is None or entry < self._later_than:
            self._later = [(number, rows_of_entry(number, text)) for number, text in self.reader.rows_after(entry)]
            self._later_than = entry
        return [(number, rows) for number, rows in self._later if number > entry]

    def _pending(self, kind: Kind, entry: int) -> Pending:
        """What later entries did to the rows of a kind."""
        pending, last = Pending(), None
        for number, rows in self._after(entry):
            pending.entries += 1
            if kind.name in rows:
                opened, closed = (ranges_in(rows[kind.name][part]) for part in ("opened", "closed"))
                last = self.reader.last_row(kind) if last is None else last
                if any(
                    sum(map(len, some)) > last or any(it.stop > last + 1 for it in some) for some in (opened, closed)
                ):
                    raise unreadable(number)  # more rows than there are
                pending.opened += [(numbers, number) for numbers in opened]
                pending.closed += [(numbers, number) for numbers in closed]
        return pending

    def _stored(self, kind: Kind) -> Computed | None:
        """The file of a kind; None where there is none that fits."""
        stored = self.folder.open(_file(kind))
        if stored is None or self.reader.leaf(stored.point.entry) != stored.point.leaf:
            return None  # of another history, or the store was put back from a copy
        whole = all(f"{name}.codes" in stored for name in (SOURCE, *kind.names))
        return stored if whole and "rows" in stored else None  # else of another version

    def _opened(self, kind: Kind) -> KindHistory:
        stored = self._stored(kind)
        if stored is None:
            everything = _read(self.reader, kind, self._pending(kind, 0), is_whole=True)
            return self._kept(kind, KindHistory(kind, None, everything, _NONE))
        pending = self._pending(kind, stored.point.entry)
        if not len(pending) and pending.entries < _MOST_ENTRIES:
            return KindHistory(kind, stored, _none_of(kind), _NONE)
        added = _read(self.reader, kind, pending, is_whole=False)
        history = KindHistory(kind, stored, added, pending.closures())
        is_far_behind = len(pending) > min(_MOST_BEHIND, len(stored["rows"])) or pending.entries >= _MOST_ENTRIES
        return self._kept(kind, history) if is_far_behind else history

    def _kept(self, kind: Kind, history: KindHistory) -> KindHistory:
        """The history as the file holds it that is written of it; as it is where none can be written."""
        if self.newest.entry and self.folder.save(_file(kind), self.newest, history.arrays(), {}):
            stored = self.folder.open(_file(kind))
            if stored is not None and stored.point == self.newest:
                return KindHistory(kind, stored, _none_of(kind), _NONE)
        return history

    def take_in(self, opened: Mapping[str, Sequence[Opened]]) -> None:
        """Writes the files of kinds of which many rows have just been opened, from the columns that are at hand."""
        for name, parts in opened.items():
            kind = BY_NAME[name]
            if sum(len(part.sources) for part in parts) > _MOST_BEHIND and kind.name not in self._of:
                self._of[name] = self._taken_in(kind, parts)

    def _taken_in(self, kind: Kind, parts: Sequence[Opened]) -> KindHistory:
        stored = self._stored(kind)
        pending = self._pending(kind, stored.point.entry if stored is not None else 0)
        if pending.rows_opened != sum(len(part.sources) for part in parts):
            return self._opened(kind)  # others wrote meanwhile
        rows = np.concatenate([np.arange(part.first, part.first + len(part.sources)) for part in parts])
        named = [(SOURCE, [part.sources for part in parts])]
        named += [(name, [part.columns[at] for part in parts]) for at, name in enumerate(kind.names)]
        columns = {name: joined_columns(some) for name, some in named}
        since = np.concatenate([np.full(len(part.sources), part.entry) for part in parts])
        added = Added(rows, since, np.full(len(rows), _OPEN), columns)
        return self._kept(kind, KindHistory(kind, stored, added, pending.closures()))


class Opened(msgspec.Struct, frozen=True):
    """Rows that an entry has opened: the number of the first, and what they hold."""

    entry: int
    first: int
    columns: Sequence[DictionaryColumn]
    sources: DictionaryColumn

    @property
    def end(self) -> int:
        """The number behind that of the last."""
        return self.first + len(self.sources)


def _none_of(kind: Kind) -> Added:
    return Added(_NOTHING, _NOTHING, _NOTHING, {name: always(None, 0) for name in (SOURCE, *kind.names)})


def _file(kind: Kind) -> str:
    return f"columns-{kind.name}"
