"""Many texts as two arrays, so that they can be kept in a file and looked up without reading them all."""

from __future__ import annotations

import itertools
import zlib
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Ints, small

Bytes = npt.NDArray[np.uint8]
Hashes = npt.NDArray[np.uint32]


@dataclass(frozen=True, eq=False)
class StringTable(Sequence[str]):
    """Text i is `content[starts[i]:starts[i + 1]]` in UTF-8. `by_mark` orders them by `marks`, their checksums."""

    starts: Ints
    content: Bytes
    hashes: Hashes
    by_hash: Ints

    def __len__(self) -> int:
        return len(self.starts) - 1

    def __getitem__(self, at: int) -> str:  # type: ignore[override]  # no slices
        return self.encoded(at).decode("utf-8", "surrogatepass")

    def encoded(self, at: int) -> bytes:
        return self.content[self.starts[at] : self.starts[at + 1]].tobytes()

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
        return next((at for at in self.with_hash(_hash(wanted)) if self.encoded(at) == wanted), -1)

    def with_hash(self, value: int) -> list[int]:
        first = int(np.searchsorted(self.hashes, np.uint32(value)))
        end = int(np.searchsorted(self.hashes, np.uint32(value), side="right"))
        found: list[int] = self.by_hash[first:end].tolist()
        return found

    def numbers(self) -> dict[str, int]:
        """The number of each text, for looking up many."""
        return {text: at for at, text in enumerate(self)}

    def without(self, gone: Ints, more: Iterable[str]) -> StringTable:
        """The texts without those at `gone`, and behind them some more."""
        if not len(gone):
            added = string_table(more)
            if not len(added):
                return self
            starts = np.concatenate([self.starts, self.starts[-1] + added.starts[1:]])
            where = np.searchsorted(self.hashes, added.hashes)
            by_hash = np.insert(self.by_hash, where, added.by_hash + len(self))
            hashes = np.insert(self.hashes, where, added.hashes)
            return StringTable(starts, np.concatenate([self.content, added.content]), hashes, by_hash)
        stays = np.ones(len(self), dtype=bool)
        stays[gone] = False
        return string_table([*(text for text, stay in zip(self, stays.tolist(), strict=True) if stay), *more])


def _hash(encoded: bytes) -> int:
    return zlib.crc32(encoded)


def hash_of(text: str) -> int:
    """The checksum by which a text is looked up."""
    return _hash(text.encode("utf-8", "surrogatepass"))


def string_table(values: Iterable[str]) -> StringTable:
    """The texts as arrays."""
    encoded = [value.encode("utf-8", "surrogatepass") for value in values]
    starts = np.zeros(len(encoded) + 1, dtype=np.int64)
    np.cumsum(np.fromiter(map(len, encoded), dtype=np.int64, count=len(encoded)), out=starts[1:])
    hashes, by_hash = ordered_hashes(np.fromiter(map(_hash, encoded), dtype=np.uint32, count=len(encoded)))
    return StringTable(starts, np.frombuffer(b"".join(encoded), dtype=np.uint8), hashes, by_hash)


def ordered_hashes(hashes: Hashes) -> tuple[Hashes, Ints]:
    """Checksums in ascending order, and the numbers of the texts they are of."""
    by_hash = np.argsort(hashes, kind="stable")
    return hashes[by_hash], small(by_hash)
