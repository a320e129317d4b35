"""Since when each unit could have been used, and of which units it can be told whether they were.

It is the latest of the unit's own beginning, the day it was given, the day on which its holder began, and the day from
which uses of all of its systems are recorded. Where nobody says when it was given, it is the gather with which it came,
if its source had been gathered before without it; and where nothing else is known, the gather that first knew it.
"""

from __future__ import annotations

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.held import Units
from kathodos.columns.csr import Bools, Ints, among, distinct, first_of_each
from kathodos.columns.dictionary import Codes, DictionaryColumn, row_numbers, tabled_texts
from kathodos.columns.ordered import insertion_points
from kathodos.model.kinds import GRANTS, MEMBERS, Kind
from kathodos.model.times import BEGINNING, first_moment
from kathodos.store.kind_history import SOURCE, KindHistory
from kathodos.store.records import Records, Stored

NOT_RECORDED = 2**62


class Time(msgspec.Struct, frozen=True):
    """The time of units. `begins`: since when each holds, as far as anything says that (the beginning: nothing does);
    `since`: since when its use would be known, in the far future where uses are not recorded."""

    begins: Ints
    since: Ints


def time_of(basis: Basis, units: Units, recorded: Ints) -> Time:
    """The time of some units. `recorded`: since when uses of all systems of each are known."""
    index = basis.index
    own = np.append(index.grants.starts, BEGINNING)[units.grant].astype(np.int64)
    given = np.append(basis.moments(basis.grant("given_at")), BEGINNING)[units.grant]
    person = np.where(units.asker < basis.people, units.asker, basis.people)
    began = np.append(index.holders.starts, BEGINNING)[person].astype(np.int64)
    begins = np.maximum(own, given)
    since = np.maximum(begins, began)
    unsaid = (begins == BEGINNING).nonzero()[0]
    if len(unsaid) and basis.history is not None:
        first, is_seen_to_come = _first_gathered(basis, basis.history, units, unsaid)
        begins[unsaid] = np.where(is_seen_to_come, first, BEGINNING)
        counts = is_seen_to_come | (began[unsaid] == BEGINNING)
        since[unsaid] = np.maximum(since[unsaid], np.where(counts, first, BEGINNING))
    return Time(begins, np.maximum(since, recorded))


def is_proposed(basis: Basis, units: Units) -> Bools:
    """Which units are only assumed: no source has told of them."""
    found = np.asarray(np.append(np.less(basis.index.grants.rows, 0), False)[units.grant], dtype=bool)
    rows = basis.records.rows(MEMBERS)
    assumed = (rows < 0).nonzero()[0]
    if len(assumed):
        codes = _members(basis, basis.records, assumed)
        found |= (units.grant < 0) & among(_codes(basis, units.holder, units.group), distinct(codes))
    return found


def _codes(basis: Basis, holder: Ints, group: Ints) -> Ints:
    """Memberships as numbers."""
    return holder.astype(np.int64) * basis.index.holders.size + group


def _members(basis: Basis, records: Records | _History, at: Ints) -> Ints:
    """The memberships that some records tell of, as numbers; -1 for those of nobody known."""
    columns = [records.column(MEMBERS, name).taken(at).compact() for name in ("system", "group", "member")]
    return _numbered(basis, *columns)


def _numbered(basis: Basis, system: DictionaryColumn, group: DictionaryColumn, member: DictionaryColumn) -> Ints:
    holders = basis.index.holders
    pair = row_numbers([system.codes, group.codes])
    _, sample, which = np.unique(pair, return_index=True, return_inverse=True)
    names = [f"{system.value(it)}/{group.value(it)}" for it in sample.tolist()]
    number = holders.groups.positions_of(names)[which]
    holder = np.append(holders.numbers_of(tabled_texts(member)), -1)[member.codes]
    is_known = (number >= 0) & (holder >= 0)
    return np.where(is_known, _codes(basis, holder, number + holders.first_group), -1)


class _History:
    """All rows of a kind that there ever were, as records are read."""

    def __init__(self, stored: Stored) -> None:
        self.stored = stored

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        return self.stored.history(kind).column(name)


def _first_gathered(basis: Basis, stored: Stored, units: Units, some: Ints) -> tuple[Ints, Bools]:
    """When some of the units came to be known first, and whether what brought them had been gathered before."""
    entry, earliest = np.zeros(len(some), dtype=np.int64), np.zeros(len(some), dtype=np.int64)
    for kind, mine in ((GRANTS, units.grant[some] >= 0), (MEMBERS, units.grant[some] < 0)):
        own = mine.nonzero()[0]
        if len(own):
            history = stored.history(kind)
            if kind is GRANTS:
                column = history.column("grant")
                wanted = tabled_texts(column).positions_of(basis.index.grants.ids.picked(units.grant[some[own]]))
                codes, at = column.codes.astype(np.int64), np.arange(len(history.rows))
            else:
                wanted = _codes(basis, units.holder[some[own]], units.group[some[own]])
                at = _rows_of_members(basis, history, distinct(units.holder[some[own]]))
                codes = _members(basis, _History(stored), at)
            since, source = history.since, history.column(SOURCE).codes
            of_source = _least(source, since)[source[at]]
            entry[own], earliest[own] = _first_of(codes, since[at].astype(np.int64), of_source.astype(np.int64), wanted)
    return _Times(stored).of(entry), (entry > earliest) & (entry > 0)


def _rows_of_members(basis: Basis, history: KindHistory, holders: Ints) -> Ints:
    """The rows that may tell of memberships of some holders: theirs where these are few, else all."""
    if len(holders) > thresholds.FEW_TEXTS_OF_USE:
        return np.arange(len(history.rows))
    return history.holding({"member": [basis.index.holders.references[it] for it in holders.tolist()]})


def _least(codes: Codes, values: Ints) -> Ints:
    """The least value of each code, and at the end of those without one (-1)."""
    found = np.full(int(codes.max(initial=-1)) + 2, np.iinfo(values.dtype).max, dtype=values.dtype)
    np.minimum.at(found, codes.astype(np.intp), np.asarray(values))
    return found


def _first_of(codes: Ints, since: Ints, of_source: Ints, wanted: Ints) -> tuple[Ints, Ints]:
    """For each wanted code the least of `since`, and what stands beside it; 0 where the code is not there."""
    order = np.lexsort((since, codes))
    first = order[first_of_each(codes[order])]
    if not len(first):
        return np.zeros(len(wanted), dtype=np.int64), np.zeros(len(wanted), dtype=np.int64)
    at = np.minimum(insertion_points(codes[first], wanted), len(first) - 1)
    is_there = codes[first][at] == wanted
    return np.where(is_there, since[first][at], 0), np.where(is_there, of_source[first][at], 0)


class _Times:
    """When entries of the ledger were written."""

    def __init__(self, stored: Stored) -> None:
        self.times = sorted((number, first_moment(time)) for number, time in stored.histories.reader.times())

    def of(self, entries: Ints) -> Ints:
        """The moment of each entry; the beginning for 0."""
        numbers = np.array([number for number, _ in self.times], dtype=np.int64)
        moments = np.array([*(moment for _, moment in self.times), BEGINNING], dtype=np.int64)
        at = insertion_points(numbers, entries)
        is_there = (at < len(numbers)) & (np.append(numbers, -1)[np.minimum(at, len(numbers))] == entries)
        return moments[np.where(is_there, at, len(numbers))]
