"""What stores in any SQL database have in common: the ledger, its tree and its heads, read and written by row."""

from __future__ import annotations

import abc
from collections.abc import Iterator
from typing import Any

from kathodos.model.kinds import Kind
from kathodos.store.base import EntryRow, Reader, Writer
from kathodos.store.blocks import LAST
from kathodos.store.computed import Point

_ENTRY = 'number, time, actor, origin, kind, subjects, reason, payload, "rows", leaf'
_FEW, _MANY = 16, 4096  # entries that are asked for at first, and at most, by who may soon have read enough


class SQLReader(Reader):
    """A reader by statements in which `?` stands for a parameter."""

    @abc.abstractmethod
    def _ask(self, query: str, *parameters: Any) -> Iterator[tuple[Any, ...]]:
        """The rows that a query gives."""

    def _downward(self, columns: str) -> Iterator[tuple[Any, ...]]:
        """Entries, the newest first, the first column their number; more are asked for as more are taken."""
        highest, size = LAST, _FEW
        while True:
            query = f"SELECT {columns} FROM ledger WHERE number <= ? ORDER BY number DESC LIMIT {size:d}"
            rows = list(self._ask(query, highest))
            yield from rows
            if len(rows) < size:
                return
            highest, size = rows[-1][0] - 1, min(2 * size, _MANY)

    def newest(self) -> Point:
        for number, leaf in self._ask("SELECT number, leaf FROM ledger ORDER BY number DESC LIMIT 1"):
            return Point(int(number), bytes(leaf).hex())
        return Point(0, "")

    def leaf(self, entry: int) -> str:
        return next((bytes(it).hex() for (it,) in self._ask("SELECT leaf FROM ledger WHERE number = ?", entry)), "")

    def times(self) -> Iterator[tuple[int, str]]:
        return ((int(number), str(time)) for number, time in self._downward("number, time"))

    def rows_after(self, entry: int) -> list[tuple[int, str]]:
        query = 'SELECT number, "rows" FROM ledger WHERE number > ? ORDER BY number'
        return [(int(number), str(text)) for number, text in self._ask(query, entry)]

    def entries(self) -> Iterator[EntryRow]:
        return ((*row,) for row in self._downward(_ENTRY))  # as the columns stand in _ENTRY

    def heads(self) -> list[tuple[int, str, bytes, bytes]]:
        found = self._ask("SELECT size, time, root, signature FROM ledger_heads ORDER BY size")
        return [(size, time, bytes(root), bytes(signature)) for size, time, root, signature in found]

    def nodes(self) -> Iterator[tuple[int, int, bytes]]:
        query = "SELECT level, position, hash FROM ledger_tree ORDER BY level, position"
        return ((int(level), int(position), bytes(value)) for level, position, value in self._ask(query))


class SQLWriter(SQLReader, Writer):
    """A writer by statements in which `?` stands for a parameter."""

    @abc.abstractmethod
    def _do(self, statement: str, *parameters: Any) -> None:
        """Carries out a statement."""

    def next_row(self, kind: Kind) -> int:
        ((last,),) = self._ask(f'SELECT coalesce(max("row"), 0) FROM "{kind.name}"')
        return int(last) + 1

    def node(self, level: int, position: int) -> bytes | None:
        query = "SELECT hash FROM ledger_tree WHERE level = ? AND position = ?"
        return next((bytes(value) for (value,) in self._ask(query, level, position)), None)

    def put_node(self, level: int, position: int, value: bytes) -> None:
        self._do("INSERT INTO ledger_tree (level, position, hash) VALUES (?, ?, ?)", level, position, value)

    def put_entry(self, entry: EntryRow) -> None:
        self._do(f"INSERT INTO ledger ({_ENTRY}) VALUES ({', '.join('?' * len(entry))})", *entry)

    def put_head(self, size: int, time: str, root: bytes, signature: bytes) -> None:
        statement = "INSERT INTO ledger_heads (size, time, root, signature) VALUES (?, ?, ?, ?)"
        self._do(statement, size, time, root, signature)


def stored_name(name: str) -> str:
    """The name of the table's column for a column of a kind: `until` is taken by the history."""
    return "until_" if name == "until" else name


def columns_in(kind: Kind) -> str:
    """The columns of a kind's table, as they are written in a statement."""
    own = [f'"{stored_name(name)}"' for name in kind.names]
    return ", ".join(['"row"', "since", '"until"', "checksum", "source", *own])
