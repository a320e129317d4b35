"""Parquet files, written in blocks: nothing as long as the file is ever held."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.errors import DataError

if TYPE_CHECKING:
    from kathodos.report.reach import NumberedPairs


def write_pairs(file: Path, pairs: NumberedPairs) -> int:
    """Writes who, action and resource of each pair. Returns how many there were.

    The file appears when it is whole. Raises DataError where it cannot be written, or something stands there.
    """
    if not file.name or file.exists():
        raise DataError(f"{file} is there already, and is never written over.", "Name a file that is not there yet.")
    import numpy as np
    import pyarrow as pa
    import pyarrow.parquet as pq

    texts = {
        name: pa.array(values, pa.string())
        for name, values in zip(_COLUMNS, (pairs.who, pairs.actions, pairs.resources), strict=True)
    }
    kinds = {name: pa.dictionary(pa.int32(), pa.string()) for name in _COLUMNS}
    aside, count = file.with_name(file.name + ".part"), 0
    try:
        options = {"write_statistics": False, "dictionary_pagesize_limit": _LARGEST_DICTIONARY}  # statistics cost most
        with pq.ParquetWriter(aside, pa.schema(list(kinds.items())), **options) as writer:
            for block in pairs.blocks:
                columns = []
                for name, numbers in zip(_COLUMNS, block, strict=True):
                    used = np.zeros(len(texts[name]), dtype=bool)
                    used[numbers] = True
                    short = pa.array((np.cumsum(used, dtype=np.int32) - 1)[numbers])
                    columns.append(pa.DictionaryArray.from_arrays(short, texts[name].take(pa.array(used.nonzero()[0]))))
                writer.write_table(pa.Table.from_arrays(columns, names=list(_COLUMNS)))
                count += len(block[0])
        aside.replace(file)
    except OSError as error:
        raise DataError(f"{file} could not be written: {error}.", "Name a file that you may write.") from None
    finally:
        aside.unlink(missing_ok=True)
    return count


_COLUMNS = ("who", "action", "resource")
_LARGEST_DICTIONARY = 1 << 26
