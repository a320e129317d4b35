"""The records of every kind as columns, with their whole history: each column a dictionary, each row from when to when.

What the columns hold is kept in files beside the store and mapped: one for each kind, and where much was written since,
one behind it. Each belongs to a ledger entry; the rows that later entries opened and closed are read from the store by
their numbers, which these entries say, and put behind. So every state of the catalogue is a choice of rows, and a
column is read only when it is asked for.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import joined
from kathodos.columns.dictionary import DictionaryColumn, joined_columns
from kathodos.columns.ranges import ranges_in
from kathodos.errors import DataError
from kathodos.model.kinds import BY_NAME, Kind
from kathodos.store.base import Reader, rows_of_entry, unreadable
from kathodos.store.blocks import FOREVER, LAST, Block, joined_blocks
from kathodos.store.computed import Computed, ComputedFolder, Point
from kathodos.store.kind_history import (
    NOT_CLOSED,
    SOURCE,
    STANDS,
    Closed,
    KindHistory,
    Part,
    both_closed,
    nothing_of,
    part_in,
)
from kathodos.store.recorded import Closings, Openings
from kathodos.store.versions import Versions, filled, wrongly_marked

_ALTERED = "See what was altered with `kathodos ledger verify`; put the store back from a copy."


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
        return both_closed((rows, entries), NOT_CLOSED)

    def stretches(self) -> list[range]:
        """The rows that were opened, in as few ranges as it takes."""
        found: list[range] = []
        for rows, _ in sorted(self.opened, key=lambda it: it[0].start):
            if found and found[-1].stop == rows.start:
                found[-1] = range(found[-1].start, rows.stop)
            else:
                found.append(rows)
        return found


def _read(reader: Reader, kind: Kind, pending: Pending, is_whole: bool) -> Part:
    """The rows that entries opened (`is_whole`: all there are), read from the store; they have to be as entries say."""
    ranges = [range(1, LAST + 1)] if is_whole else pending.stretches()
    blocks = [it for numbers in ranges for it in reader.blocks(kind, numbers.start, numbers.stop - 1)]
    if not blocks and not pending.rows_opened:
        return nothing_of(kind)
    if sum(map(len, blocks)) != pending.rows_opened:
        there, brought = sum(map(len, blocks)), pending.rows_opened
        what = f"The store holds {there} rows of {kind.name}, and entries of the ledger have brought {brought}."
        raise DataError(what, _ALTERED)
    whole = joined_blocks(blocks)
    _must_be_marked(kind, whole, reader.versions)
    expected = Openings(pending.opened).of(whole.rows), Closings(pending.closed).of(whole.rows)
    wrong = ((whole.since != expected[0]) | (whole.until != expected[1])).nonzero()[0]
    if len(wrong):
        what = (
            f"Row {whole.rows[wrong[0]]} of {kind.name} in the store begins or ends where no entry of the ledger says."
        )
        raise DataError(what, _ALTERED)
    whole = filled(kind, whole, reader.versions)
    until = np.where(whole.until == FOREVER, STANDS, whole.until)
    named = dict(zip((SOURCE, *kind.names), (whole.sources, *whole.columns), strict=True))
    return Part(whole.rows, whole.since, until, named.__getitem__)


def _must_be_marked(kind: Kind, block: Block, versions: Versions) -> None:
    """Raises DataError where a row does not bear the mark of what it holds: somebody has edited it."""
    wrong = wrongly_marked(kind, block, versions).nonzero()[0]
    if len(wrong):
        what = f"Row {block.rows[wrong[0]]} of {kind.name} in the store is not what was written there."
        raise DataError(what, _ALTERED)


class _Files(msgspec.Struct, frozen=True):
    """The files of one kind: that of most rows, and perhaps one behind it. `point`: what both belong to together."""

    whole: Computed
    behind: Computed | None

    @property
    def point(self) -> Point:
        return self.behind.point if self.behind is not None else self.whole.point

    @property
    def parts(self) -> list[Part]:
        return [part_in(it) for it in (self.whole, self.behind) if it is not None]

    @property
    def closed(self) -> Closed:
        """The rows of the first that were closed before the second was made."""
        return (self.behind["closed"], self.behind["closed_by"]) if self.behind is not None else NOT_CLOSED


class Histories:
    """The histories of all kinds as one reader of the store sees them; each is opened when it is first asked for.

    What another reader of the same process has opened of a kind is not opened once more, where nothing was written of
    that kind since.
    """

    def __init__(self, reader: Reader, folder: ComputedFolder) -> None:
        self.reader = reader
        self.folder = folder
        self.newest = reader.newest()
        self.known = folder.known_at(self.newest)
        self._of: dict[str, KindHistory] = {}
        self._later: list[tuple[int, dict[str, dict[str, str]]]] = []
        self._later_than: int | None = None

    def of(self, kind: Kind) -> KindHistory:
        """The history of one kind."""
        if kind.name not in self._of:
            self._of[kind.name] = self._shared(kind) or self._opened(kind)
            self.folder.shared[kind.name] = (self.newest, self._of[kind.name])
        return self._of[kind.name]

    def _shared(self, kind: Kind) -> KindHistory | None:
        """What another reader has opened of a kind, if that is what this one would."""
        point, history = self.folder.shared.get(kind.name, (None, None))
        if point == self.newest:
            return history
        if point is None or point.entry > self.newest.entry or self.reader.leaf(point.entry) != point.leaf:
            return None
        return history if not any(kind.name in rows for _, rows in self._after(point.entry)) else None

    def touched_between(self, first: int, second: int) -> set[str]:
        """The names of the kinds of which the entries between two, the later one included, opened or closed a row."""
        low, high = min(first, second), max(first, second)
        return {name for number, rows in (self._after(low) if low < high else []) if number <= high for name in rows}

    def count_since(self, kind: Kind, entry: int) -> int:
        """How many rows of a kind entries after one have opened and closed."""
        return len(self._pending(kind, entry))

    def rows_since(self, kind: Kind, entry: int) -> tuple[list[int], list[int]]:
        """The numbers of the rows of a kind that entries after one have closed, and of those that they have opened.

        What was opened and closed again since is left out.
        """
        pending = self._pending(kind, entry)
        closed, opened = ({number for rows, _ in some for number in rows} for some in (pending.closed, pending.opened))
        return sorted(closed - opened), sorted(opened - closed)

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

    def _files(self, kind: Kind) -> _Files | None:
        """The files of a kind; None where there is none that fits."""
        whole = self._fitting(kind, _file(kind))
        if whole is None:
            return None
        behind = self._fitting(kind, _file_behind(kind))
        is_behind = behind is not None and behind.rest.get("behind") == [whole.point.entry, whole.point.leaf]
        return _Files(whole, behind if is_behind else None)

    def _fitting(self, kind: Kind, name: str) -> Computed | None:
        stored = self.folder.open(name)
        if stored is None or self.reader.leaf(stored.point.entry) != stored.point.leaf:
            return None  # of another history, or the store was put back from a copy
        whole = all(f"{it}.codes" in stored for it in (SOURCE, *kind.names))
        return stored if whole and "rows" in stored else None  # else of another version

    def _opened(self, kind: Kind) -> KindHistory:
        files = self._files(kind)
        if files is None:
            everything = _read(self.reader, kind, self._pending(kind, 0), is_whole=True)
            return self._kept(kind, None, KindHistory(kind, [everything]))
        pending = self._pending(kind, files.point.entry)
        if not len(pending):
            history = KindHistory(kind, files.parts, files.closed)
        else:
            history = self._continued(kind, files, pending, _read(self.reader, kind, pending, is_whole=False))
        is_far_behind = len(pending) > thresholds.FEW_BEHIND or pending.entries >= thresholds.ENTRIES_BEHIND
        return self._kept(kind, files, history) if is_far_behind else history

    @staticmethod
    def _continued(kind: Kind, files: _Files, pending: Pending, fresh: Part) -> KindHistory:
        """What files hold, and behind it what entries have opened since."""
        return KindHistory(kind, [*files.parts, fresh], both_closed(files.closed, pending.closures()))

    def _kept(self, kind: Kind, files: _Files | None, history: KindHistory) -> KindHistory:
        """The history as the files hold it that are written of it; as it is where none can be written."""
        if not self.newest.entry:
            return history
        count = len(files.whole["rows"]) if files is not None else 0
        behind = len(history.rows) - count + len(history.closed[0])
        if files is None or behind > max(thresholds.ROWS_BEHIND, count * thresholds.PERCENT_BEHIND // 100):
            is_written = self.folder.save(_file(kind), self.newest, history.arrays(), {})
        else:
            is_written = self._kept_behind(kind, files.whole, history)
        kept = self._files(kind) if is_written else None
        return KindHistory(kind, kept.parts, kept.closed) if kept is not None and kept.point == self.newest else history

    def _kept_behind(self, kind: Kind, whole: Computed, history: KindHistory) -> bool:
        """Writes what stands behind the file of most rows into another; whether that was done."""
        count = len(whole["rows"])
        last = int(whole["rows"][-1]) if count else 0
        rows, entries = history.closed
        is_of_whole = rows <= last
        later = [it for it in history.parts if len(it) and int(it.rows[0]) > last] or [nothing_of(kind)]
        behind = KindHistory(kind, later, (rows[~is_of_whole], entries[~is_of_whole]))
        arrays = {**behind.arrays(), "closed": rows[is_of_whole], "closed_by": entries[is_of_whole]}
        about = {"behind": [whole.point.entry, whole.point.leaf]}
        return self.folder.save(_file_behind(kind), self.newest, arrays, about)

    def take_in(self, opened: Mapping[str, Sequence[Opened]]) -> None:
        """Writes the files of kinds of which many rows have just been opened, from the columns that are at hand."""
        for name, parts in opened.items():
            kind = BY_NAME[name]
            if sum(len(part.sources) for part in parts) > thresholds.FEW_BEHIND and kind.name not in self._of:
                self._of[name] = self._taken_in(kind, parts)

    def _taken_in(self, kind: Kind, parts: Sequence[Opened]) -> KindHistory:
        files = self._files(kind)
        pending = self._pending(kind, files.point.entry if files is not None else 0)
        if sorted(pending.opened, key=_first) != sorted(((part.rows, part.entry) for part in parts), key=_first):
            return self._opened(kind)  # others wrote meanwhile, or little before
        rows = np.concatenate([np.arange(part.first, part.first + len(part.sources)) for part in parts])
        named = [(SOURCE, [part.sources for part in parts])]
        named += [(name, [part.columns[at] for part in parts]) for at, name in enumerate(kind.names)]
        columns = {name: joined_columns(some) for name, some in named}
        since = np.concatenate([np.full(len(part.sources), part.entry) for part in parts])
        fresh = Part(rows, since, np.full(len(rows), STANDS), columns.__getitem__)
        if files is None:
            return self._kept(kind, None, KindHistory(kind, [fresh], pending.closures()))
        return self._kept(kind, files, self._continued(kind, files, pending, fresh))


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

    @property
    def rows(self) -> range:
        """Their numbers."""
        return range(self.first, self.end)


def _first(opened: tuple[range, int]) -> int:
    rows, _ = opened
    return rows.start


def _file(kind: Kind) -> str:
    return f"columns-{kind.name}"


def _file_behind(kind: Kind) -> str:
    return f"behind-{kind.name}"
