"""One record from what several sources say of it: each keeps its claim, and per attribute an order says which wins.

A source speaks of the columns that its table has. A record that only one source speaks of has no claim; it is the
claim. As soon as a second one speaks of it, the claims of both are kept, and the record is put together from them.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from functools import cached_property

import msgspec

from kathodos import thresholds
from kathodos.columns.dictionary import Ints, Scalar, in_chunks, rows_of
from kathodos.ingest.checking import Checked
from kathodos.ingest.comparing import SEPARATOR, Comparison, Key, Present
from kathodos.ledger.entries import Entry, newest_entries, payload_of
from kathodos.ledger.operations import Plan
from kathodos.ledger.payloads import Act, GatherPayload
from kathodos.model.json_text import json_text
from kathodos.model.kinds import CLAIMS, Kind
from kathodos.store.base import Reader
from kathodos.store.records import Records
from kathodos.store.records import rows_of as records_of

Claim = Mapping[str, Scalar]
_ATTRIBUTES = "attributes"


class Precedence(msgspec.Struct, frozen=True, dict=True):
    """Which source wins: per kind and attribute the sources in order, else their order in the configuration."""

    sources: Sequence[str]
    per_kind: Mapping[str, Mapping[str, Sequence[str]]] = msgspec.field(default_factory=dict)

    @cached_property
    def _known(self) -> dict[tuple[str, str, tuple[str, ...]], list[str]]:
        return {}

    def order(self, kind: Kind, attribute: str, claiming: Iterable[str]) -> list[str]:
        """The sources that say something, the one that wins first."""
        asked = (kind.name, attribute, tuple(claiming))
        if asked not in self._known:
            self._known[asked] = self._order(*asked)
        return self._known[asked]

    def _order(self, kind: str, attribute: str, claiming: Iterable[str]) -> list[str]:
        chosen = self.per_kind.get(kind, {})
        order = [*chosen.get(attribute, chosen.get("*", ())), *self.sources]
        return sorted(claiming, key=lambda name: (order.index(name) if name in order else len(order), name))


class Merged(msgspec.Struct):
    """What becomes of the records of one kind that several sources speak of."""

    came: list[tuple[Key, str]] = msgspec.field(default_factory=list)
    changed: list[tuple[Key, str]] = msgspec.field(default_factory=list)
    replaced: list[int] = msgspec.field(default_factory=list)
    gone: list[int] = msgspec.field(default_factory=list)
    same: int = 0
    let_go: int = 0
    claims: list[tuple[Key, str, Claim]] = msgspec.field(default_factory=list)
    dropped: list[tuple[Key, str]] = msgspec.field(default_factory=list)


class Claims:
    """The claims that are kept, by kind and key, and by source."""

    def __init__(self, records: Records) -> None:
        rows = records_of(records, CLAIMS, *CLAIMS.names)
        self.rows: dict[tuple[str, str, str], tuple[int, str]] = {}
        self.of: dict[str, dict[Key, dict[str, Claim]]] = {}
        for row, (kind, record, said_by, by_source) in zip(rows.ids, rows.values(), strict=True):
            self.rows[kind, record, said_by] = (row, by_source)
            self.of.setdefault(kind, {}).setdefault(tuple(json.loads(record)), {})[said_by] = json.loads(by_source)

    def keys(self, kind: Kind) -> set[Key]:
        return set(self.of.get(kind.name, {}))

    def write(self, plan: Plan, kind: Kind, merged: Merged) -> None:
        """Keeps new claims and lets dropped ones go."""
        closed, opened = [], []
        for key, source in merged.dropped:
            known = self.rows.get((kind.name, json_text(list(key)), source))
            closed += [known[0]] if known else []
        for key, source, by_source in merged.claims:
            record, text = json_text(list(key)), json_text(by_source)
            known = self.rows.get((kind.name, record, source))
            if known is None or known[1] != text:
                closed += [known[0]] if known else []
                opened.append((kind.name, record, source, text))
        plan.close_rows(CLAIMS, closed)
        plan.open_rows(CLAIMS, opened)


def merge(
    comparison: Comparison,
    checked: Checked | None,
    claims: Claims,
    source: str,
    precedence: Precedence,
    given: Mapping[str, Sequence[str]],
    covers: bool,
) -> Merged:
    """The records that several sources speak of, or did. `given`: by source the columns that it speaks of."""
    kind, present = comparison.kind, comparison.present
    known = claims.of.get(kind.name, {})
    merged = Merged()
    spoken: set[Key] = set()
    if checked is not None:
        at, held = comparison.shared
        keys, rows = rows_of(checked.keys(), at), rows_of(checked.columns, at)
        for key, row, (position, before, other) in zip(keys, rows, _held(present, held), strict=True):
            spoken.add(key)
            by_source = dict(known.get(key, {}))
            if position >= 0 and not by_source and other:  # what was kept here is the source's now
                by_source[other] = _claim_of(kind, before, given.get(other))
                merged.claims.append((key, other, by_source[other]))
            by_source[source] = _claim_of(kind, row, checked.given)
            merged.claims.append((key, source, by_source[source]))
            _settle(merged, kind, position, before, other, by_source, precedence)
    gone = [key for key, by_source in known.items() if source in by_source and key not in spoken] if covers else []
    if checked is not None:
        gone = [key for key in gone if key not in checked.aside]
    for key, (position, before, other) in zip(gone, _held(present, present.positions_of(gone)), strict=True):
        by_source = {name: claim for name, claim in known[key].items() if name != source}
        merged.dropped.append((key, source))
        merged.let_go += 1
        if len(by_source) == 1:
            merged.dropped.append((key, next(iter(by_source))))
        if position >= 0:
            _settle(merged, kind, position, before, other, by_source, precedence)
    return merged


def _held(present: Present, positions: Ints) -> Iterator[tuple[int, Key, str]]:
    """Each of some positions with the record that stands there and its sources; -1 and nothing where none does."""
    for part in in_chunks(len(positions), thresholds.RECORDS_TOGETHER):
        some = positions[part]
        there = some[some >= 0]
        known = zip(present.records(there), present.sources.listed(there), strict=True)
        for position in some.tolist():
            if position < 0:
                yield -1, (), ""
            else:
                before, sources = next(known)
                yield position, before, str(sources or "")


def _settle(
    merged: Merged,
    kind: Kind,
    position: int,
    before: Key,
    said_by: str,
    by_source: Mapping[str, Claim],
    precedence: Precedence,
) -> None:
    """Notes what a record with these claims comes to; `before` stands there now, and was `said_by` these sources."""
    row = _together(kind, by_source, precedence)
    sources = SEPARATOR.join(precedence.order(kind, "*", by_source))
    if position < 0:
        merged.came.append((row, sources))
        return
    if before == row and said_by == sources:
        merged.same += 1
    else:
        merged.changed.append((row, sources))
        merged.replaced.append(position)


def _claim_of(kind: Kind, row: Key, given: Collection[str] | None) -> Claim:
    """What a row says in the columns that its table has; all of it where that is not known."""
    by_name = dict(zip(kind.names, row, strict=True))
    names = (
        kind.names
        if given is None
        else [name for name in kind.names if name in given or name in (*kind.key, _ATTRIBUTES)]
    )
    return {name: by_name[name] for name in names if by_name[name] is not None}


def _together(kind: Kind, by_source: Mapping[str, Claim], precedence: Precedence) -> Key:
    """The record that the claims make, absent columns with their defaults."""
    values: list[Scalar] = []
    for name in kind.names:
        if name == _ATTRIBUTES:
            values.append(_attributes(kind, by_source, precedence))
        else:
            claiming = [source for source, claim in by_source.items() if name in claim]
            order = precedence.order(kind, name, claiming)
            values.append(by_source[order[0]][name] if order else kind.column(name).default)
    return tuple(values)


def _attributes(kind: Kind, by_source: Mapping[str, Claim], precedence: Precedence) -> Scalar:
    held = {source: json.loads(str(claim[_ATTRIBUTES])) for source, claim in by_source.items() if _ATTRIBUTES in claim}
    names = sorted({name for attributes in held.values() for name in attributes})
    found = {}
    for name in names:
        order = precedence.order(kind, name, [source for source, attributes in held.items() if name in attributes])
        found[name] = held[order[0]][name]
    return json_text(found) if found else None


def columns_given(reader: Reader) -> dict[str, dict[str, list[str]]]:
    """By kind and source the columns that the source's last gather spoke of."""
    found: dict[str, dict[str, list[str]]] = {}
    for _, payload in gathers(reader):
        for kind, columns in payload.columns.items():
            found.setdefault(kind, {}).setdefault(payload.source, columns)
    return found


def gathers(reader: Reader) -> Iterator[tuple[Entry, GatherPayload]]:
    """The entries of gathers and what they keep, the newest first."""
    return ((it, payload_of(it, GatherPayload)) for it in newest_entries(reader) if it.kind == Act.GATHER)


def open_merged(plan: Plan, kind: Kind, merged: Merged) -> None:
    """Writes the records that were put together."""
    by_sources: dict[str, list[Key]] = {}
    for row, sources in (*merged.changed, *merged.came):
        by_sources.setdefault(sources, []).append(row)
    for sources, rows in by_sources.items():
        plan.open_rows(kind, rows, sources)
