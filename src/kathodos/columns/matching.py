"""Which texts of a table compare with one as an operator says, without regard to case, all of them at once."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from kathodos.columns.csr import Bools
from kathodos.columns.strings import StringTable

_FEW = 200  # texts up to which they are compared one by one
OPERATORS = ("eq", "co", "sw", "ew", "gt", "ge", "lt", "le")


def which(table: StringTable, operator: str, wanted: str, one_by_one: Callable[[str], bool]) -> Bools:
    """Which texts hold under `operator` and a text folded for comparison; those beyond ASCII are asked one by one."""
    if len(table) < _FEW:
        return np.fromiter((one_by_one(text) for text in table), dtype=bool, count=len(table))
    found = np.asarray(_compared(_lowered(table), operator, wanted.encode("utf-8", "surrogatepass")))
    beyond = np.concatenate([[0], np.cumsum(table.content > 127)])
    others = (beyond[table.starts[1:]] > beyond[table.starts[:-1]]).nonzero()[0]
    if len(others):
        found = np.array(found)
        found[others] = [one_by_one(text) for text in table.taken(others)]
    return found.astype(bool)


def _lowered(table: StringTable) -> StringTable:
    """The texts with the large letters of ASCII made small."""
    content = table.content
    large = (content >= ord("A")) & (content <= ord("Z"))
    return StringTable(table.starts, content + large.astype(np.uint8) * np.uint8(32), table.hashes, table.by_hash)


def _compared(table: StringTable, operator: str, wanted: bytes) -> object:
    import pyarrow as pa
    import pyarrow.compute as pc

    texts, value = table.arrow, pa.scalar(wanted, pa.large_binary())
    if operator == "co":
        return pc.match_substring(texts, pattern=wanted)
    if operator == "sw":
        return pc.starts_with(texts, pattern=wanted)
    if operator == "ew":
        return pc.ends_with(texts, pattern=wanted)
    compare = {"eq": pc.equal, "gt": pc.greater, "ge": pc.greater_equal, "lt": pc.less, "le": pc.less_equal}[operator]
    return compare(texts, value)
