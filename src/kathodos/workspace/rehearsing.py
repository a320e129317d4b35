"""Changes rehearsed: the effect of edits over everyone, from what has been decided to what would be then."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.concerned import concerned
from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.change.effect import Effect, FindingsDiffer
from kathodos.change.mandates import MandateCheck, Verdict
from kathodos.change.orders import pending_edits
from kathodos.engine.compiled.among import index_among, with_owners
from kathodos.engine.compiled.index import NEEDED, Index
from kathodos.engine.compiled.patch import patched
from kathodos.findings.escalation import who_administers
from kathodos.findings.excess import orders, people
from kathodos.findings.excess.batches import findings
from kathodos.findings.excess.kinds import LATE_CONTROL, NAMES
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Plan
from kathodos.ledger.powers import ALTER_MANDATES, GIVE_FREELY
from kathodos.model.kinds import BY_NAME
from kathodos.store.records import Edited, Records, edited, edits_of

if TYPE_CHECKING:
    from kathodos.workspace.view import View

# What edits of access leave as it is: what was found of reviews, of orders, and of names alike.
_UNTOUCHED = (people.DUPLICATE, people.HASTY, people.CAME_BACK, orders.OVERDUE, orders.REFUSED, LATE_CONTROL)
_TOUCHED = [name for name in NAMES if name not in _UNTOUCHED]
_MOST_LOOKED_AT = 50_000  # identities and accounts up to which excess and risk are looked at too


def decided_view(view: View) -> View:
    """The view with all pending orders carried out."""
    pending = pending_edits(view.stored)
    return view.assuming(edited(view.stored, pending.edits)) if len(pending) else view


def basis_of_few(view: View, records: Records, references: Collection[str]) -> Basis:
    """What findings rest on, of some people alone, with the records as they would be."""
    state = decided_view(view)
    if isinstance(records, Edited):
        state = view.assuming(records)
    numbers = np.array([state.index.holders.find(it) for it in references], dtype=np.int64)
    index = index_among(state.index, *with_owners(state.index.holders, numbers[numbers >= 0]))
    return Basis(state.catalogue, index, view.moment)


def rehearse(view: View, edits: EditSet, author: str = "", is_thorough: bool = False) -> Effect:
    """The effect of edits of what has been decided. `author`: the reference of who composed them.

    `is_thorough`: excess and risk are looked at however many people there are.
    """
    pending = pending_edits(view.stored)
    whole = EditSet([*pending, *edits])
    with_findings = is_thorough or view.index.holders.first_group <= _MOST_LOOKED_AT
    among = None if with_findings else _index_of_few(view, pending, whole)
    if among is not None:
        before, after = (_patched(view, among, it) for it in (pending, whole))
        if before is not None and after is not None:
            return Effect(before, after, edits, view.rules, author, administered=lambda: _administered(view, pending))
    first, second = (view.assuming(edited(view.stored, it.edits)) if len(it) else view for it in (pending, whole))
    findings = _findings(first, second) if with_findings else None
    return Effect(first.basis, second.basis, edits, view.rules, author, findings, is_whole=True)


def verdicts(view: View, edits: EditSet, actor: Actor, authors: Collection[str] = ()) -> list[Verdict]:
    """What mandates say of each give and take among edits, as who composed them or who applies them."""
    state = decided_view(view)
    powers = view.workspace.configuration.powers
    others = [view.workspace.acting(name).among(view.stored) for name in authors if not actor.is_called(name)]
    actors = [actor, *others]
    free, alter = (any(powers.allows(it, act) for it in actors) for act in (GIVE_FREELY, ALTER_MANDATES))
    return MandateCheck(state.catalogue, state.index, view.moment).verdicts(edits, actors, free, alter)


def _index_of_few(view: View, pending: EditSet, whole: EditSet) -> Index | None:
    """The index of those on whom edits bear; None where these are not few."""
    found = np.zeros(view.index.holders.first_group, dtype=bool)
    for edits in (pending, whole):
        some = concerned(view.index, view.moment, edits.edits)
        if some is None:
            return None
        found |= some
    people, accounts = with_owners(view.index.holders, found.nonzero()[0])
    if 2 * (len(people) + len(accounts)) > len(found):
        return None
    return index_among(view.index, people, accounts)


def _patched(view: View, index: Index, edits: EditSet) -> Basis | None:
    """What findings rest on with edits made, of the few that an index holds; None where it takes everybody to tell."""
    if not len(edits):
        return Basis(view.stored, index, view.moment)
    records = edited(view.stored, edits.edits)
    found = patched(index, edits.edits, records)
    return Basis(records, found, view.moment) if found is not None else None


def _administered(view: View, pending: EditSet) -> Mapping[str, int]:
    """How many administer each system, of everybody."""
    state = view.assuming(edited(view.stored, pending.edits)) if len(pending) else view
    return {system: len(some) for system, some in who_administers(state.basis).items()}


def _findings(first: View, second: View) -> FindingsDiffer:
    """What excess comes and goes, and whose risk is another."""
    before, after = (_excess(view) for view in (first, second))
    made, settled = ((one - other).elements() for one, other in ((after, before), (before, after)))
    scores = []
    for view in (first, second):
        names, totals = view.index.holders.identities, view.risk_totals.tolist()
        scores.append({f"identity:{name}": total for name, total in zip(names, totals, strict=True)})
    risks = [
        (name, scores[0].get(name, 0.0), scores[1].get(name, 0.0))
        for name in dict.fromkeys([*scores[0], *scores[1]])
        if scores[0].get(name, 0.0) != scores[1].get(name, 0.0)
    ]
    risks.sort(key=lambda it: (-abs(it[2] - it[1]), it[0]))
    return FindingsDiffer(sorted(made), sorted(settled), risks)


def _excess(view: View) -> Counter[tuple[str, str, str]]:
    """Each finding of excess: its kind, whom it is about, and what it rests on."""
    some = view.findings.excess_of(_TOUCHED)
    return Counter((it.kind, it.subject, it.rests_on) for batch in some for it in findings(batch))


def rehearse_plan(view: View, plan: Plan) -> Effect:
    """The effect of what an operation would write."""
    after = view.assuming(plan.after())
    edits = edits_of(after.assumed, NEEDED) if after.assumed is not None else {}
    some = EditSet(
        edit_of(BY_NAME[name], before, after_)
        for name, edit in edits.items()
        for before, after_ in [*((it, None) for it in edit.gone), *((None, it) for it in edit.come)]
    )
    return Effect(view.basis, after.basis, some, view.rules, is_whole=True)
