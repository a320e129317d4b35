"""What a review asks of the whole catalogue: what is found of whom it is about, and whether less is really less."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kathodos.change.edit_sets import EditSet
from kathodos.change.settling import records_held
from kathodos.columns.csr import ints
from kathodos.errors import CallError
from kathodos.ledger.operations import Plan
from kathodos.model.kinds import GRANTS
from kathodos.review.choosing import Wanted, chosen
from kathodos.review.holder_evidence import Found
from kathodos.review.opening import Drafted, Opening, draft_review
from kathodos.review.reviewers import chain_of
from kathodos.workspace.rehearsing import decided_view, rehearse

if TYPE_CHECKING:
    from kathodos.ledger.actors import Actor
    from kathodos.review.authority import Authority
    from kathodos.review.reducing import Reduction
    from kathodos.workspace.declared import OpeningTerms
    from kathodos.workspace.view import View


MOST_LOOKED_AT = 50_000  # identities and accounts up to which excess and risk are looked at unasked


def drafted(view: View, terms: OpeningTerms, opener: str, is_thorough: bool = False) -> Drafted:
    """A review as it would be opened. `is_thorough`: with excess and risk however many people there are."""
    chosen, findings = view.askers_selected(terms.where), view.findings
    found = Found(ints([]))
    if is_thorough or view.index.holders.first_group <= MOST_LOOKED_AT:
        excess = [(it.kind, it.whose) for it in findings.excess_columns]
        found = Found(np.round(view.risk_totals).astype(np.int64), excess)
    chain = chain_of(view.basis, terms.chain)
    conflicts = findings.conflicts
    return draft_review(Opening(view.context, conflicts, view.rules, found, chosen, chain, opener, terms.only_changed))


def must_be_less(view: View, actor: Actor, wanted: Wanted, reduction: Reduction, authority: Authority) -> None:
    """Raises CallError where what is to be left of some grants lets anybody reach what they do not reach now."""
    found = chosen(Plan(view.stored, actor), wanted, authority)
    names = [str(it) for it in found.lines.column("grant", found.at).listed() if it]
    held = records_held(decided_view(view).catalogue, GRANTS, [(name,) for name in names])
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
