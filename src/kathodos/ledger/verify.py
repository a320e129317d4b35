"""Verification: whether the ledger and the catalogue are what was signed, and if not, where."""

from __future__ import annotations

import multiprocessing
import os
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from kathodos.columns.csr import Ints, ints, joined
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.ranges import ranges_in
from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.entries import (
    BLOCK,
    Digest,
    Entry,
    checksums_of,
    entry_of,
    json_text,
    read_heads,
    value_checksums,
)
from kathodos.ledger.keys import Head, Keys, is_signed
from kathodos.model.kinds import BY_NAME, KINDS, Kind
from kathodos.store.base import EntryRow, Reader, Store
from kathodos.store.blocks import FIRST, FOREVER, LAST, Block, joined_blocks
from kathodos.store.computed import Point

RowsOfEntries = Mapping[int, Mapping[str, Mapping[str, str]]]  # by entry and kind: which it opened and closed
_LARGE = 500_000  # rows from which on several processes pay
_PROCESSES = 4


@dataclass(frozen=True)
class Discrepancy:
    """One thing that is not as signed: where it is and what is wrong with it."""

    where: str
    what: str


Checked = tuple[int, list[Discrepancy]]  # how many rows, and what is wrong with them


@dataclass(frozen=True)
class Verification:
    entries: int
    rows: int
    head: Head | None
    discrepancies: list[Discrepancy]


def verify(store: Store, keys: Keys, kept: Sequence[Head] = ()) -> Verification:
    """Checks every entry, head and catalogue row; `kept` are heads that an auditor has kept elsewhere."""
    with store.reading() as reader:
        written = [*reader.entries()][::-1]
        entries = [_readable(row) for row in written]
        heads = read_heads(reader)
        found = [
            *_entry_discrepancies(reader, written, entries),
            *_head_discrepancies(entries, heads, keys, kept),
        ]
        (_, damages), *checked = _parts_checked(store, reader, {entry.number: entry.rows for entry in entries})
    found = [*damages, *found, *(one for _, wrong in checked for one in wrong)]
    return Verification(len(entries), sum(rows for rows, _ in checked), heads[-1] if heads else None, found)


def _parts_checked(store: Store, reader: Reader, entries: RowsOfEntries) -> list[Checked]:
    """What is wrong with the database file, and then with the rows of each kind; of a large store in processes."""
    sizes = {
        kind.name: sum(len(rows) for one in entries.values() for rows in ranges_in(_kept(one, kind).get("opened", "")))
        for kind in KINDS
    }
    parts, processors = ["", *sizes], os.cpu_count() or 1
    if processors < 2 or sum(sizes.values()) < _LARGE:
        return [_part_checked(reader, part, entries) for part in parts]
    point, found = reader.newest(), {}
    with ProcessPoolExecutor(min(processors, _PROCESSES), multiprocessing.get_context("spawn")) as pool:
        for part in sorted(parts, key=lambda it: -sizes.get(it, max(sizes.values()))):
            found[part] = pool.submit(_checked_apart, store, point, part, entries)
        apart = {part: it.result() for part, it in found.items()}
    return [apart[part] or _part_checked(reader, part, entries) for part in parts]


def _checked_apart(store: Store, point: Point, part: str, entries: RowsOfEntries) -> Checked | None:
    """What is wrong with one part, found in another process; None where the store has gone on since."""
    with store.reading() as reader:
        return _part_checked(reader, part, entries) if reader.newest() == point else None


def _part_checked(reader: Reader, part: str, entries: RowsOfEntries) -> Checked:
    if not part:
        return 0, [Discrepancy("the database file", text) for text in reader.damages()]
    return _row_discrepancies(reader, BY_NAME[part], entries)


def _kept(rows: Mapping[str, Mapping[str, str]], kind: Kind) -> Mapping[str, str]:
    """What an entry says of the rows of a kind."""
    return rows.get(kind.name, {})


def _readable(row: EntryRow) -> Entry:
    """An entry; one whose JSON was made unreadable has empty parts, and so differs from its leaf."""
    try:
        return entry_of(row)
    except DataError:
        return Entry(row[0], "", "", {}, "", [], "", {}, {})


def _entry_discrepancies(reader: Reader, written: list[EntryRow], entries: list[Entry]) -> Iterator[Discrepancy]:
    kept = {row[0]: (bytes(row[-1]), [row[at] for at in (3, 5, 7, 8)]) for row in written}
    nodes = {position + 1: value for level, position, value in reader.nodes() if level == 0}
    expected = 1
    for entry in entries:
        yield from (Discrepancy(f"entry {number}", "is missing") for number in range(expected, entry.number))
        expected = entry.number + 1
        leaf, texts = kept[entry.number]
        as_written = texts == [json_text(it) for it in (entry.origin, entry.subjects, entry.payload, entry.rows)]
        if not as_written or not leaf == nodes.get(entry.number) == _leaf(entry):
            yield Discrepancy(f"entry {entry.number}", "was edited, moved or inserted: it is not what the tree holds")


def _leaf(entry: Entry) -> bytes:
    try:
        return entry.leaf()
    except Exception:  # a number or text that canonical JSON cannot hold was never written by us
        return b""


def _head_discrepancies(
    entries: list[Entry], heads: list[Head], keys: Keys, kept: Sequence[Head]
) -> Iterator[Discrepancy]:
    roots = merkle.roots_of([_leaf(entry) for entry in entries])
    public = keys.public()
    by_size = {head.size: head for head in heads}
    newest = entries[-1].number if entries else 0
    first_wrong = None
    for head in heads:
        if not is_signed(head, public):
            yield Discrepancy(f"head {head.size}", "does not carry this workspace's signature")
        elif first_wrong is None and head.size < len(roots) and head.root != roots[head.size]:
            first_wrong = head.size
            yield Discrepancy(f"entry {head.size}", "is the first that differs from what was signed")
    for size in range(1, newest + 1):
        if size not in by_size:
            yield Discrepancy(f"entry {size}", "has no signed head: it was inserted, or the head was taken away")
    for where, others in (("the heads kept beside the store", keys.witnessed()), ("the given head", list(kept))):
        yield from _outside(where, others, public, roots, newest)
    if heads and not keys.witness_file.exists():
        yield Discrepancy(str(keys.witness_file.name), "is missing: nothing outside the store shows its last length")
    elif heads and heads[-1].size > newest:
        yield Discrepancy(f"entries {newest + 1}-{heads[-1].size}", "were dropped: signed heads go on to there")


def _outside(where: str, heads: list[Head], public: Any, roots: list[bytes], newest: int) -> Iterator[Discrepancy]:
    for head in heads:
        if not is_signed(head, public):
            yield Discrepancy(where, f"of size {head.size} does not carry this workspace's signature")
        elif head.size >= len(roots):
            yield Discrepancy(f"entries {newest + 1}-{head.size}", f"were dropped: {where} go on to there")
            return
        elif head.root != roots[head.size]:
            yield Discrepancy(f"entry {head.size}", f"or one before it differs from {where}")
            return


def _row_discrepancies(reader: Reader, kind: Kind, entries: RowsOfEntries) -> Checked:
    """The number of rows of one kind, and what is wrong with them against what the entries say of them."""
    opened, closed = _Opened(kind, entries), _Closed(kind, entries)
    wrong: list[Discrepancy] = []
    suspects: set[int] = set()
    digests: dict[int, Digest] = {}
    total = 0
    for part in opened.pieces(_with_faults(it) for it in reader.blocks(kind, FIRST, LAST)):
        total += len(part)
        by, ends = opened.openers(part.rows), closed.ends(part.rows)
        intact = part.checksums == 0
        is_recorded = (by == part.since) & (part.until == ends)
        for at in (~(intact & is_recorded & (by > 0))).nonzero()[0].tolist():
            suspects.add(int(by[at]))
            key = " ".join(str(part.columns[kind.names.index(name)].value(at)) for name in kind.key)
            what = _what_is_wrong(
                int(part.since[at]), int(part.until[at]), int(by[at]), int(ends[at]), bool(intact[at])
            )
            wrong.append(Discrepancy(f"{kind.name} row {part.rows[at]} ({key})", what))
        digests.setdefault(int(by[0]), Digest()).add(int(part.rows[0]), part.held)
    for row, number in opened.missing():
        suspects.add(number)
        wrong.append(Discrepancy(f"{kind.name} row {row}", f"was removed; entry {number} brought it"))
    for number, rows_of_entry in entries.items():
        kept = _kept(rows_of_entry, kind)
        if kept and number not in suspects and digests.get(number, Digest()).text() != kept["digest"]:
            where = f"{kind.name} rows {kept['opened']}"
            wrong.append(Discrepancy(where, f"were edited together with their checksums; entry {number} brought them"))
    return total, wrong


def _with_faults(block: Block) -> Block:
    """Rows as they were read, with 0 for the checksum of each that has the right one."""
    checks = [value_checksums(column) for column in block.columns]
    expected = checksums_of(block.rows, [column.codes for column in block.columns], checks)
    return replace(block, checksums=block.checksums - expected)


class _Opened:
    """Which entry opened each row of a kind, as the entries say it."""

    def __init__(self, kind: Kind, entries: RowsOfEntries) -> None:
        opened_ranges = sorted(
            (rows.start, rows.stop, number)
            for number, one in entries.items()
            for rows in ranges_in(_kept(one, kind).get("opened", ""))
        )
        self._firsts, self._ends, self._numbers = (
            np.array([one[at] for one in opened_ranges], dtype=np.int64) for at in range(3)
        )
        self._seen: list[Ints] = []

    def pieces(self, read: Iterator[Block]) -> Iterator[Block]:
        """The rows in the blocks in which the entries' digests were made; rows between ranges by themselves."""
        limits = np.unique(np.concatenate([[FIRST], self._firsts, self._ends]))
        rest, following = next(read, None), next(read, None)
        while rest is not None:
            while following is not None and len(rest) < BLOCK:
                rest, following = joined_blocks([rest, following]), next(read, None)
            start = int(insertion_points(limits, rest.rows[0], side="right")) - 1
            base = int(limits[start])
            end = base + ((int(rest.rows[0]) - base) // BLOCK + 1) * BLOCK
            end = min(end, *limits[start + 1 : start + 2].tolist(), LAST)
            size = int(insertion_points(rest.rows, end)) or 1
            yield rest.part(slice(size))
            if size < len(rest):
                rest = rest.part(slice(size, None))
            else:
                rest, following = following, next(read, None)

    def openers(self, rows: Ints) -> Ints:
        """The entry that opened each row, 0 where none did; notes that the rows are there."""
        self._seen.append(rows)
        if not len(self._firsts):
            return np.zeros(len(rows), dtype=np.int64)
        at = np.maximum(insertion_points(self._firsts, rows, side="right") - 1, 0)
        is_inside = (rows >= self._firsts[at]) & (rows < self._ends[at])
        return np.where(is_inside, self._numbers[at], 0)

    def missing(self) -> Iterator[tuple[int, int]]:
        """Each row that an entry opened and that was not seen, with that entry."""
        seen = np.concatenate([np.zeros(0, dtype=np.int64), *self._seen])
        for first, end, number in zip(self._firsts, self._ends, self._numbers, strict=True):
            between = seen[insertion_points(seen, first) : insertion_points(seen, end)]
            if len(between) < end - first:
                for row in np.setdiff1d(np.arange(first, end), between).tolist():
                    yield row, int(number)


class _Closed:
    """Which entry closed each row of a kind, as the entries say it."""

    def __init__(self, kind: Kind, entries: RowsOfEntries) -> None:
        ranges = [
            (rows, number) for number, one in entries.items() for rows in ranges_in(_kept(one, kind).get("closed", ""))
        ]
        rows = joined([np.arange(it.start, it.stop) for it, _ in ranges])
        order = order_of(rows)
        self._rows = rows[order]
        self._numbers = np.repeat(ints(number for _, number in ranges), ints(len(it) for it, _ in ranges))[order]

    def ends(self, rows: Ints) -> Ints:
        """The entry that closed each row, the last one that says so; FOREVER where none did."""
        ends = np.full(len(rows), FOREVER)
        at = insertion_points(self._rows, rows, side="right") - 1
        found = (at >= 0) & (self._rows[at] == rows) if len(self._rows) else np.zeros(len(rows), dtype=bool)
        ends[found] = self._numbers[at[found]]
        return ends


def _what_is_wrong(since: int, until: int, opened: int, closed: int, is_intact: bool) -> str:
    if not opened:
        return "was added: no entry of the ledger brought it"
    if since != opened:
        return f"was edited: it says that entry {since} brought it, which was entry {opened}"
    if until != closed:
        if closed == FOREVER:
            return "was ended: no entry of the ledger ended it"
        return f"was brought back: entry {closed} had ended it"
    return "" if is_intact else f"was edited after entry {opened} brought it"
