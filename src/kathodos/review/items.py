"""What a review decides about: the assignments of people that can be taken away.

An item is a grant that a person or one of its accounts holds, or a membership through which it holds what a group has
been given. What comes by a group's filter or from `everyone` cannot be taken from one person, so it is no item.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from kathodos.access.arrays import Bools, Ints, ints, spread
from kathodos.access.index import Index
from kathodos.catalogue.store import Rows


@dataclass(frozen=True)
class Item:
    """One assignment of one person. `grants` are the numbers of the grants that it is or carries."""

    identity: int
    holder: int
    grants: Ints
    grant: str = ""
    group: str = ""

    def text(self, index: Index) -> str:
        """The item as it is kept: which record to end if it is revoked."""
        member = index.holders.references[self.holder]
        return json.dumps({"grant": self.grant} if self.grant else {"group": self.group, "member": member})


def items_of(index: Index, identity: int, memberships: set[tuple[str, str]], at: int) -> Iterator[Item]:
    """The items of one identity, grants first. `memberships` are the listed (member, group)."""
    holders = index.holders
    has_not_ended = at < index.grants.ends
    own = [identity, *holders.accounts_of[identity].tolist()]
    for holder in own:
        for grant in ((index.grants.holder == holder) & has_not_ended).nonzero()[0].tolist():
            yield Item(identity, holder, ints([grant]), grant=index.grants.ids[grant])
    for holder in own:
        for group in np.unique(holders.edges[holder]).tolist():
            reference = holders.references[group]
            above = spread(holders.edges, np.array([group]), holders.size)
            grants = (above[index.grants.holder] & has_not_ended).nonzero()[0]
            if len(grants) and (holders.references[holder], reference) in memberships:
                yield Item(identity, holder, grants, group=reference)


def beyond_items(index: Index, identity: int, memberships: set[tuple[str, str]], at: int) -> int:
    """How many grants reach an identity only by a group's filter or from everyone, so that no item carries them."""
    held: Bools = np.zeros(len(index.grants), dtype=bool)
    for item in items_of(index, identity, memberships, at):
        held[item.grants] = True
    own = np.concatenate([[identity], index.holders.accounts_of[identity]]).astype(np.int64)
    principals = spread(index.holders.edges, own, index.holders.size)
    principals[index.holders.everyone] = True
    return int((principals[index.grants.holder] & (at < index.grants.ends) & ~held).sum())


def listed_memberships(members: Rows) -> set[tuple[str, str]]:
    """The memberships that are listed, not computed, as (member, group) references."""
    return {
        (member, f"group:{system}/{group}")
        for system, group, member in zip(members["system"], members["group"], members["member"], strict=True)
    }
