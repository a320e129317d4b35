"""What stores in any SQL database have in common: the ledger, its tree and its heads, read and written by row."""

from __future__ import annotations

import abc
from collections.abc import Iterator
from functools import cache
from typing import Any

from kathodos import thresholds
from kathodos.model.kinds import Kind
from kathodos.store.base import EntryRow, Reader, Writer
from kathodos.store.blocks import FIRST, LAST
from kathodos.store.computed import Point
from kathodos.store.upgrades import names_then
from kathodos.store.upgrades.schema import NUMBER, SQL_TYPES, TEXT, stored_name
from kathodos.store.versions import VersionRow, Versions, new_versions

_ENTRY = 'number, time, actor, origin, kind, subjects, reason, payload, "rows", settings, proof'
_OF_HISTORY = ('"row"', "since", '"until"', "checksum", "source")
VERSIONS = "ledger_versions"
NO_TEXT = "\udfff"  # stands before what somebody put in the place of a text: no kept text can hold it


class SQLReader(Reader):
    """A reader by statements in which `?` stands for a parameter."""

    @abc.abstractmethod
    def _ask(self, query: str, *parameters: Any) -> Iterator[tuple[Any, ...]]:
        """The rows that a query gives."""

    @abc.abstractmethod
    def _is_there(self, table: str) -> bool:
        """Whether the database holds a table."""

    def version_rows(self) -> list[VersionRow]:
        if not self._is_there(VERSIONS):
            return []
        return self._said_versions() or list(new_versions().rows)  # set up, and nothing written yet

    def _said_versions(self) -> list[VersionRow]:
        found = self._ask(f"SELECT version, entry, program FROM {VERSIONS} ORDER BY version")
        return [VersionRow(number_in(version), number_in(entry), text_in(program)) for version, entry, program in found]

    @property
    def _leaf(self) -> str:
        """What the column of leaves is called."""
        return names_then("ledger", self.version)["leaf_hash"]

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
        query = f"SELECT number, {self._leaf} FROM ledger WHERE number <= ? ORDER BY number DESC LIMIT 1"
        for number, leaf in self._ask(query, LAST):
            return Point(number_in(number), bytes_in(leaf).hex())
        return Point(0, "")

    def leaf(self, entry: int) -> str:
        found = self._ask(f"SELECT {self._leaf} FROM ledger WHERE number = ?", entry)
        return next((bytes_in(it).hex() for (it,) in found), "")

    def times(self) -> Iterator[tuple[int, str]]:
        return ((number_in(number), text_in(time)) for number, time in self._downward("number, time"))

    def rows_after(self, entry: int) -> list[tuple[int, str]]:
        query = 'SELECT number, "rows" FROM ledger WHERE number > ? AND number <= ? ORDER BY number'
        return [(number_in(number), text_in(text)) for number, text in self._ask(query, entry, LAST)]

    def entries(self) -> Iterator[EntryRow]:
        for row in self._downward(f"{_ENTRY}, {self._leaf}"):  # as the columns stand there
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
        if not names_then(kind.name, self.version):
            return 0
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
        self._do(f"INSERT INTO ledger ({_ENTRY}, {self._leaf}) VALUES ({', '.join('?' * len(entry))})", *entry)

    def say_versions(self, versions: Versions) -> None:
        """Says which versions a store has had, in one that was just made, or set up and holds nothing yet."""
        if self._is_there(VERSIONS) and not self._said_versions() and not self.newest().entry:
            for row in versions.rows:
                self.put_version(row)

    def put_version(self, row: VersionRow) -> None:
        statement = f"INSERT INTO {VERSIONS} (version, entry, program) VALUES (?, ?, ?)"
        self._do(statement, row.version, row.entry, row.program)
        self.__dict__.pop("versions", None)  # which are others now

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


@cache
def columns_read(kind: Kind, version: int) -> str:
    """The columns of a kind's table as they are asked for, by their names of now; nothing for those to come later."""
    then, found = names_then(kind.name, version), list(_OF_HISTORY)
    for column, is_number in columns_of(kind):
        own = f'"{stored_name(column)}"'
        if column not in then:
            own = f"CAST(NULL AS {SQL_TYPES[NUMBER if is_number else TEXT]}) AS {own}"
        elif then[column] != column:
            own = f'"{stored_name(then[column])}" AS {own}'
        found.append(own)
    return ", ".join(found)


@cache
def columns_written(kind: Kind, version: int, some: tuple[int, ...] | None = None) -> tuple[str, tuple[int, ...]]:
    """The columns of a kind's table that a version has, and which of the kind's columns these are, by position.

    `some`: of which columns, by position; all of them without.
    """
    then = names_then(kind.name, version)
    asked = range(len(kind.names)) if some is None else some
    own = [(at, f'"{stored_name(then[kind.names[at]])}"') for at in asked if kind.names[at] in then]
    return ", ".join([*_OF_HISTORY, *(name for _, name in own)]), tuple(at for at, _ in own)


def columns_of(kind: Kind) -> list[tuple[str, bool]]:
    """The columns of a kind, and whether each holds numbers."""
    numbers = {column.name for column in kind.columns if column.is_number}
    return [(name, name in numbers) for name in kind.names]
