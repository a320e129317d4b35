"""A kit made, changed or dropped: what it gives comes and goes for everybody who has it, as one change."""

from __future__ import annotations

from typing import ClassVar

import msgspec
from msgspec.structs import replace

from kathodos.change.applying import Applied, ApplyChange, MovedError
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import EditSet, key_text
from kathodos.change.orders import decided
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act
from kathodos.model.references import reference_to
from kathodos.model.requests import RequestState
from kathodos.request.content import Item, brought_by, end_items, give_entries, holder_of, item_from, put_items
from kathodos.request.kits import Kit, KitEntry, kit_edits
from kathodos.request.records import (
    Less,
    Request,
    items_of_requests,
    put_requests,
    put_steps,
    requests_holding,
    running_for,
    steps_of,
)
from kathodos.store.records import Records, Stored


class KitChange(msgspec.Struct):
    """What changing a kit comes to: the edits, who has it with what comes and goes for them, and the items then."""

    before: Kit | None
    after: Kit | None
    composition: Composition = msgspec.field(default_factory=Composition)
    holding: list[Request] = msgspec.field(default_factory=list)
    items: dict[int, list[Item]] = msgspec.field(default_factory=dict)

    @property
    def comes(self) -> list[KitEntry]:
        """The entries that the kit did not hold before."""
        before = self.before.entries if self.before is not None else ()
        return [it for it in (self.after.entries if self.after is not None else ()) if it not in before]

    @property
    def goes(self) -> list[KitEntry]:
        """The entries that it no longer holds."""
        after = self.after.entries if self.after is not None else ()
        return [it for it in (self.before.entries if self.before is not None else ()) if it not in after]


def running_of(records: Records, kit: str) -> list[Request]:
    """The requests by which somebody has a kit."""
    return requests_holding(records, {"kit": [kit], "state": [RequestState.GRANTED.value]})


def kit_change(desk: Desk, stored: Stored, before: Kit | None, after: Kit | None) -> KitChange:
    """What it takes to change a kit. Raises CallError where one that is asked for or had is to be dropped."""
    found = KitChange(before, after)
    found.composition.edits = EditSet(kit_edits(before, after))
    if before is None:
        return found
    if after is None:
        _must_be_unused(stored, before)
        return found
    found.holding = running_of(stored, before.name)
    if not found.holding or not (found.comes or found.goes):
        return found
    items = items_of_requests(stored, [it.number for it in found.holding])
    held = {number: [item_from(it) for _, it in some] for number, some in items.items()}
    gone_texts = {(it.gives, it.on) for it in found.goes}
    going, kept = [], {}
    for request in found.holding:
        own = held[request.number]
        kept[request.number] = [it for it in own if (it.gives, it.on) not in gone_texts]
        staying = {(it.kind, it.key) for it in kept[request.number]}
        leaves = [it for it in own if (it.gives, it.on) in gone_texts]
        going += [(request, it) for it in leaves if (it.kind, it.key) not in staying]
    gone = end_items(desk, stored, going, {it.number for it in found.holding})
    composition = found.composition.joined(Composition(gone.edits, notes=gone.notes))
    brought = brought_by(stored, running_for(stored, *{it.whom for it in found.holding}))
    for request in found.holding:
        added = [it for it in found.comes if it not in request.less.without]
        entries = [(it, holder_of(desk, it, request.whom, request.holder)) for it in added]
        given = give_entries(desk, entries, request.ends, brought, f"kit {after.name}")
        composition = composition.joined(given.composition)
        found.items[request.number] = [*kept[request.number], *given.items]
    found.composition = composition
    return found


def _must_be_unused(stored: Records, kit: Kit) -> None:
    for state, what in ((RequestState.GRANTED, "gives it"), (RequestState.OPEN, "asks for it")):
        found = requests_holding(stored, {"kit": [kit.name], "state": [state.value]})
        if found:
            numbers = ranges_text(it.number for it in found)
            what = f"The kit {kit.name} cannot be dropped: request {numbers} {what}."
            raise CallError(what, f"End or deny these first: kathodos request list --kit {kit.name}")


class ChangeKit(msgspec.Struct, Operation[Applied], frozen=True):
    """Applies a change of a kit, and enters what those who have it hold by it from now on."""

    act: ClassVar[Act] = Act.APPLY
    before: Kit | None
    after: Kit | None
    applying: ApplyChange

    def compose(self, plan: Plan) -> Applied:
        """Raises MovedError where somebody came to have the kit, or it was changed, since it was rehearsed."""
        desk = Desk(decided(plan.records), plan.time, plan.actor.name)
        found = kit_change(desk, plan.records, self.before, self.after)
        wanted = {(it.kind.name, key_text(it.key)) for it in found.composition.edits}
        if wanted != {(it.kind.name, key_text(it.key)) for it in self.applying.edits or ()}:
            what = "Who has the kit is not as it was at the rehearsal."
            raise MovedError(what, "Nothing was changed. Rehearse again.")
        applied = self.applying.compose(plan)
        if found.comes:
            self._decide_anew(plan)
        before = items_of_requests(plan.records, list(found.items)) if found.items else {}
        for number, items in found.items.items():
            put_items(plan, number, items, before[number])
        kit = self.after or self.before
        plan.subjects += [reference_to("kit", kit.name)] if kit is not None else []
        plan.subjects += [reference_to("request", it) for it in found.items]
        return applied

    def _decide_anew(self, plan: Plan) -> None:
        """Lets those decide once more who granted a step of a request that is still open, for what is more now."""
        name = self.before.name if self.before is not None else ""
        requests = requests_holding(plan.records, {"kit": [name], "state": [RequestState.OPEN.value]})
        steps = steps_of(plan.records, [it.number for it in requests]) if requests else {}
        for request in requests:
            granted = [it for it in steps[request.number] if it.decision]
            if granted:
                nothing = dict.fromkeys(("decision", "decided_by", "decided_at", "capacity", "reason", "less"))
                put_steps(plan, granted, [{**it.values, **nothing} for it in granted])
                put_requests(plan, [replace(request, step=min(it.number for it in granted), less=Less())])
