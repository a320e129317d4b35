"""Two identities of one person become one: everything of the first moves to the second, and stays so at each gather."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import ClassVar

import msgspec
import numpy as np

from kathodos.change.settling import records_held
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.errors import CallError
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, MergePayload
from kathodos.model.cells import record_text
from kathodos.model.kinds import (
    COVERS,
    GATHERED,
    IDENTITIES,
    MERGES,
    REQUEST_ITEMS,
    REQUEST_STEPS,
    REQUESTS,
    REVIEW_LINES,
    REVIEW_REMARKS,
    REVIEWS,
    TIES,
    Form,
    Kind,
)
from kathodos.model.references import name_in, reference_to
from kathodos.model.rows import Record
from kathodos.store.records import Records, columns_of, positions_holding

_FULL = (Form.HOLDER,)
_INACTIVE = ("left", "suspended")
_OF_REQUESTS = (REQUESTS, REQUEST_STEPS, REQUEST_ITEMS)
MOVING: tuple[Kind, ...] = (*GATHERED, TIES, COVERS, REVIEW_LINES, REVIEW_REMARKS, *_OF_REQUESTS)


class Merging(msgspec.Struct, frozen=True):
    """What a merge comes to: who goes into whom, what moves, and what is to be warned of."""

    gone: Record
    stays: Record
    moved: Mapping[str, int]
    warnings: list[str] = msgspec.field(default_factory=list)


class MergeIdentities(msgspec.Struct, Operation[Merging], frozen=True):
    """Moves everything of one identity to another, whose aliases its id and mail become. It cannot be undone."""

    act: ClassVar[Act] = Act.MERGE
    gone: str
    stays: str

    def compose(self, plan: Plan) -> Merging:
        """Raises CallError where they must not be merged."""
        gone, stays = _both(plan.records, self.gone, self.stays)
        merged = {self.gone: self.stays}
        moved: dict[str, int] = {}
        for kind in MOVING:
            count = _moved(plan, kind, merged)
            if count:
                moved[kind.name] = count
        row = records_held(plan.records, IDENTITIES, [(self.gone,)])[(self.gone,)].row
        plan.close_rows(IDENTITIES, [row])
        _point_on(plan, merged)
        kept = record_text(IDENTITIES, gone)
        at = (plan.actor.name, plan.now, plan.reason or None)
        plan.open_rows(MERGES, [(self.gone, self.stays, gone["email"], kept, *at)])
        plan.subjects += [reference_to("identity", it) for it in (self.gone, self.stays)]
        plan.payload = MergePayload(self.gone, self.stays, moved)
        return Merging(gone, stays, moved, list(_warnings(gone, stays)))


def _both(records: Records, gone: str, stays: str) -> tuple[Record, Record]:
    """The records of the two. Raises CallError where they are one, one is not there, or both are inactive."""
    if gone == stays:
        raise CallError(f"{gone} cannot be merged with itself.", "Name the one that goes, and the one that stays.")
    held = records_held(records, IDENTITIES, [(gone,), (stays,)])
    for name in (gone, stays):
        if (name,) not in held:
            must_not_be_merged(records, name)
            raise CallError(f"There is no identity {name}.", "See `kathodos people list`.")
    first, second = held[(gone,)].record, held[(stays,)].record
    if first["status"] in _INACTIVE and second["status"] in _INACTIVE:
        what = f"{gone} is {first['status']} and {stays} is {second['status']}: two that are inactive are never merged."
        raise CallError(what, "Bring one of them back first, so that it is sure who it is.")
    if second["status"] == "left" and first["status"] != "left":
        what = f"{stays}, which would stay, has left, and {gone} has not."
        raise CallError(what, f"Merge the other way round: kathodos people merge {stays} {gone}")
    return first, second


def must_not_be_merged(records: Records, text: str) -> None:
    """Raises CallError where a name is that of an identity which was merged into another already."""
    into = merges_in(records).get(name_in("identity", text))
    if into:
        raise CallError(f"{text} was merged into {into} already.", "See `kathodos list merges`.")


def _warnings(gone: Record, stays: Record) -> Iterator[str]:
    for name in ("kind", "name", "email", "department", "manager"):
        if gone[name] and stays[name] and str(gone[name]).casefold() != str(stays[name]).casefold():
            yield f"their {name} differs: {gone[name]} and {stays[name]}; {stays['id']} keeps {stays[name]}"


# Moving what points at it


def _moved(plan: Plan, kind: Kind, merged: Mapping[str, str]) -> int:
    """Points the records of a kind that name an identity that is merged at the other; gives how many."""
    records = plan.records
    named = dict(_naming(kind))
    touched = np.zeros(len(records.rows(kind)), dtype=bool)
    for name, is_full in named.items():
        wanted = [reference_to("identity", it) if is_full else it for it in merged]
        touched |= records.column(kind, name).holding_any(wanted)
    if kind in (REVIEW_LINES, REVIEW_REMARKS):
        touched &= ~_of_signed_reviews(records, kind)
    at = touched.nonzero()[0]
    if not len(at):
        return 0
    columns = [records.column(kind, name).taken(at).compact() for name in kind.names]
    columns = [
        _renamed(column, merged, named[name]) if name in named else column
        for name, column in zip(kind.names, columns, strict=True)
    ]
    if kind is REQUEST_ITEMS:  # the key of a membership names its member
        ends = {f'"{reference_to("identity", it)}"]': f'"{reference_to("identity", to)}"]' for it, to in merged.items()}
        at_record = kind.names.index("record")
        columns[at_record] = columns[at_record].mapped(lambda text: _ending_otherwise(str(text), ends))
    kept = _new_keys(records, kind, columns, at)
    plan.close_rows(kind, records.rows(kind)[at])
    sources = records.sources(kind).taken(at)
    plan.open_columns(kind, [column.taken(kept).compact() for column in columns], sources.taken(kept).compact())
    return len(at)


def _of_signed_reviews(records: Records, kind: Kind) -> Bools:
    """Which lines or remarks are of reviews that are signed off, and stand as they were."""
    names, states = columns_of(records, REVIEWS, "review", "state")
    signed = [name for name, state in zip(names, states, strict=True) if state != "open"]
    return records.column(kind, "review").holding_any(signed)


def _naming(kind: Kind) -> Iterator[tuple[str, bool]]:
    """The columns of a kind that name identities: by id alone, or (True) by a full reference."""
    for column in kind.columns:
        if "identities" in column.refers:
            yield column.name, column.form in _FULL
    if kind is REVIEW_LINES:
        yield from (("reviewer", False), ("holder", True))
    if kind is REVIEW_REMARKS:
        yield ("whom", False)
    if kind is REQUESTS:
        yield from (("whom", False), ("asked_by", False))
    if kind is REQUEST_STEPS:
        yield ("approver", False)
    if kind is REQUEST_ITEMS:
        yield ("holder", True)


def _new_keys(records: Records, kind: Kind, columns: Sequence[DictionaryColumn], at: Ints) -> Ints:
    """The positions of the renamed records whose keys nothing else bears: what would be there twice is there once."""
    keys = list(zip(*(columns[kind.names.index(name)].listed() for name in kind.key), strict=True))
    others = records_held(records, kind, keys)
    own = set(records.rows(kind)[at].tolist())
    seen: set[tuple[object, ...]] = set()
    kept = []
    for position, key in enumerate(keys):
        if key not in seen and (key not in others or others[key].row in own):
            kept.append(position)
        seen.add(key)
    return np.array(kept, dtype=np.int64)


def _renamed(column: DictionaryColumn, merged: Mapping[str, str], is_full: bool) -> DictionaryColumn:
    """A column in which merged identities are called by the one they were merged into."""
    full = {reference_to("identity", it): reference_to("identity", to) for it, to in merged.items()}
    names = full if is_full else merged
    if not any(value in names for value in column.values):
        return column
    return column.recoded([names.get(str(value), value) for value in column.values])


def _ending_otherwise(text: str, ends: Mapping[str, str]) -> str:
    """A text with another end where it ends in one of some."""
    return next((text.removesuffix(end) + other for end, other in ends.items() if text.endswith(end)), text)


def _point_on(plan: Plan, merged: Mapping[str, str]) -> None:
    """Lets earlier merges into the identity that goes lead to the one that stays."""
    records = plan.records
    for gone, stays in merged.items():
        at = positions_holding(records, MERGES, {"into": gone})
        rows = records.rows(MERGES)[at].tolist()
        plan.close_rows(MERGES, rows)
        into = MERGES.names.index("into")
        values = [(*row[:into], stays, *row[into + 1 :]) for row in records.some(MERGES, rows).values()]
        plan.open_rows(MERGES, values)


# For later gathers


def merges_in(records: Records) -> Mapping[str, str]:
    """The identities that were merged, each with the one that it is now."""
    gone, stays = columns_of(records, MERGES, "identity", "into")
    return dict(zip(gone, stays, strict=True))


def merged_columns(
    kind: Kind, columns: Sequence[DictionaryColumn], merged: Mapping[str, str]
) -> list[DictionaryColumn]:
    """The columns of a kind's records with merged identities called by the one they are now."""
    named = dict(_naming(kind))
    if kind is IDENTITIES:
        named = {**named, "id": False}
    return [
        _renamed(column, merged, named[name]) if name in named else column
        for name, column in zip(kind.names, columns, strict=True)
    ]
