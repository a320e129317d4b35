"""What stores in any SQL database have in common: the ledger, its tree and its heads, read and written by row."""

from __future__ import annotations

import abc
from collections.abc import Iterator
from typing import Any

from kathodos import thresholds
from kathodos.model.kinds import Kind
from kathodos.store.base import EntryRow, Reader, Writer
from kathodos.store.blocks import FIRST, LAST
from kathodos.store.computed import Point

_ENTRY = 'number, time, actor, origin, kind, subjects, reason, payload, "rows", settings, proof, leaf'
NO_TEXT = "\udfff"  # stands before what somebody put in the place of a text: no kept text can hold it


class SQLReader(Reader):
    """A reader by statements in which `?` stands for a parameter."""

    @abc.abstractmethod
    def _ask(self, query: str, *parameters: Any) -> Iterator[tuple[Any, ...]]:
        """The rows that a query gives."""

    def _downward(self, columns: str) -> Iterator[tuple[Any, ...]]:
        """Entries, the newest first, the first column their number; more are asked for as more are taken."""
        highest, size = LAST, thresholds.ENTRIES_AT_FIRST
        while True:
            query = f"SELECT {columns} FROM ledger WHERE number <= ? ORDER BY number DESC LIMIT {size:d}"
            rows = list(self._ask(query, highest))
            yield from rows
            if len(rows) < size:
                return
            highest, size = rows[-1][0] - 1, min(2 * size, thresholds.ENTRIES_AT_MOST)

    def newest(self) -> Point:
        query = "SELECT number, leaf FROM ledger WHERE number <= ? ORDER BY number DESC LIMIT 1"
        for number, leaf in self._ask(query, LAST):
            return Point(number_in(number), bytes_in(leaf).hex())
        return Point(0, "")

    def leaf(self, entry: int) -> str:
        return next((bytes_in(it).hex() for (it,) in self._ask("SELECT leaf FROM ledger WHERE number = ?", entry)), "")

    def times(self) -> Iterator[tuple[int, str]]:
        return ((number_in(number), text_in(time)) for number, time in self._downward("number, time"))

    def rows_after(self, entry: int) -> list[tuple[int, str]]:
        query = 'SELECT number, "rows" FROM ledger WHERE number > ? AND number <= ? ORDER BY number'
        return [(number_in(number), text_in(text)) for number, text in self._ask(query, entry, LAST)]

    def entries(self) -> Iterator[EntryRow]:
        for row in self._downward(_ENTRY):  # as the columns stand in _ENTRY
            time, actor, origin, kind, subjects, reason, payload, rows, settings, proof = map(text_in, row[1:-1])
            about = (origin, kind, subjects, reason, payload, rows, settings, proof)
            yield EntryRow(number_in(row[0]), time, actor, *about, bytes_in(row[-1]))

    def heads(self) -> list[tuple[int, str, bytes, bytes]]:
        return self.heads_from(FIRST)

    def heads_from(self, size: int) -> list[tuple[int, str, bytes, bytes]]:
        query = "SELECT size, time, root, signature FROM ledger_heads WHERE size BETWEEN ? AND ? ORDER BY size"
        found = self._ask(query, size, LAST)
        return [(number_in(size), text_in(time), bytes_in(root), bytes_in(sign)) for size, time, root, sign in found]

    def nodes(self) -> Iterator[tuple[int, int, bytes]]:
        query = "SELECT level, position, hash FROM ledger_tree ORDER BY level, position"
        found = self._ask(query)
        return ((number_in(level), number_in(position), bytes_in(value)) for level, position, value in found)

    def last_row(self, kind: Kind) -> int:
        ((last,),) = self._ask(f'SELECT coalesce(max("row"), 0) FROM "{kind.name}"')
        return number_in(last)


class SQLWriter(SQLReader, Writer):
    """A writer by statements in which `?` stands for a parameter."""

    @abc.abstractmethod
    def _do(self, statement: str, *parameters: Any) -> None:
        """Carries out a statement."""

    def node(self, level: int, position: int) -> bytes | None:
        query = "SELECT hash FROM ledger_tree WHERE level = ? AND position = ?"
        return next((bytes_in(value) for (value,) in self._ask(query, level, position)), None)

    def put_node(self, level: int, position: int, value: bytes) -> None:
        self._do("INSERT INTO ledger_tree (level, position, hash) VALUES (?, ?, ?)", level, position, value)

    def put_entry(self, entry: EntryRow) -> None:
        self._do(f"INSERT INTO ledger ({_ENTRY}) VALUES ({', '.join('?' * len(entry))})", *entry)

    def put_head(self, size: int, time: str, root: bytes, signature: bytes) -> None:
        statement = "INSERT INTO ledger_heads (size, time, root, signature) VALUES (?, ?, ?, ?)"
        self._do(statement, size, time, root, signature)


def number_in(value: Any) -> int:
    """A whole number that was kept; -1 for what somebody put in its place."""
    return value if isinstance(value, int) else -1


def text_in(value: Any) -> str:
    """A text that was kept; one that never was kept for what somebody put in its place."""
    return value if isinstance(value, str) else f"{NO_TEXT}{value!r:.40}"


def bytes_in(value: Any) -> bytes:
    """Bytes that were kept; none for what somebody put in their place."""
    return bytes(value) if isinstance(value, (bytes, bytearray, memoryview)) else b""


def stored_name(name: str) -> str:
    """The name of the table's column for a column of a kind: `until` is taken by the history."""
    return "until_" if name == "until" else name


def columns_in(kind: Kind) -> str:
    """The columns of a kind's table, as they are written in a statement."""
    own = [f'"{stored_name(name)}"' for name in kind.names]
    return ", ".join(['"row"', "since", '"until"', "checksum", "source", *own])
