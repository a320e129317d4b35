"""Rows of one kind of record as columns of objects: for few records, and for kinds of which there are few."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec

from kathodos.model.kinds import Kind

Record = Mapping[str, Any]


class Rows(msgspec.Struct, frozen=True):
    """Rows of one kind as columns: `rows["login"][3]` is the login of the fourth. `ids` are the row numbers."""

    kind: Kind
    ids: list[int]
    columns: Mapping[str, list[Any]]

    def __len__(self) -> int:
        return len(self.ids)

    def __getitem__(self, column: str) -> list[Any]:
        return self.columns[column]

    def record_keys(self) -> list[tuple[Any, ...]]:
        """The identifying values of each row."""
        return list(zip(*(self.columns[name] for name in self.kind.key), strict=True))

    def values(self) -> list[tuple[Any, ...]]:
        """All values of each row, in the order of the kind's columns."""
        return list(zip(*(self.columns[name] for name in self.kind.names), strict=True))

    def records(self) -> list[Record]:
        """Each row as a record."""
        return [dict(zip(self.kind.names, values, strict=True)) for values in self.values()]

    def numbered(self) -> list[tuple[int, Record]]:
        """Each row as its number and a record."""
        return list(zip(self.ids, self.records(), strict=True))


State = Mapping[str, Rows]


def rows_from(kind: Kind, values: Sequence[Sequence[Any]]) -> Rows:
    """Rows made of tuples: the row number, and the values in the order of the kind's columns."""
    columns = list(zip(*values, strict=True)) or [()] * (len(kind.names) + 1)
    return Rows(kind, list(columns[0]), dict(zip(kind.names, map(list, columns[1:]), strict=True)))
