"""What a store does, whatever database it lives in. What databases differ in stands behind these two classes."""

from __future__ import annotations

import abc
import re
from collections.abc import Iterator, Sequence
from contextlib import AbstractContextManager
from datetime import datetime
from functools import cached_property
from pathlib import Path
from typing import Any, NamedTuple, TypeVar

import msgspec

from kathodos.errors import DataError
from kathodos.model.kinds import Kind
from kathodos.model.times import moment_of
from kathodos.store.blocks import LAST, Block
from kathodos.store.computed import KEY, ComputedFolder, Point
from kathodos.store.modes import OWNER
from kathodos.store.versions import VersionRow, Versions

ANCHOR_TABLE = "kathodos_heads"  # where an anchor in a database keeps the heads that it receives
FILE, SERVER = "sqlite:///", "postgresql+psycopg://"  # how the url of a store begins


class EntryRow(NamedTuple):
    """A ledger entry as it is written: origin, subjects, payload, rows and settings as JSON."""

    number: int
    time: str
    actor: str
    origin: str
    kind: str
    subjects: str
    reason: str
    payload: str
    rows: str
    settings: str
    proof: str
    leaf: bytes


T = TypeVar("T")
_RANGES = re.compile(r"(\d{1,18}(-\d{1,18})?(,(?!$)|$))*")
RowsOfEntry = dict[str, dict[str, str]]
"""What an entry opened and closed, by kind: ranges of row numbers, and a digest."""


def unreadable(entry: int) -> DataError:
    """The error of a ledger entry that somebody has made unreadable."""
    what = f"Entry {entry} of the ledger cannot be read any more: somebody has altered it."
    return DataError(what, "See what was altered with `kathodos ledger verify`; put the store back from a copy.")


def part_of_entry(entry: int, text: Any, kind: type[T]) -> T:
    """A part of an entry, written as JSON. Raises DataError where it is not what was written any more."""

    try:
        return msgspec.json.decode(text, type=kind)
    except (msgspec.MsgspecError, TypeError, ValueError, RecursionError):
        raise unreadable(entry) from None


def rows_of_entry(entry: int, text: Any) -> RowsOfEntry:
    """What an entry says of the rows that it opened and closed. Raises DataError."""
    found = part_of_entry(entry, text, RowsOfEntry)
    for rows in found.values():
        if rows.keys() != {"opened", "closed", "digest"} or not all(
            _RANGES.fullmatch(rows[it]) for it in rows if it != "digest"
        ):
            raise unreadable(entry)
    return found


class Reader(abc.ABC):
    """One unchanging state of a store, read in bulk and without an object for each row.

    A store of an earlier version is read as it is: what came later it does not hold.
    """

    @abc.abstractmethod
    def version_rows(self) -> list[VersionRow]:
        """What the store says of its versions, the first first; nothing in the first version of all."""

    @cached_property
    def versions(self) -> Versions:
        """The versions that the store has had."""
        return Versions(self.version_rows())

    @property
    def version(self) -> int:
        """The version that it has."""
        return self.versions.newest.version

    @abc.abstractmethod
    def newest(self) -> Point:
        """The newest ledger entry; number 0 before the first."""

    @abc.abstractmethod
    def leaf(self, entry: int) -> str:
        """The leaf of a ledger entry, by which a history is known; empty where there is no such entry."""

    @abc.abstractmethod
    def times(self) -> Iterator[tuple[int, str]]:
        """The number and the time of every entry, the newest first."""

    @abc.abstractmethod
    def rows_after(self, entry: int) -> list[tuple[int, str]]:
        """The later entries, oldest first, each with what it says of the rows that it opened and closed, as JSON."""

    @abc.abstractmethod
    def entries(self) -> Iterator[EntryRow]:
        """Every ledger entry as it is written, the newest first."""

    @abc.abstractmethod
    def heads(self) -> list[tuple[int, str, bytes, bytes]]:
        """The size, time, root and signature of every signed head, the smallest first."""

    @abc.abstractmethod
    def heads_from(self, size: int) -> list[tuple[int, str, bytes, bytes]]:
        """As `heads`, those of at least some size."""

    @abc.abstractmethod
    def nodes(self) -> Iterator[tuple[int, int, bytes]]:
        """The level, position and hash of every node of the ledger's tree; the leaves are those of level 0."""

    @abc.abstractmethod
    def damages(self) -> list[str]:
        """What the database itself finds wrong with what it keeps."""

    @abc.abstractmethod
    def strangers(self) -> list[str]:
        """What is in the database and was not made by this tool, or is not as it was made, in words."""

    @abc.abstractmethod
    def last_row(self, kind: Kind) -> int:
        """The largest number of a row of a kind; 0 where there is none."""

    @abc.abstractmethod
    def blocks(self, kind: Kind, first: int = 1, last: int = LAST) -> Iterator[Block]:
        """The rows of a kind numbered from `first` to `last`, whatever state they belong to, at most BLOCK at a time.

        What somebody has put in the place of a text or a number is read as one that was never kept.
        """

    def entry_before(self, moment: datetime) -> int:
        """The last entry that was written at or before a moment; 0 where there is none."""
        return next((number for number, time in self.times() if moment_of(time) <= moment), 0)

    def time_of(self, entry: int) -> str:
        """When an entry was written; empty where there is no such entry."""
        return next((time for number, time in self.times() if number == entry), "")


class Writer(Reader):
    """A reader that alone may write until its transaction ends; it sees what it has written."""

    def next_row(self, kind: Kind) -> int:
        """The number of the next row of a kind."""
        return self.last_row(kind) + 1

    @abc.abstractmethod
    def put_rows(self, kind: Kind, block: Block) -> None:
        """Writes rows as they are."""

    @abc.abstractmethod
    def close_rows(self, kind: Kind, entry: int, numbers: Sequence[int]) -> None:
        """Closes the rows with these numbers."""

    @abc.abstractmethod
    def node(self, level: int, position: int) -> bytes | None:
        """A node of the ledger's tree; None where there is none."""

    @abc.abstractmethod
    def put_node(self, level: int, position: int, value: bytes) -> None:
        """Writes a node of the ledger's tree."""

    @abc.abstractmethod
    def put_entry(self, entry: EntryRow) -> None:
        """Writes a ledger entry."""

    def origin(self) -> dict[str, str]:
        """From where this writes, as the database knows it: `login`, `address`, `application`; nothing for a file."""
        return {}

    def clock(self) -> datetime | None:
        """What time it is for the database, where it has a clock of its own."""
        return None

    @abc.abstractmethod
    def put_version(self, row: VersionRow) -> None:
        """Writes of which version all is that is written from an entry on."""

    @abc.abstractmethod
    def upgrade(self, row: VersionRow) -> None:
        """Makes the tables those of a later version, and says so; nothing that is kept is altered."""

    @abc.abstractmethod
    def put_head(self, size: int, time: str, root: bytes, signature: bytes) -> None:
        """Writes a signed head."""


class Store(abc.ABC):
    """An open store: `reading` in bulk, `write` for one writing transaction at a time."""

    folder: Path  # where what is computed from it is kept
    mode: int = OWNER  # of the files that are made for it

    @abc.abstractmethod
    def create(self, versions: Versions | None = None) -> None:
        """Makes the tables of a new store; those that are there stay as they are.

        `versions`: which it has had, where what it will hold was written before (default: it is a new one's).
        """

    @abc.abstractmethod
    def reading(self) -> AbstractContextManager[Reader]:
        """A reader of the present state."""

    @abc.abstractmethod
    def write(self) -> AbstractContextManager[Writer]:
        """A writer; all that it writes is kept at the end, or nothing where an error ends it."""

    def login(self) -> str:
        """The login with which it is opened, as the database knows it; empty for a file."""
        return ""

    @cached_property
    def computed(self) -> ComputedFolder:
        """Where what is computed from the store is kept."""
        return ComputedFolder(self.folder, self.folder.with_name(KEY), self.mode)

    def __getstate__(self) -> dict[str, Any]:
        """What another process needs to open it: nothing of what this one has opened."""
        return {name: value for name, value in self.__dict__.items() if name != "computed"}

    @property
    @abc.abstractmethod
    def files(self) -> list[Path]:
        """The files that `create` makes in the workspace."""

    @property
    @abc.abstractmethod
    def place(self) -> str:
        """Where it is, in words that hold no secret."""
