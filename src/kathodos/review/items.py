"""What a review decides about: the assignments of people that can be taken away.

An item is a grant that a person or one of its accounts holds, or a membership through which it holds what a group has
been given. What comes by a group's filter or from `everyone` cannot be taken from one person, so it is no item.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from kathodos.columns.csr import Ints, ints, reachable
from kathodos.engine.index import LISTED, Index


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


def items_of(index: Index, identity: int, moment: int) -> Iterator[Item]:
    """The items of one identity, grants first."""
    holders = index.holders
    own = [identity, *holders.accounts_of[identity].tolist()]
    for holder in own:
        for grant in _not_ended(index, np.array([holder]), moment).tolist():
            yield Item(identity, holder, ints([grant]), grant=index.grants.ids[grant])
    for holder in own:
        _, positions = holders.edges.positions(np.array([holder]))
        listed = positions[holders.why[positions] & LISTED > 0]
        for group in holders.edges.items[listed].tolist():
            grants = _not_ended(index, reachable(holders.edges, np.array([group])), moment)
            if len(grants):
                yield Item(identity, holder, grants, group=holders.references[group])


def _not_ended(index: Index, holders: Ints, moment: int) -> Ints:
    """The grants of the holders that are in force or will be, in order."""
    grants = np.sort(index.holder_grants.of(holders)[1]).astype(np.int64)
    return grants[moment < index.grants.ends[grants]]


def beyond_items(index: Index, identity: int, moment: int) -> int:
    """How many grants reach an identity only by a group's filter or from everyone, so that no item carries them."""
    own = np.concatenate([[identity], index.holders.accounts_of[identity]]).astype(np.int64)
    principals = np.append(reachable(index.holders.edges, own), index.holders.everyone)
    held = {grant for item in items_of(index, identity, moment) for grant in item.grants.tolist()}
    return len(set(_not_ended(index, principals, moment).tolist()) - held)
