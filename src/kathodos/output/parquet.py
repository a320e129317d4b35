"""Parquet files, written in groups of rows: nothing as long as the file is ever held."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeAlias

from kathodos import thresholds
from kathodos.errors import DataError

if TYPE_CHECKING:
    from kathodos.columns.dictionary import Codes
    from kathodos.report.reach import NumberedPairs

_COLUMNS = ("who", "action", "resource")
_LARGEST_DICTIONARY = 1 << 26
_Block: TypeAlias = "Sequence[Codes]"


def write_pairs(file: Path, pairs: NumberedPairs) -> int:
    """Writes who, action and resource of each pair. Returns how many there were.

    The next group is made while one is written. The file appears when it is whole. Raises DataError where it cannot be
    written, or something stands there.
    """
    if not file.name or file.exists():
        raise DataError(f"{file} is there already, and is never written over.", "Name a file that is not there yet.")
    import pyarrow as pa
    import pyarrow.parquet as pq

    named = zip(_COLUMNS, (pairs.who, pairs.actions, pairs.resources), strict=True)
    texts = [pa.array(values, pa.string()) for _, values in named]
    schema = pa.schema([(name, pa.dictionary(pa.int32(), pa.string())) for name in _COLUMNS])
    options = {"write_statistics": False, "dictionary_pagesize_limit": _LARGEST_DICTIONARY, "compression": "snappy"}
    aside, count = file.with_name(file.name + ".part"), 0
    try:
        # A whole path is none that Arrow takes for a URI, whatever colons it has.
        with pq.ParquetWriter(aside.absolute(), schema, **options) as writer, ThreadPoolExecutor(1) as apart:
            written: Future[None] | None = None
            for group in _grouped(pairs.blocks):
                if written is not None:
                    written.result()
                written = apart.submit(_write, writer, group, texts)
                count += len(group[0])
            if written is not None:
                written.result()
        aside.replace(file)
    except OSError as error:
        raise DataError(f"{file} could not be written: {error}.", "Name a file that you may write.") from None
    finally:
        aside.unlink(missing_ok=True)
    return count


def _grouped(blocks: Iterable[_Block]) -> Iterator[_Block]:
    """The blocks put together to groups."""
    import numpy as np

    some: list[_Block] = []
    for block in blocks:
        some.append(block)
        if sum(len(it[0]) for it in some) >= thresholds.PAIRS_IN_GROUP:
            yield [np.concatenate(parts) for parts in zip(*some, strict=True)]
            some = []
    if some:
        yield [np.concatenate(parts) for parts in zip(*some, strict=True)]


def _write(writer: Any, group: _Block, texts: Sequence[Any]) -> None:
    """Writes a group: codes in dictionaries of what it holds."""
    import numpy as np
    import pyarrow as pa

    columns = []
    for numbers, known in zip(group, texts, strict=True):
        if 8 * len(known) > len(numbers):  # else all of them cost less than finding out which are used
            used = np.zeros(len(known), dtype=bool)
            used[numbers] = True
            numbers = (np.cumsum(used, dtype=np.int32) - 1).take(numbers)
            known = known.take(pa.array(used.nonzero()[0]))
        columns.append(pa.DictionaryArray.from_arrays(pa.array(numbers), known))
    writer.write_table(pa.Table.from_arrays(columns, names=list(_COLUMNS)), row_group_size=len(group[0]))
