"""The steps from one version of the store to the next: what each does to the tables, and to a database.

Nothing is ever taken away, and no row that is kept is written anew: what was signed is checked as it was signed. So a
step adds a table or a column, or gives one another name.
"""

from __future__ import annotations

import abc
from typing import Any

import msgspec

from kathodos.store.upgrades.schema import SQL_TYPES, StoredTable, column_in, stored_name, tables_in

Tables = dict[str, StoredTable]


class Step:
    """One step. `said` is what it does, in words that a person reads before it is done."""

    table: str
    said: str

    @abc.abstractmethod
    def applied(self, tables: Tables) -> None:
        """Makes the tables what they are after it."""

    @abc.abstractmethod
    def statement(self, dialect: Any) -> str:
        """The statement that does it in a database."""

    @abc.abstractmethod
    def statement_where_lacking(self, dialect: Any) -> str:
        """As `statement`, in PostgreSQL, for a database in which it may have been done already."""


class AddedTable(msgspec.Struct, Step, frozen=True):
    """A new table. `text`: its columns, as `tables_in` reads them."""

    table: str
    text: str
    said: str
    is_record: bool = True

    @property
    def _table(self) -> StoredTable:
        return next(tables_in(f"{self.table}: {self.text}", self.is_record))

    def applied(self, tables: Tables) -> None:
        tables[self.table] = self._table

    def statement(self, dialect: Any) -> str:
        from kathodos.store.tables import created

        return created(self._table, dialect)

    def statement_where_lacking(self, dialect: Any) -> str:
        from kathodos.store.tables import created

        return created(self._table, dialect, where_lacking=True)


class AddedColumn(msgspec.Struct, Step, frozen=True):
    """A new column. `column`: as `column_in` reads it; `before`: what earlier records are read as having in it."""

    table: str
    column: str
    said: str
    before: str | int | None = None

    def applied(self, tables: Tables) -> None:
        before = tables[self.table]
        columns = (*before.columns, column_in(self.column, self.before))
        tables[self.table] = msgspec.structs.replace(before, columns=columns)

    def statement(self, dialect: Any) -> str:
        return self._statement("")

    def statement_where_lacking(self, dialect: Any) -> str:
        return self._statement("IF NOT EXISTS ")

    def _statement(self, where: str) -> str:
        column = column_in(self.column)
        return f'ALTER TABLE "{self.table}" ADD COLUMN {where}"{stored_name(column.name)}" {SQL_TYPES[column.form]}'


class RenamedColumn(msgspec.Struct, Step, frozen=True):
    """A column that is called otherwise from now on."""

    table: str
    column: str
    to: str
    said: str

    def applied(self, tables: Tables) -> None:
        before = tables[self.table]
        columns = (msgspec.structs.replace(it, name=self.to) if it.name == self.column else it for it in before.columns)
        tables[self.table] = msgspec.structs.replace(before, columns=tuple(columns))

    def statement(self, dialect: Any) -> str:
        return f'ALTER TABLE "{self.table}" RENAME COLUMN "{stored_name(self.column)}" TO "{stored_name(self.to)}"'

    def statement_where_lacking(self, dialect: Any) -> str:
        there = (
            f"SELECT FROM pg_attribute WHERE attrelid = to_regclass('{self.table}') "
            f"AND attname = '{stored_name(self.column)}' AND NOT attisdropped"
        )
        return f"DO $do$ BEGIN IF EXISTS ({there}) THEN {self.statement(dialect)}; END IF; END $do$"


class Upgrade(msgspec.Struct, frozen=True):
    """What makes a store of the version before one of this version. `program`: of which version of the tool that is."""

    version: int
    program: str
    steps: tuple[Step, ...]
