"""What somebody would need for one action on one resource: kits, groups, roles, and the permission alone."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec

from kathodos.columns.csr import distinct, ints
from kathodos.engine.compiled.index import Index
from kathodos.engine.explain import roles_permitting
from kathodos.model.references import reference_to
from kathodos.request.kits import Kit, KitEntry
from kathodos.rules.targets import entitlements_on

_MOST = 8  # roles, and groups, that are tried


class Candidate(msgspec.Struct, frozen=True):
    """Something that may give what is wanted: what it is called when it is asked for, and its entries."""

    name: str
    entries: Sequence[KitEntry]
    kit: Kit | None = None


def candidates(index: Index, node: int, action: int, kits: Sequence[Kit]) -> Iterator[Candidate]:
    """What may give an action on a node: kits that hold something like it, groups, roles, and the permission alone.

    Whether each does is for the engine to say: scopes, denials and gates are not looked at here.
    """
    system = index.system_of(node)
    roles = [reference_to("role", index.roles[it]) for it in roles_permitting(index, node, action, _MOST)]
    groups = list(_groups(index, node, action))
    for kit in kits:
        if any(it.system == system.name or it.gives in groups for it in kit.entries):
            yield Candidate(kit.name, kit.entries, kit)
    yield from (Candidate(it, [KitEntry(it)]) for it in (*groups, *roles))
    text = f"{index.actions[action][1]} {index.tree.addresses[node]}"
    yield Candidate(text, [KitEntry(text)])


def _groups(index: Index, node: int, action: int) -> Iterator[str]:
    """The groups filled by hand that were given what permits an action on a node, those given least first."""
    entitlements = entitlements_on(index, [action], ints([node]))
    grants = index.entitlement_grants.all_of(entitlements).astype(int)
    first = index.holders.first_group
    holders = distinct(index.grants.holder[grants]).tolist()
    groups = [it for it in holders if it >= first and it != index.holders.everyone]
    plain = [it for it in groups if not index.holders.filters[it - first]]
    plain.sort(key=lambda it: (len(index.holder_grants[it]), it))
    yield from (index.holders.references[it] for it in plain[:_MOST])
