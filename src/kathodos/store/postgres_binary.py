"""Columns in PostgreSQL's binary forms: as rows of a COPY, and as the arrays that an aggregate gives.

COPY in binary form: a header, for each row the number of fields and for each field its length and its bytes, and at
the end -1 (PostgreSQL's manual, COPY, "Binary Format"). An array of numbers: five words, then the fields likewise.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, Numbers, column_from_arrow, dictionary_column, in_chunks
from kathodos.columns.strings import StringTable
from kathodos.store.blocks import Block

HEADER = b"PGCOPY\n\xff\r\n\0" + bytes(8)
TRAILER = b"\xff\xff"
_NOTHING = b"\xff\xff\xff\xff"
_FIELD = np.dtype([("length", ">i4"), ("value", ">i8")])
_LENGTH = np.dtype([("length", ">i4"), ("value", ">i4")])
_WORDS = 20  # bytes before the fields of an array
NO_NUMBER = -(2**63)  # stands for nothing among numbers that are read


def copied(block: Block) -> Iterator[Any]:
    """Many rows as they are sent to a COPY, some thousand at a time."""
    import pyarrow as pa
    import pyarrow.compute as pc

    fields = [_fields(column) for column in block.held]
    count = len(block.numbers) + len(fields)
    yield HEADER
    for part in in_chunks(len(block), thresholds.POSTGRES_WRITTEN):
        first, *others = (_number_fields(it[part]) for it in block.numbers)
        begun = _fixed(np.hstack([np.tile(np.array([0, count], dtype=np.uint8), (len(first), 1)), first]))
        codes = [np.where(column.codes[part] < 0, len(column.values), column.codes[part]) for column in block.held]
        taken = [it.take(pa.array(at)) for it, at in zip(fields, codes, strict=True)]
        whole = pc.binary_join_element_wise(begun, *map(_fixed, others), *taken, pa.scalar(b"", pa.large_binary()))
        _, starts, content = whole.buffers()
        first_byte, end = np.frombuffer(starts, dtype=np.int64)[[whole.offset, whole.offset + len(whole)]].tolist()
        yield memoryview(content)[first_byte:end]
    yield TRAILER


def _number_fields(numbers: Ints) -> npt.NDArray[np.uint8]:
    """Numbers as fields, a row of bytes each."""
    fields = np.empty(len(numbers), dtype=_FIELD)
    fields["length"], fields["value"] = 8, numbers
    return fields.view(np.uint8).reshape(len(numbers), _FIELD.itemsize)


def _fixed(rows: npt.NDArray[np.uint8]) -> Any:
    """Rows of as many bytes each as an Arrow array of bytes."""
    import pyarrow as pa

    count, size = rows.shape
    starts = np.arange(0, (count + 1) * size, size, dtype=np.int64)
    buffers = [None, pa.py_buffer(starts), pa.py_buffer(np.ascontiguousarray(rows))]
    return pa.Array.from_buffers(pa.large_binary(), count, buffers)


def _fields(column: DictionaryColumn) -> Any:
    """The values of a column as fields, and behind them the field that holds nothing."""
    import pyarrow as pa
    import pyarrow.compute as pc

    nothing = pa.array([_NOTHING], pa.large_binary())
    values = column.values
    if not len(values):
        return nothing
    if isinstance(values, Numbers) or isinstance(values[0], int):
        numbers = values.array if isinstance(values, Numbers) else np.array(values, dtype=np.int64)
        return pa.concat_arrays([_fixed(_number_fields(numbers)), nothing])
    texts = values.arrow if isinstance(values, StringTable) else pa.array(values, pa.large_string())
    texts = texts.cast(pa.large_binary())
    lengths = pc.binary_length(texts).to_numpy(zero_copy_only=False).astype(">i4")
    begun = _fixed(lengths.view(np.uint8).reshape(len(lengths), 4))
    joined = pc.binary_join_element_wise(begun, texts, pa.scalar(b"", pa.large_binary()))
    return pa.concat_arrays([joined, nothing])


def numbers_in(array: bytes) -> Ints:
    """The numbers of an array of them, in which nothing is NULL."""
    return np.frombuffer(array, dtype=_FIELD, offset=_WORDS)["value"].astype(np.int64)


def number_column(array: bytes) -> DictionaryColumn:
    """A column of numbers, of an array in which NO_NUMBER stands for nothing."""
    numbers = numbers_in(array)
    if len(numbers) <= thresholds.FEW_READ:
        return dictionary_column([None if it == NO_NUMBER else it for it in numbers.tolist()])
    import pyarrow as pa

    return column_from_arrow(pa.chunked_array([pa.array(numbers, mask=numbers == NO_NUMBER)]))


def text_column(lengths: bytes, content: bytes | None) -> DictionaryColumn:
    """A column of texts, of their lengths in bytes (-1: nothing) and of their bytes one behind the other."""
    sizes = np.frombuffer(lengths, dtype=_LENGTH, offset=_WORDS)["value"].astype(np.int64)
    there = sizes >= 0
    ends = np.cumsum(np.where(there, sizes, 0))
    data = content or b""
    if len(sizes) <= thresholds.FEW_READ:
        places = zip(sizes.tolist(), ends.tolist(), strict=True)
        return dictionary_column([data[end - size : end].decode() if size >= 0 else None for size, end in places])
    import pyarrow as pa

    starts = np.concatenate([[0], ends]).astype(np.int64)
    validity = None if there.all() else pa.py_buffer(np.packbits(there, bitorder="little"))
    buffers = [validity, pa.py_buffer(starts), pa.py_buffer(data)]
    texts = pa.Array.from_buffers(pa.large_string(), len(sizes), buffers)
    return column_from_arrow(pa.chunked_array([texts]))
