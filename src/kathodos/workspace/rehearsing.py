"""Changes rehearsed: the effect of edits over everyone, from what has been decided to what would be then."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.analysis.concerned import concerned
from kathodos.change.composition import Desk
from kathodos.change.edit_sets import EditSet, edits_from
from kathodos.change.effect import Effect, FindingsDiffer
from kathodos.change.mandates import MandateCheck, Verdict
from kathodos.columns.csr import Ints, distinct, joined
from kathodos.columns.strings import string_table
from kathodos.engine.compiled.among import groups_touched, index_among, with_owners
from kathodos.engine.compiled.index import NEEDED, Index
from kathodos.engine.compiled.patch import patched
from kathodos.findings.escalation import is_administered
from kathodos.findings.excess import orders, people, requests, reviews
from kathodos.findings.excess.batches import findings
from kathodos.findings.excess.kinds import LATE_CONTROL, NAMES
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Plan
from kathodos.ledger.powers import ALTER_MANDATES, GIVE_FREELY
from kathodos.model.kinds import ACCOUNTS, GRANTS, IDENTITIES, MANDATES, MEMBERS
from kathodos.model.references import reference_to
from kathodos.store.edited import Edited, Edits, edited, edits_of
from kathodos.store.records import Few, Records

if TYPE_CHECKING:
    from kathodos.workspace.view import View

# What edits of access leave as it is: what was found of reviews, of orders, and of names alike.
_OF_REVIEWS = (reviews.HASTY, reviews.AGAINST_EVIDENCE, reviews.NOTHING_TAKEN, reviews.UNOPENED)
_OF_REQUESTS = (requests.REQUEST_OVER, requests.LATE_LOOK_BACK)
_OF_ORDERS = (orders.OVERDUE, orders.REFUSED)
_UNTOUCHED = (people.DUPLICATE, people.CAME_BACK, LATE_CONTROL, *_OF_ORDERS, *_OF_REVIEWS, *_OF_REQUESTS)
_TOUCHED = [name for name in NAMES if name not in _UNTOUCHED]


def desk_view(view: View, desk: Desk) -> View:
    """The view of what is composed on: what has been decided, and what a draft holds already."""
    return view.assuming(desk.records) if isinstance(desk.records, Edited) else view


def basis_of_few(view: View, records: Records, references: Collection[str]) -> Basis:
    """What findings rest on, of some people alone, with the records as they would be."""
    state = view.decided
    if isinstance(records, Edited):
        state = view.assuming(records)
    numbers = np.array([state.index.holders.find(it) for it in references], dtype=np.int64)
    index = index_among(state.index, *with_owners(state.index.holders, numbers[numbers >= 0]))
    return Basis(state.catalogue, index, view.moment)


def rehearse(view: View, edits: EditSet, author: str = "", is_thorough: bool = False) -> Effect:
    """The effect of edits of what has been decided. `author`: the reference of who composed them.

    `is_thorough`: excess and risk are looked at however many people there are.
    """
    pending = view.pending
    whole = EditSet([*pending, *edits])
    first, second = (view.assuming(edited(view.stored, it.edits)) if len(it) else view for it in (pending, whole))
    with_findings = is_thorough or view.at_hand[0].holders.first_group <= thresholds.PEOPLE_REHEARSED
    findings = partial(_findings, first, second) if with_findings else None
    few = _bases_of_few(view, pending, whole)
    if few is not None:
        return Effect(*few, edits, view.rules, author, False, findings, partial(_administers, first))
    return Effect(first.basis, second.basis, edits, view.rules, author, True, findings)


def rehearse_between(view: View, before: EditSet, after: EditSet) -> Effect:
    """What differs between some edits of what has been decided and others."""
    pending = view.pending
    first, second = (EditSet([*pending, *it]) for it in (before, after))
    few = _bases_of_few(view, first, second)
    if few is not None:
        return Effect(*few, after, view.rules)
    one, other = (view.assuming(edited(view.stored, it.edits)) if len(it) else view for it in (first, second))
    return Effect(one.basis, other.basis, after, view.rules, is_whole=True)


def verdicts(view: View, edits: EditSet, actor: Actor, authors: Collection[str] = ()) -> list[Verdict]:
    """What mandates say of each give and take among edits, as who composed them or who applies them."""
    state = view.decided
    if not len(state.catalogue.rows(MANDATES)):
        return []
    powers = view.workspace.configuration.powers
    others = [view.workspace.acting(name).among(view.stored) for name in authors if not actor.is_called(name)]
    actors = [actor, *others]
    free, alter = (any(powers.allows(it, act) for it in actors) for act in (GIVE_FREELY, ALTER_MANDATES))
    few = _basis_of_named(view, edits, actors)
    check = MandateCheck(few.records, few.index, view.moment) if few is not None else None
    return (check or MandateCheck(state.catalogue, state.index, view.moment)).verdicts(edits, actors, free, alter)


def _basis_of_named(view: View, edits: EditSet, actors: Sequence[Actor]) -> Basis | None:
    """What findings rest on with all that is decided, of those alone whom edits name, and of some who act.

    None where it takes others to tell.
    """
    column = {GRANTS: "holder", MEMBERS: "member"}
    named = {str(it.record[column[it.kind]]) for it in edits if it.kind in column}
    if view.assumed is not None or not all(it.startswith(("identity:", "account:")) for it in named):
        return None
    named |= {reference_to("identity", it) for actor in actors for it in actor.identities}
    among = _index_among(view, [view.pending.edits], named, [edits.edits])
    return _patched(view, among, view.pending) if among is not None else None


def _bases_of_few(view: View, before: EditSet, after: EditSet) -> tuple[Basis, Basis] | None:
    """What findings rest on with some edits made and with others, of those on whom they bear; None: these are many."""
    among = _index_of_few(view, before, after)
    if among is None:
        return None
    first, second = (_patched(view, among, it) for it in (before, after))
    return (first, second) if first is not None and second is not None else None


def _index_of_few(view: View, pending: EditSet, whole: EditSet) -> Index | None:
    """The index of those on whom edits bear; None where these are not few."""
    return _index_among(view, [pending.edits, whole.edits])


def _index_among(
    view: View, bearing: Sequence[Edits], named: Collection[str] = (), naming: Sequence[Edits] = ()
) -> Index | None:
    """The index of those on whom some edits bear, and of those who are named; None where these are not few.

    `naming`: edits that name groups only.
    """
    index, since = view.at_hand
    numbers = index.holders.numbers_of(string_table(sorted(named)))
    found, groups = [numbers[numbers >= 0]], list[Ints | None]()
    for edits in (since, *bearing):
        some = concerned(index, view.moment, edits)
        if some is None:
            return None
        found.append(some)
    for edits in (since, *bearing, *naming):
        groups.append(groups_touched(index, edits))
    people, accounts = with_owners(index.holders, distinct(joined(found)))
    if 2 * (len(people) + len(accounts)) > index.holders.first_group:
        return None
    known = [it for it in groups if it is not None]
    few = index_among(index, people, accounts, joined(known) if len(known) == len(groups) else None)
    return patched(few, since, view.stored) if since else few


def _patched(view: View, index: Index, edits: EditSet) -> Basis | None:
    """What findings rest on with edits made, of the few that an index holds; None where it takes everybody to tell."""
    records: Records = view.stored
    if len(edits):
        records = edited(view.stored, edits.edits)
        found = patched(index, edits.edits, records)
        if found is None:
            return None
        index = found
    only = {IDENTITIES.name: index.holders.rows, ACCOUNTS.name: index.holders.account_rows}
    return Basis(Few(records, only), index, view.moment)


def _administers(view: View, system: str, gone: Sequence[str]) -> bool:
    """Whether somebody administers a system beside those who no longer do."""
    return is_administered(view.basis, system, view.index.holders.numbers_of(string_table(gone)))


def _findings(first: View, second: View) -> FindingsDiffer:
    """What excess comes and goes, and whose risk is another."""
    risks = _risks(first, second)  # for which all excess is found
    before, after = (_excess(view) for view in (first, second))
    made, settled = ((one - other).elements() for one, other in ((after, before), (before, after)))
    return FindingsDiffer(sorted(made), sorted(settled), risks)


def _risks(first: View, second: View) -> list[tuple[str, float, float]]:
    """Whose risk is another, most changed first: who, what it was and what it is; 0 where somebody is not there."""
    names, known = (view.index.holders.identities for view in (second, first))
    at, is_gone = known.positions_of(names), np.ones(len(known) + 1, dtype=bool)
    is_gone[np.append(at, -1)] = False
    gone = is_gone.nonzero()[0]
    was = np.append(first.risk_totals, 0.0)[np.concatenate([at, gone])]
    is_then = np.concatenate([second.risk_totals, np.zeros(len(gone))])
    differs = (was != is_then).nonzero()[0]
    some = [
        *names.taken(differs[differs < len(names)]),
        *known.taken(gone[differs[differs >= len(names)] - len(names)]),
    ]
    references = (reference_to("identity", name) for name in some)
    found = zip(references, was[differs].tolist(), is_then[differs].tolist(), strict=True)
    return sorted(found, key=lambda it: (-abs(it[2] - it[1]), it[0]))


def _excess(view: View) -> Counter[tuple[str, str, str]]:
    """Each finding of excess: its kind, whom it is about, and what it rests on."""
    some = view.findings.excess_of(_TOUCHED)
    return Counter((it.kind, it.subject, it.rests_on) for batch in some for it in findings(batch))


def rehearse_plan(view: View, plan: Plan) -> Effect:
    """The effect of what an operation would write."""
    after = view.assuming(plan.after())
    some = EditSet(edits_from(edits_of(after.assumed, NEEDED))) if after.assumed is not None else EditSet()
    few = _bases_of_few(view, EditSet(), some)
    if few is not None:
        return Effect(*few, some, view.rules, administers=partial(_administers, view))
    return Effect(view.basis, after.basis, some, view.rules, is_whole=True)
