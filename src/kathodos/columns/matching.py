"""Which texts of a table compare with one as an operator says, without regard to case, all of them at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from kathodos import thresholds
from kathodos.columns.arrow import positions_in
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.ordered import insertion_points
from kathodos.columns.strings import StringTable, string_table

OPERATORS = ("eq", "co", "sw", "ew", "gt", "ge", "lt", "le")


def which(table: StringTable, operator: str, wanted: str, one_by_one: Callable[[str], bool]) -> Bools:
    """Which texts hold under `operator` and a text folded for comparison; those beyond ASCII are asked one by one."""
    if len(table) < thresholds.FEW_MATCHED:
        return np.fromiter((one_by_one(text) for text in table), dtype=bool, count=len(table))
    content = wanted.encode("utf-8", "surrogatepass")
    if operator in ("eq", "sw"):
        found = _beginning(table, content, is_whole=operator == "eq")
    else:
        found = np.array(_compared(_lowered(table), operator, content), dtype=bool)
    others = _beyond_ascii(table)
    found[others] = [one_by_one(text) for text in table.taken(others)]
    return found


def folded_as(table: StringTable, wanted: Sequence[str], fold: Callable[[str], str]) -> Ints:
    """For each text the position among some folded ones, each there once, of what it is when folded; -1: none of them.

    `fold` makes the large letters of ASCII small, and leaves all else in ASCII as it is.
    """
    found = positions_in(_lowered(table).arrow, string_table(wanted).arrow)
    others, number = _beyond_ascii(table), {text: at for at, text in enumerate(wanted)}
    found[others] = [number.get(fold(text), -1) for text in table.taken(others)]
    return found


def _beginning(table: StringTable, wanted: bytes, is_whole: bool) -> Bools:
    """Which texts begin with some bytes, or are these, large letters of ASCII made small."""
    first, lengths = table.starts[:-1], np.diff(table.starts)
    at = ((lengths == len(wanted)) if is_whole else (lengths >= len(wanted))).nonzero()[0]
    for offset in reversed(range(len(wanted))):  # names are more alike at their beginning
        held = table.content[first[at] + offset]
        letter = wanted[offset]
        same = held == letter
        if ord("a") <= letter <= ord("z"):
            same |= held == letter - 32
        at = at[same]
    found = np.zeros(len(table), dtype=bool)
    found[at] = True
    return found


def _beyond_ascii(table: StringTable) -> Ints:
    """The texts that hold anything beyond ASCII."""
    return distinct(insertion_points(table.starts, (table.content > 127).nonzero()[0], side="right") - 1)


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
