"""A store copied into another one, of the same kind or not: every row, entry, node and head as it is."""

from __future__ import annotations

import msgspec

from kathodos.errors import CallError
from kathodos.model.kinds import KINDS
from kathodos.model.words import plural
from kathodos.store.base import Reader, Store
from kathodos.store.blocks import FIRST, LAST


class Copied(msgspec.Struct, frozen=True):
    """How many entries and rows were copied; `was_there`: whether all of it was there already, and nothing was."""

    entries: int
    rows: int
    was_there: bool = False


def copied(reader: Reader, target: Store) -> Copied:
    """Copies all that a reader sees, in one transaction: the other store holds all of it, or is empty.

    Raises CallError where something else was there before.
    """
    target.create(reader.versions)
    rows = 0
    with target.write() as writer:
        newest = writer.newest()
        if newest.entry and newest == reader.newest():
            return Copied(newest.entry, 0, was_there=True)
        if newest.entry:
            what = f"The store {target.place} is not empty: it holds {plural(newest.entry, 'entry', 'entries')}."
            raise CallError(what, "Name a new file, or a database without a catalogue. Nothing was changed.")
        if writer.versions != reader.versions:
            what = f"The store {target.place} was set up for version {writer.version}; this one is of {reader.version}."
            raise CallError(what, "Bring this one up first: kathodos store upgrade. Nothing was changed.")
        for kind in KINDS:
            for block in reader.blocks(kind, FIRST, LAST):
                writer.put_rows(kind, block)
                rows += len(block)
        entries = [*reader.entries()][::-1]
        for entry in entries:
            writer.put_entry(entry)
        for node in reader.nodes():
            writer.put_node(*node)
        for head in reader.heads():
            writer.put_head(*head)
    return Copied(len(entries), rows)
