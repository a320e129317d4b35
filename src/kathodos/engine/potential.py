"""What an asker could reach by using what it reaches: the least fixed point of giving itself what it may give.

A step is one of four: by a mandate it gives itself a role; where it may administer a resource of the type `group`,
`role` or `grants`, it joins that group (if it has no filter), puts every permission of the system into that role (if
it has it), or gives itself every permission on what lies at and below the parent of that resource. Each step is an
edit of the catalogue, and what it opens is decided as everything else is; what is put into a role counts through each
grant that gives the role, with that grant's scope, effect and tier.

A role or a group that also denies is tried by itself on top of the rest: nobody has to take what takes something
away.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Ints, among, distinct, reachable
from kathodos.columns.intervals import Intervals, united, without
from kathodos.engine.compiled.index import Index, Mandate, System
from kathodos.engine.compiled.patch import updated
from kathodos.engine.decide import direct_principals, principals_of
from kathodos.engine.explain import explain
from kathodos.engine.reach import Reached, grants_of, what_reached_by
from kathodos.model import kinds
from kathodos.model.addresses import Pattern, names_in, parse_address, segment_expression
from kathodos.model.carried import carried
from kathodos.model.filters import parse_filter
from kathodos.model.references import name_in, reference_to
from kathodos.model.rows import Record
from kathodos.store.attributes import AttributeColumns
from kathodos.store.edited import Edit, Edits, edited
from kathodos.store.records import InMemory, Records

GIVES, JOINS, WIDENS, GRANTS = "gives itself", "joins", "widens", "grants itself"
ADMINISTERED = ("group", "role", "grants")
_MARK = "step-"


class Step(msgspec.Struct, frozen=True):
    """One thing the asker does. `by`: what allows it; `round`: after how many rounds of steps it becomes possible."""

    number: int
    kind: str
    what: str
    scope: str | None
    by: str
    round: int
    denies: bool
    mandate: str | None = None
    node: int = -1
    action: int = -1

    @property
    def text(self) -> str:
        """The step in words."""
        return f"{self.kind} {self.what}" + (f" on {self.scope}" if self.scope else "")


class Potential(msgspec.Struct, frozen=True):
    """What the asker reaches now, what it could, and the steps, in the order in which they become possible."""

    now: list[Reached]
    could: list[Reached]
    steps: list[Step]


def potential_reach(index: Index, records: Records, asker: int, moment: int) -> Potential:
    """What an identity, or an account on its own, could reach at a moment by steps it can take itself."""
    climb = _Climb(index, records, asker, moment)
    return Potential(climb.reached[0], climb.reached[-1], list(climb.steps.values()))


def way_to(index: Index, records: Records, asker: int, node: int, action: int, moment: int) -> list[Step] | None:
    """The steps by which the asker comes to reach the action on the node: none if it does now, None if it never can."""
    climb = _Climb(index, records, asker, moment)
    system = index.system_of(node)
    for number, reached in enumerate(climb.reached):
        if any(it.system.name == system.name and it.holds(int(action - system.actions[0]), node) for it in reached):
            found: dict[int, Step] = {}
            climb.collect(node, action, number, found)
            return sorted(found.values(), key=lambda step: (step.round, step.number))
    return None


class _Climb:
    """Rounds of steps until none is new. `reached[n]` is what is reached after n rounds, on `indexes[n]`."""

    def __init__(self, index: Index, records: Records, asker: int, moment: int) -> None:
        self.index = index
        self.records = records
        self.asker = asker
        self.moment = moment
        self.steps: dict[tuple[str, str, str | None], Step] = {}
        self._names: dict[int, tuple[str, str, str]] = {}
        self.direct = direct_principals(index, asker, moment).tolist()
        self.indexes = [index]
        self.singles: list[list[tuple[Step, Index]]] = [[]]
        self.reached = [what_reached_by(index, asker, moment)]
        while self.direct and self._take(list(self._possible())):
            taken = [step for step in self.steps.values() if not step.denies]
            index, records = self._with(self.index, self.records, taken, taken)
            self.indexes.append(index)
            alone = [step for step in self.steps.values() if step.denies]
            self.singles.append([(it, self._with(index, records, [it], [*taken, it])[0]) for it in alone])
            every = [self.indexes[-1], *(single for _, single in self.singles[-1])]
            self.reached.append(_together([self.reached[-1], *(what_reached_by(one, asker, moment) for one in every)]))

    def _take(self, steps: list[Step]) -> bool:
        """Adds the steps that are new; whether there were any."""
        before = len(self.steps)
        for step in steps:
            self.steps.setdefault((step.kind, step.what, step.scope), step)
        return len(self.steps) > before

    def _with(self, index: Index, records: Records, steps: list[Step], every: list[Step]) -> tuple[Index, Records]:
        """An index and the records after some steps more; `every`: these, and those that were taken before.

        A widened role gives the more through every grant by which the asker has it.
        """
        grants = [self._grant(step) for step in steps if step.kind in (GIVES, GRANTS)]
        members = [self._member(step) for step in steps if step.kind == JOINS]
        index, records = _edited(index, records, grants, members)
        widened = (grant for step in every if step.kind == WIDENS for grant in self._widened(step, index))
        more = [grant for grant in widened if index.grants.ids.find(grant["grant"]) < 0]
        return _edited(index, records, more, []) if more else (index, records)

    def _widened(self, step: Step, index: Index) -> Iterator[Record]:
        """What a widened role gives the asker: the more, as each grant that gives it the role would."""
        role = name_in("role", step.what)
        for grant in self._giving(index, role):
            effect = "deny" if index.grants.denies[grant] else "permit"
            yield {
                **self._grant(step),
                "grant": f"{_MARK}{step.number}/{index.grants.ids[grant]}",
                "gives": f"* {role.partition('/')[0]}:/**",
                "on": index.scope(grant),
                "effect": effect,
                "tier": int(index.grants.tier[grant]),
            }

    @property
    def _self(self) -> str:
        return self.index.holders.references[self.direct[0]]

    def _grant(self, step: Step) -> Record:
        grant = dict.fromkeys(kinds.GRANTS.names)
        own_grant = {"holder": self._self, "gives": step.what, "on": step.scope, "effect": "permit", "tier": 0}
        return {**grant, **own_grant, "grant": f"{_MARK}{step.number}"}

    def _member(self, step: Step) -> Record:
        system, _, group = name_in("group", step.what).partition("/")
        return {"system": system, "group": group, "member": self._self}

    # What is possible next

    def _possible(self) -> Iterator[Step]:
        """The steps that what is reached so far allows."""
        number, known = len(self.steps), set(self.steps)
        for kind, what, scope, more in (*self._by_mandates(), *self._by_administering()):
            if (kind, what, scope) not in known:
                known.add((kind, what, scope))
                yield Step(number, kind, what, scope, round=len(self.reached) - 1, **more)
                number += 1

    def _principals(self) -> Ints:
        """Everybody as whom the asker counts by now."""
        found = [principals_of(index, self.asker, self.moment) for index in self._indexes()]
        return distinct(np.concatenate(found))

    def _indexes(self) -> list[Index]:
        return [self.indexes[-1], *(index for _, index in self.singles[-1])]

    def _by_mandates(self) -> Iterator[tuple[str, str, str | None, Record]]:
        principals = self._principals()
        for mandate in self.index.mandates:
            holder = self.index.holders.find(mandate.holder)
            if (
                mandate.may_give
                and holder >= 0
                and among(np.array([holder]), principals)[0]
                and self._receives(mandate)
            ):
                scope = reference_to("area", mandate.area) if mandate.area else None
                for role in self._roles(mandate.roles):
                    more = {"by": f"the mandate of {mandate.holder}", "mandate": mandate.holder}
                    yield (
                        GIVES,
                        reference_to("role", self.index.roles[role]),
                        scope,
                        {**more, "denies": self._denies(role)},
                    )

    def _receives(self, mandate: Mandate) -> bool:
        """Whether the asker is among those to whom the mandate lets roles be given."""
        if not mandate.receivers:
            return True
        return self._record is not None and bool(self._record.selected(parse_filter(mandate.receivers))[0])

    @cached_property
    def _record(self) -> AttributeColumns | None:
        if self.asker >= self.index.holders.people:
            return None
        rows = self.records.some(kinds.IDENTITIES, [int(self.index.holders.rows[self.asker])])
        return AttributeColumns(InMemory({rows.kind.name: rows}), rows.kind)

    def _roles(self, patterns: tuple[str, ...]) -> list[int]:
        fits = [segment_expression(name_in("role", pattern)).fullmatch for pattern in patterns]
        return [at for at, name in enumerate(self.index.roles) if any(fit(name) for fit in fits)]

    def _denies(self, role: int) -> bool:
        """Whether the role or one of its juniors carries a deny."""
        below = reachable(self.index.juniors, np.array([role]))
        return bool(self.index.entries.denies[self.index.role_entries.all_of(below)].any())

    def _may_join(self, group: str) -> bool:
        """Whether members are put into the group by hand, and the asker is not in it already."""
        holders, number = self.index.holders, self.index.holders.find(group)
        if number < 0 or holders.filters[number - holders.first_group]:
            return False
        return not among(np.array([number]), self._at_first)[0]

    @cached_property
    def _at_first(self) -> Ints:
        """Everybody as whom the asker counts before any step."""
        return principals_of(self.index, self.asker, self.moment)

    def _brings_denial(self, group: str) -> bool:
        """Whether the group, or one that it is in, has been given something that denies."""
        index = self.index
        above = reachable(index.holders.edges, np.array([index.holders.find(group)]))
        grants = index.holder_grants.all_of(above)
        scoped = index.entitlements.scoped.all_of(distinct(index.grants.entitlement[grants]))
        return bool(index.grants.denies[grants].any() or index.entries.denies[index.scoped_entry[scoped]].any())

    def _by_administering(self) -> Iterator[tuple[str, str, str | None, Record]]:
        for node, action in self._administered():
            kind, what, name = self._named_at(node)
            if (kind, what, None) in self.steps:
                continue
            more = {"by": f"{self.index.actions[action][1]} on {self.index.tree.addresses[node]}", "denies": False}
            more |= {"node": node, "action": action}
            if kind == JOINS and self._may_join(what):
                yield kind, what, None, {**more, "denies": self._brings_denial(what)}
            elif kind == WIDENS:
                given = [index.grants.denies[it] for index in self._indexes() for it in self._giving(index, name)]
                if not all(given):
                    yield kind, what, None, {**more, "by": f"{more['by']}, a role it has", "denies": any(given)}
            elif kind == GRANTS:
                yield kind, what, None, more

    def _named_at(self, node: int) -> tuple[str, str, str]:
        """What administering a node lets be done: the kind of step, what it is about, and the name that the node is."""
        if node not in self._names:
            index, kind = self.index, self.index.type_of(node)
            name = f"{index.system_of(node).name}/{named_by(index, node)}"
            if kind == "grants":
                above = parse_address(index.tree.addresses[int(index.tree.parent[node])])
                found = GRANTS, f"* {Pattern(above.system, (*above.segments, '**'))}"
            else:
                found = (JOINS if kind == "group" else WIDENS), reference_to(str(kind), name)
            self._names[node] = (*found, name)
        return self._names[node]

    def _administered(self) -> Iterator[tuple[int, int]]:
        """Each group, role or set of grants that is a resource and that the asker may administer, with the action."""
        numbers = [at for at, name in enumerate(self.index.type_names) if name in ADMINISTERED]
        nodes = np.isin(self.index.types, numbers).nonzero()[0]
        for reached in self.reached[-1]:
            system = reached.system
            here = nodes[(nodes >= system.root) & (nodes < system.end) & (self.index.tree.parent[nodes] >= 0)]
            for node in here.tolist():
                for position, kind in enumerate(system.kinds):
                    if kind == "administer" and reached.holds(position, node):
                        yield node, int(system.actions[position])
                        break

    def _giving(self, index: Index, role: str) -> Iterator[int]:
        """The grants that give or deny the asker a role, itself or as a junior of another, in a round's index."""
        number, passing = index.roles.find(role), index.role_is_active.tolist()
        if number < 0 or not passing[number]:
            return
        for grant in grants_of(index, self.asker, self.moment).tolist():
            given = index.role_of(grant)
            if given >= 0 and _includes(index, given, number, passing):
                yield grant

    # Which steps were needed

    def collect(self, node: int, action: int, number: int, found: dict[int, Step]) -> None:
        """Adds the steps that lead to the action on the node, which is reached after so many rounds at the latest."""
        rounds = zip(self.indexes[: number + 1], self.singles[: number + 1], strict=True)
        for index in (one for first, more in rounds for one in (first, *(single for _, single in more))):
            explanation = explain(index, self.asker, node, action, self.moment)
            if explanation.is_reached:
                chains = [explanation.permits, *(chains for _, _, chains in explanation.gates)]
                for chain in (some.shown[0] for some in chains):
                    self._collect_made(index, chain.grant, found)
                    for step in self._joined(chain.holders):
                        self._collect_step(step, found)
                return

    def _collect_made(self, index: Index, grant: str, found: dict[int, Step]) -> None:
        """Adds the step that made a grant, and what led to the grant by which a role that it widened is had."""
        if not grant.startswith(_MARK) or self.index.grants.ids.find(grant) >= 0:
            return
        number, _, widened = grant.removeprefix(_MARK).partition("/")
        step = list(self.steps.values())[int(number)]
        if widened:
            self._collect_grant(index, index.grants.ids.find(widened), found)
        self._collect_step(step, found)

    def _joined(self, holders: tuple[str, ...]) -> Iterator[Step]:
        """The steps that made the first of these, which is the asker's own, a member of the next."""
        for before, after in itertools.pairwise(holders):
            step = self.steps.get((JOINS, after, None))
            if step is not None and before == self._self and not self._is_member(after):
                yield step

    def _is_member(self, group: str) -> bool:
        number = self.index.holders.find(group)
        return bool((self.index.holders.edges[self.direct[0]] == number).any())

    def _collect_step(self, step: Step, found: dict[int, Step]) -> None:
        if step.number in found:
            return
        found[step.number] = step
        if step.node >= 0:
            self.collect(step.node, step.action, step.round, found)
        elif step.mandate is not None:
            self._collect_holder(step.mandate, step.round, found)

    def _collect_holder(self, holder: str, number: int, found: dict[int, Step]) -> None:
        """Adds the steps by which the asker came to count as the holder of a mandate."""
        wanted = self.index.holders.find(holder)
        if among(np.array([wanted]), principals_of(self.index, self.asker, self.moment))[0]:
            return
        for step in self.steps.values():
            if step.kind == JOINS and step.round < number:
                group = self.index.holders.find(step.what)
                if wanted in reachable(self.index.holders.edges, np.array([group])).tolist():
                    self._collect_step(step, found)
                    return

    def _collect_grant(self, index: Index, grant: int, found: dict[int, Step]) -> None:
        """Adds the steps by which the asker came to have a grant."""
        holder = index.holders.references[index.grants.holder[grant]]
        self._collect_made(index, index.grants.ids[grant], found)
        if holder.startswith("group:"):
            self._collect_holder(holder, len(self.indexes), found)


def named_by(index: Index, node: int) -> str:
    """The name that the last segment of a node's address stands for."""
    return carried(names_in(index.tree.addresses[node])[-1])


def _includes(index: Index, senior: int, role: int, is_active: list[bool]) -> bool:
    """Whether a role is another or one of its juniors, by way of active ones."""
    seen, rest = {senior}, [senior]
    for at in rest:
        if not is_active[at]:
            continue
        if at == role:
            return True
        fresh = [junior for junior in index.juniors[at].tolist() if junior not in seen]
        seen.update(fresh)
        rest += fresh
    return False


def _together(several: list[list[Reached]]) -> list[Reached]:
    """What is reached in one of several cases."""
    by_system: dict[str, list[Reached]] = {}
    for reached in several:
        for it in reached:
            by_system.setdefault(it.system.name, []).append(it)
    found = []
    for some in by_system.values():
        pairs = united(*(np.concatenate([it.pairs[side] for it in some]) for side in (0, 1)))
        found.append(Reached(some[0].tree, some[0].system, pairs))
    return found


def gained(potential: Potential) -> list[tuple[System, int, int]]:
    """By system how many pairs are reached now, and how many more could be."""
    now = {it.system.name: it.pairs for it in potential.now}
    empty: Intervals = (np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64))
    found = []
    for it in potential.could:
        had = now.get(it.system.name, empty)
        more = without(it.pairs, had)
        found.append((it.system, int((had[1] - had[0]).sum()), int((more[1] - more[0]).sum())))
    return found


def _edited(index: Index, records: Records, grants: list[Record], members: list[Record]) -> tuple[Index, Records]:
    """An index and the records with some grants and memberships more."""
    edits: Edits = {kinds.GRANTS.name: Edit(come=grants), kinds.MEMBERS.name: Edit(come=members)}
    records = edited(records, edits)
    return updated(index, edits, records), records
