"""Verification: whether the ledger and the catalogue are what was signed, and if not, where."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

import msgspec

from kathodos import thresholds
from kathodos.columns.processes import in_processes, process_count
from kathodos.columns.ranges import ranges_in, ranges_text
from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.discrepancies import DAMAGED, Discrepancy, about_entries
from kathodos.ledger.entries import (
    Entry,
    entry_of,
    read_heads,
    row_of,
)
from kathodos.ledger.hand import Proof, Signed
from kathodos.ledger.keys import Head, Keys
from kathodos.ledger.settings import proofs_asked
from kathodos.ledger.verify_heads import Witnesses, head_discrepancies
from kathodos.ledger.verify_rows import Checked, RowsOfEntries, kept_of, row_discrepancies
from kathodos.model.kinds import BY_NAME, KINDS
from kathodos.model.times import first_moment
from kathodos.model.words import plural
from kathodos.store.base import EntryRow, Reader, Store
from kathodos.store.computed import Point
from kathodos.store.upgrades import NEWEST
from kathodos.store.versions import VersionRow, Versions


class Verification(msgspec.Struct, frozen=True):
    """`notes`: what is as signed and yet to be known, such as entries that were made while the clock was set back."""

    entries: int
    rows: int
    head: Head | None
    discrepancies: list[Discrepancy]
    notes: list[str] = msgspec.field(default_factory=list)


def verify(store: Store, keys: Keys, witnesses: Witnesses | None = None) -> Verification:
    """Checks every entry, head and catalogue row, what was computed from them, and what stands in the database."""
    witnesses = witnesses or Witnesses()
    with store.reading() as reader:
        found = [Discrepancy("the database", text) for text in reader.strangers()]
        try:
            written = [*reader.entries()][::-1]
            entries = [_readable(row) for row in written]
            heads = read_heads(reader)
            found += [
                *_entry_discrepancies(written, entries),
                *_tree_discrepancies(reader, written),
                *head_discrepancies([_leaf(entry) for entry in entries], heads, keys, witnesses),
                *_computed_discrepancies(store, reader),
                *_proof_discrepancies(entries, reader, witnesses.proof),
            ]
            versions = versions_said(entries)
            found += _version_discrepancies(reader, versions, entries)
            rows = {entry.number: entry.rows for entry in entries}
            (_, damages), *checked = _parts_checked(store, reader, rows, versions)
        except Exception:  # what is not as it was made cannot be read as that, whatever the database says then
            if not found:
                raise
            rest = Discrepancy(
                "the ledger and the rows", "could not be looked at, as the database is not as it was made"
            )
            return Verification(0, 0, None, [*found, rest])
        notes = [*version_notes(reader.versions, len(entries)), *clock_notes(entries)]
    found = [*damages, *found, *(one for _, wrong in checked for one in wrong)]
    return Verification(len(entries), sum(rows for rows, _ in checked), heads[-1] if heads else None, found, notes)


def _parts_checked(store: Store, reader: Reader, entries: RowsOfEntries, versions: Versions) -> list[Checked]:
    """What is wrong with the database file, and then with the rows of each kind; of a large store in processes."""
    sizes = {
        kind.name: sum(
            len(rows) for one in entries.values() for rows in ranges_in(kept_of(one, kind).get("opened", ""))
        )
        for kind in KINDS
    }
    parts = ["", *sizes]
    count = process_count(sum(sizes.values()), thresholds.VERIFIED_APART)
    if count == 1:
        return [_part_checked(reader, part, entries, versions) for part in parts]
    point, largest_first = reader.newest(), sorted(parts, key=lambda it: -sizes.get(it, max(sizes.values())))
    checked = in_processes(_checked_apart, [(store, point, part, entries, versions) for part in largest_first], count)
    apart = dict(zip(largest_first, checked, strict=True))
    return [apart[part] or _part_checked(reader, part, entries, versions) for part in parts]


def _checked_apart(store: Store, point: Point, part: str, entries: RowsOfEntries, versions: Versions) -> Checked | None:
    """What is wrong with one part, found in another process; None where the store has gone on since."""
    with store.reading() as reader:
        return _part_checked(reader, part, entries, versions) if reader.newest() == point else None


def _part_checked(reader: Reader, part: str, entries: RowsOfEntries, versions: Versions) -> Checked:
    if not part:
        return 0, [Discrepancy("the database", text, DAMAGED) for text in reader.damages()]
    return row_discrepancies(reader, BY_NAME[part], entries, versions)


def _readable(row: EntryRow) -> Entry:
    """An entry; one whose JSON was made unreadable has empty parts, and so differs from its leaf."""
    try:
        return entry_of(row)
    except DataError:
        return Entry(row.number, "", "", {}, "", [], "", {}, {})


def _entry_discrepancies(written: list[EntryRow], entries: list[Entry]) -> Iterator[Discrepancy]:
    expected = 1
    for row, entry in zip(written, entries, strict=True):
        if entry.number > expected:
            yield about_entries(expected, entry.number - 1, "missing", "is", "are")
        expected = entry.number + 1
        if row != row_of(entry, _leaf(entry)):
            yield Discrepancy(f"entry {entry.number}", "was edited, moved or inserted: it is not what the tree holds")


def _leaf(entry: Entry) -> bytes:
    try:
        return entry.leaf()
    except Exception:  # a number or text that canonical JSON cannot hold was never written by us
        return b""


def _tree_discrepancies(reader: Reader, written: list[EntryRow]) -> Iterator[Discrepancy]:
    """What is wrong with the nodes of the tree that the store keeps, of which the next entry's root is made.

    Where entries are missing only the leaves of the others are looked at.
    """
    expected = {(0, row.number - 1): row.leaf for row in written}
    is_whole = len(written) == (written[-1].number if written else 0)
    for size, row in enumerate(written if is_whole else ()):
        for level, position, value in merkle.grown(size, row.leaf, lambda *at: expected[at]):
            expected[level, position] = value
    wrong, seen = [], 0
    for level, position, value in reader.nodes():
        if (level, position) in expected or is_whole:
            seen += 1
            if expected.get((level, position)) != value:
                wrong.append(f"{position} of level {level}")
    if wrong:
        more = f" and {len(wrong) - 3} more" if len(wrong) > 3 else ""
        yield Discrepancy("the ledger's tree", f"nodes were changed or put in: {', '.join(wrong[:3])}{more}")
    elif seen < len(expected):
        yield Discrepancy("the ledger's tree", f"{len(expected) - seen} of its nodes were taken away")


def _computed_discrepancies(store: Store, reader: Reader) -> Iterator[Discrepancy]:
    """What was computed from the store and is not what was written, or belongs to entries that are gone."""
    elsewhere: dict[int, list[str]] = {}
    for name, point in store.computed.looked_over().items():
        if point is None:
            aside = store.computed.put_aside(name)
            what = f"is not what this tool wrote; it lies aside as {aside.name} and is not used"
            yield Discrepancy(f"the computed file {name}", what)
        elif reader.leaf(point.entry) != point.leaf:
            elsewhere.setdefault(point.entry, []).append(name)
    for entry, names in sorted(elsewhere.items()):
        files = plural(len(names), "computed file was", "computed files were")
        which = f"{names[0]}{' ...' if len(names) > 1 else ''}"
        yield Discrepancy(f"entry {entry}", f"was of another history than this: {files} made from it ({which})")


def _proof_discrepancies(entries: list[Entry], reader: Reader, proof: Proof) -> Iterator[Discrepancy]:
    """Entries that do not bear the signature of who is said to have acted, where one was to be."""
    signed = [entry for entry in entries if entry.proof]
    asked = dict(zip([it.number for it in entries], proofs_asked(reader, entries), strict=True))
    for entry in entries:
        if asked[entry.number].must_be_signed and not entry.proof:
            what = "bears no signature of its actor, which the configuration asked for then"
            yield Discrepancy(f"entry {entry.number}", what)
    statements = [
        Signed(it.actor, it.statement(), it.proof, it.time, asked[it.number].allowed_signers) for it in signed
    ]
    for entry, wrong in zip(signed, proof.wrong_among(statements) if signed else (), strict=True):
        if wrong:
            yield Discrepancy(f"entry {entry.number}", f"does not bear a signature of {entry.actor}: {wrong}")


def versions_said(entries: list[Entry]) -> Versions:
    """In which version of the store each entry was written, as the entries themselves say it.

    What somebody made unreadable, or of a version that cannot be, is taken to be of the one before.
    """
    rows, version = list[VersionRow](), 1
    for entry in entries:
        said = entry.store_version
        if said != version and entry.origin and 1 <= said <= NEWEST:
            rows.append(VersionRow(said, entry.number, entry.origin.get("program", "")))
            version = said
    return Versions(rows)


def _version_discrepancies(reader: Reader, said: Versions, entries: list[Entry]) -> Iterator[Discrepancy]:
    """Whether the store says the same of its versions as its entries do, and never goes back to an earlier one."""
    for before, after in itertools.pairwise([VersionRow(1, 1, ""), *said.rows]):
        if after.version < before.version:
            what = f"was written as version {after.version}, after the store had been brought up to {before.version}"
            yield Discrepancy(f"entry {after.entry}", what)
    kept = {(it.version, it.entry) for it in reader.versions.rows if it.entry <= len(entries)}
    if entries and kept != {(it.version, it.entry) for it in said.rows}:
        yield Discrepancy("the versions of the store", "are not what its entries say")


def version_notes(versions: Versions, entries: int) -> list[str]:
    """What is to be known of the version of a store: that it can be brought up, or was by who administers it."""
    newest = versions.newest
    if newest.version < NEWEST:
        which = f"The store is of version {newest.version}; this kathodos writes version {NEWEST}"
        return [f"{which}. To bring it up: kathodos store upgrade"]
    if entries and newest.entry > entries:
        return [f"The store was brought up to version {newest.version} in its database, which the next entry will say."]
    return []


def clock_notes(entries: list[Entry]) -> list[str]:
    """What is to be known of the clock by which entries were made."""
    notes = []
    for before, entry in itertools.pairwise(entries):
        if moment(before.time) > moment(entry.time):
            why = f" The reason given: {entry.reason}." if entry.reason else ""
            notes.append(
                f"Entry {entry.number} bears the time {entry.time}, before entry {before.number} ({before.time}).{why}"
            )
    set_ = [entry.number for entry in entries if "clock" in entry.origin]
    if set_:
        which = f"{plural(len(set_), 'entry was', 'entries were')} made under a clock that KATHODOS_NOW had set"
        notes.append(f"{which}: {ranges_text(set_)}.")
    return notes


def moment(time: str) -> int:
    """An entry's time as microseconds; one that cannot be read came before all."""
    try:
        return first_moment(time)
    except (ValueError, OverflowError):
        return 0
