"""An index of only some people and accounts: what bears on anybody else is left out.

Groups, roles, resources and what is granted to groups and to everyone stay as they are, so that whoever is kept
reaches exactly what it reaches in the whole. A question about few of a million is then asked of few.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kathodos.columns.csr import CSRList, Ints, csr_from_pairs, ints, reachable, small, union
from kathodos.columns.ordered import order_of
from kathodos.columns.strings import hashes_of, string_table
from kathodos.engine.compiled.compile import accounts_by_owner
from kathodos.engine.compiled.index import Grants, Holders, Index
from kathodos.model import kinds
from kathodos.model.references import reference_to
from kathodos.store.edited import Edits

_OF_NAMED_GROUPS = {kinds.GRANTS.name, kinds.MEMBERS.name}


def with_owners(holders: Holders, askers: Ints) -> tuple[Ints, Ints]:
    """The identities and accounts that some of them are together with: owners with all their accounts.

    Gives identities, and accounts by their number less that of the first; both in order.
    """
    owners = holders.owner[askers[askers >= holders.people] - holders.people]
    people = union(askers[askers < holders.people], owners[owners >= 0])
    owned = holders.accounts_of.all_of(people)
    return people, union(askers[askers >= holders.people], owned) - holders.people


def groups_touched(index: Index, edits: Edits) -> Ints | None:
    """The groups that edits name; None where others may come to have other members too."""
    if not {name for name, edit in edits.items() if len(edit)} <= _OF_NAMED_GROUPS:
        return None
    named = set()
    for name, edit in edits.items():
        for record in (*edit.gone, *edit.come):
            if name == kinds.GRANTS.name:
                named.add(str(record["holder"]))
            else:
                named |= {str(record["member"]), reference_to("group", record["system"], record["group"])}
    return ints(sorted({index.holders.find(it) for it in named if it.startswith("group:")} - {-1}))


def index_among(index: Index, people: Ints, accounts: Ints, groups: Ints | None = None) -> Index:
    """The index with only these identities and accounts, as `with_owners` gives them.

    Both are numbers in order, of accounts less that of the first. `groups`: those that edits will name, where grants to
    others that nobody here is in are left out too; None: all groups keep theirs.
    """
    old = index.holders
    rest = np.arange(old.first_group, old.size)
    kept = np.concatenate([people, accounts + old.people, rest]).astype(np.int64)
    number: Ints = np.full(old.size, -1, dtype=np.int32)
    number[kept] = np.arange(len(kept))
    holders = _holders(old, people, accounts, kept, number)
    bearing = kept
    if groups is not None:
        ahead = reachable(old.edges, np.concatenate([people, accounts + old.people, groups])).astype(np.int64)
        bearing = union(ahead, [old.everyone])
    positions = np.sort(index.holder_grants.all_of(bearing)).astype(np.int64)
    grants = _grants(index.grants, positions, number)
    every = np.arange(len(grants))
    return replace(
        index,
        holders=holders,
        grants=grants,
        entitlement_grants=csr_from_pairs(grants.entitlement, every, len(index.entitlements)),
        holder_grants=csr_from_pairs(grants.holder, every, holders.size),
    )


def _holders(old: Holders, people: Ints, accounts: Ints, kept: Ints, number: Ints) -> Holders:
    names = old.accounts.picked(accounts)
    owner = old.owner[accounts]
    logins = string_table(name.partition("/")[2] for name in names)
    hashes = hashes_of(logins.starts, logins.content)
    by_login = order_of(hashes)
    edges, why = _edges(old, kept, number)
    owned = np.where(owner >= 0, number[owner], -1)
    return replace(
        old,
        identities=old.identities.picked(people),
        accounts=names,
        owner=small(owned),
        is_enabled=old.is_enabled[accounts],
        is_active=old.is_active[people],
        starts=old.starts[people],
        ends=old.ends[people],
        rows=old.rows[people],
        account_rows=old.account_rows[accounts],
        edges=edges,
        why=why,
        members=edges.turned(len(kept)),
        accounts_of=accounts_by_owner(owned, len(people)),
        login_hashes=hashes[by_login],
        by_login=small(by_login),
    )


def _edges(old: Holders, kept: Ints, number: Ints) -> tuple[CSRList, Ints]:
    """The memberships of those who are kept, in the new numbers, and why each is one."""
    origin, positions = old.edges.positions(kept)
    return csr_from_pairs(origin, number[old.edges.items[positions]], len(kept)), old.why[positions]


def _grants(old: Grants, positions: Ints, number: Ints) -> Grants:
    return Grants(
        ids=old.ids.picked(positions),
        rows=old.rows[positions],
        holder=number[old.holder[positions]],
        entitlement=old.entitlement[positions],
        denies=old.denies[positions],
        tier=old.tier[positions],
        starts=old.starts[positions],
        ends=old.ends[positions],
    )
