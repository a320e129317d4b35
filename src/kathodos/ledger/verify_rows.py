"""Whether the rows of each kind are those that the entries of the ledger opened and closed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
from msgspec.structs import replace

from kathodos.columns.csr import Ints, distinct
from kathodos.columns.ordered import insertion_points
from kathodos.columns.ranges import ranges_in
from kathodos.ledger.discrepancies import Discrepancy
from kathodos.ledger.entries import BLOCK, Digest
from kathodos.model.kinds import Kind
from kathodos.store.base import Reader
from kathodos.store.blocks import FIRST, FOREVER, LAST, Block, joined_blocks
from kathodos.store.recorded import Closings, Openings
from kathodos.store.versions import Versions, checked_of, wrongly_marked

RowsOfEntries = Mapping[int, Mapping[str, Mapping[str, str]]]  # by entry and kind: which it opened and closed
Checked = tuple[int, list[Discrepancy]]  # how many rows, and what is wrong with them
_MOST_TOLD = 1000  # rows of a kind that are named one by one
_SLACK = 1 << 20  # rows that an entry may say it opened beyond those that are there: they were taken away


def kept_of(rows: Mapping[str, Mapping[str, str]], kind: Kind) -> Mapping[str, str]:
    """What an entry says of the rows of a kind."""
    return rows.get(kind.name, {})


def row_discrepancies(reader: Reader, kind: Kind, entries: RowsOfEntries, versions: Versions) -> Checked:
    """The number of rows of one kind, and what is wrong with them against what the entries say of them.

    `versions`: in which version of the store each entry was written, as the entries say it.
    """
    entries, beyond = _within(entries, kind, reader.last_row(kind))
    opened, closed = _Opened(kind, entries), Closings(_ranges(entries, kind, "closed"))
    wrong = [Discrepancy(f"entry {it}", f"says that it wrote rows of {kind.name} that cannot be") for it in beyond]
    suspects: set[int] = set()
    count = 0
    digests: dict[int, Digest] = {}
    total = 0
    for part in opened.pieces(_with_faults(kind, it, versions) for it in reader.blocks(kind, FIRST, LAST)):
        total += len(part)
        by, ends = opened.openers(part.rows), closed.of(part.rows)
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
        checked = checked_of(kind, int(versions.of(by[:1])[0]), part.columns)
        digests.setdefault(int(by[0]), Digest()).add(int(part.rows[0]), [part.sources, *checked])
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
        kept = kept_of(rows_of_entry, kind)
        if kept and number not in suspects and digests.get(number, Digest()).text() != kept["digest"]:
            where = f"{kind.name} rows {kept['opened']}"
            wrong.append(Discrepancy(where, f"were edited together with their checksums; entry {number} brought them"))
    return total, wrong


def _with_faults(kind: Kind, block: Block, versions: Versions) -> Block:
    """Rows as they were read, with 0 for the checksum of each that has the right one."""
    return replace(block, checksums=wrongly_marked(kind, block, versions).astype(np.int64))


def _within(entries: RowsOfEntries, kind: Kind, last: int) -> tuple[RowsOfEntries, list[int]]:
    """What entries say of the rows of a kind, without those that say what cannot be: rows beyond the last, or twice."""
    found, beyond = {}, []
    spent = {"opened": 0, "closed": 0}
    for number, one in entries.items():
        kept = kept_of(one, kind)
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


def _ranges(entries: RowsOfEntries, kind: Kind, part: str) -> Iterator[tuple[range, int]]:
    """The ranges of rows of a kind that entries opened or closed, each with its entry."""
    for number, one in entries.items():
        yield from ((rows, number) for rows in ranges_in(kept_of(one, kind).get(part, "")))


class _Opened:
    """Which entry opened each row of a kind, as the entries say it."""

    def __init__(self, kind: Kind, entries: RowsOfEntries) -> None:
        self._openings = Openings(_ranges(entries, kind, "opened"))
        self._seen: list[Ints] = []

    def pieces(self, read: Iterator[Block]) -> Iterator[Block]:
        """The rows in the blocks in which the entries' digests were made; rows between ranges by themselves."""
        limits = distinct(np.concatenate([[FIRST], self._openings.firsts, self._openings.ends]))
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
        return self._openings.of(rows)

    def missing(self) -> Iterator[tuple[int, int, int]]:
        """The rows that an entry opened and that were not seen: the first and the last that follow on it, the entry."""
        seen = np.concatenate([np.zeros(0, dtype=np.int64), *self._seen])
        openings = self._openings
        for first, end, number in zip(openings.firsts, openings.ends, openings.numbers, strict=True):
            between = seen[insertion_points(seen, first) : insertion_points(seen, end)]
            if len(between) < end - first:
                known = np.concatenate([[first - 1], between, [end]])
                for at in (np.diff(known) > 1).nonzero()[0].tolist():
                    yield int(known[at]) + 1, int(known[at + 1]) - 1, int(number)


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
