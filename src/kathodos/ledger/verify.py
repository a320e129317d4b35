"""Verification: whether the ledger and the catalogue are what was signed, and if not, where."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa

from kathodos.catalogue.kinds import KINDS, Kind
from kathodos.catalogue.store import FOREVER, LEDGER, TABLES, TREE, Store, stored_columns
from kathodos.ledger import merkle
from kathodos.ledger.entries import Entry, digest_of, json_text, numbers_in, read_entries, read_heads, row_digest
from kathodos.ledger.keys import Head, Keys, is_signed


@dataclass(frozen=True)
class Discrepancy:
    """One thing that is not as signed: where it is and what is wrong with it."""

    where: str
    what: str


@dataclass(frozen=True)
class Verification:
    entries: int
    rows: int
    head: Head | None
    discrepancies: list[Discrepancy]


def verify(store: Store, connection: sa.Connection, keys: Keys, kept: Sequence[Head] = ()) -> Verification:
    """Checks every entry, head and catalogue row; `kept` are heads that an auditor has kept elsewhere."""
    damages = [Discrepancy("the database file", text) for text in store.damages(connection)]
    entries = _readable_entries(connection)
    heads = read_heads(connection)
    found = [*damages, *_entry_discrepancies(connection, entries), *_head_discrepancies(entries, heads, keys, kept)]
    by_number = {entry.number: entry for entry in entries}
    rows = 0
    for kind in KINDS:
        count, wrong = _row_discrepancies(connection, kind, by_number)
        rows += count
        found += wrong
    return Verification(len(entries), rows, heads[-1] if heads else None, found)


def _readable_entries(connection: sa.Connection) -> list[Entry]:
    """The entries; one whose JSON was made unreadable is there with empty parts, and so differs from its leaf."""
    try:
        return read_entries(connection)
    except ValueError:
        entries = []
        for number in connection.execute(sa.select(LEDGER.c.number).order_by(LEDGER.c.number)).scalars():
            try:
                entries += read_entries(connection, LEDGER.c.number == number)
            except ValueError:
                entries.append(Entry(number, "", "", "", [], "", {}, {}))
        return entries


def _entry_discrepancies(connection: sa.Connection, entries: list[Entry]) -> Iterator[Discrepancy]:
    columns = (LEDGER.c.number, LEDGER.c.leaf, LEDGER.c.subjects, LEDGER.c.payload, LEDGER.c.rows)
    kept = {number: (bytes(leaf), texts) for number, leaf, *texts in connection.execute(sa.select(*columns))}
    query = sa.select(TREE.c.position, TREE.c.hash).where(TREE.c.level == 0)
    nodes = {position + 1: bytes(value) for position, value in connection.execute(query)}
    expected = 1
    for entry in entries:
        yield from (Discrepancy(f"entry {number}", "is missing") for number in range(expected, entry.number))
        expected = entry.number + 1
        leaf, texts = kept[entry.number]
        as_written = texts == [json_text(entry.subjects), json_text(entry.payload), json_text(entry.rows)]
        if not as_written or not leaf == nodes.get(entry.number) == _leaf(entry):
            yield Discrepancy(f"entry {entry.number}", "was edited, moved or inserted: it is not what the tree holds")


def _leaf(entry: Entry) -> bytes:
    try:
        return entry.leaf()
    except Exception:  # a number or text that canonical JSON cannot hold was never written by us
        return b""


def _head_discrepancies(
    entries: list[Entry], heads: list[Head], keys: Keys, kept: Sequence[Head]
) -> Iterator[Discrepancy]:
    roots = merkle.roots_of([_leaf(entry) for entry in entries])
    public = keys.public()
    by_size = {head.size: head for head in heads}
    newest = entries[-1].number if entries else 0
    first_wrong = None
    for head in heads:
        if not is_signed(head, public):
            yield Discrepancy(f"head {head.size}", "does not carry this workspace's signature")
        elif first_wrong is None and head.size < len(roots) and head.root != roots[head.size]:
            first_wrong = head.size
            yield Discrepancy(f"entry {head.size}", "is the first that differs from what was signed")
    for size in range(1, newest + 1):
        if size not in by_size:
            yield Discrepancy(f"entry {size}", "has no signed head: it was inserted, or the head was taken away")
    for where, others in (("the heads kept beside the store", keys.witnessed()), ("the given head", list(kept))):
        yield from _outside(where, others, public, roots, newest)
    if heads and not keys.witness_file.exists():
        yield Discrepancy(str(keys.witness_file.name), "is missing: nothing outside the store shows its last length")
    elif heads and heads[-1].size > newest:
        yield Discrepancy(f"entries {newest + 1}-{heads[-1].size}", "were dropped: signed heads go on to there")


def _outside(where: str, heads: list[Head], public: Any, roots: list[bytes], newest: int) -> Iterator[Discrepancy]:
    for head in heads:
        if not is_signed(head, public):
            yield Discrepancy(where, f"of size {head.size} does not carry this workspace's signature")
        elif head.size >= len(roots):
            yield Discrepancy(f"entries {newest + 1}-{head.size}", f"were dropped: {where} go on to there")
            return
        elif head.root != roots[head.size]:
            yield Discrepancy(f"entry {head.size}", f"or one before it differs from {where}")
            return


def _row_discrepancies(
    connection: sa.Connection, kind: Kind, entries: dict[int, Entry]
) -> tuple[int, list[Discrepancy]]:
    """The number of rows of one kind, and what is wrong with them against what the entries say of them."""
    opened, closed = _expected(kind, entries)
    table = TABLES[kind.name]
    columns = (table.c.row, table.c.since, table.c.until, table.c.digest, table.c.source, *stored_columns(kind))
    seen: dict[int, bytes] = {}
    wrong: list[Discrepancy] = []
    suspects: set[int] = set()
    for row, since, until, digest, source, *content in connection.execute(sa.select(*columns).order_by(table.c.row)):
        seen[row] = row_digest(kind, row, since, source, tuple(content))
        what = _what_is_wrong(since, until, opened.get(row), closed.get(row, FOREVER), bytes(digest) == seen[row])
        if what:
            suspects.add(opened.get(row, 0))
            key = " ".join(str(content[kind.names.index(name)]) for name in kind.key)
            wrong.append(Discrepancy(f"{kind.name} row {row} ({key})", what))
    for row in sorted(opened.keys() - seen.keys()):
        suspects.add(opened[row])
        wrong.append(Discrepancy(f"{kind.name} row {row}", f"was removed; entry {opened[row]} brought it"))
    for number, entry in entries.items():
        kept = entry.rows.get(kind.name)
        if kept and number not in suspects:
            found = digest_of(seen[row] for row in numbers_in(kept["opened"]))
            if found != kept["digest"]:
                where = f"{kind.name} rows {kept['opened']}"
                wrong.append(
                    Discrepancy(where, f"were edited together with their digests; entry {number} brought them")
                )
    return len(seen), wrong


def _expected(kind: Kind, entries: dict[int, Entry]) -> tuple[dict[int, int], dict[int, int]]:
    """Which entry opened each row, and which closed it."""
    opened, closed = {}, {}
    for number, entry in entries.items():
        kept = entry.rows.get(kind.name, {})
        opened.update(dict.fromkeys(numbers_in(kept.get("opened", "")), number))
        closed.update(dict.fromkeys(numbers_in(kept.get("closed", "")), number))
    return opened, closed


def _what_is_wrong(since: int, until: int, opened: int | None, closed: int, is_intact: bool) -> str:
    if opened is None:
        return "was added: no entry of the ledger brought it"
    if since != opened:
        return f"was edited: it says that entry {since} brought it, which was entry {opened}"
    if until != closed:
        if closed == FOREVER:
            return "was ended: no entry of the ledger ended it"
        return f"was brought back: entry {closed} had ended it"
    return "" if is_intact else f"was edited after entry {opened} brought it"
