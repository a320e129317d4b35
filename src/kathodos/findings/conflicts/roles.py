"""Roles that break a rule by themselves: whoever gets one is in conflict. Told once, as the role's fault."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Bools, Ints, distinct, ints, reachable, spread_each
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import Index
from kathodos.engine.compiled.patch import updated
from kathodos.engine.decide import who_has
from kathodos.engine.reach import grants_of, what_grants_give
from kathodos.findings.conflicts.states import Conflict, Conflicts, broken_by
from kathodos.model.kinds import GRANTS
from kathodos.model.references import reference_to
from kathodos.rules.reading import Conflicting, Duty
from kathodos.rules.targets import PermissionTargets, entitlements_permitting
from kathodos.store.edited import Edit, edited

_TRIAL = "trial of "


class RoleConflict(msgspec.Struct, frozen=True):
    """A role that holds too many duties of a rule; no junior of it does, or only its seniors. `askers` have it so."""

    rule: Conflicting
    role: int
    duties: tuple[Duty, ...]
    askers: Ints


def roles_at_fault(basis: Basis, rules: Sequence[Conflicting], of: int | None = None) -> list[RoleConflict]:
    """Every role that breaks a rule by itself, by rule and then role. `of`: only roles that this identity has."""
    looked_at = basis.index.role_is_active if of is None else _roles_of(basis, of)
    index = _with_every_role(basis, looked_at)
    targets = PermissionTargets(Basis(basis.records, index, basis.moment))
    permitting = _permitting(index)
    whole = (index.entitlements.role >= 0) & (index.entitlements.scope < 0) & (permitting >= 0)
    if of is not None:
        names = (index.roles[role] for role in looked_at.nonzero()[0].tolist())
        whole &= np.isin(index.entitlements.role, [index.roles.find(name) for name in names])
    found = []
    for rule in rules:
        alone: dict[int, tuple[Duty, ...]] = {}
        for entitlement in _candidates(targets, rule, whole):
            broken = broken_by(targets, rule, what_grants_give(index, permitting[[entitlement]]))
            if broken:
                alone[int(index.entitlements.role[entitlement])] = broken[0]
        for role in _told_of(index, sorted(alone)):
            number = basis.index.roles.find(index.roles[role])
            found.append(RoleConflict(rule, number, alone[role], _who_breaks_by(basis, rule, number)))
    return found


def _roles_of(basis: Basis, identity: int) -> Bools:
    """The roles that an identity has: those its grants give, and their juniors."""
    index = basis.index
    grants = grants_of(index, identity, basis.moment)
    given = index.entitlements.role[index.grants.entitlement[grants[~index.grants.denies[grants]]]]
    found = np.zeros(len(index.roles), dtype=bool)
    found[reachable(index.juniors, distinct(given[given >= 0]).astype(np.int64))] = True
    return found


def marked(basis: Basis, found: Iterable[Conflict], faults: Sequence[RoleConflict]) -> Iterator[Conflict]:
    """The conflicts, each with the roles that alone give it."""
    by: dict[str, list[RoleConflict]] = {}
    for fault in faults:
        by.setdefault(fault.rule.id, []).append(fault)
    for conflict in found:
        of = [fault for fault in by.get(conflict.rule.id, ()) if _is_among(conflict.asker, fault.askers)]
        roles = tuple(reference_to("role", basis.index.roles[fault.role]) for fault in of)
        yield replace(conflict, roles=roles) if roles else conflict


def _is_among(asker: int, some: Ints) -> bool:
    """Whether an asker is one of some, given in order."""
    at = int(insertion_points(some, asker))
    return at < len(some) and int(some[at]) == asker


def with_roles(conflicts: Conflicts, faults: Sequence[RoleConflict]) -> Conflicts:
    """The conflicts, with those told apart that a role alone gives."""
    by_role = np.zeros(len(conflicts), dtype=bool)
    number = {rule.id: at for at, rule in enumerate(conflicts.rules)}
    for fault in faults:
        here = (conflicts.rule == number[fault.rule.id]).nonzero()[0]
        by_role[here[np.isin(conflicts.asker[here], fault.askers)]] = True
    return replace(conflicts, by_role=by_role)


def _with_every_role(basis: Basis, roles: Bools) -> Index:
    """The index with a grant of each of these active roles on everything; what nobody has been given so is added."""
    index = basis.index
    unscoped = index.entitlements.role[(index.entitlements.scope < 0) & (_permitting(index) >= 0)]
    missing = np.setdiff1d((index.role_is_active & roles).nonzero()[0], unscoped)
    blank = dict.fromkeys(GRANTS.names)
    to_everyone = {"holder": "everyone", "effect": "permit", "tier": 0, "until": "0001-01-01"}
    come = [
        {**blank, **to_everyone, "grant": f"{_TRIAL}{name}", "gives": reference_to("role", name)}
        for name in (index.roles[role] for role in missing.tolist())
    ]
    edits = {GRANTS.name: Edit(come=come)}
    return updated(index, edits, edited(basis.records, edits)) if come else index


def _told_of(index: Index, alone: Sequence[int]) -> list[int]:
    """Of roles of which each breaks a rule alone, those of which it is told: that have no such junior.

    Of roles that are each other's juniors it is told of the first.
    """
    below = spread_each(index.juniors, ints(alone))
    juniors = {role: set(below[at].tolist()) for at, role in enumerate(alone)}
    return [
        role
        for role in alone
        if not any(role not in juniors[it] or it < role for it in (juniors[role] & juniors.keys()) - {role})
    ]


def _permitting(index: Index) -> Ints:
    """For each entitlement a grant that permits it, live or not; -1 where there is none."""
    found = np.full(len(index.entitlements), -1, dtype=np.int64)
    grants = (~index.grants.denies).nonzero()[0]
    found[index.grants.entitlement[grants]] = grants
    return found


def _candidates(targets: PermissionTargets, rule: Conflicting, whole: Bools) -> list[int]:
    """The entitlements of a role on everything that permit something of enough duties."""
    counts = np.zeros(len(whole), dtype=np.int64)
    for duty in rule.duties:
        counts[entitlements_permitting(targets, (*duty.permissions, *duty.every))] += 1
    return [int(entitlement) for entitlement in (whole & (counts >= rule.threshold)).nonzero()[0]]


def _who_breaks_by(basis: Basis, rule: Conflicting, role: int) -> Ints:
    """Who breaks the rule by a grant of the role, or of one senior to it, alone."""
    index, targets = basis.index, PermissionTargets(basis)
    seniors = set(reachable(index.seniors, ints([role])).tolist())
    found = np.zeros(basis.size, dtype=bool)
    for entitlement in np.isin(index.entitlements.role, list(seniors)).nonzero()[0].tolist():
        grants = index.entitlement_grants[entitlement].astype(np.int64)
        grants = grants[basis.live[grants] & ~index.grants.denies[grants]]
        if len(grants) and broken_by(targets, rule, what_grants_give(index, grants[:1])):
            found |= who_has(index, distinct(index.grants.holder[grants]).astype(np.int64), basis.moment)
    if rule.excepted is not None:
        found &= ~basis.selected(rule.excepted)
    askers: Ints = (found & index.holders.is_asker).nonzero()[0]
    return askers
