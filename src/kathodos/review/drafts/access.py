"""Reviews of access: a line is what can be taken from one person, a grant or a membership."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.dictionary import DictionaryColumn, Numbers, nothing
from kathodos.review.drafts.access_evidence import Evidence
from kathodos.review.drafts.draft import Asked, Draft, names_of_askers
from kathodos.review.drafts.holder_evidence import HolderEvidence
from kathodos.review.drafts.items import Items, beyond_items, items_of
from kathodos.review.drafts.standing_out import Facts, standing_out
from kathodos.review.lines import numbered
from kathodos.review.owners import owners_of_items
from kathodos.rules.reading import Rules


def draft_access(asked: Asked) -> Draft:
    """The lines of some identities, and of some accounts that are nobody's."""
    basis, index, chosen = asked.context.basis, asked.context.basis.index, asked.chosen
    items = items_of(index, chosen, basis.moment)
    evidence = evidence_of(asked, items)
    return Draft(
        items.asker,
        lambda: owners_of_items(basis, items),
        {**columns_of_items(asked, items, evidence), "thing": numbered(evidence.thing)},
        [numbered(evidence.used), *evidence.thing_columns()],
        beyond_items(index, chosen, items, basis.moment),
    )


def evidence_of(asked: Asked, items: Items) -> Evidence:
    """What stands beside some items, with the conflicts of whom they belong to."""
    mine = np.zeros(asked.context.basis.size, dtype=bool)
    mine[items.asker[items.asker >= 0]] = True
    return Evidence(asked.context, items, asked.conflicts.taken(mine[asked.conflicts.asker]))


def columns_of_items(asked: Asked, items: Items, evidence: Evidence) -> dict[str, DictionaryColumn]:
    """What the lines of some items say of the access and of who holds it."""
    basis, index, limits = asked.context.basis, asked.context.basis.index, asked.context.thresholds
    holder, known = HolderEvidence(basis, items, asked.found), _known(evidence, asked.rules)
    idle_after = np.array(limits.unused)[np.clip(evidence.sensitivity[evidence.thing], 0, 3)]
    stands_out, speaks = standing_out(
        Facts(known, evidence.used_at, evidence.watched, basis.moment, idle_after, limits.peer_share)
    )
    group = np.where(items.group >= 0, items.group, -1).astype(np.int32)
    return {
        "identity": names_of_askers(index.holders, items.asker),
        "holder": DictionaryColumn(items.holder.astype(np.int32), index.holders.references),
        "grant": DictionaryColumn(items.grant.astype(np.int32), index.grants.ids),
        "group": DictionaryColumn(group, index.holders.references),
        "peers_having": known["having"],
        "peers_counted": known["counted"],
        **{name: known[name] for name in ("needed_by", "conflicts", "fences", "status", "ends", "former")},
        "last_used": evidence.last_used(),
        "uses": evidence.uses(),
        **given_with(basis, items),
        "signed_in": holder.signed_in(),
        "risk": holder.risk(),
        "excess": holder.excess(),
        "redundant": _redundant(asked, items),
        "spoken": evidence.spoken(asked.rules.needs),
        "speaks": speaks,
        "stands_out": stands_out,
    }


def _redundant(asked: Asked, items: Items) -> DictionaryColumn:
    """Of which grants each, taken away alone, would be missed by nobody; nothing of memberships."""
    if asked.found.redundant is None:
        return nothing(len(items))
    is_it = np.zeros(len(asked.context.basis.index.grants) + 1, dtype=np.int32)
    is_it[asked.found.redundant] = 1
    return DictionaryColumn(np.where(items.grant >= 0, is_it[items.grant], np.int32(-1)), Numbers(np.array([0, 1])))


def _known(evidence: Evidence, rules: Rules) -> dict[str, DictionaryColumn]:
    """What is known of each line from which something may stand out, and the last day."""
    (having, counted), (status, ends, former) = evidence.peers(), evidence.of_whom()
    return {
        "having": numbered(having),
        "counted": numbered(counted),
        "recorded": evidence.recorded(),
        "needed_by": evidence.needed_by(rules.needs),
        "conflicts": evidence.taking_part(),
        "fences": evidence.crossing(rules.fences),
        "status": status,
        "ends": ends,
        "former": former,
    }


def given_with(basis: Basis, items: Items) -> Mapping[str, DictionaryColumn]:
    """Until when the grant of each item runs, who gave it, when and why; nothing with memberships."""
    named = {"until": "until", "given_by": "given_by", "given_at": "given_at", "given_for": "reason"}
    return {name: _of_grants(basis, items, of_grant) for name, of_grant in named.items()}


def _of_grants(basis: Basis, items: Items, name: str) -> DictionaryColumn:
    column = basis.grant(name)
    return DictionaryColumn(np.append(column.codes, np.int32(-1))[items.grant], column.values)
