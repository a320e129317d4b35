"""Arrays handed to Arrow and taken back without a copy, and without what Arrow would import for other kinds of data."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]


def arrow_texts(starts: Ints, content: npt.NDArray[np.uint8]) -> Any:
    """Texts, given by where each starts in their bytes, as an Arrow array of bytes that shares the memory."""
    import pyarrow as pa

    buffers = [None, *(pa.py_buffer(np.asarray(it)) for it in (starts, content))]
    return pa.Array.from_buffers(pa.large_binary(), len(starts) - 1, buffers)


def positions_in(wanted: Any, among: Any) -> Ints:
    """For each value of an Arrow array its position in another, none of which is there twice; -1 where it is not."""
    import pyarrow.compute as pc

    found = pc.index_in(wanted, value_set=among)
    validity, values = found.buffers()
    positions = np.frombuffer(values, dtype=np.int32, count=len(found)).astype(np.int64)
    if found.null_count:
        is_there = np.unpackbits(np.frombuffer(validity, dtype=np.uint8), count=len(found), bitorder="little")
        positions[is_there == 0] = -1
    return positions
