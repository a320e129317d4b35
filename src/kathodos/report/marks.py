"""What is ordered of records, to be said wherever they appear: they stand until a gather finds it done."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Any

from kathodos.change.orders import Order, order_text, ordered_of, orders_about, pending_edits
from kathodos.engine.explain import Chain
from kathodos.model.kinds import BY_NAME, GRANTS, MEMBERS, Kind
from kathodos.model.words import plural
from kathodos.workspace.view import View


class Marks:
    """The pending orders of a view by the record that each is about."""

    def __init__(self, view: View) -> None:
        self.view = view

    @cached_property
    def _orders(self) -> Mapping[tuple[str, tuple[object, ...]], Order]:
        return ordered_of(self.view.stored)

    def of(self, kind: Kind, key: tuple[Any, ...]) -> str:
        """What is ordered of a record, in words; empty where nothing is."""
        order = self._orders.get((kind.name, key)) if self._orders else None
        return f"{order_text(order)} (order {order.number})" if order is not None else ""

    def of_grant(self, grant: str) -> str:
        """As `of`, of a grant."""
        return self.of(GRANTS, (grant,))

    def of_membership(self, member: str, group: str) -> str:
        """As `of`, of a membership, given by the references of both."""
        system, _, name = group.partition(":")[2].partition("/")
        return self.of(MEMBERS, (system, name, member))

    def of_chain(self, chain: Chain) -> list[str]:
        """What is ordered of anything that a chain is made of: once that is done, it leads nowhere."""
        found = [self.of_grant(chain.grant)]
        found += [
            self.of_membership(before, after)
            for before, after in zip(chain.holders, chain.holders[1:], strict=False)
            if after.startswith("group:")
        ]
        return [it for it in found if it]

    def of_reference(self, reference: str) -> str:
        """As `of`, of what a finding rests on: a grant, or `member in group`."""
        if reference.startswith("grant:"):
            return self.of_grant(reference.partition(":")[2])
        member, _, group = reference.partition(" in ")
        return self.of_membership(member, group) if group.startswith("group:") else ""

    def coming(self, kind: Kind) -> int:
        """How many records of a kind are ordered to come and are not there."""
        if self.view.assumed is not None:
            return 0
        return sum(it.before is None for it in pending_edits(self.view.stored).of(kind))

    def of_kind(self, kind: Kind) -> Mapping[tuple[object, ...], str]:
        """What is ordered of each record of a kind that something is ordered of, by key."""
        return {key: self.of(BY_NAME[name], key) for name, key in self._orders if name == kind.name}


def told_of_orders(view: View, *references: str) -> list[str]:
    """That orders are open about what an answer is about, where some are and they are not assumed to be carried out."""
    if view.assumed is not None:
        return []
    count = len(orders_about(view.stored, references))
    if not count:
        return []
    return [f"{plural(count, 'order is', 'orders are')} open about this: --assume orders answers as if carried out."]
