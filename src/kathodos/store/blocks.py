"""Rows of one kind as columns, with what the history says of each: how stores give and take them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, in_chunks, joined_columns

FOREVER = 2**62
FIRST, LAST = -(2**63), 2**63 - 1  # the smallest and the largest number that a row can have


class Block(msgspec.Struct, frozen=True):
    """Some rows in the order of their numbers. `columns` are the kind's own, `sources` who brought each row."""

    rows: Ints
    since: Ints
    until: Ints
    checksums: Ints
    sources: DictionaryColumn
    columns: Sequence[DictionaryColumn]

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def numbers(self) -> tuple[Ints, Ints, Ints, Ints]:
        """Row, since, until and checksum."""
        return self.rows, self.since, self.until, self.checksums

    @property
    def held(self) -> list[DictionaryColumn]:
        """The sources and the kind's own columns."""
        return [self.sources, *self.columns]

    def only(self, positions: Sequence[int]) -> Block:
        """The rows with only some of the kind's own columns, by position."""
        return Block(*self.numbers, self.sources, [self.columns[at] for at in positions])

    def part(self, some: slice) -> Block:
        """Some of the rows."""
        held = [DictionaryColumn(it.codes[some], it.values) for it in self.held]
        return block_of([it[some] for it in self.numbers], held)

    def lists(self, most: int) -> Iterator[list[Sequence[object]]]:
        """The columns as lists, so many rows at a time: row, since, until, checksum, source, the kind's own."""
        for part in in_chunks(len(self), most):
            yield [*(it[part].tolist() for it in self.numbers), *(it.listed(part) for it in self.held)]


def block_of(numbers: Sequence[Ints], held: Sequence[DictionaryColumn]) -> Block:
    """A block of row, since, until and checksum, and of the sources and the kind's own columns."""
    rows, since, until, checksums = numbers
    return Block(rows, since, until, checksums, held[0], held[1:])


def joined_blocks(blocks: Sequence[Block]) -> Block:
    """Blocks of one kind, at least one, one below the other."""
    if len(blocks) == 1:
        return blocks[0]
    numbers = [np.concatenate(some) for some in zip(*(it.numbers for it in blocks), strict=True)]
    return block_of(numbers, [joined_columns(some) for some in zip(*(it.held for it in blocks), strict=True)])
