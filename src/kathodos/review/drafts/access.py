"""Reviews of access: a line is what can be taken from one person, a grant or a membership."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.held import Units, beyond_units, units_of
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.columns.csr import Bools, Ints, among, distinct
from kathodos.columns.dictionary import DictionaryColumn, Numbers
from kathodos.findings.excess.batches import ExcessContext
from kathodos.findings.excess.peers import is_few
from kathodos.model.times import BEGINNING
from kathodos.review.drafts.access_evidence import Evidence
from kathodos.review.drafts.draft import Asked, Draft, names_of_askers
from kathodos.review.drafts.holder_evidence import HolderEvidence, moments_column
from kathodos.review.drafts.standing_out import Facts, standing_out
from kathodos.review.lines import numbered
from kathodos.review.owners import owners_of_items


def draft_access(asked: Asked) -> Draft:
    """The lines of some identities, and of some accounts that are nobody's."""
    basis, index, chosen = asked.context.basis, asked.context.basis.index, asked.chosen
    units = units_of(index, chosen, basis.moment)
    evidence = evidence_of(asked, units)
    return Draft(
        units.asker,
        lambda: owners_of_items(basis, units),
        {**columns_of_units(asked, units, evidence), "thing": numbered(evidence.thing)},
        [numbered(evidence.used), *evidence.thing_columns()],
        beyond_units(index, chosen, units, basis.moment),
    )


def evidence_of(asked: Asked, units: Units) -> Evidence:
    """What stands beside some units, with the conflicts of whom they belong to."""
    mine = np.zeros(asked.context.basis.size, dtype=bool)
    mine[units.asker[units.asker >= 0]] = True
    conflicts = asked.conflicts.taken(mine[asked.conflicts.asker])
    return Evidence(asked.context, units, conflicts, asked.rules.needs, asked.found.is_known)


def columns_of_units(asked: Asked, units: Units, evidence: Evidence) -> dict[str, DictionaryColumn]:
    """What the lines of some units say of the access and of who holds it."""
    basis, index = asked.context.basis, asked.context.basis.index
    holder, told, usual = HolderEvidence(basis, units, asked.found), evidence.of_units, evidence.usual
    group = np.where(units.group >= 0, units.group, -1).astype(np.int32)
    columns = {
        "identity": names_of_askers(index.holders, units.asker),
        "holder": DictionaryColumn(units.holder.astype(np.int32), index.holders.references),
        "grant": DictionaryColumn(units.grant.astype(np.int32), index.grants.ids),
        "group": DictionaryColumn(group, index.holders.references),
        "peers_having": numbered(usual.having),
        "peers_counted": numbered(usual.of),
        "all_having": _known(usual.all_having, usual.all_having >= 0),
        "all_counted": _known(usual.all_of, usual.all_having >= 0),
        "needed_by": evidence.needed_by(told.needed),
        "also_needed": evidence.needed_by(told.also_needed),
        "beyond": evidence.beyond(),
        "conflicts": evidence.taking_part(),
        "fences": evidence.crossing(asked.rules.fences),
        "former": evidence.former(),
        **dict(zip(("status", "ends"), evidence.of_whom(), strict=True)),
        "last_used": moments_column(told.used.last),
        "known_since": moments_column(np.where(told.time.since < basis.moment, told.time.since, BEGINNING)),
        "credited_at": moments_column(told.credited.last),
        "uses": _known(told.used.times, told.used.times > 0),
        "never": evidence.never(),
        "lost": numbered(told.adds),
        **given_with(basis, units),
        "signed_in": evidence.signed_in(),
        "risk": holder.risk(),
        "excess": holder.excess_of(asked.context.usage.thing_of(units)),
        "found": holder.excess(),
        "redundant": _redundant(told),
        "spoken": evidence.spoken(),
        "no_account": evidence.without_account(),
        "stands_by": evidence.stands_by(),
    }
    stands_out, speaks = standing_out(facts_of(asked.context, evidence, columns))
    return {**columns, "speaks": speaks, "stands_out": stands_out}


def facts_of(context: ExcessContext, evidence: Evidence, columns: Mapping[str, DictionaryColumn]) -> Facts:
    """What is known of each line from which something may stand out."""
    told, limits, usual = evidence.of_units, context.thresholds, evidence.usual
    beyond = told.beyond
    is_beyond_used = np.zeros(len(told.units), dtype=bool)
    width = max(len(context.basis.index.actions), 1)
    used = distinct(told.by_action.unit * width + told.by_action.action)
    is_beyond_used[beyond.unit[among(beyond.unit * width + beyond.action, used)]] = True
    to_come = dict(zip(("from", "to_come"), evidence.conflicts_to_come(), strict=True))
    return Facts(
        {**columns, "begins": evidence.begins(), **to_come},
        used=told.used_as_named.last,
        since=told.time.since,
        adds=told.adds,
        withholds=told.withholds,
        moment=context.basis.moment,
        idle_after=np.array(limits.unused)[np.clip(evidence.sensitivity, 0, 3)],
        is_few=is_few(limits, usual.having, usual.of) & usual.is_enough,
        is_usual=usual.is_enough & (4 * usual.having >= 3 * usual.of),
        counts=told.item >= 0,
        is_beyond_used=is_beyond_used,
    )


def _known(counts: Ints, which: Bools) -> DictionaryColumn:
    """Numbers as a column, some of them left out."""
    column = numbered(counts)
    return DictionaryColumn(np.where(which, column.codes, -1).astype(np.int32), column.values)


def _redundant(told: UnitEvidence) -> DictionaryColumn:
    """Without which units nothing would be lost or gained; nothing of those that give nothing now anyway."""
    codes = np.where(told.item >= 0, told.is_redundant, -1).astype(np.int32)
    return DictionaryColumn(codes, Numbers(np.array([0, 1])))


def given_with(basis: Basis, units: Units) -> Mapping[str, DictionaryColumn]:
    """Until when the grant of each unit runs, who gave it, when and why; nothing with memberships."""
    named = {"until": "until", "given_by": "given_by", "given_at": "given_at", "given_for": "reason"}
    return {name: _of_grants(basis, units, of_grant) for name, of_grant in named.items()}


def _of_grants(basis: Basis, units: Units, name: str) -> DictionaryColumn:
    column = basis.grant(name)
    return DictionaryColumn(np.append(column.codes, np.int32(-1))[units.grant], column.values)
