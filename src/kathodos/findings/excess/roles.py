"""Roles and groups that nobody has, that nobody uses, or that are nearly the same as another."""

from __future__ import annotations

import numpy as np

from kathodos.analysis.exposure import matrix
from kathodos.columns.csr import (
    CSRList,
    Ints,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    ints,
    reachable,
    spread_each,
)
from kathodos.engine.decide import counted_as, who_has
from kathodos.findings.excess.batches import CERTAIN, Batch, Edit, ExcessContext, FindingText, batch, nobodys
from kathodos.findings.excess.use import UNUSED_ROLE, unused_roles
from kathodos.model.references import name_in, reference_to
from kathodos.model.words import plural

EMPTY_ROLE, EMPTY_GROUP, NEAR_ROLES, DOUBLED_ROLE = "empty-role", "empty-group", "near-roles", "doubled-role"
_FEWEST = 3  # permissions from which on two roles can be nearly the same; below they are the same or not


def empty_roles(context: ExcessContext) -> Batch:
    """Active roles that no live grant gives, themselves or as a junior of others, all of them active."""
    index, basis = context.basis.index, context.basis
    given = np.zeros(len(index.roles), dtype=bool)
    roles = index.entitlements.role[index.grants.entitlement[basis.live & ~index.grants.denies]]
    off = ~index.role_is_active[index.juniors.rows()]
    juniors = csr_from_pairs(index.juniors.rows()[~off], index.juniors.items[~off], len(index.roles))
    top = distinct(roles[roles >= 0]).astype(np.int64)
    given[reachable(juniors, top[index.role_is_active[top]])] = True
    found = (index.role_is_active & ~given).nonzero()[0].tolist()
    names = [reference_to("role", index.roles[role]) for role in found]
    texts = [
        FindingText(name, "no grant gives it, nor a role that has it below it", "Take it off.", (_off(name),))
        for name in names
    ]
    return nobodys(EMPTY_ROLE, names, texts, 0)


def _off(name: str) -> Edit:
    system, _, role = name_in("role", name).partition("/")
    return Edit("set", "roles", {"system": system, "role": role, "active": "false"})


def empty_groups(context: ExcessContext) -> Batch:
    """Groups with nobody in them, that have been given something."""
    holders = context.basis.index.holders
    inhabited = counted_as(holders, context.basis.moment)[holders.first_group : holders.everyone]
    given = context.exposure.group_entitlements.sizes()
    names, texts = [], []
    for group in ((given > 0) & ~inhabited).nonzero()[0].tolist():
        names.append(holders.references[holders.first_group + group])
        evidence = f"nobody who is there is in it; it gives {plural(int(given[group]), 'thing')}"
        texts.append(FindingText(names[-1], evidence, "Take it away, with what it was given.", ()))
    return nobodys(EMPTY_GROUP, names, texts, 0)


def unused(context: ExcessContext) -> Batch:
    """Roles that somebody has and nobody uses."""
    index = context.basis.index
    found = list(unused_roles(context))

    def name(at: int) -> str:
        return reference_to("role", index.roles[found[at][0]])

    def describe(at: int) -> FindingText:
        role, days = found[at]
        people = int(who_has(index, _holders(context, role), context.basis.moment)[: context.basis.people].sum())
        evidence = f"{plural(people, 'person has', 'people have')} it, and nobody has used it in {days} days"
        return FindingText(name(at), evidence, "Ask its owner what it is for; take it off.", (_off(name(at)),))

    nobody = np.full(len(found), -1, dtype=np.int64)
    stood = np.array([days for _, days in found], dtype=np.int64)
    return batch(UNUSED_ROLE, nobody, name, describe, 0, CERTAIN, stood)


def _holders(context: ExcessContext, role: int) -> Ints:
    """Who holds a live grant of a role."""
    index = context.basis.index
    entitlements = (index.entitlements.role == role).nonzero()[0]
    grants = index.entitlement_grants.all_of(entitlements).astype(np.int64)
    holders: Ints = distinct(index.grants.holder[grants[context.basis.live[grants]]]).astype(np.int64)
    return holders


def near_roles(context: ExcessContext) -> Batch:
    """Pairs of roles with nearly the same permissions, by the share of all of both that they have in common."""
    index = context.basis.index
    entry_list = _entry_lists(context)
    sizes = entry_list.sizes()
    ones = matrix(entry_list, max(len(index.entries), 1))
    common = (ones @ ones.T).tocoo()
    first, second = common.row, common.col
    share = common.data / (sizes[first] + sizes[second] - common.data)
    enough = (share >= context.thresholds.alike) & (np.minimum(sizes[first], sizes[second]) >= _FEWEST)
    pairs = (first < second) & (enough | (share == 1.0))
    names, texts = [], []
    for one, other, both in zip(
        first[pairs].tolist(), second[pairs].tolist(), common.data[pairs].tolist(), strict=True
    ):
        if _is_above(context, one, other) or _is_above(context, other, one):
            continue
        mine, yours = reference_to("role", index.roles[one]), reference_to("role", index.roles[other])
        whole = sizes[one] + sizes[other] - both
        how = "have the same" if both == whole else f"have {both} of {whole}"
        evidence = f"{mine} and {yours} {how} permissions" + (f" ({whole})" if both == whole else " in common")
        names.append(mine)
        remedy = (
            f"Put one in place of the other: kathodos role compare {index.roles[one]} {index.roles[other]} --replace"
        )
        texts.append(FindingText(yours, evidence, remedy, ()))
    return nobodys(NEAR_ROLES, names, texts, 0)


def doubled_roles(context: ExcessContext) -> Batch:
    """Roles of which every grant goes with one of another role to the same holder on the same scope.

    Told where that other role gives all of it anyway, so that these grants add nothing; and where both are always given
    together, so that one of them could take the other in.
    """
    index = context.basis.index
    given, ending = _given_where(context)
    together = matrix(given, max(int(given.items.max(initial=-1)) + 1, 1))
    common = (together @ together.T).tocoo()
    sizes, entry_lists = given.sizes(), _entry_lists(context)
    names, texts = [], []
    told: set[int] = set()
    always = (common.row != common.col) & (common.data >= sizes[common.row])  # each place of the one is of the other
    for one, other in zip(common.row[always].tolist(), common.col[always].tolist(), strict=True):
        if one in told or _is_above(context, one, other):
            continue
        mine, yours = reference_to("role", index.roles[one]), reference_to("role", index.roles[other])
        gives_all = np.isin(entry_lists[one], entry_lists[other]).all()
        if not gives_all and (sizes[one] != sizes[other] or one > other or _is_above(context, other, one)):
            continue
        told.add(one)
        count = plural(int(sizes[one]), "grant")
        end = tuple(Edit("end", "grants", {"grant": index.grants.ids[grant]}) for grant in ending[one].tolist())
        names.append(mine)
        if gives_all:
            evidence = f"each of its {count} goes with one of {yours} to the same holder, and that gives all of it"
            texts.append(FindingText(yours, evidence, "End its grants.", end))
        else:
            system, _, role = index.roles[other].partition("/")
            take_in = Edit("add", "role_juniors", {"system": system, "role": role, "junior": mine})
            evidence = f"it and {yours} are always given together, {count} each"
            texts.append(FindingText(yours, evidence, f"Let {yours} take it in, and end its grants.", (take_in, *end)))
    return nobodys(DOUBLED_ROLE, names, texts, 0)


def _given_where(context: ExcessContext) -> tuple[CSRList, CSRList]:
    """For each active role the places where it is given, a number for each holder, scope and period; and its grants."""
    index = context.basis.index
    grants = index.grants
    role = index.entitlements.role[grants.entitlement].astype(np.int64)
    plain = (context.basis.live & ~grants.denies & (grants.tier == 0) & (role >= 0)).nonzero()[0]
    plain = plain[index.role_is_active[role[plain]]]
    scope = index.entitlements.scope[grants.entitlement[plain]].astype(np.int64)
    where = np.stack([grants.holder[plain].astype(np.int64), scope, grants.starts[plain], grants.ends[plain]])
    _, place = np.unique(where, axis=1, return_inverse=True)
    count = len(index.roles)
    places = place.reshape(-1).astype(np.int64)
    width = int(places.max(initial=-1)) + 1
    if not len(places):
        return csr_from_pairs(ints([]), ints([]), count), csr_from_pairs(ints([]), ints([]), count)
    return csr_from_distinct(role[plain], places, count, width), csr_from_pairs(role[plain], plain, count)


def _entry_lists(context: ExcessContext) -> CSRList:
    """For each active role the permissions that it gives, juniors included."""
    index = context.basis.index
    active = index.role_is_active.nonzero()[0]
    below = spread_each(index.juniors, active)
    origin = active[below.rows()]
    kept = index.role_is_active[below.items]
    at, entry = index.role_entries.of(below.items[kept].astype(np.int64))
    if not len(entry):
        return csr_from_pairs(ints([]), ints([]), len(index.roles))
    return csr_from_distinct(origin[kept][at].astype(np.int64), entry, len(index.roles), len(index.entries))


def _is_above(context: ExcessContext, senior: int, junior: int) -> bool:
    return junior in reachable(context.basis.index.juniors, ints([senior])).tolist()
