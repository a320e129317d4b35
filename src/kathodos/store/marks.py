"""The mark of each row: a checksum of its number and of what it holds, by which an edited row is known."""

from __future__ import annotations

import zlib
from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.dictionary import DictionaryColumn, Ints, in_chunks

Checks = npt.NDArray[np.uint64]
_FACTOR = np.uint64(0x9E3779B97F4A7C15)  # 2**64 divided by the golden ratio (Knuth, 6.4)


def marks_of(rows: Ints, columns: Sequence[DictionaryColumn]) -> Ints:
    """The checksum of each row: its number and the checksum of each of its values, mixed modulo 2**64."""
    checks = [_value_checksums(column) for column in columns]
    found = np.empty(len(rows), dtype=np.int64)
    for part in in_chunks(len(rows), thresholds.MARKED_TOGETHER):
        total = rows[part].astype(np.uint64)
        for column, check in zip(columns, checks, strict=True):
            total = total * _FACTOR + check[column.codes[part]]
        found[part] = total.view(np.int64)
    return found


def _value_checksums(column: DictionaryColumn) -> Checks:
    """One more than the CRC-32 of each value of a column, by its code; behind them 0 for nothing."""
    known = [zlib.crc32(str(value).encode("utf-8", "surrogatepass")) + 1 for value in column.values]
    return np.array([*known, 0], dtype=np.uint64)
