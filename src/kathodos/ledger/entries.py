"""Entries: every write is one transaction together with its entry, or it does not happen.

An entry is a leaf of the Merkle tree in the canonical form of RFC 8785. It names every catalogue row that it opened
and closed, and holds a digest over the opened ones, so that a row edited behind its back is found.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import sqlalchemy as sa

from kathodos.catalogue import moments
from kathodos.catalogue.kinds import Kind
from kathodos.catalogue.store import (
    FOREVER,
    HEADS,
    LEDGER,
    TABLES,
    TREE,
    Store,
    latest,
    stored_columns,
)
from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.keys import Head, Keys

Scalar = str | int | None


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

    connection: sa.Connection
    number: int
    time: datetime
    actor: str
    subjects: list[str] = field(default_factory=list)
    payload: dict[str, Any] = field(default_factory=dict)
    _opened: dict[str, list[tuple[int, bytes]]] = field(default_factory=dict)
    _closed: dict[str, list[int]] = field(default_factory=dict)

    def open_rows(self, kind: Kind, values: Sequence[tuple[Scalar, ...]], source: str | None = None) -> None:
        """Opens a row for each tuple of values, in the order of the kind's columns."""
        if not values:
            return
        table = TABLES[kind.name]
        first = self.connection.execute(sa.select(sa.func.coalesce(sa.func.max(table.c.row), 0))).scalar_one() + 1
        rows, opened = [], self._opened.setdefault(kind.name, [])
        for row, content in enumerate(values, first):
            digest = row_digest(kind, row, self.number, source, content)
            opened.append((row, digest))
            rows.append((row, self.number, FOREVER, digest, source, *content))
        columns = [table.c.row, table.c.since, table.c.until, table.c.digest, table.c.source, *stored_columns(kind)]
        insert = sa.insert(table).values({column: sa.bindparam(f"p{at}") for at, column in enumerate(columns)})
        statement = str(insert.compile(dialect=self.connection.dialect))
        self.connection.exec_driver_sql(statement, rows)

    def close_rows(self, kind: Kind, ids: Iterable[int]) -> None:
        """Ends the rows with these numbers."""
        ids = list(ids)
        if not ids:
            return
        table = TABLES[kind.name]
        end = sa.update(table).where(table.c.row == sa.bindparam("ended")).values(until=self.number)
        self.connection.execute(end, [{"ended": row} for row in ids])
        self._closed.setdefault(kind.name, []).extend(ids)

    @property
    def is_empty(self) -> bool:
        return not self._opened and not self._closed

    def rows(self) -> dict[str, dict[str, str]]:
        """What is kept of the opened and closed rows, by table."""
        kept: dict[str, dict[str, str]] = {}
        for name in sorted({*self._opened, *self._closed}):
            opened = self._opened.get(name, [])
            kept[name] = {
                "opened": ranges_text(row for row, _ in opened),
                "closed": ranges_text(self._closed.get(name, [])),
                "digest": digest_of(digest for _, digest in opened),
            }
        return kept


@contextlib.contextmanager
def writing(store: Store, keys: Keys, kind: str, actor: str, reason: str = "") -> Iterator[Draft]:
    """One change with its entry. Nothing is kept where the body raises, nor where it opens and closes no row."""
    key = keys.private()
    head = None
    with store.write() as connection:
        draft = Draft(connection, latest(connection) + 1, moments.now(), actor)
        yield draft
        if not draft.is_empty:
            time = moments.time_text(draft.time)
            subjects = sorted(set(draft.subjects))
            entry = Entry(draft.number, time, actor, kind, subjects, reason, draft.payload, draft.rows())
            unsigned = Head(draft.number, time, _append(connection, entry))
            head = Head(unsigned.size, unsigned.time, unsigned.root, key.sign(unsigned.statement()))
            connection.execute(sa.insert(HEADS).values(**vars(head)))
    if head:
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
        return bytes(connection.execute(query).scalar_one())

    leaf = entry.leaf()
    written = {
        name: json_text(value) if isinstance(value, list | dict) else value for name, value in vars(entry).items()
    }
    connection.execute(sa.insert(LEDGER).values(**written, leaf=leaf))
    for level, position, value in merkle.grown(entry.number - 1, leaf, node):
        connection.execute(sa.insert(TREE).values(level=level, position=position, hash=value))
    return merkle.root(entry.number, node)


def read_entries(connection: sa.Connection, condition: sa.ColumnElement[bool] | None = None) -> list[Entry]:
    """The entries, oldest first, that the condition selects (default: all)."""
    query = sa.select(*(LEDGER.c[name] for name in Entry.__dataclass_fields__)).order_by(LEDGER.c.number)
    found = connection.execute(query if condition is None else query.where(condition))
    return [
        Entry(number, time, actor, kind, json.loads(subjects), reason, json.loads(payload), json.loads(rows))
        for number, time, actor, kind, subjects, reason, payload, rows in found
    ]


def read_heads(connection: sa.Connection) -> list[Head]:
    """All signed heads that the store keeps, smallest first."""
    found = connection.execute(sa.select(HEADS.c.size, HEADS.c.time, HEADS.c.root, HEADS.c.signature).order_by("size"))
    return [Head(size, time, bytes(root), bytes(signature)) for size, time, root, signature in found]


def point_at(connection: sa.Connection, moment: datetime) -> int:
    """The number of the last entry written at or before `moment`; 0 where there is none."""
    number = 0
    for at, time in connection.execute(sa.select(LEDGER.c.number, LEDGER.c.time).order_by(LEDGER.c.number)):
        if moments.moment_of(time) <= moment:
            number = at
    return number


def entries_touching(connection: sa.Connection, kind: Kind, wanted: Mapping[str, str]) -> set[int]:
    """The numbers of the entries that opened or closed a row of the kind with these values."""
    table = TABLES[kind.name]
    numbers: set[int] = set()
    columns = dict(zip(kind.names, stored_columns(kind), strict=True))
    condition = sa.and_(*(columns[name] == value for name, value in wanted.items()))
    for since, until in connection.execute(sa.select(table.c.since, table.c.until).where(condition)):
        numbers.update((since, until))
    return numbers - {FOREVER}


def entries_naming(connection: sa.Connection, subject: str) -> set[int]:
    """The numbers of the entries that name a subject."""
    found = connection.execute(sa.select(LEDGER.c.number, LEDGER.c.subjects))
    return {number for number, subjects in found if subject in json.loads(subjects)}


def row_digest(kind: Kind, row: int, since: int, source: str | None, content: tuple[Scalar, ...]) -> bytes:
    """The digest of one catalogue row. Text, whole numbers and null only, so this JSON is RFC 8785's."""
    return hashlib.sha256(
        json_text([kind.name, row, since, source, *content]).encode("utf-8", "surrogatepass")
    ).digest()


def digest_of(digests: Iterable[bytes]) -> str:
    """One digest over those of several rows in the order of their numbers."""
    return hashlib.sha256(b"".join(digests)).hexdigest()


def json_text(value: object) -> str:
    """Compact JSON."""
    return json.dumps(value, ensure_ascii=False, separators=(",", ":"))


def ranges_text(numbers: Iterable[int]) -> str:
    """Whole numbers as ranges: `1-5,9`."""
    parts: list[list[int]] = []
    for number in sorted(numbers):
        if parts and number == parts[-1][1] + 1:
            parts[-1][1] = number
        else:
            parts.append([number, number])
    return ",".join(str(first) if first == last else f"{first}-{last}" for first, last in parts)


def numbers_in(text: str) -> Iterator[int]:
    """The numbers that `ranges_text` wrote."""
    for part in text.split(",") if text else ():
        first, _, last = part.partition("-")
        yield from range(int(first), int(last or first) + 1)
