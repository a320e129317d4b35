"""Whose reach some edits can bear on: the holders that they name, and everybody who counts as one of these."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from kathodos.columns.csr import Ints, distinct, ints, reachable
from kathodos.columns.strings import string_table
from kathodos.engine.compiled.index import Index
from kathodos.engine.decide import askers_with
from kathodos.model import kinds
from kathodos.model.references import reference_to
from kathodos.store.edited import Edits

_OF_HOLDERS = (*(it.name for it in (kinds.GRANTS, kinds.MEMBERS, kinds.IDENTITIES, kinds.ACCOUNTS, kinds.GROUPS)),)
_OF_ROLES = (kinds.ROLES.name, kinds.ROLE_JUNIORS.name, kinds.ROLE_PERMISSIONS.name)
# What somebody may hand out, and what a role was made of, is nothing that anybody reaches.
_OF_NOBODY = (kinds.MANDATES.name, kinds.ROLE_PARTS.name)
_KNOWN = {*_OF_HOLDERS, *_OF_ROLES, *_OF_NOBODY, kinds.AREAS.name}


def concerned(index: Index, moment: int, edits: Edits, more: Iterable[int] = ()) -> Ints | None:
    """The identities and accounts of an index that can reach otherwise by some edits; None where everybody can.

    `more`: further holders, by number, that something has happened to. The index may be that before the edits or the
    one after; who is there only in one of them is told by that one.
    """
    if not {name for name, edit in edits.items() if len(edit)} <= _KNOWN or _bears_on_all(index, edits):
        return None
    named = index.holders.numbers_of(string_table(_holders_named(edits)))
    holding = distinct(np.concatenate([named[named >= 0], ints(more), _given(index, edits)]))
    return counting_as(index, holding, moment)


def counting_as(index: Index, holding: Ints, moment: int) -> Ints:
    """Who counts as one of some holders: these themselves, whatever their status, members, and owners of accounts."""
    holders = index.holders
    own = holding[holding < holders.first_group]
    owner = holders.owner[own[own >= holders.people] - holders.people]
    return distinct(np.concatenate([askers_with(index, holding, moment), own, owner[owner >= 0]]))


def _bears_on_all(index: Index, edits: Edits) -> bool:
    """Whether a filter decides who is a member, or a system has an action that it had not."""
    groups = edits.get(kinds.GROUPS.name)
    if groups is not None and any(it["filter"] for it in (*groups.gone, *groups.come)):
        return True
    permissions = edits.get(kinds.ROLE_PERMISSIONS.name)
    come = [(it["system"], it["action"]) for it in permissions.come] if permissions is not None else []
    grants = edits.get(kinds.GRANTS.name)
    for record in grants.come if grants is not None else ():
        action, pattern = kinds.split_gives(str(record["gives"]))
        come += [(pattern.partition(":")[0], action)] if action else []
    return any(action != "*" and (system, action) not in index.action_number for system, action in come)


def _holders_named(edits: Edits) -> set[str]:
    """The holders whose reach records bear on by themselves."""
    return {
        reference
        for name in _OF_HOLDERS
        if name in edits
        for record in (*edits[name].gone, *edits[name].come)
        for reference in _bearing(name, record)
    }


def _bearing(name: str, record: Mapping[str, object]) -> Iterable[str]:
    if name == kinds.GRANTS.name:
        yield str(record["holder"])
    elif name == kinds.MEMBERS.name:
        yield str(record["member"])
    elif name == kinds.GROUPS.name:
        yield reference_to("group", record["system"], record["group"])
    elif name == kinds.IDENTITIES.name:
        yield reference_to("identity", record["id"])
    else:
        yield reference_to("account", record["system"], record["login"])
        if record["identity"]:
            yield reference_to("identity", record["identity"])


def _given(index: Index, edits: Edits) -> Ints:
    """The holders of grants that give an edited role or a senior of one, or that are on an edited area."""
    entitlements = np.zeros(len(index.entitlements), dtype=bool)
    named = {
        f"{record['system']}/{record['role']}"
        for name in _OF_ROLES
        if name in edits
        for record in (*edits[name].gone, *edits[name].come)
    }
    given = ints(index.entitlements.gives_texts.find(reference_to("role", it)) for it in named)
    entitlements |= np.isin(index.entitlements.gives, given[given >= 0])  # also of one that is not there
    roles = {index.roles.find(name) for name in named} - {-1}
    if roles:
        wanted = np.zeros(len(index.roles) + 1, dtype=bool)
        wanted[reachable(index.seniors, ints(sorted(roles)))] = True
        entitlements |= wanted[index.entitlements.role] & (index.entitlements.role >= 0)
    if kinds.AREAS.name in edits:
        areas = [record["area"] for record in (*edits[kinds.AREAS.name].gone, *edits[kinds.AREAS.name].come)]
        scopes = index.entitlements.scope_texts
        known = ints(scopes.find(reference_to("area", it)) for it in areas)
        entitlements |= np.isin(index.entitlements.scope, known[known >= 0])
    return distinct(index.grants.holder[index.entitlement_grants.all_of(entitlements.nonzero()[0])]).astype(np.int64)
