"""Writing: every write is one transaction together with its ledger entry, or it does not happen."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property
from typing import Any

import numpy as np

from kathodos.columns.csr import Ints, joined
from kathodos.columns.dictionary import DictionaryColumn, Scalar, always, dictionary_column, in_chunks
from kathodos.columns.ranges import range_text, ranges_text
from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.entries import Digest, Entry, checksums_of, row_of, value_checksums
from kathodos.ledger.keys import Head, Keys
from kathodos.ledger.origin import place_of_work
from kathodos.model import times
from kathodos.model.kinds import Kind
from kathodos.store.base import Store, Writer
from kathodos.store.blocks import FOREVER, Block
from kathodos.store.computed import ComputedFolder, DamagedError
from kathodos.store.history import Histories, Opened
from kathodos.store.records import Stored

_CHUNK = 20_000


@dataclass
class Draft:
    """The entry being written. `open_rows` and `close_rows` change the catalogue as part of it."""

    writer: Writer
    computed: ComputedFolder
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
        first = self.writer.next_row(kind)
        self._digests.setdefault(kind.name, Digest()).add(first, [sources, *columns])
        rows = np.arange(first, first + total)
        since, until = np.full(total, self.number), np.full(total, FOREVER)
        self.writer.put_rows(kind, Block(rows, since, until, _checksums(rows, columns), sources, columns))
        self.opened.setdefault(kind.name, []).append(Opened(self.number, first, columns, sources))

    def close_rows(self, kind: Kind, ids: Iterable[int]) -> None:
        """Ends the rows with these numbers."""
        ids = list(ids)
        if ids:
            self.writer.close_rows(kind, self.number, ids)
            self._closed.setdefault(kind.name, []).extend(ids)

    @cached_property
    def records(self) -> Stored:
        """The records as they were when the entry was begun."""
        return Stored(Histories(self.writer, self.computed))

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
    keys.must_take_heads()
    head = None
    with store.write() as writer:
        draft = Draft(writer, store.computed, writer.newest().entry + 1, times.now(), actor)
        yield draft
        if not draft.is_empty:
            time = times.time_text(draft.time)
            subjects = sorted(set(draft.subjects))
            origin = {**place_of_work(), **writer.origin()}
            entry = Entry(draft.number, time, actor, origin, kind, subjects, reason, draft.payload, draft.rows())
            unsigned = Head(draft.number, time, _append(writer, entry))
            head = Head(unsigned.size, unsigned.time, unsigned.root, key.sign(unsigned.statement()))
            writer.put_head(head.size, head.time, head.root, head.signature)
    if head:
        try:
            keys.witness(head)
        except OSError as error:
            raise DataError(
                f"The change was made (entry {head.size}), but its head could not be noted: {error.strerror}.",
                f"Make {keys.witness_file} writable; the next change notes its own head there.",
            ) from error
        with contextlib.suppress(DamagedError, DataError), store.reading() as reader:  # else made by who asks next
            Histories(reader, store.computed).take_in(draft.opened)


def _append(writer: Writer, entry: Entry) -> bytes:
    """Puts the entry into the ledger and its leaf into the tree; returns the new root."""

    def node(level: int, position: int) -> bytes:
        found = writer.node(level, position)
        if found is None:
            what = f"The ledger's tree has no node {position} of level {level}: nothing can be written behind it."
            raise DataError(what, "See what was altered with `kathodos ledger verify`.")
        return found

    leaf = entry.leaf()
    writer.put_entry(row_of(entry, leaf))
    for level, position, value in merkle.grown(entry.number - 1, leaf, node):
        writer.put_node(level, position, value)
    return merkle.root(entry.number, node)


def _checksums(rows: Ints, columns: Sequence[DictionaryColumn]) -> Ints:
    """The checksum of each row that is to be opened."""
    checks = [value_checksums(column) for column in columns]
    parts = [
        checksums_of(rows[part], [column.codes[part] for column in columns], checks)
        for part in in_chunks(len(rows), _CHUNK)
    ]
    return joined(parts)
