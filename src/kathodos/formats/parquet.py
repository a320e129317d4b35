"""Apache Parquet files, read row group by row group."""

from __future__ import annotations

from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import numpy as np

from kathodos import thresholds
from kathodos.errors import DataError
from kathodos.formats.raw import Format, Growing, Raw
from kathodos.model.times import time_text


def read_parquet(path: Path, form: Format) -> Raw:
    """All rows of a file; a row's number takes the place of its line. Raises DataError where it cannot be read."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        with pq.ParquetFile(path) as file:
            growing = Growing(path.name, list(file.schema_arrow.names), form)
            number = 1
            for batch in file.iter_batches(batch_size=thresholds.ROWS_OF_PARQUET):
                arrays = [_as_text(column) for column in batch.columns]
                growing.add_arrays(arrays, np.arange(number, number + batch.num_rows))
                number += batch.num_rows
            return growing.raw()
    except (pa.ArrowException, OSError, OverflowError, ValueError) as error:
        what = f"{path.name} is no Parquet file that can be read: {str(error).splitlines()[0]}."
        raise DataError(what, "It may have been cut off; write it anew.") from None


def _as_text(column: Any) -> Any:
    """An Arrow array of any type as one of text."""
    import pyarrow as pa

    text = pa.large_string()
    if pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
        return column.cast(text)
    if pa.types.is_dictionary(column.type):
        column = column.dictionary_decode()
    if pa.types.is_nested(column.type):
        return pa.array(list(map(_text, column.to_pylist())), text)
    dictionary_column = column.dictionary_encode()
    known = pa.array(list(map(_text, dictionary_column.dictionary.to_pylist())), text)
    return pa.DictionaryArray.from_arrays(dictionary_column.indices, known).dictionary_decode()


def _text(value: Any) -> str | None:
    """A value as the text that a table would hold."""
    if value is None:
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, datetime):
        return time_text(value.replace(tzinfo=value.tzinfo or UTC))
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, bytes):
        return value.decode("utf-8", "replace")
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, list):
        return ";".join(filter(None, map(_text, value)))
    return str(value)
