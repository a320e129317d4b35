"""What is said of records wherever they appear: what is ordered of them, until a gather finds it done, and by what
they stand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Any

from kathodos.change.edit_sets import key_text
from kathodos.change.orders import Order, order_text, ordered_of, orders_about, pending_edits
from kathodos.change.standing import last_certified, standings
from kathodos.engine.explain import Chain
from kathodos.model.kinds import BY_NAME, GRANTS, MEMBERS, Kind
from kathodos.model.references import key_of_membership
from kathodos.model.rows import Record
from kathodos.model.words import plural
from kathodos.workspace.view import View

Keyed = tuple[Kind, tuple[Any, ...]]  # a kind, and the key of a record of it


class Marks:
    """The pending orders of a view by the record that each is about, and by what records stand."""

    def __init__(self, view: View) -> None:
        self.view = view
        self._standings: dict[tuple[str, tuple[Any, ...]], str] = {}

    @cached_property
    def _orders(self) -> Mapping[tuple[str, tuple[object, ...]], Order]:
        return ordered_of(self.view.stored)

    def of(self, kind: Kind, key: tuple[Any, ...]) -> str:
        """What is ordered of a record, in words; empty where nothing is."""
        order = self._orders.get((kind.name, key)) if self._orders else None
        return f"{order_text(order)} (order {order.number})" if order is not None else ""

    def stands(self, kind: Kind, key: tuple[Any, ...]) -> str:
        """By what a record stands, in words: a request and its kit, or a change; empty where neither gave it."""
        if kind not in (GRANTS, MEMBERS):
            return ""
        if (kind.name, key) not in self._standings:
            self._learn([(kind, key)])
        return self._standings[kind.name, key]

    def _learn(self, some: Sequence[Keyed]) -> None:
        found = standings(self.view.stored, some)
        for kind, key in some:
            standing = found.get((kind.name, key_text(key)))
            self._standings[kind.name, key] = standing.text if standing is not None else ""

    def certified(self, kind: Kind, record: Record, asker: str) -> str:
        """When a grant or a membership of somebody was certified last, in words; empty where it never was."""
        found = last_certified(self.view.stored, kind, record, asker) if kind in (GRANTS, MEMBERS) else None
        return found.text if found is not None else ""

    def of_grant(self, grant: str) -> str:
        """As `of`, of a grant."""
        return self.of(GRANTS, (grant,))

    def of_membership(self, member: str, group: str) -> str:
        """As `of`, of a membership, given by the references of both."""
        return self.of(MEMBERS, key_of_membership(member, group))

    def of_chain(self, chain: Chain) -> list[str]:
        """What is ordered of anything that a chain is made of: once that is done, it leads nowhere."""
        found = [self.of_grant(chain.grant)]
        found += [
            self.of_membership(before, after)
            for before, after in zip(chain.holders, chain.holders[1:], strict=False)
            if after.startswith("group:")
        ]
        return [it for it in found if it]

    def of_any(self, records: Sequence[Keyed]) -> str:
        """As `of`, of the first of some records of which anything is ordered."""
        return next((it for it in (self.of(*record) for record in records) if it), "")

    def stand_by(self, several: Sequence[Sequence[Keyed]]) -> list[str]:
        """As `stands`, of the first of each of several lots of records of which that is known."""
        self._learn([it for some in several for it in some])
        return [next((it for it in (self.stands(*record) for record in some) if it), "") for some in several]

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
