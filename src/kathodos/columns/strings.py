"""Many texts as two arrays, so that they can be kept in a file and looked up without reading them all."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.arrow import arrow_texts
from kathodos.columns.csr import Bools, Ints, in_loads, small, stretches
from kathodos.columns.ordered import order_of

Bytes = npt.NDArray[np.uint8]
Hashes = npt.NDArray[np.uint32]
Words = npt.NDArray[np.uint64]
_BASE = 0x9E3779B97F4A7C15  # 2**64 divided by the golden ratio (Knuth, The Art of Computer Programming, 6.4)
_INVERSE = pow(_BASE, -1, 1 << 64)
_WORD = (1 << 64) - 1


@dataclass(frozen=True, eq=False)
class StringTable(Sequence[str]):
    """Text i is `content[starts[i]:starts[i + 1]]` in UTF-8. `by_hash` orders the texts by their hashes.

    `hashes` are these hashes in ascending order. Half characters (surrogates) are kept as they came.
    """

    starts: Ints
    content: Bytes
    hashes: Hashes
    by_hash: Ints

    def __len__(self) -> int:
        return len(self.starts) - 1

    def __getitem__(self, position: int) -> str:  # type: ignore[override]  # no slices
        return self.encoded(position).decode("utf-8", "surrogatepass")

    def encoded(self, position: int) -> bytes:
        """The bytes of one text."""
        return self.content[self.starts[position] : self.starts[position + 1]].tobytes()

    def __iter__(self) -> Iterator[str]:
        content, starts = self.content.tobytes(), self.starts.tolist()
        for first, end in itertools.pairwise(starts):
            yield content[first:end].decode("utf-8", "surrogatepass")

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, StringTable)
            and np.array_equal(self.starts, other.starts)
            and np.array_equal(self.content, other.content)
        )

    __hash__ = None  # type: ignore[assignment]  # compared by content, never a key

    def find(self, text: str) -> int:
        """The number of a text; -1 where it is not there."""
        wanted = text.encode("utf-8", "surrogatepass")
        return next((it for it in self.with_hash(_hash_of(wanted)) if self.encoded(it) == wanted), -1)

    def with_hash(self, value: int) -> list[int]:
        """The numbers of the texts that have a hash."""
        first = int(np.searchsorted(self.hashes, np.uint32(value)))
        end = int(np.searchsorted(self.hashes, np.uint32(value), side="right"))
        found: list[int] = self.by_hash[first:end].tolist()
        return found

    def numbers(self) -> dict[str, int]:
        """The number of each text, for looking up many."""
        return {text: number for number, text in enumerate(self)}

    def taken(self, positions: Ints) -> list[str]:
        """Some of the texts."""
        content, starts = self.content, self.starts
        bounds = zip(starts[positions].tolist(), starts[positions + 1].tolist(), strict=True)
        return [content[first:end].tobytes().decode("utf-8", "surrogatepass") for first, end in bounds]

    def picked(self, positions: Ints) -> StringTable:
        """A table of only some of the texts, in this order."""
        first = self.starts[positions]
        lengths = self.starts[positions + 1] - first
        starts = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
        return table_of(starts, self.content[stretches(first, lengths)[1]])

    @cached_property
    def arrow(self) -> Any:
        """The texts as an Arrow array of bytes that shares the memory."""
        return arrow_texts(self.starts, self.content)

    def positions_of(self, texts: StringTable | Sequence[str]) -> Ints:
        """For each of some texts its number here; -1 where it is not there."""
        if len(texts) < thresholds.FEW_LOOKED_UP:
            return np.fromiter((self.find(text) for text in texts), dtype=np.int64, count=len(texts))
        wanted = texts if isinstance(texts, StringTable) else string_table(texts)
        same = self._begins_as(wanted)
        if not same or 2 * same < len(wanted):
            return self._positions_by_hash(wanted)
        return np.concatenate([np.arange(same), self.positions_of(wanted.picked(np.arange(same, len(wanted))))])

    def _positions_by_hash(self, wanted: StringTable) -> Ints:
        """As `positions_of`, all of them together: those of the same hash and length are compared byte by byte."""
        first = np.searchsorted(self.hashes, wanted.hashes)
        origin, slot = stretches(first, np.searchsorted(self.hashes, wanted.hashes, side="right") - first)
        theirs, ours = wanted.by_hash[origin], self.by_hash[slot]
        lengths, found = np.diff(wanted.starts), np.full(len(wanted), -1, dtype=np.int64)
        alike = lengths[theirs] == self.starts[ours + 1] - self.starts[ours]
        theirs, ours = theirs[alike], ours[alike]
        for some in in_loads(lengths[theirs] + 1, thresholds.HASHED_BYTES):
            one, other, length = theirs[some], ours[some], lengths[theirs[some]]
            at, positions = stretches(self.starts[other].astype(np.int64), length)
            differs = (
                self.content[positions] != wanted.content[stretches(wanted.starts[one].astype(np.int64), length)[1]]
            )
            same = np.ones(len(some), dtype=bool)
            same[at[differs]] = False
            found[one[same]] = other[same]
        return found

    def _begins_as(self, other: StringTable) -> int:
        """How many texts another table begins with that are the first here too; 0 where it takes work to tell."""
        count = min(len(self), len(other))
        differs = (self.starts[: count + 1] != other.starts[: count + 1]).nonzero()[0]
        count = int(differs[0]) - 1 if len(differs) else count
        size = int(self.starts[max(count, 0)])
        return count if count > 0 and np.array_equal(self.content[:size], other.content[:size]) else 0

    def without(self, gone: Ints, more: Iterable[str]) -> StringTable:
        """The texts without those at `gone`, and behind them some more; what stays is not hashed again."""
        kept, added = self._without(gone) if len(gone) else self, string_table(more)
        if not len(added):
            return kept
        starts = np.concatenate([kept.starts, kept.starts[-1] + added.starts[1:]])
        where = np.searchsorted(kept.hashes, added.hashes)
        by_hash = np.insert(kept.by_hash, where, added.by_hash + len(kept))
        hashes = np.insert(kept.hashes, where, added.hashes)
        return StringTable(starts, np.concatenate([kept.content, added.content]), hashes, by_hash)

    def _without(self, gone: Ints) -> StringTable:
        stays, stay_bytes = np.ones(len(self), dtype=bool), np.ones(len(self.content), dtype=bool)
        stays[gone] = False
        lengths = np.diff(self.starts)
        stay_bytes[stretches(self.starts[gone], lengths[gone])[1]] = False
        starts = np.concatenate([[0], np.cumsum(lengths[stays])]).astype(np.int64)
        kept = stays[self.by_hash]
        by_hash = small(np.cumsum(stays) - 1)[self.by_hash[kept]]
        return StringTable(starts, self.content[stay_bytes], self.hashes[kept], by_hash)


def string_table(values: Iterable[str]) -> StringTable:
    """The texts as arrays."""
    if isinstance(values, StringTable):
        return values
    encoded = [value.encode("utf-8", "surrogatepass") for value in values]
    starts = np.zeros(len(encoded) + 1, dtype=np.int64)
    np.cumsum(np.fromiter(map(len, encoded), dtype=np.int64, count=len(encoded)), out=starts[1:])
    return table_of(starts, np.frombuffer(b"".join(encoded), dtype=np.uint8))


def table_of(starts: Ints, content: Bytes) -> StringTable:
    """A table of texts whose bytes are known, with the hashes made."""
    hashes, by_hash = ordered_hashes(hashes_of(starts, content))
    return StringTable(starts, content, hashes, by_hash)


def starting_with(table: StringTable, prefix: str) -> Bools:
    """Which texts begin with a prefix."""
    wanted = prefix.encode()
    first, lengths = table.starts[:-1], np.diff(table.starts)
    found: Bools = lengths >= len(wanted)
    for offset, byte in enumerate(wanted):
        at = first[found] + offset
        found[found] = table.content[at] == byte
    return found


def without_start(table: StringTable, positions: Ints, length: int) -> StringTable:
    """Some texts without so many bytes at their beginning."""
    first = table.starts[positions] + length
    lengths = table.starts[positions + 1] - first
    starts = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    return table_of(starts, table.content[stretches(first, lengths)[1]])


def joined_with(first: StringTable, separator: str, second: StringTable) -> StringTable:
    """Texts made of two, one of each table at a time, with something between them."""
    between = np.frombuffer(separator.encode(), dtype=np.uint8)
    sizes = [np.diff(first.starts), np.full(len(first), len(between)), np.diff(second.starts)]
    lengths = np.stack(sizes, axis=1).ravel()
    ends = np.cumsum(lengths)
    content = np.empty(int(ends[-1]) if len(ends) else 0, dtype=np.uint8)
    begins = (ends - lengths).reshape(-1, 3)
    for column, (source, size) in enumerate(zip((first.content, None, second.content), sizes, strict=True)):
        _, to = stretches(begins[:, column], size)
        content[to] = source if source is not None else np.tile(between, len(first))
    starts = np.concatenate([[0], np.cumsum(np.sum(sizes, axis=0))]).astype(np.int64)
    return table_of(starts, content)


def hash_of(text: str) -> int:
    """The hash by which a text is looked up."""
    return _hash_of(text.encode("utf-8", "surrogatepass"))


def _hash_of(encoded: bytes) -> int:
    total, power = 0, 1
    for byte in encoded:
        total += (byte + 1) * power
        power = power * _BASE & _WORD
    return (total & _WORD) >> 32


def hashes_of(starts: Ints, content: Bytes) -> Hashes:
    """The hash of each text: a polynomial in its bytes modulo 2**64, of which the upper half is taken.

    R. M. Karp and M. O. Rabin, IBM Journal of Research and Development 31 (1987); computed for all texts of a block
    from one running sum, since the base is odd and can be divided by.
    """
    found = []
    for block in in_loads(np.diff(starts), thresholds.HASHED_BYTES):
        bounds = starts[block[0] : block[-1] + 2]
        part = content[bounds[0] : bounds[-1]].astype(np.uint64) + np.uint64(1)
        powers, inverses = _powers(_BASE, len(part)), _powers(_INVERSE, len(part) + 1)
        running = np.concatenate([np.zeros(1, dtype=np.uint64), np.cumsum(part * powers, dtype=np.uint64)])
        local = bounds - bounds[0]
        total = (running[local[1:]] - running[local[:-1]]) * inverses[local[:-1]]
        found.append((total >> np.uint64(32)).astype(np.uint32))
    return np.concatenate([np.zeros(0, dtype=np.uint32), *found])


_KNOWN: dict[int, Words] = {}


def _powers(base: int, count: int) -> Words:
    """The first powers of a base modulo 2**64."""
    known = _KNOWN.get(base)
    if known is None or len(known) < count:
        size = max(count, min(thresholds.HASHED_BYTES + 1, max(1024, 2 * count)))
        factors = np.full(size, base, dtype=np.uint64)
        factors[:1] = 1
        known = _KNOWN[base] = np.cumprod(factors, dtype=np.uint64)
    return known[:count]


def ordered_hashes(hashes: Hashes) -> tuple[Hashes, Ints]:
    """Hashes in ascending order, and the numbers of the texts they are of."""
    by_hash = order_of(hashes)
    return hashes[by_hash], small(by_hash)
