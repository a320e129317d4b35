"""Changes composed, applied and dropped: each one write with its entry in the ledger."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import msgspec
from msgspec.structs import replace

from kathodos.change.edit_sets import EditSet, RecordEdit
from kathodos.change.kept import Change, ChangeState, change_called, edits_kept, find_change, put_change, put_edits
from kathodos.change.orders import Carried, OrderTerms, carry, decided
from kathodos.change.settling import Moved, Settled, settled
from kathodos.engine.compiled.index import NEEDED
from kathodos.errors import CallError, NotAllowedError
from kathodos.ledger.baselines import free_baseline, put_baseline
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, ChangePayload
from kathodos.model.kinds import KIT_ENTRIES, KITS, MANDATES, ORDERS
from kathodos.model.references import PREFIXES, reference_to

EXCHANGE = "exchange"  # where a change comes from that takes in roles of another installation


class MovedError(CallError):
    """What a change was rehearsed on is not what is there now."""


class Composed(msgspec.Struct, frozen=True):
    """A draft as it is after something was put into it."""

    change: Change
    edits: EditSet
    is_new: bool


class Compose(msgspec.Struct, Operation[Composed], frozen=True):
    """Collects edits in a change of this name, which is made where there is none."""

    act: ClassVar[Act] = Act.COMPOSE
    change: str
    edits: EditSet
    origin: str = ""

    def compose(self, plan: Plan) -> Composed:
        """Raises CallError where the change is no draft any more."""
        known = change_called(plan.records, self.change)
        if known is not None:
            must_be_draft(known)
        before = edits_kept(plan.records, self.change) if known is not None else EditSet()
        edits = EditSet([*before, *_by(self.edits, plan.actor.name)])
        change = known or Change(0, self.change, ChangeState.DRAFT, self.origin, plan.actor.name, plan.now, plan.reason)
        if known is None:
            put_change(plan, change)
        put_edits(plan, self.change, edits)
        plan.subjects += [reference_to("change", self.change), *subjects_of(self.edits)]
        plan.payload = ChangePayload(self.change, len(edits))
        return Composed(change, edits, known is None)


def must_be_draft(change: Change) -> None:
    """Raises CallError where a change can be altered and applied no more."""
    if change.is_applied:
        what = f"The change {change.name} was applied on {change.applied_at} by {change.applied_by}."
        raise CallError(what, f"Nothing is applied twice. Take it back with: kathodos change undo {change.name}")
    if change.state is ChangeState.DROPPED:
        raise CallError(f"The change {change.name} was dropped.", "Compose it anew under another name.")


def _by(edits: EditSet, author: str) -> list[RecordEdit]:
    return [replace(edit, author=author) for edit in edits]


def subjects_of(edits: EditSet) -> list[str]:
    """Whom and what edits are about, as references, each once."""
    found: dict[str, None] = {}
    for edit in edits:
        record, name = edit.record, edit.kind.name
        if name in PREFIXES:
            found[reference_to(PREFIXES[name], *edit.key)] = None
        for column in ("holder", "member"):
            if column in record:
                found[str(record[column])] = None
        for column, prefix in (("group", "group"), ("role", "role")):
            if column in record and "system" in record:
                found[reference_to(prefix, record["system"], record[column])] = None
        if str(record.get("gives") or "").startswith("role:"):
            found[str(record["gives"])] = None
    return list(found)


class Rehearsed(msgspec.Struct, frozen=True):
    """What a change was rehearsed to do, and on which entry. `stops`: what needs a reason to be done all the same.

    `refused`: what who applies it may not give or take.
    """

    entry: int
    effect: str = ""
    gained: int = 0
    lost: int = 0
    stops: Sequence[str] = ()
    refused: Sequence[str] = ()


class ApplyTerms(msgspec.Struct, frozen=True):
    """On what terms changes are applied: within which time orders are due, and whether by another than the author."""

    orders: OrderTerms = msgspec.field(default_factory=OrderTerms)
    needs_four_eyes: bool = False


class Applied(msgspec.Struct, frozen=True):
    """What came of applying a change."""

    change: Change
    carried: Carried
    settled: Settled


class ApplyChange(msgspec.Struct, Operation[Applied], frozen=True):
    """Applies a change: orders what a source brings, and edits at once what is kept here.

    `edits`: of a change that is not kept yet (None: those of the draft); `despite`: why what stops it may not.
    """

    act: ClassVar[Act] = Act.APPLY
    change: str
    rehearsed: Rehearsed
    terms: ApplyTerms = msgspec.field(default_factory=ApplyTerms)
    edits: EditSet | None = None
    origin: str = ""
    despite: str = ""

    def compose(self, plan: Plan) -> Applied:
        """Raises CallError where it was applied already; MovedError where it does not fit what is there now."""
        change, edits = self._draft(plan)
        if not len(edits):
            raise CallError(f"The change {self.change} is empty.", "Put something into it first.")
        must_be_as_rehearsed(plan, self.rehearsed.entry)
        self._must_be_allowed(plan, change, edits)
        if self.rehearsed.stops and not self.despite.strip():
            raise CallError(" ".join(self.rehearsed.stops), "Nothing was changed. If it is meant, say --despite WHY.")
        found = settled(edits, decided(plan.records))
        if found.moved:
            raise moved_error(found.moved)
        if change.origin == EXCHANGE:
            put_baseline(plan, free_baseline(plan, f"before-{self.change}"))
        told = replace(change, reason=plan.reason or change.reason, effect=self.rehearsed.effect, despite=self.despite)
        applied, carried = carry_through(plan, told, found.edits, self.terms.orders)
        if self.edits is not None:
            put_edits(plan, self.change, edits)
        plan.subjects += [reference_to("change", self.change), *subjects_of(edits)]
        plan.payload = ChangePayload(
            self.change,
            len(edits),
            self.rehearsed.effect,
            self.rehearsed.gained,
            self.rehearsed.lost,
            len(carried.ordered),
            len(carried.edited),
            [*self.rehearsed.stops],
        )
        return Applied(applied, carried, found)

    def _must_be_allowed(self, plan: Plan, change: Change, edits: EditSet) -> None:
        """Raises NotAllowedError where who applies may not give or take this, or composed it where another has to."""
        subjects = [reference_to("change", self.change), *subjects_of(edits)]
        if self.rehearsed.refused:
            what, remedy = " ".join(self.rehearsed.refused), "Nothing was changed. See who may: kathodos mandates list"
            raise NotAllowedError(what, remedy, self.act, subjects)
        authors = {change.author, *(edit.author for edit in edits)}
        if self.terms.needs_four_eyes and any(plan.actor.is_called(name) for name in authors if name):
            what = f"{plan.actor.name} composed {self.change}, and nobody applies what is their own."
            remedy = "Nothing was changed. Collect it with --into NAME, and let somebody else apply it."
            raise NotAllowedError(what, remedy, self.act, subjects)

    def _draft(self, plan: Plan) -> tuple[Change, EditSet]:
        if self.edits is None:
            change = find_change(plan.records, self.change)
            must_be_draft(change)
            return change, edits_kept(plan.records, self.change)
        if change_called(plan.records, self.change) is not None:
            raise MovedError(f"There is a change {self.change} already.", "Name another.")
        author = plan.actor.name
        change = Change(0, self.change, ChangeState.DRAFT, self.origin, author, plan.now, plan.reason)
        return change, EditSet(_by(self.edits, author))


def carry_through(plan: Plan, change: Change, edits: EditSet, terms: OrderTerms) -> tuple[Change, Carried]:
    """Orders and edits what a change says, and enters that it is applied."""
    carried = carry(plan, edits, change.name, terms)
    state = ChangeState.APPLIED if carried.ordered else ChangeState.CARRIED_OUT
    applied = replace(change, state=state, applied_by=plan.actor.name, applied_at=plan.now)
    put_change(plan, applied)
    return applied, carried


def must_be_as_rehearsed(plan: Plan, entry: int) -> None:
    """Raises MovedError where something that bears on reach, an order or a kit was written since the rehearsal."""
    bearing = {kind.name for kind in (*NEEDED, MANDATES, ORDERS, KITS, KIT_ENTRIES)}
    touched = plan.records.histories.touched_between(entry, plan.entry_before) & bearing
    if touched:
        what = f"Since the rehearsal {', '.join(sorted(touched))} were changed by somebody else."
        raise MovedError(what, "Nothing was changed. Rehearse again.")


def moved_error(moved: Sequence[Moved]) -> MovedError:
    """What is said of edits that no longer fit."""
    first = moved[0]
    what = f"The {first.edit.kind.one} {' '.join(map(str, first.edit.key))} {first.text}."
    more = f" So it is with {len(moved) - 1} more." if len(moved) > 1 else ""
    return MovedError(what + more, "Nothing was changed. Take these edits out of the change, or compose it anew.")


class DropChange(msgspec.Struct, Operation[Change], frozen=True):
    """Gives a draft up."""

    act: ClassVar[Act] = Act.DROP
    change: str

    def compose(self, plan: Plan) -> Change:
        """Raises CallError where it is no draft."""
        change = find_change(plan.records, self.change)
        must_be_draft(change)
        dropped = replace(change, state=ChangeState.DROPPED)
        put_change(plan, dropped)
        plan.subjects.append(reference_to("change", self.change))
        return dropped
