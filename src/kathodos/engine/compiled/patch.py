"""An index as it is with some edits: only what the edits touch is compiled anew.

Grants and memberships, of which there are most, are put in and taken out where they stand. What roles, actions, areas
and resources mean is compiled anew from their records where one of these is edited.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kathodos.columns.csr import csr_from_pairs
from kathodos.engine.compiled.compile import compile_index
from kathodos.engine.compiled.index import Index
from kathodos.engine.compiled.patch_grants import GrantChange, with_entitlements
from kathodos.engine.compiled.patch_holders import HolderChange
from kathodos.engine.compiled.policy import compile_policy
from kathodos.engine.compiled.resources import Resources, compile_resources
from kathodos.model import kinds
from kathodos.store.edited import Edit, Edits
from kathodos.store.records import Records

_RESOURCES = {kind.name for kind in (kinds.SYSTEMS, kinds.RESOURCES)}
_POLICY = _RESOURCES | {
    kind.name
    for kind in (kinds.ROLES, kinds.ROLE_JUNIORS, kinds.ROLE_PERMISSIONS, kinds.ACTIONS, kinds.AREAS, kinds.MANDATES)
}
_HOLDING = {kind.name for kind in (kinds.IDENTITIES, kinds.ACCOUNTS, kinds.GROUPS, kinds.MEMBERS)}


def updated(index: Index, edits: Edits, records: Records) -> Index:
    """The index with the edits; `records` are those with the edits made."""
    return patched(index, edits, records) or compile_index(records)


def patched(index: Index, edits: Edits, records: Records) -> Index | None:
    """As `updated`; None where it takes all records anew to tell."""
    touched = {name for name, edit in edits.items() if len(edit)}
    holders, numbers = index.holders, None
    if touched & _HOLDING:
        changing = HolderChange(index.holders, edits, records)
        if changing.needs_everything:
            return None
        holders, numbers = changing.holders(), changing.numbers
    change = GrantChange(index, holders, numbers, edits.get(kinds.GRANTS.name, Edit()))
    if change.may_take_an_action_along(records):
        return None
    holders = change.holders
    if touched & _POLICY or change.names_what_is_new:
        resources = Resources(index.tree, index.type_names, index.types, index.node_rows)
        if touched & _RESOURCES:
            resources = compile_resources(records)
        return compile_policy(
            records, resources, holders, change.grants, change.gives, change.scopes, change.entitlements
        )
    if touched:
        index = with_entitlements(index, change)
        index = replace(
            index,
            holders=holders,
            grants=change.grants,
            entitlement_grants=csr_from_pairs(
                change.grants.entitlement, np.arange(len(change.grants)), len(index.entitlements)
            ),
            holder_grants=csr_from_pairs(change.grants.holder, np.arange(len(change.grants)), holders.size),
        )
    return index
