"""What the tables of a store are in one version of it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cached_property

import msgspec

TEXT, NUMBER, BYTES = "text", "number", "bytes"
SQL_TYPES = {TEXT: "TEXT", NUMBER: "BIGINT"}
_MARKS = {"#": NUMBER, "@": BYTES}


class StoredColumn(msgspec.Struct, frozen=True):
    """One column of a table. `known`: the name under which it came, by which it is known in whatever version.

    `before`: what records that were written before it came are read as having in it.
    """

    name: str
    known: str
    form: str = TEXT
    is_key: bool = False
    before: str | int | None = None


def stored_name(name: str) -> str:
    """What a column is called in a database: `until` is taken by the history."""
    return "until_" if name == "until" else name


class StoredTable(msgspec.Struct, frozen=True):
    """One table, with its columns in the order in which its rows are checked and signed.

    `is_record`: it holds records of a kind, and beside their columns the history of each; else it is the ledger's own.
    """

    name: str
    columns: tuple[StoredColumn, ...]
    is_record: bool = True


class Schema(msgspec.Struct, frozen=True, dict=True):
    """The tables of a store in one version. `program`: the first version of this tool that made such stores."""

    version: int
    program: str
    tables: Mapping[str, StoredTable]

    @cached_property
    def records(self) -> list[str]:
        """The names of the tables that hold records."""
        return [name for name, table in self.tables.items() if table.is_record]

    @cached_property
    def ledger(self) -> list[str]:
        """The names of the ledger's own tables."""
        return [name for name, table in self.tables.items() if not table.is_record]

    def columns(self, table: str) -> tuple[StoredColumn, ...]:
        """The columns of a table; none where this version has no such table."""
        return self.tables[table].columns if table in self.tables else ()


def tables_in(text: str, is_record: bool) -> Iterator[StoredTable]:
    """Tables as a text lists them, each with a colon behind its name; `#`: a number, `@`: bytes, `*`: the key."""
    name, columns = "", list[StoredColumn]()
    for word in text.split():
        if word.endswith(":"):
            if name:
                yield StoredTable(name, tuple(columns), is_record)
            name, columns = word[:-1], []
        else:
            columns.append(column_in(word))
    yield StoredTable(name, tuple(columns), is_record)


def column_in(word: str, before: str | int | None = None) -> StoredColumn:
    """A column as a word of such a text."""
    plain = word.rstrip("#@*")
    form = next((form for mark, form in _MARKS.items() if mark in word), TEXT)
    return StoredColumn(plain, plain, form, "*" in word, before)
