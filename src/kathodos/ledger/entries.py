"""Entries of the ledger: what they say, and the digests by which what they opened is known again.

An entry is a leaf of the Merkle tree in the canonical form of RFC 8785. It names every catalogue row that it opened
and closed, and holds a digest over the opened ones, so that a row edited behind its back is found. Each row also bears
a checksum of its content that tells which row it was.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, TypeVar

import msgspec
import numpy as np
from msgspec.structs import asdict

from kathodos.columns.dictionary import Codes, DictionaryColumn, Scalar, in_chunks
from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.keys import Head
from kathodos.ledger.payloads import Payload
from kathodos.model.json_text import json_text
from kathodos.model.kinds import Kind
from kathodos.store.base import EntryRow, Reader, part_of_entry, rows_of_entry, unreadable
from kathodos.store.history import Histories

P = TypeVar("P", bound=Payload)
BLOCK = 1 << 16  # of what is signed, which is so in every version
_DIGITS = 9  # that the number of a version cannot have


class Entry(msgspec.Struct, frozen=True):
    """An entry as it is kept.

    `origin` says from where it was written: the user of the operating system and the host, what the database knows of
    them, the versions of the program and of the store, and the machine's clock where another was set. `rows` says per
    table which rows were opened and closed, and the opened ones' digest; `settings` the digests of configuration, rules
    and controls in force. `proof` is the actor's own signature of all the rest, where such are made.
    """

    number: int
    time: str
    actor: str
    origin: dict[str, str]
    kind: str
    subjects: list[str]
    reason: str
    payload: dict[str, Any]
    rows: dict[str, dict[str, str]]
    settings: dict[str, str] = msgspec.field(default_factory=dict)
    proof: str = ""

    @property
    def store_version(self) -> int:
        """The version of the store in which it was written; entries of the first do not say it."""
        said = self.origin.get("store", "1")
        return int(said) if said.isdecimal() and len(said) < _DIGITS else 0

    def statement(self) -> bytes:
        """What the actor signs: all but the signature, in canonical form (RFC 8785)."""
        import rfc8785

        return rfc8785.dumps({name: value for name, value in asdict(self).items() if name != "proof"})

    def leaf(self) -> bytes:
        """The entry's leaf hash (RFC 9162, 2.1.1) over its canonical form (RFC 8785)."""
        import rfc8785

        return merkle.leaf_hash(rfc8785.dumps(asdict(self)))


def newest_entries(reader: Reader) -> Iterator[Entry]:
    """The entries, the newest first, each read when it is asked for."""
    return map(entry_of, reader.entries())


def entry_of(row: EntryRow) -> Entry:
    """An entry of what is written of it. Raises DataError where a part is not what is written of one any more."""
    number = row.number
    return Entry(
        number,
        row.time,
        row.actor,
        part_of_entry(number, row.origin, dict[str, str]),
        row.kind,
        part_of_entry(number, row.subjects, list[str]),
        row.reason,
        part_of_entry(number, row.payload, dict[str, Any]),
        rows_of_entry(number, row.rows),
        part_of_entry(number, row.settings, dict[str, str]),
        row.proof,
    )


def payload_of(entry: Entry, kind: type[P]) -> P:
    """What an entry keeps, typed. Raises DataError where it is none of that kind."""
    try:
        return msgspec.convert(entry.payload, kind)
    except msgspec.ValidationError:
        raise unreadable(entry.number) from None


def row_of(entry: Entry, leaf: bytes) -> EntryRow:
    """An entry as it is written."""
    kept = (entry.origin, entry.subjects, entry.payload, entry.rows, entry.settings)
    origin, subjects, payload, rows, settings = map(json_text, kept)
    whole = (entry.number, entry.time, entry.actor, origin, entry.kind, subjects, entry.reason)
    return EntryRow(*whole, payload, rows, settings, entry.proof, leaf)


def read_entries(reader: Reader) -> list[Entry]:
    """All entries, the oldest first. Raises DataError where one is missing."""
    entries = [*newest_entries(reader)][::-1]
    for expected, entry in enumerate(entries, 1):
        if entry.number != expected:
            what = f"Entry {expected} of the ledger is not there any more: somebody has taken it out."
            raise DataError(what, "See what was altered with `kathodos ledger verify`; put the store back from a copy.")
    return entries


def read_heads(reader: Reader) -> list[Head]:
    """All signed heads that the store keeps, smallest first."""
    return [Head(*row) for row in reader.heads()]


def entries_touching(histories: Histories, kind: Kind, wanted: Mapping[str, str | int]) -> set[int]:
    """The numbers of the entries that opened or closed a row of the kind with these values."""
    history = histories.of(kind)
    found = np.ones(len(history.rows), dtype=bool)
    for name, value in wanted.items():
        found &= history.column(name).holding(value)
    closed = history.until[found]
    return {*history.since[found].tolist(), *closed[closed <= histories.newest.entry].tolist()}


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
    reached = np.maximum.accumulate(codes)
    if len(codes) and reached[-1] + 1 == len(column.values) and (np.diff(reached, prepend=-1) <= 1).all():
        return list(column.values), codes + 1  # coded as they come
    if len(column.values) > 4 * len(codes):
        used, which = np.unique(codes, return_inverse=True)
        codes = (which - (len(used) > 0 and used[0] < 0)).astype(np.int32)
        size = int(codes.max(initial=-1)) + 1
    else:
        size = len(column.values)
    first = np.full(size + 1, len(codes))
    first[codes[::-1]] = np.arange(len(codes))[::-1]  # of each value the last that is said here, the first of the rows
    first[-1] = len(codes)
    order = np.argsort(first, kind="stable")[: np.count_nonzero(first < len(codes))]
    rank = np.zeros(size + 1, dtype=np.int32)
    rank[order] = np.arange(1, len(order) + 1)
    return column.listed(part.start + first[order]), rank[codes]
