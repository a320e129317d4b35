"""Entries: every write is one transaction together with its entry, or it does not happen.

An entry is a leaf of the Merkle tree in the canonical form of RFC 8785. It names every catalogue row that it opened
and closed, and holds a digest over the opened ones, so that a row edited behind its back is found. Each row also bears
a checksum of its content that tells which row it was.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt
import sqlalchemy as sa

from kathodos.columns.dictionary import Codes, DictionaryColumn, Ints, Scalar, always, dictionary_column, in_chunks
from kathodos.columns.ranges import range_text, ranges_text
from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.keys import Head, Keys
from kathodos.model import times
from kathodos.model.kinds import Kind
from kathodos.store.base import EntryRow, Reader, Store
from kathodos.store.computed import DamagedError
from kathodos.store.history import Histories, Opened
from kathodos.store.records import Stored
from kathodos.store.tables import HEADS, LEDGER, TABLES, TREE, latest

Checks = npt.NDArray[np.uint64]
_CHUNK = 20_000
BLOCK = 1 << 16
_FACTOR = np.uint64(0x9E3779B97F4A7C15)  # 2**64 divided by the golden ratio (Knuth, 6.4)


@dataclass(frozen=True)
class Entry:
    """An entry as it is kept. `rows` says per table which rows were opened and closed, and the opened ones' digest."""

    number: int
    time: str
    actor: str
    kind: str
    subjects: list[str]
    reason: str
    payload: dict[str, Any]
    rows: dict[str, dict[str, str]]

    def leaf(self) -> bytes:
        """The entry's leaf hash (RFC 9162, 2.1.1) over its canonical form (RFC 8785)."""
        import rfc8785

        return merkle.leaf_hash(rfc8785.dumps(vars(self)))


@dataclass
class Draft:
    """The entry being written. `open_rows` and `close_rows` change the catalogue as part of it."""

    store: Store
    connection: sa.Connection
    number: int
    time: datetime
    actor: str
    subjects: list[str] = field(default_factory=list)
    payload: dict[str, Any] = field(default_factory=dict)
    opened: dict[str, list[Opened]] = field(default_factory=dict)
    _digests: dict[str, Digest] = field(default_factory=dict)
    _closed: dict[str, list[int]] = field(default_factory=dict)

    def open_rows(self, kind: Kind, values: Sequence[tuple[Scalar, ...]], source: str | None = None) -> None:
        """Opens a row for each tuple of values, in the order of the kind's columns."""
        columns = [dictionary_column(column) for column in zip(*values, strict=True)]
        if columns:
            self.open_columns(kind, columns, always(source, len(values)))

    def open_columns(self, kind: Kind, columns: Sequence[DictionaryColumn], sources: DictionaryColumn) -> None:
        """Opens a row for each row of some columns, which are in the kind's order, each with its source."""
        total = len(sources)
        if not total:
            return
        table = TABLES[kind.name]
        first = self.connection.execute(sa.select(sa.func.coalesce(sa.func.max(table.c.row), 0))).scalar_one() + 1
        self._digests.setdefault(kind.name, Digest()).add(first, [sources, *columns])
        self.store.insert(self.connection, kind, self.number, _stored_rows(first, columns, sources))
        self.opened.setdefault(kind.name, []).append(Opened(self.number, first, columns, sources))

    def close_rows(self, kind: Kind, ids: Iterable[int]) -> None:
        """Ends the rows with these numbers."""
        ids = list(ids)
        if ids:
            self.store.close(self.connection, kind, self.number, ids)
            self._closed.setdefault(kind.name, []).extend(ids)

    @cached_property
    def records(self) -> Stored:
        """The records as they were when the entry was begun."""
        return Stored(Histories(self.store.reader_on(self.connection), self.store.computed))

    @property
    def is_empty(self) -> bool:
        return not self.opened and not self._closed

    def rows(self) -> dict[str, dict[str, str]]:
        """What is kept of the opened and closed rows, by table."""
        kept: dict[str, dict[str, str]] = {}
        for name in sorted({*self.opened, *self._closed}):
            kept[name] = {
                "opened": ",".join(range_text(range(it.first, it.end)) for it in self.opened.get(name, [])),
                "closed": ranges_text(self._closed.get(name, [])),
                "digest": self._digests.get(name, Digest()).text(),
            }
        return kept


@contextlib.contextmanager
def writing(store: Store, keys: Keys, kind: str, actor: str, reason: str = "") -> Iterator[Draft]:
    """One change with its entry. Nothing is kept where the body raises, nor where it opens and closes no row."""
    key = keys.private()
    head = None
    with store.write() as connection:
        draft = Draft(store, connection, latest(connection) + 1, times.now(), actor)
        yield draft
        if not draft.is_empty:
            time = times.time_text(draft.time)
            subjects = sorted(set(draft.subjects))
            entry = Entry(draft.number, time, actor, kind, subjects, reason, draft.payload, draft.rows())
            unsigned = Head(draft.number, time, _append(connection, entry))
            head = Head(unsigned.size, unsigned.time, unsigned.root, key.sign(unsigned.statement()))
            connection.execute(sa.insert(HEADS).values(**vars(head)))
    if head:
        with contextlib.suppress(DamagedError), store.reading() as reader:  # whoever asks next makes the file anew
            Histories(reader, store.computed).take_in(draft.opened)
        try:
            keys.witness(head)
        except OSError as error:
            raise DataError(
                f"The change was made (entry {head.size}), but its head could not be noted: {error.strerror}.",
                f"Make {keys.witness_file} writable; the next change notes its own head there.",
            ) from error


def _append(connection: sa.Connection, entry: Entry) -> bytes:
    """Puts the entry into the ledger and its leaf into the tree; returns the new root."""

    def node(level: int, position: int) -> bytes:
        query = sa.select(TREE.c.hash).where(TREE.c.level == level, TREE.c.position == position)
        found = connection.execute(query).scalar_one_or_none()
        if found is None:
            what = f"The ledger's tree has no node {position} of level {level}: nothing can be written behind it."
            raise DataError(what, "See what was altered with `kathodos ledger verify`.")
        return bytes(found)

    leaf = entry.leaf()
    written = {
        name: json_text(value) if isinstance(value, list | dict) else value for name, value in vars(entry).items()
    }
    connection.execute(sa.insert(LEDGER).values(**written, leaf=leaf))
    for level, position, value in merkle.grown(entry.number - 1, leaf, node):
        connection.execute(sa.insert(TREE).values(level=level, position=position, hash=value))
    return merkle.root(entry.number, node)


def newest_entries(reader: Reader) -> Iterator[Entry]:
    """The entries, the newest first, each read when it is asked for."""
    return map(entry_of, reader.entries())


def entry_of(row: EntryRow) -> Entry:
    """An entry of what is written of it. Raises ValueError where a part is no JSON any more."""
    number, time, actor, kind, subjects, reason, payload, rows, _ = row
    return Entry(number, time, actor, kind, json.loads(subjects), reason, json.loads(payload), json.loads(rows))


def read_entries(reader: Reader) -> list[Entry]:
    """All entries, the oldest first."""
    return [*newest_entries(reader)][::-1]


def read_heads(reader: Reader) -> list[Head]:
    """All signed heads that the store keeps, smallest first."""
    return [Head(*row) for row in reader.heads()]


def entries_touching(histories: Histories, kind: Kind, wanted: Mapping[str, str]) -> set[int]:
    """The numbers of the entries that opened or closed a row of the kind with these values."""
    history = histories.of(kind)
    found = np.ones(len(history.rows), dtype=bool)
    for name, value in wanted.items():
        found &= history.column(name).holding(value)
    closed = history.until[found]
    return {*history.since[found].tolist(), *closed[closed <= histories.newest.entry].tolist()}


def _stored_rows(
    first: int, columns: Sequence[DictionaryColumn], sources: DictionaryColumn
) -> Iterator[tuple[Any, ...]]:
    """Rows as the store takes them: number, checksum, source, values."""
    checks = [value_checksums(column) for column in columns]
    for part in in_chunks(len(sources), _CHUNK):
        numbers = range(first + part.start, first + part.stop)
        sums = checksums_of(np.array(numbers), [column.codes[part] for column in columns], checks).tolist()
        held = [column.listed(part) for column in (sources, *columns)]
        yield from zip(numbers, sums, *held, strict=True)


class Digest:
    """One digest over the rows that an entry opened in a kind, in blocks of 65,536 from the first of each range.

    A block is its first row's number, then for each column (the source, then the kind's) the distinct values in the
    order in which they come first, as compact JSON, and for each row which of them it holds, from 1 (0: nothing), as
    unsigned 32-bit numbers, the least byte first.
    """

    def __init__(self) -> None:
        self._hash = hashlib.sha256()

    def add(self, first: int, columns: Sequence[DictionaryColumn]) -> None:
        """Goes on with a range of rows, or with whole blocks of one."""
        for part in in_chunks(len(columns[0]), BLOCK):
            self._hash.update(json_text([first + part.start, part.stop - part.start]).encode())
            for column in columns:
                values, codes = _in_order(column, part)
                self._hash.update(json_text(values).encode("utf-8", "surrogatepass"))
                self._hash.update(codes.astype("<u4").tobytes())

    def text(self) -> str:
        return self._hash.hexdigest()


def _in_order(column: DictionaryColumn, part: slice) -> tuple[list[Scalar], Codes]:
    """The distinct values of some rows in the order in which they come first, and which of them each row holds."""
    codes = column.codes[part]
    used, first, which = np.unique(codes, return_index=True, return_inverse=True)
    order = np.argsort(first)
    if len(used) and used[0] < 0:
        order = order[order != 0]
    rank = np.zeros(len(used), dtype=np.int32)
    rank[order] = np.arange(1, len(order) + 1)
    return [column.values[code] for code in used[order].tolist()], rank[which]


def checksums_of(rows: Ints, columns: Sequence[Codes], checks: Sequence[Checks]) -> Ints:
    """The checksum of each row: its number and the checksum of each of its values, mixed modulo 2**64."""
    total = rows.astype(np.uint64)
    for codes, check in zip(columns, checks, strict=True):
        total = total * _FACTOR + check[codes]
    return total.view(np.int64)


def value_checksums(column: DictionaryColumn) -> Checks:
    """One more than the CRC-32 of each value of a column, by its code; behind them 0 for nothing."""
    known = [zlib.crc32(str(value).encode("utf-8", "surrogatepass")) + 1 for value in column.values]
    return np.array([*known, 0], dtype=np.uint64)


def json_text(value: object) -> str:
    """Compact JSON."""
    return json.dumps(value, ensure_ascii=False, separators=(",", ":"))
