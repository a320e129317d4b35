"""The facts that stand beside a line of a review, so that whoever decides knows what it is about."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from kathodos.analysis.snapshot import Snapshot
from kathodos.columns.csr import Bools
from kathodos.engine.decide import who_has
from kathodos.engine.explain import grants_behind
from kathodos.engine.reach import Reached, one_per_answer, what_grants_give
from kathodos.findings.conflicts.states import Conflict
from kathodos.model import times
from kathodos.model.rows import State
from kathodos.review.items import Item
from kathodos.rules.reading import Need, Permission
from kathodos.rules.targets import PermissionTargets


@dataclass(frozen=True)
class Evidence:
    """Facts about one item, as they are kept with the line. Shares are (how many have it, of how many)."""

    gives: str
    how: str
    brings: list[str]
    contains: list[str]
    needed_by: list[str]
    everyone: tuple[int, int]
    peers: tuple[int, int]
    last_used: str | None
    conflicts: list[str]
    until: str | None
    given_by: str | None
    given_at: str | None
    given_for: str | None

    def record(self) -> dict[str, Any]:
        return vars(self)


class Witness:
    """Gathers the evidence for items; what many items ask for is computed once."""

    def __init__(self, snapshot: Snapshot, state: State, needs: Sequence[Need], conflicts: list[Conflict]) -> None:
        self.snapshot = snapshot
        self.state = state
        self.index = snapshot.index
        self.needs = needs
        self.moment = snapshot.moment
        self.people = snapshot.people
        self.conflicts: dict[int, list[Conflict]] = {}
        for conflict in conflicts:
            self.conflicts.setdefault(conflict.identity, []).append(conflict)
        self._having: dict[object, Bools] = {}
        self._behind: dict[tuple[int, str], set[int]] = {}

    def about(self, item: Item) -> Evidence:
        """The evidence about one item."""
        having = self.having(item)
        row = self.grant_row.get(item.grant)
        grants = self.state["grants"]

        def said(column: str) -> str | None:
            return grants[column][row] if row is not None else None

        return Evidence(
            gives=self.gives(item),
            how=self.how(item),
            brings=sorted({self.given(grant) for grant in item.grants.tolist()}) if item.group else [],
            contains=self.contains(item),
            needed_by=self.needed_by(item),
            everyone=(int((having & self.counted).sum()), int(self.counted.sum())),
            peers=(int((having & self.peers(item.identity)).sum()), int(self.peers(item.identity).sum())),
            last_used=self.last_used(item),
            conflicts=self.taking_part(item),
            until=said("until"),
            given_by=said("given_by"),
            given_at=said("given_at"),
            given_for=said("reason"),
        )

    @cached_property
    def grant_row(self) -> dict[str, int]:
        return {grant: at for at, grant in enumerate(self.state["grants"]["grant"])}

    @cached_property
    def counted(self) -> Bools:
        """Everybody: the people that have not left. Services and agents are no measure for people."""
        people = self.state["identities"]
        is_counted = [
            kind == "person" and status != "left" for kind, status in zip(people["kind"], people["status"], strict=True)
        ]
        return np.array(is_counted, dtype=bool)

    def peers(self, identity: int) -> Bools:
        """Those counted with the same department and title, the identity itself included."""
        people = self.state["identities"]
        position = list(zip(people["department"], people["title"], strict=True))
        same = np.array([other == position[identity] for other in position], dtype=bool)
        same &= self.counted
        same[identity] = True
        return same

    def gives(self, item: Item) -> str:
        if item.group:
            return item.group
        deny = "deny " if self.index.grants.denies[item.grants[0]] else ""
        return deny + self.given(int(item.grants[0]))

    def given(self, grant: int) -> str:
        """The role or permission that a grant gives, and on what."""
        scope = self.index.scope(grant)
        return self.index.gives(grant) + (f" on {scope}" if scope else "")

    def how(self, item: Item) -> str:
        """In words: directly, through an account, through which groups."""
        references = self.index.holders.references
        by = f"through {references[item.holder]}" if item.holder != item.identity else "directly"
        if not item.group:
            return by
        holders = sorted({references[holder] for holder in self.index.grants.holder[item.grants]} - {item.group})
        member = "as a direct member" if by == "directly" else f"{by} as a member"
        return member + (f"; the group is within {', '.join(holders)}" if holders else "")

    def contains(self, item: Item) -> list[str]:
        """The permissions in it, each once, what is denied last."""
        index, texts = self.index, set()
        for grant in item.grants.tolist():
            for entry in index.scoped_entry[index.entitlements.scoped[index.grants.entitlement[grant]]].tolist():
                permission = index.entries[entry]
                denies = bool(index.grants.denies[grant]) or permission.denies
                texts.add((denies, f"{'never ' if denies else ''}{permission.action} {permission.pattern}"))
        return [text for _, text in sorted(texts)]

    def having(self, item: Item) -> Bools:
        """Who has the same by whatever way: the same role or permission on the same scope, or the group."""
        index = self.index
        key: object = item.group or int(index.grants.entitlement[item.grants[0]])
        if key not in self._having:
            if item.group:
                holding = np.array([index.holders.find(item.group)])
            else:
                grants = index.entitlement_grants[index.grants.entitlement[item.grants[0]]]
                same = index.grants.denies[grants] == index.grants.denies[item.grants[0]]
                holding = index.grants.holder[grants[same & (self.moment < index.grants.ends[grants])]]
            self._having[key] = who_has(index, holding, self.moment)[: self.people]
        return self._having[key]

    def needed_by(self, item: Item) -> list[str]:
        """The need rules for this identity of which the item gives at least one permission."""
        rules = [need for need, mask in zip(self.needs, self.need_masks, strict=True) if mask[item.identity]]
        given = {reached.system.name: reached for reached in what_grants_give(self.index, item.grants)} if rules else {}
        return [need.id for need in rules if any(self.is_given(given, permission) for permission in need.must)]

    def is_given(self, given: dict[str, Reached], permission: Permission) -> bool:
        """Whether what is given, by system, holds the permission anywhere that it applies."""
        reached = given.get(permission.pattern.system)
        if not reached:
            return False
        actions, nodes = self.targets.of_permission(permission)
        first, root = reached.system.actions[0], reached.system.root
        return any(bool(reached.may[action - first, nodes - root].any()) for action in actions)

    @cached_property
    def need_masks(self) -> list[Bools]:
        return [self.snapshot.selected(need.who) for need in self.needs]

    @cached_property
    def targets(self) -> PermissionTargets:
        return PermissionTargets(self.snapshot)

    def taking_part(self, item: Item) -> list[str]:
        """The rules of the conflicts to which the item contributes."""
        mine = set(item.grants.tolist())
        return sorted(
            {conflict.rule.id for conflict in self.conflicts.get(item.identity, ()) if self.behind(conflict) & mine}
        )

    def behind(self, conflict: Conflict) -> set[int]:
        """The grants that give its identity the duties of a conflict."""
        key = (conflict.identity, conflict.rule.id)
        if key not in self._behind:
            found: set[int] = set()
            for duty in conflict.duties:
                for action, nodes in self.targets.of_duty(duty, conflict.rule.within, conflict.values):
                    for node in one_per_answer(self.index, nodes):
                        found |= set(grants_behind(self.index, conflict.identity, node, action, self.moment).tolist())
            self._behind[key] = found
        return self._behind[key]

    def last_used(self, item: Item) -> str | None:
        """The newest use: as the source says of a grant, or as activity shows of what the item gives."""
        moments = [self.state["grants"]["last_used"][self.grant_row[self.index.grants.ids[at]]] for at in item.grants]
        uses, mine = self.snapshot.uses, self.snapshot.uses.by_user[item.identity]
        for reached in what_grants_give(self.index, item.grants) if len(mine) else ():
            system = reached.system
            here = mine[(system.root <= uses.node[mine]) & (uses.node[mine] < system.end)]
            within = reached.may[uses.action[here] - int(system.actions[0]), uses.node[here] - system.root]
            moments += [times.moment_text(int(time)) for time in uses.time[here[within]].tolist()]
        return max((time for time in moments if time), key=times.first_moment, default=None)
