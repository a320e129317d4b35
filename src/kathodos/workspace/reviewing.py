"""What a review asks of the whole catalogue before a decision is entered: whether less is really less."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kathodos.change.edit_sets import EditSet
from kathodos.change.settling import records_held
from kathodos.errors import CallError
from kathodos.ledger.operations import Plan
from kathodos.model.kinds import GRANTS
from kathodos.review.choosing import Wanted, chosen
from kathodos.workspace.rehearsing import decided_view, rehearse

if TYPE_CHECKING:
    from kathodos.ledger.actors import Actor
    from kathodos.review.authority import Authority
    from kathodos.review.reducing import Reduction
    from kathodos.workspace.view import View


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
