"""Verification: whether the ledger and the catalogue are what was signed, and if not, where."""

from __future__ import annotations

import itertools
import multiprocessing
import os
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from kathodos.columns.csr import Ints, ints, joined
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.ranges import ranges_in, ranges_text
from kathodos.errors import DataError
from kathodos.ledger import merkle
from kathodos.ledger.anchors import Anchor
from kathodos.ledger.entries import (
    BLOCK,
    Digest,
    Entry,
    entry_of,
    read_heads,
    row_of,
)
from kathodos.ledger.hand import Proof, Signed
from kathodos.ledger.keys import Head, Keys, is_signed
from kathodos.ledger.settings import must_be_signed
from kathodos.model.kinds import BY_NAME, KINDS, Kind
from kathodos.model.times import first_moment
from kathodos.model.words import plural
from kathodos.store.base import EntryRow, Reader, Store
from kathodos.store.blocks import FIRST, FOREVER, LAST, Block, joined_blocks
from kathodos.store.computed import Point
from kathodos.store.marks import checksums_of, value_checksums

RowsOfEntries = Mapping[int, Mapping[str, Mapping[str, str]]]  # by entry and kind: which it opened and closed
_LARGE = 500_000  # rows from which on several processes pay
_PROCESSES = 4
_UNSIGNED = "no signed head: inserted, or the head was taken away"
_MOST_TOLD = 1000  # rows of a kind that are named one by one
_SLACK = 1 << 20  # rows that an entry may say it opened beyond those that are there: they were taken away


ALTERED, DAMAGED = "altered", "damaged"


@dataclass(frozen=True)
class Discrepancy:
    """One thing that is not as signed: where it is, what is wrong, and whether somebody did that or a fault could."""

    where: str
    what: str
    kind: str = ALTERED


Checked = tuple[int, list[Discrepancy]]  # how many rows, and what is wrong with them


@dataclass(frozen=True)
class Verification:
    """`notes`: what is as signed and yet to be known, such as entries that were made while the clock was set back."""

    entries: int
    rows: int
    head: Head | None
    discrepancies: list[Discrepancy]
    notes: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Witnesses:
    """What the ledger is held against besides itself: heads that an auditor kept, an anchor, and what proves actors."""

    kept: Sequence[Head] = ()
    anchor: Anchor | None = None
    proof: Proof | None = None


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
            (_, damages), *checked = _parts_checked(store, reader, {entry.number: entry.rows for entry in entries})
        except Exception:  # what is not as it was made cannot be read as that, whatever the database says then
            if not found:
                raise
            rest = Discrepancy(
                "the ledger and the rows", "could not be looked at, as the database is not as it was made"
            )
            return Verification(0, 0, None, [*found, rest])
        notes = clock_notes(entries)
    found = [*damages, *found, *(one for _, wrong in checked for one in wrong)]
    return Verification(len(entries), sum(rows for rows, _ in checked), heads[-1] if heads else None, found, notes)


def _parts_checked(store: Store, reader: Reader, entries: RowsOfEntries) -> list[Checked]:
    """What is wrong with the database file, and then with the rows of each kind; of a large store in processes."""
    sizes = {
        kind.name: sum(len(rows) for one in entries.values() for rows in ranges_in(_kept(one, kind).get("opened", "")))
        for kind in KINDS
    }
    parts, processors = ["", *sizes], os.cpu_count() or 1
    if processors < 2 or sum(sizes.values()) < _LARGE:
        return [_part_checked(reader, part, entries) for part in parts]
    point, found = reader.newest(), {}
    with ProcessPoolExecutor(min(processors, _PROCESSES), multiprocessing.get_context("spawn")) as pool:
        for part in sorted(parts, key=lambda it: -sizes.get(it, max(sizes.values()))):
            found[part] = pool.submit(_checked_apart, store, point, part, entries)
        apart = {part: it.result() for part, it in found.items()}
    return [apart[part] or _part_checked(reader, part, entries) for part in parts]


def _checked_apart(store: Store, point: Point, part: str, entries: RowsOfEntries) -> Checked | None:
    """What is wrong with one part, found in another process; None where the store has gone on since."""
    with store.reading() as reader:
        return _part_checked(reader, part, entries) if reader.newest() == point else None


def _part_checked(reader: Reader, part: str, entries: RowsOfEntries) -> Checked:
    if not part:
        return 0, [Discrepancy("the database", text, DAMAGED) for text in reader.damages()]
    return _row_discrepancies(reader, BY_NAME[part], entries)


def _kept(rows: Mapping[str, Mapping[str, str]], kind: Kind) -> Mapping[str, str]:
    """What an entry says of the rows of a kind."""
    return rows.get(kind.name, {})


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
            yield _about_entries(expected, entry.number - 1, "missing", "is", "are")
        expected = entry.number + 1
        if row != row_of(entry, _leaf(entry)):
            yield Discrepancy(f"entry {entry.number}", "was edited, moved or inserted: it is not what the tree holds")


def _about_entries(first: int, last: int, what: str, one: str = "was", several: str = "were") -> Discrepancy:
    """What is wrong with an entry, or with several that follow on each other."""
    if first == last:
        return Discrepancy(f"entry {first}", f"{one} {what}")
    return Discrepancy(f"entries {first}-{last}", f"{several} {what}")


def _leaf(entry: Entry) -> bytes:
    try:
        return entry.leaf()
    except Exception:  # a number or text that canonical JSON cannot hold was never written by us
        return b""


def _tree_discrepancies(reader: Reader, written: list[EntryRow]) -> Iterator[Discrepancy]:
    """What is wrong with the nodes of the tree that the store keeps, of which the next entry's root is made."""
    expected: dict[tuple[int, int], bytes] = {}
    for size, row in enumerate(written):
        for level, position, value in merkle.grown(size, row.leaf, lambda *at: expected[at]):
            expected[level, position] = value
    wrong, seen = [], 0
    for level, position, value in reader.nodes():
        if expected.get((level, position)) != value:
            wrong.append(f"{position} of level {level}")
        seen += 1
    if wrong:
        more = f" and {len(wrong) - 3} more" if len(wrong) > 3 else ""
        yield Discrepancy("the ledger's tree", f"nodes were changed or put in: {', '.join(wrong[:3])}{more}")
    elif seen < len(expected):
        yield Discrepancy("the ledger's tree", f"{len(expected) - seen} of its nodes were taken away")


def _computed_discrepancies(store: Store, reader: Reader) -> Iterator[Discrepancy]:
    """What was computed from the store and is not what was written, or belongs to entries that are gone."""
    for name, point in store.computed.looked_over().items():
        where = f"the computed file {name}"
        if point is None:
            aside = store.computed.put_aside(name)
            yield Discrepancy(where, f"is not what this tool wrote; it lies aside as {aside.name} and is not used")
        elif reader.leaf(point.entry) != point.leaf:
            what = f"was made from entry {point.entry} of another history: entries were taken away, or all put back"
            yield Discrepancy(where, what)


def _proof_discrepancies(entries: list[Entry], reader: Reader, proof: Proof | None) -> Iterator[Discrepancy]:
    """Entries that do not bear the signature of who is said to have acted, where one was to be."""
    signed = [entry for entry in entries if entry.proof]
    must = must_be_signed(reader, entries) if signed or proof is not None else set()
    for number in sorted(must - {entry.number for entry in signed}):
        yield Discrepancy(f"entry {number}", "bears no signature of its actor, which the configuration asked for then")
    if not signed:
        return
    if proof is None:
        yield Discrepancy("the actors' signatures", "cannot be checked: nothing says any more whose key is whose")
        return
    statements = [Signed(it.actor, it.statement(), it.proof, it.time) for it in signed]
    for entry, wrong in zip(signed, proof.wrong_among(statements), strict=True):
        if wrong:
            yield Discrepancy(f"entry {entry.number}", f"does not bear a signature of {entry.actor}: {wrong}")


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


def head_discrepancies(
    leaves: list[bytes], heads: list[Head], keys: Keys, witnesses: Witnesses
) -> Iterator[Discrepancy]:
    """What is wrong with the signed heads, in the store and outside it, over entries with these leaves."""
    roots = merkle.roots_of(leaves)
    public = keys.public()
    newest, first_wrong, last = len(leaves), None, 0
    for head in heads:
        if not is_signed(head, public):
            yield Discrepancy(f"head {head.size}", "does not carry this workspace's signature")
        elif first_wrong is None and head.size < len(roots) and head.root != roots[head.size]:
            first_wrong = head.size
            yield Discrepancy(f"entry {head.size}", "is the first that differs from what was signed")
        if last + 1 < head.size <= newest:
            yield _about_entries(last + 1, head.size - 1, _UNSIGNED, "has", "have")
        last = head.size
    if last < newest:
        yield _about_entries(last + 1, newest, _UNSIGNED, "has", "have")
    noted = list(keys.witnessed())
    yield from _outside("the heads kept beside the store", noted, public, roots, newest)
    yield from _outside("the given head", list(witnesses.kept), public, roots, newest)
    if heads and heads[-1].size > newest:
        yield _about_entries(newest + 1, heads[-1].size, "dropped: signed heads go on to there")
    yield from _witness_discrepancies(keys, newest, noted)
    if witnesses.anchor is not None:
        yield from _anchor_discrepancies(witnesses.anchor, public, roots, newest)


def _witness_discrepancies(keys: Keys, newest: int, noted: list[Head]) -> Iterator[Discrepancy]:
    """What is wrong with the file of heads beside the store."""
    name = keys.witness_file.name
    if not newest:
        return
    if not keys.witness_file.exists():
        yield Discrepancy(name, "is missing: nothing outside the store shows its last length")
    elif not noted:
        yield Discrepancy(name, "holds no head any more: somebody emptied it or wrote something else into it")
    for line in keys.junk_lines():
        kind = DAMAGED if line.is_cut_short else ALTERED
        why = (
            "was cut short, as by a crash"
            if line.is_cut_short
            else "is no signed head, and was never written by this tool"
        )
        yield Discrepancy(f"{name}, line {line.number}", why, kind)


def _anchor_discrepancies(anchor: Anchor, public: Any, roots: list[bytes], newest: int) -> Iterator[Discrepancy]:
    where = f"the anchor {anchor.place}"
    try:
        heads = anchor.heads()
    except DataError as error:
        yield Discrepancy(where, f"cannot be asked: {error.what}", DAMAGED)
        return
    if newest and not heads:
        yield Discrepancy(where, "has never received a head of this ledger: it is another one, or signed anew")
    yield from _outside(where, heads, public, roots, newest)


def _outside(where: str, heads: list[Head], public: Any, roots: list[bytes], newest: int) -> Iterator[Discrepancy]:
    for head in heads:
        if not is_signed(head, public):
            what = f"holds a head of size {head.size} that this workspace's key did not sign: another key signs now"
            yield Discrepancy(where, what)
            return
        if head.size >= len(roots):
            largest = max(it.size for it in heads)
            yield _about_entries(newest + 1, largest, f"dropped: {where} go on to there")
            return
        if head.root != roots[head.size]:
            yield Discrepancy(f"entry {head.size}", f"or one before it differs from {where}")
            return


def _row_discrepancies(reader: Reader, kind: Kind, entries: RowsOfEntries) -> Checked:
    """The number of rows of one kind, and what is wrong with them against what the entries say of them."""
    entries, beyond = _within(entries, kind, reader.last_row(kind))
    opened, closed = _Opened(kind, entries), _Closed(kind, entries)
    wrong = [Discrepancy(f"entry {it}", f"says that it wrote rows of {kind.name} that cannot be") for it in beyond]
    suspects: set[int] = set()
    count = 0
    digests: dict[int, Digest] = {}
    total = 0
    for part in opened.pieces(_with_faults(it) for it in reader.blocks(kind, FIRST, LAST)):
        total += len(part)
        by, ends = opened.openers(part.rows), closed.ends(part.rows)
        intact = part.checksums == 0
        is_recorded = (by == part.since) & (part.until == ends)
        odd = (~(intact & is_recorded & (by > 0))).nonzero()[0]
        suspects.update(by[odd].tolist())
        count += len(odd)
        for at in odd[: max(_MOST_TOLD - len(wrong), 0)].tolist():
            key = " ".join(str(part.columns[kind.names.index(name)].value(at)) for name in kind.key)
            what = _what_is_wrong(
                int(part.since[at]), int(part.until[at]), int(by[at]), int(ends[at]), bool(intact[at])
            )
            wrong.append(Discrepancy(f"{kind.name} row {part.rows[at]} ({key})", what))
        digests.setdefault(int(by[0]), Digest()).add(int(part.rows[0]), part.held)
    for first, last, number in opened.missing():
        suspects.add(number)
        rows, were = (f"row {first}", "was") if first == last else (f"rows {first}-{last}", "were")
        count += 1
        if len(wrong) < _MOST_TOLD:
            wrong.append(
                Discrepancy(
                    f"{kind.name} {rows}", f"{were} removed; entry {number} brought {'it' if first == last else 'them'}"
                )
            )
    if count > len(wrong) - len(beyond):
        wrong.append(
            Discrepancy(kind.name, f"{count - len(wrong) + len(beyond)} rows more are not as they were written")
        )
    for number, rows_of_entry in entries.items():
        kept = _kept(rows_of_entry, kind)
        if kept and number not in suspects and digests.get(number, Digest()).text() != kept["digest"]:
            where = f"{kind.name} rows {kept['opened']}"
            wrong.append(Discrepancy(where, f"were edited together with their checksums; entry {number} brought them"))
    return total, wrong


def _with_faults(block: Block) -> Block:
    """Rows as they were read, with 0 for the checksum of each that has the right one."""
    checks = [value_checksums(column) for column in block.columns]
    expected = checksums_of(block.rows, [column.codes for column in block.columns], checks)
    return replace(block, checksums=block.checksums - expected)


def _within(entries: RowsOfEntries, kind: Kind, last: int) -> tuple[RowsOfEntries, list[int]]:
    """What entries say of the rows of a kind, without those that say what cannot be: rows beyond the last, or twice."""
    found, beyond = {}, []
    spent = {"opened": 0, "closed": 0}
    for number, one in entries.items():
        kept = _kept(one, kind)
        if not kept:
            continue
        ranges = {part: ranges_in(kept[part]) for part in spent}
        sizes = {part: sum(map(len, some)) for part, some in ranges.items()}
        highest = max((it.stop - 1 for it in ranges["closed"]), default=0)
        if (
            highest > last
            or any(sizes[part] > last + _SLACK for part in spent)
            or spent["closed"] + sizes["closed"] > last
        ):
            beyond.append(number)
            continue
        for part, size in sizes.items():
            spent[part] += size
        found[number] = one
    return found, beyond


class _Opened:
    """Which entry opened each row of a kind, as the entries say it."""

    def __init__(self, kind: Kind, entries: RowsOfEntries) -> None:
        opened_ranges = sorted(
            (rows.start, rows.stop, number)
            for number, one in entries.items()
            for rows in ranges_in(_kept(one, kind).get("opened", ""))
        )
        self._firsts, self._ends, self._numbers = (
            np.array([one[at] for one in opened_ranges], dtype=np.int64) for at in range(3)
        )
        self._seen: list[Ints] = []

    def pieces(self, read: Iterator[Block]) -> Iterator[Block]:
        """The rows in the blocks in which the entries' digests were made; rows between ranges by themselves."""
        limits = np.unique(np.concatenate([[FIRST], self._firsts, self._ends]))
        rest, following = next(read, None), next(read, None)
        while rest is not None:
            while following is not None and len(rest) < BLOCK:
                rest, following = joined_blocks([rest, following]), next(read, None)
            start = int(insertion_points(limits, rest.rows[0], side="right")) - 1
            base = int(limits[start])
            end = base + ((int(rest.rows[0]) - base) // BLOCK + 1) * BLOCK
            end = min(end, *limits[start + 1 : start + 2].tolist(), LAST)
            size = int(insertion_points(rest.rows, end)) or 1
            yield rest.part(slice(size))
            if size < len(rest):
                rest = rest.part(slice(size, None))
            else:
                rest, following = following, next(read, None)

    def openers(self, rows: Ints) -> Ints:
        """The entry that opened each row, 0 where none did; notes that the rows are there."""
        self._seen.append(rows)
        if not len(self._firsts):
            return np.zeros(len(rows), dtype=np.int64)
        at = np.maximum(insertion_points(self._firsts, rows, side="right") - 1, 0)
        is_inside = (rows >= self._firsts[at]) & (rows < self._ends[at])
        return np.where(is_inside, self._numbers[at], 0)

    def missing(self) -> Iterator[tuple[int, int, int]]:
        """The rows that an entry opened and that were not seen: the first and the last that follow on it, the entry."""
        seen = np.concatenate([np.zeros(0, dtype=np.int64), *self._seen])
        for first, end, number in zip(self._firsts, self._ends, self._numbers, strict=True):
            between = seen[insertion_points(seen, first) : insertion_points(seen, end)]
            if len(between) < end - first:
                known = np.concatenate([[first - 1], between, [end]])
                for at in (np.diff(known) > 1).nonzero()[0].tolist():
                    yield int(known[at]) + 1, int(known[at + 1]) - 1, int(number)


class _Closed:
    """Which entry closed each row of a kind, as the entries say it."""

    def __init__(self, kind: Kind, entries: RowsOfEntries) -> None:
        ranges = [
            (rows, number) for number, one in entries.items() for rows in ranges_in(_kept(one, kind).get("closed", ""))
        ]
        rows = joined([np.arange(it.start, it.stop) for it, _ in ranges])
        order = order_of(rows)
        self._rows = rows[order]
        self._numbers = np.repeat(ints(number for _, number in ranges), ints(len(it) for it, _ in ranges))[order]

    def ends(self, rows: Ints) -> Ints:
        """The entry that closed each row, the last one that says so; FOREVER where none did."""
        ends = np.full(len(rows), FOREVER)
        at = insertion_points(self._rows, rows, side="right") - 1
        found = (at >= 0) & (self._rows[at] == rows) if len(self._rows) else np.zeros(len(rows), dtype=bool)
        ends[found] = self._numbers[at[found]]
        return ends


def _what_is_wrong(since: int, until: int, opened: int, closed: int, is_intact: bool) -> str:
    if not opened:
        return "was added: no entry of the ledger brought it"
    if since != opened:
        return f"was edited: it says that entry {since} brought it, which was entry {opened}"
    if until != closed:
        if closed == FOREVER:
            return "was ended: no entry of the ledger ended it"
        return f"was brought back: entry {closed} had ended it"
    return "" if is_intact else f"was edited after entry {opened} brought it"
