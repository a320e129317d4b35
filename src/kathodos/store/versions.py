"""In which version of the store each entry of the ledger was written, and so by which columns its rows are checked."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints, distinct, ints
from kathodos.columns.dictionary import DictionaryColumn, always, appended
from kathodos.errors import DataError
from kathodos.model.kinds import Kind
from kathodos.store.blocks import Block
from kathodos.store.marks import marks_of
from kathodos.store.upgrades import NEWEST, checked_columns, held_before, schema


class VersionRow(msgspec.Struct, frozen=True, order=True):
    """From entry `entry` on what is written is of this version. `program`: the version of the tool that made it so."""

    version: int
    entry: int
    program: str


class Versions(msgspec.Struct, frozen=True, dict=True):
    """All versions that a store has had; where nothing is said, entries are of the first."""

    rows: Sequence[VersionRow] = ()

    @property
    def newest(self) -> VersionRow:
        """The one that it has now."""
        return self.rows[-1] if self.rows else VersionRow(1, 1, schema(1).program)

    @property
    def before(self) -> int:
        """The version that it had before that one; the first where it had none."""
        return self.rows[-2].version if len(self.rows) > 1 else 1

    @cached_property
    def _firsts(self) -> Ints:
        return ints(it.entry for it in self.rows)

    @cached_property
    def _versions(self) -> Ints:
        return np.array([1, *(it.version for it in self.rows)], dtype=np.int64)

    def of(self, entries: Ints) -> Ints:
        """The version in which each of some entries was written."""
        return self._versions[np.searchsorted(self._firsts, entries, side="right")]


def new_versions() -> Versions:
    """Those of a store that is made now."""
    from kathodos.version import __version__

    return Versions([VersionRow(NEWEST, 1, __version__)])


def must_be_known(versions: Versions, place: str) -> None:
    """Raises DataError where a store is of a version that only a later program knows, or of none that can be."""
    newest = versions.newest
    if any(it.version < 1 for it in versions.rows):
        what = f"The store {place} says that it is of a version that cannot be: somebody has altered it."
        raise DataError(what, "Put the store back from a copy.")
    if newest.version > NEWEST:
        from kathodos.version import __version__

        known = f"kathodos {__version__} knows versions up to {NEWEST}"
        what = f"The store {place} is of version {newest.version}; {known}."
        raise DataError(what, f"Work with kathodos {newest.program} or later, which made it so.")


def must_be_newest(versions: Versions, place: str) -> None:
    """Raises DataError where a store is of an earlier version, which may be asked, and is written once brought up."""
    version = versions.newest.version
    if version < NEWEST:
        what = f"The store {place} is of version {version}, and this kathodos writes version {NEWEST}."
        remedy = "Nothing was changed. `kathodos store upgrade` brings it up, and leaves what is signed as it is."
        raise DataError(what, remedy)


def checked_of(kind: Kind, version: int, columns: Sequence[DictionaryColumn]) -> list[DictionaryColumn]:
    """Those of a kind's columns by which rows of a version are checked and signed, in order."""
    return [columns[kind.names.index(name)] for name in checked_columns(kind.name, version)]


def wrongly_marked(kind: Kind, block: Block, versions: Versions) -> Bools:
    """Which rows do not bear the mark of what they hold, by the columns of the version in which each was written.

    A row that holds something in a column that came after it does not either.
    """
    of_row = versions.of(block.since)
    wrong = np.ones(len(block), dtype=bool)
    for version in distinct(of_row).tolist():
        some = (of_row == version).nonzero()[0]
        columns = list(block.columns) if len(some) == len(block) else [it.taken(some) for it in block.columns]
        found = marks_of(block.rows[some], checked_of(kind, version, columns)) != block.checksums[some]
        for name, column in zip(kind.names, columns, strict=True):
            if name not in checked_columns(kind.name, version):
                found |= column.codes >= 0
        wrong[some] = found
    return wrong


def filled(kind: Kind, block: Block, versions: Versions) -> Block:
    """Rows with what is taken for held in columns that came after them, where that is not nothing."""
    columns = list(block.columns)
    for name, (value, came) in held_before(kind.name).items():
        at = kind.names.index(name)
        lacks = (versions.of(block.since) < came).nonzero()[0]
        with_value = appended(columns[at], always(value, 1))
        codes = with_value.codes[:-1].copy()
        codes[lacks] = with_value.codes[-1]
        columns[at] = DictionaryColumn(codes, with_value.values)
    return msgspec.structs.replace(block, columns=columns)
