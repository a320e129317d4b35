"""What a review asks of the whole catalogue: what is found of whom it is about, and whether less is really less."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kathodos import thresholds
from kathodos.analysis.basis import positions_of_rows
from kathodos.change.edit_sets import EditSet
from kathodos.change.settling import records_held
from kathodos.columns.csr import Ints, ints
from kathodos.errors import CallError
from kathodos.findings.excess.batches import ExcessContext
from kathodos.ledger.operations import Plan
from kathodos.model.kinds import ACCOUNTS, GRANTS, IDENTITIES, RESOURCES
from kathodos.model.suggestions import nearest
from kathodos.review.choosing import Wanted, chosen
from kathodos.review.drafts.draft import Asked
from kathodos.review.drafts.holder_evidence import Found
from kathodos.review.opening import Drafted, Opening, draft_review
from kathodos.review.reviewers import chain_of
from kathodos.review.subjects import SUBJECTS, About
from kathodos.workspace.rehearsing import rehearse

if TYPE_CHECKING:
    from kathodos.ledger.actors import Actor
    from kathodos.review.authority import Authority
    from kathodos.review.reducing import Reduction
    from kathodos.workspace.declared import OpeningTerms
    from kathodos.workspace.view import View


def drafted(view: View, terms: OpeningTerms, opener: str, is_thorough: bool = False) -> Drafted:
    """A review as it would be opened. `is_thorough`: with excess and risk however many people there are."""
    findings, found, context = view.findings, Found(ints([])), view.context
    chosen = _chosen(view, terms)
    if is_thorough or view.index.holders.first_group <= thresholds.PEOPLE_REVIEWED:
        excess = [(it.kind, it.whose, it.thing) for it in findings.excess_columns]
        of_things: dict[str, list[str]] = {}
        for batch in findings.excess_of(_OF_ROLES) if terms.about == About.ROLES else ():
            for at in range(len(batch)):
                of_things.setdefault(batch.subject(at), []).append(batch.kind)
        found = Found(np.round(view.risk_totals).astype(np.int64), excess, of_things)
    if not found.is_known:  # what lines rest on is let go once they are made
        context = ExcessContext(context.basis, context.needs, context.thresholds)
    chain = chain_of(view.basis, terms.chain, terms.about)
    asked = Asked(context, findings.conflicts, view.rules, found, view.register, chosen, terms.parts)
    return draft_review(Opening(asked, chain, opener, terms.about, terms.only, terms.only_changed))


def _chosen(view: View, terms: OpeningTerms) -> Ints:
    """What a review is about, by the numbers of the index; of roles the positions of their records.

    Raises CallError where the filter does not fit, or an attribute is not there.
    """
    if terms.about in (About.ACCESS, About.COVERS):
        return view.askers_selected(terms.where)
    selected = SUBJECTS[terms.about].selected
    positions, columns = view.selecting(selected, terms.where or None)
    for name in terms.parts if terms.about == About.IDENTITY_DATA else ():
        if not columns.has(name) or name.lower() in ("id", "status", "kind"):
            raise CallError(f"No person has an attribute {name!r} to review.", nearest(name, sorted(columns.known())))
    if selected is IDENTITIES:
        return view.numbers_at(positions)
    rows, holders = view.catalogue.rows(selected)[positions], view.index.holders
    if selected is ACCOUNTS:
        return np.sort(positions_of_rows(rows, holders.account_rows))
    if selected is RESOURCES:
        return np.sort(positions_of_rows(rows, view.index.node_rows))
    return positions


_OF_ROLES = ("empty-role", "unused-role", "near-roles", "doubled-role")


def must_be_less(view: View, actor: Actor, wanted: Wanted, reduction: Reduction, authority: Authority) -> None:
    """Raises CallError where what is to be left of some grants lets anybody reach what they do not reach now."""
    found = chosen(Plan(view.stored, actor), wanted, authority)
    names = [str(it) for it in found.lines.column("grant", found.at).listed() if it]
    held = records_held(view.decided.catalogue, GRANTS, [(name,) for name in names])
    edits = EditSet()
    for it in held.values():
        for edit in reduction.edits(it.record, actor.name, "", ""):
            edits.put(edit)
    effect = rehearse(view, edits)
    if effect.gained:
        what = f"What is left would give {effect.gaining} of them more than they have now. Nothing was changed."
        raise CallError(what, "Name less than what the line gives; to swap one thing for another compose a change.")
    if not effect.lost:
        raise CallError("What is left is as much as they have now. Nothing was changed.", "Certify it, or name less.")
