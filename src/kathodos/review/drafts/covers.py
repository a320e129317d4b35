"""Reviews of covers: a line is a conflict that was left standing under a control."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from kathodos.analysis.evidence.held import Units
from kathodos.columns.csr import Ints, bools, ints
from kathodos.columns.dictionary import DictionaryColumn, dictionary_column
from kathodos.findings.conflicts.covers import HOLDS, Cover, Due
from kathodos.model.times import moment_text
from kathodos.review.drafts.draft import Asked, Draft, names_of_askers, things_of
from kathodos.review.drafts.holder_evidence import HolderEvidence, last_sign_in
from kathodos.review.drafts.standing_out import GONE, Sentences, Speaks
from kathodos.review.lines import numbered


def draft_covers(asked: Asked) -> Draft:
    """The lines of the covers that hold, of conflicts of some identities."""
    basis, holders, register = asked.context.basis, asked.context.basis.index.holders, asked.register
    wanted = set(asked.chosen.tolist())
    covers = [
        it
        for it in register.standing(basis.moment).values()
        if register.state(it, basis.moment) == HOLDS and holders.asker_with_name(it.identity) in wanted
    ]
    covers.sort(key=lambda it: (it.rule, it.identity))
    asker = ints(holders.asker_with_name(it.identity) for it in covers)
    nothing = np.full(len(covers), -1, dtype=np.int64)
    known = HolderEvidence(basis, Units(asker, asker, nothing, nothing), asked.found)
    rules = sorted({it.rule for it in covers})
    dues = {due.control.id: due for due in register.dues(basis.moment)}
    confirmed = [dues[it.control].last if it.control in dues else None for it in covers]
    columns = {
        "identity": names_of_askers(holders, asker),
        "holder": dictionary_column(holders.references[at] for at in asker.tolist()),
        "part": dictionary_column(it.rule for it in covers),
        "value": dictionary_column(it.control for it in covers),
        "thing": numbered(ints(rules.index(it.rule) for it in covers)),
        "conflicts": dictionary_column(it.rule for it in covers),
        "status": basis.asker("status").taken(asker),
        "ends": basis.asker("ends").taken(asker),
        "last_used": dictionary_column(confirmed),
        "until": dictionary_column(it.until for it in covers),
        "given_by": dictionary_column(it.covered_by for it in covers),
        "given_at": dictionary_column(it.covered_at for it in covers),
        "given_for": dictionary_column(it.reason for it in covers),
        "signed_in": last_sign_in(basis, asker),
        "risk": known.risk(),
        "excess": known.excess(),
    }
    stands_out, speaks = _standing_out(asked, covers, asker, columns, dues)
    columns |= {"stands_out": stands_out, "speaks": speaks}
    titles = {rule.id: rule.title for rule in asked.conflicts.rules}
    things = things_of([{"gives": it, "contains": [titles.get(it) or it]} for it in rules])
    owner = {it.id: holders.identities.find(it.owner) for it in register.controls.values()}
    owners = ints(owner.get(it.control, -1) for it in covers)
    return Draft(asker, lambda: owners, columns, things)


def _standing_out(
    asked: Asked,
    covers: Sequence[Cover],
    asker: Ints,
    columns: Mapping[str, DictionaryColumn],
    dues: Mapping[str, Due],
) -> tuple[DictionaryColumn, DictionaryColumn]:
    names = [rule.id for rule in asked.conflicts.rules]
    held = {
        (names[rule], at)
        for rule, at in zip(asked.conflicts.rule.tolist(), asked.conflicts.asker.tolist(), strict=True)
    }
    is_there = bools((it.rule, at) in held for it, at in zip(covers, asker.tolist(), strict=True))
    is_late = bools(it.control in dues and dues[it.control].is_late for it in covers)
    since = dictionary_column((moment_text(dues[it.control].due) if it.control in dues else "")[:10] for it in covers)
    said = Sentences({**columns, "due": since}, len(covers))
    said.add(columns["status"].holding_any(list(GONE)), Speaks.AGAINST, lambda it: GONE[str(it)], "status")
    said.add(~is_there, Speaks.AGAINST, "The conflict is not there any more; nothing is left to cover.")
    said.add(is_late, Speaks.AGAINST, "The control {} was to be confirmed by {}, and was not.", "value", "due")
    last = {name: due.last or "" for name, due in dues.items()}
    is_done = bools(last.get(it.control, "") >= it.covered_at for it in covers)  # not before there was this cover
    said.add(is_done & ~is_late, Speaks.FOR, "The control is carried out: confirmed on time.")
    return said.columns()
