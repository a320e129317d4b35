"""The index saved beside the store: opened where it fits, brought up to date where it is behind, else made anew.

The file is a header (JSON) and the arrays as they are in memory, so it is mapped and not read. It belongs to one ledger
entry, known by number and leaf: a file from another store, or from before the store was put back from a copy, does
not fit. A checksum over all of it finds damage. It is written aside and moved into place, so there is never half of
one; whoever has the old one open keeps it. What compiles and edits is only imported where it is needed.
"""

from __future__ import annotations

import json
import mmap
import os
import time
import zlib
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import sqlalchemy as sa

from kathodos.engine.index import NEEDED, Index
from kathodos.engine.layout import arrays_of, index_from
from kathodos.model.kinds import IDENTITIES
from kathodos.store.records import (
    Edited,
    Edits,
    Record,
    Records,
    Stored,
    edits_between,
    rows_between,
    rows_of,
)
from kathodos.store.sqlite import LEDGER, Store, latest

_MAGIC = b"kathodos index 1\n"
_ALIGNED = 64
_MOST_EDITS = 50_000  # beyond that compiling anew is no slower
_ABANDONED = 600.0  # seconds after which a file that somebody began to write is taken to be left over


@dataclass(frozen=True)
class View:
    """The catalogue at a point, as it is or as it would be: its records, and the index of them."""

    records: Records
    index: Index

    def people(self, numbers: Sequence[int]) -> Mapping[int, Record]:
        """The records of some identities, by number; accounts, which have other numbers, are passed over."""
        people = [number for number in numbers if number < self.index.holders.people]
        rows = self.index.holders.rows[np.array(people, dtype=np.int64)].tolist()
        if len(people) * 5 < self.index.holders.people or len(people) < 1000:
            found = self.records.some(IDENTITIES, rows)
        else:
            found = rows_of(self.records, IDENTITIES, *IDENTITIES.names)
        records = dict(zip(found.ids, zip(*(found[name] for name in IDENTITIES.names), strict=True), strict=True))
        named = zip(people, rows, strict=True)
        return {number: dict(zip(IDENTITIES.names, records[row], strict=True)) for number, row in named}

    def with_edits(self, edits: Edits) -> View:
        """The catalogue as it would be with some edits."""
        from kathodos.engine.patch import updated

        records = Edited(self.records, edits)
        return View(records, updated(self.index, edits, records))


def view_at(store: Store, connection: sa.Connection, point: int | None = None) -> View:
    """The catalogue after ledger entry `point` (None: the present)."""
    return View(Stored(connection, point), _index_at(store, connection, point))


def saved_file(store: Store) -> Path:
    """Where the index is saved."""
    return store.file.with_name(store.file.name + ".index")


def discard_saved(store: Store) -> None:
    """Takes the saved index away, so that the next one is made from the rows as they are now."""
    with suppress(OSError):  # who may not write here has not made it either
        saved_file(store).unlink()


def _index_at(store: Store, connection: sa.Connection, point: int | None) -> Index:
    wanted = latest(connection) if point is None else point
    opened = open_saved(store, connection)
    if opened is not None:
        entry, index = opened
        changed = rows_between(connection, NEEDED, entry, wanted) if entry != wanted else 0
        if not changed:
            return index
        if changed <= _MOST_EDITS:
            edits = edits_between(connection, NEEDED, entry, wanted)
            from kathodos.engine.patch import updated

            index = updated(index, edits, Stored(connection, wanted))
            if point is None:
                save(store, index, wanted, _leaf(connection, wanted))
            return index
    from kathodos.engine.compile import compile_index

    index = compile_index(Stored(connection, wanted))
    if point is None:
        save(store, index, wanted, _leaf(connection, wanted))
    return index


def open_saved(store: Store, connection: sa.Connection) -> tuple[int, Index] | None:
    """The ledger number of the saved index, and the index; None where there is none that fits and is whole."""
    try:
        with saved_file(store).open("rb") as file:
            data = memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ))
    except (OSError, ValueError):  # none there, none that may be read, or an empty one: it is made anew
        return None
    header = _header(data)
    if header is None or _leaf(connection, header["entry"]) != header["leaf"]:
        return None
    arrays = {}
    for name, kind, count, offset in header["arrays"]:
        arrays[name] = np.frombuffer(data, dtype=np.dtype(kind), count=count, offset=offset)
    return header["entry"], index_from(arrays, header["rest"])


def _header(data: memoryview) -> dict[str, Any] | None:
    """The header of a saved index; None where the file is not whole or not of this form."""
    start = len(_MAGIC) + 12
    if len(data) < start or data[: len(_MAGIC)] != _MAGIC:
        return None
    checked = data[len(_MAGIC) + 4 :]
    if zlib.crc32(checked) != int.from_bytes(data[len(_MAGIC) : len(_MAGIC) + 4], "big"):
        return None
    size = int.from_bytes(checked[:8], "big")
    header: dict[str, Any] = json.loads(bytes(data[start : start + size]))
    return header


def save(store: Store, index: Index, entry: int, leaf: str) -> bool:
    """Saves the index of the state after a ledger entry. Whether it was: another may be writing, or nobody may."""
    arrays, rest = arrays_of(index)
    listed, offset = [], 0
    for name, array in arrays.items():
        listed.append((name, array.dtype.str, len(array), offset))
        offset += -(-array.nbytes // _ALIGNED) * _ALIGNED
    base, text = 0, b""
    while base != (needed := -(-(len(_MAGIC) + 12 + len(text)) // _ALIGNED) * _ALIGNED) or not text:
        base = needed
        placed = [(name, kind, count, at + base) for name, kind, count, at in listed]
        text = json.dumps({"entry": entry, "leaf": leaf, "arrays": placed, "rest": rest}).encode()
    with _written_aside(saved_file(store)) as file:
        if file is None:
            return False
        head = len(text).to_bytes(8, "big") + text
        head += bytes(base - len(_MAGIC) - 4 - len(head))
        checksum = zlib.crc32(head)
        file.write(_MAGIC + bytes(4) + head)
        for array in arrays.values():
            content = np.ascontiguousarray(array).view(np.uint8).data
            padding = bytes(-len(content) % _ALIGNED)
            checksum = zlib.crc32(padding, zlib.crc32(content, checksum))
            file.write(content)
            file.write(padding)
        file.seek(len(_MAGIC))
        file.write(checksum.to_bytes(4, "big"))
    return True


@contextmanager
def _written_aside(target: Path) -> Iterator[Any]:
    """A file that takes the place of `target` when it is all written; None where nobody may write, or another does."""
    aside = target.with_name(target.name + ".new")
    with suppress(OSError):
        if time.time() - aside.stat().st_mtime > _ABANDONED:
            aside.unlink()
    try:
        handle = os.open(aside, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666)
    except OSError:  # the saved index only saves time: a command that cannot write it works all the same
        yield None
        return
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
        aside.replace(target)
    except OSError:  # as above: the disk is full, say
        aside.unlink(missing_ok=True)
    except BaseException:
        aside.unlink(missing_ok=True)
        raise


def _leaf(connection: sa.Connection, entry: int) -> str:
    """The leaf of a ledger entry, by which a history is known; empty where there is no such entry."""
    leaf = connection.execute(sa.select(LEDGER.c.leaf).where(LEDGER.c.number == entry)).scalar_one_or_none()
    return leaf.hex() if leaf else ""
