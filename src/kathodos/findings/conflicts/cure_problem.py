"""What could be withdrawn to clear some conflicts, what it costs whom, and the program that finds the cheapest."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.differences import ReachDifferences, Side
from kathodos.columns.csr import Ints, ints, reachable
from kathodos.columns.intervals import holds
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import BY_FILTER
from kathodos.engine.compiled.patch import updated
from kathodos.engine.decide import direct_principals, who_has
from kathodos.engine.reach import grants_permitting, what_grants_give
from kathodos.findings.conflicts.cure_program import Link, Program
from kathodos.findings.conflicts.states import Conflict
from kathodos.model.kinds import GRANTS, MEMBERS
from kathodos.model.references import key_of_membership, reference_to
from kathodos.rules.reading import Duty, Permission
from kathodos.rules.targets import PermissionTargets
from kathodos.store.edited import Edit, Edits, edited

_MOST_OTHERS = 3  # further cures as small as the first


class Withdrawal(msgspec.Struct, frozen=True):
    """A grant, or a membership (member and group), to be ended; who loses by it, and the uses that it carries."""

    grant: str
    member: str
    group: str
    gives: str
    people: int
    others: int
    uses: int

    @property
    def cost(self) -> int:
        return 1 + self.others

    @property
    def text(self) -> str:
        """The withdrawal in words."""
        return f"end grant:{self.grant} ({self.gives})" if self.grant else f"take {self.member} out of {self.group}"

    def key(self) -> tuple[str, ...]:
        """The key of the record that ends."""
        return (self.grant,) if self.grant else key_of_membership(self.member, self.group)


def edits_of(basis: Basis, withdrawals: Iterable[Withdrawal]) -> Edits:
    """The withdrawals as edits of the catalogue."""
    return _ending(basis, [it.key() for it in withdrawals])


def _ending(basis: Basis, keys: Sequence[tuple[str, ...]]) -> Edits:
    """The end of grants and memberships, given by their keys, as edits of the catalogue."""
    edits: dict[str, Edit] = {}
    members = [dict(zip(MEMBERS.key, key, strict=True)) for key in keys if len(key) > 1]
    if members:
        edits[MEMBERS.name] = Edit(gone=members)  # a membership is no more than its key
    wanted = {key[0] for key in keys if len(key) == 1}
    if wanted:
        numbers = [basis.index.grants.ids.find(name) for name in sorted(wanted)]
        held = basis.records.some(GRANTS, basis.index.grants.rows[numbers].tolist())
        edits[GRANTS.name] = Edit(gone=[dict(zip(GRANTS.names, values, strict=True)) for values in held.values()])
    return edits


class Solved(msgspec.Struct, frozen=True):
    links: set[Link]
    left: set[int]
    cost: float
    bound: float


class Problem:
    def __init__(
        self,
        basis: Basis,
        conflicts: Sequence[Conflict],
        protected: set[str],
        since: int,
        strict: set[int],
        deadline: float,
    ) -> None:
        self.basis = basis
        self.strict = strict
        self.index = basis.index
        self.targets = PermissionTargets(basis)
        self.protected = protected
        self.since = since
        self.by_person: dict[int, list[Conflict]] = {}
        for conflict in conflicts:
            self.by_person.setdefault(conflict.asker, []).append(conflict)
        self.unseen: list[Conflict] = []
        self._given: dict[object, dict[int, set[int]]] = {}
        self._paths: dict[int, _Paths] = {}
        self._losing: dict[Link, tuple[int, int]] = {}
        self._outsiders: dict[int, int] = {}
        self._uses: dict[Link, int] = {}
        self.people = np.array(sorted(self.by_person), dtype=np.int64)
        self.is_chosen = np.zeros(basis.size, dtype=bool)
        self.is_chosen[self.people] = True
        for person in list(self.by_person):
            if time.monotonic() < deadline:
                self._paths[person] = self._paths_of(person)
            else:
                self.unseen += self.by_person.pop(person)
        self.dear = self._too_dear()

    # What gives what

    def given(
        self, duty: Duty, part: int, within: str | None, value: str | None, wherever: bool
    ) -> dict[int, set[int]]:
        """For each person the grants by which it holds one part of a duty on a value."""
        key = (duty, part, within, value, wherever)
        if key not in self._given:
            found: dict[int, set[int]] = {}
            for action, nodes in self.targets.of_duty(Duty("", _parts(duty)[part]), within, (value,)):
                if len(nodes):
                    who, grants = grants_permitting(self.index, self.people, nodes, action, self.basis.moment, wherever)
                    for person, grant in zip(self.people[who].tolist(), grants.tolist(), strict=True):
                        found.setdefault(person, set()).add(grant)
            self._given[key] = found
        return self._given[key]

    def _paths_of(self, person: int) -> _Paths:
        """The memberships by which a person comes to the grants that bear on its conflicts, and these grants."""
        index, holders = self.index, self.index.holders
        paths = _Paths(direct_principals(index, person, self.basis.moment).tolist())
        for conflict in self.by_person[person]:
            wherever = id(conflict) in self.strict
            for duty in conflict.rule.duties:
                for part in range(len(_parts(duty))):
                    for value in conflict.values:
                        held = self.given(duty, part, conflict.rule.within, value, wherever).get(person, set())
                        paths.parts[id(conflict), duty, part, value] = held
                        paths.grants |= held
        edges: dict[int, list[int]] = {}
        fresh = set(paths.direct)
        while fresh:
            holder = fresh.pop()
            edges[holder] = holders.edges[holder].tolist()
            fresh.update(above for above in edges[holder] if above not in edges)
        wanted = {int(index.grants.holder[grant]) for grant in paths.grants}
        paths.edges = _leading_to(wanted, edges)
        return paths

    def links_of(self, people: Iterable[int]) -> set[Link]:
        """What could be withdrawn from some people."""
        found: set[Link] = set()
        for person in people:
            paths = self._paths[person]
            found |= {(grant, -1) for grant in paths.grants} | set(paths.edges)
        return {link for link in found if link not in self.dear and self.is_free(link)}

    def is_free(self, link: Link) -> bool:
        """Whether the grant or the membership may be withdrawn: not protected, and no filter makes it."""
        index, (first, group) = self.index, link
        references = index.holders.references
        if group < 0:
            holder = references[int(index.grants.holder[first])]
            return not {reference_to("grant", index.grants.ids[first]), index.gives(first), holder} & self.protected
        start, end = index.holders.edges.starts[first], index.holders.edges.starts[first + 1]
        at = start + int(insertion_points(index.holders.edges.items[start:end], group))
        is_filtered = bool(index.holders.why[at] & BY_FILTER)
        return not is_filtered and not {references[group], references[first]} & self.protected

    # What it costs

    def losing(self, link: Link) -> tuple[int, int]:
        """How many people reach less without what would be withdrawn, and how many of them are in no chosen conflict.

        What one person has themselves is told of that person."""
        if link not in self._losing:
            holder = self._holder(link)
            if holder < self.index.holders.first_group:
                self._losing[link] = 1, int(self._owner(holder) not in self.by_person)
            else:
                self._losing[link] = self._losing_by(link)
        return self._losing[link]

    def _losing_by(self, link: Link) -> tuple[int, int]:
        basis, (first, group) = self.basis, link
        references = self.index.holders.references
        key = key_of_membership(references[first], references[group]) if group >= 0 else (self.index.grants.ids[first],)
        edits = _ending(basis, [key])
        records = edited(basis.records, edits)
        after = Side(updated(self.index, edits, records), basis.moment)
        found = ReachDifferences(Side(self.index, basis.moment), after, edits)
        losing = found.numbers_in(0)[found.lost > 0]
        return len(losing), int((~self.is_chosen[losing]).sum())

    def others_losing(self, link: Link) -> int:
        """How many people in no chosen conflict reach less without what would be withdrawn."""
        return self.losing(link)[1] if self._outside(self._holder(link)) else 0

    def _outside(self, holder: int) -> int:
        """How many people who are in no chosen conflict count as a holder."""
        if holder not in self._outsiders:
            mask = who_has(self.index, ints([holder]), self.basis.moment)
            mask[self.basis.people :] &= self.index.holders.owner < 0
            self._outsiders[holder] = int(mask.sum()) - int(mask[self.people].sum())
        return self._outsiders[holder]

    def uses_through(self, link: Link) -> int:
        """The uses that a withdrawal would take away from those who lose by it, as far as nothing else carries them."""
        if link not in self._uses:
            holder, (first, group), uses = self._holder(link), link, self.basis.uses
            if holder < self.index.holders.first_group:
                mine = uses.by_user[self._owner(holder)]
                some = mine[uses.time[mine] >= self.since]
            else:
                mask = who_has(self.index, ints([holder]), self.basis.moment)
                mask[self.basis.people :] &= self.index.holders.owner < 0
                some = self.recent[mask[uses.user[self.recent]]]
            grants = ({first} if group < 0 else self.carried(group)) if len(some) else ()
            carried = [self._counts(grant, some) for grant in grants]
            self._uses[link] = int(np.maximum.reduce(carried).sum()) if carried else 0
        return self._uses[link]

    def _holder(self, link: Link) -> int:
        """Who has what would be withdrawn: the holder of a grant, or the member of a group."""
        return int(self.index.grants.holder[link[0]]) if link[1] < 0 else link[0]

    def _owner(self, holder: int) -> int:
        """The identity that an identity or an account stands for; an account of nobody stands for itself."""
        if holder < self.basis.people:
            return holder
        owner = int(self.index.holders.owner[holder - self.basis.people])
        return owner if owner >= 0 else holder

    def carried(self, group: int) -> set[int]:
        """The live grants that a member of a group gets by it."""
        above = reachable(self.index.holders.edges, ints([group]))
        grants = self.index.holder_grants.all_of(above)
        return set(grants[self.basis.live[grants]].tolist())

    @cached_property
    def recent(self) -> Ints:
        """The uses that count."""
        found: Ints = (self.basis.uses.time >= self.since).nonzero()[0]
        return found

    def _counts(self, grant: int, some: Ints) -> Ints:
        """For each of some uses how often it was made, 0 where the grant does not carry it."""
        uses, counts = self.basis.uses, np.zeros(len(some), dtype=np.int64)
        for reached in what_grants_give(self.index, ints([grant])) if len(some) else ():
            system = reached.system
            here = ((system.root <= uses.node[some]) & (uses.node[some] < system.end)).nonzero()[0]
            position = self.index.tree.position[uses.node[some[here]]].astype(np.int64) - system.root
            pairs = (uses.action[some[here]].astype(np.int64) - int(system.actions[0])) * (system.size + 1) + position
            carried = here[holds(reached.pairs, pairs)]
            counts[carried] = uses.count[some[carried]]
        return counts

    def _too_dear(self) -> set[Link]:
        """Withdrawals from groups that cost more than taking each person's own link to them away: never the best."""
        reaching: dict[Link, set[Link]] = {}
        barred: set[Link] = set()
        for paths in self._paths.values():
            own = [link for link in paths.edges if link[0] in paths.direct]
            direct = {grant for grant in paths.grants if int(self.index.grants.holder[grant]) in paths.direct}
            above = paths.above([group for _, group in own])
            for link in {*paths.edges, *((grant, -1) for grant in paths.grants - direct)} - set(own):
                gate = self._holder(link)
                through = [it for it in own if gate in above[it[1]]]
                if gate == self.index.holders.everyone or not all(map(self.is_free, through)):
                    barred.add(link)
                reaching.setdefault(link, set()).update(through)
        return {
            link for link, through in reaching.items() if link not in barred and self._hits_more(link, len(through))
        }

    def _hits_more(self, link: Link, count: int) -> bool:
        """Whether so many people outside the chosen conflicts lose by a withdrawal."""
        holder = self._holder(link)
        if holder < self.index.holders.first_group or holder == self.index.holders.everyone:
            return False
        return self._outside(holder) >= count and self.others_losing(link) >= count

    def withdrawals_by(self, links: Iterable[Link]) -> list[Withdrawal]:
        """Withdrawals in words, those of grants first."""
        references, found = self.index.holders.references, []
        for link in sorted(links, key=lambda it: (it[1] >= 0, it)):
            first, group = link
            (count, others), uses = self.losing(link), self.uses_through(link)
            if group < 0:
                holder = references[int(self.index.grants.holder[first])]
                scope = self.index.scope(first)
                gives = f"{self.index.gives(first)}{f' on {scope}' if scope else ''} to {holder}"
                found.append(Withdrawal(self.index.grants.ids[first], "", "", gives, count, others, uses))
            else:
                found.append(Withdrawal("", references[first], references[group], "", count, others, uses))
        return found

    # Solving

    def together(self) -> list[list[int]]:
        """People who share something that could be withdrawn, in groups."""
        leader: dict[Link, int] = {}
        parent = {person: person for person in self.by_person}

        def root(person: int) -> int:
            while parent[person] != person:
                parent[person] = person = parent[parent[person]]
            return person

        for person in self.by_person:
            for link in self.links_of([person]):
                parent[root(person)] = root(leader.setdefault(link, person))
        groups: dict[int, list[int]] = {}
        for person in self.by_person:
            groups.setdefault(root(person), []).append(person)
        return list(groups.values())

    def solve(self, block: Sequence[list[int]], seconds: float) -> Solved:
        """The cheapest cure of a block of groups; of the cheapest ones that which takes the fewest uses away."""
        program = Program()
        for number, people in enumerate(block):
            self._put_in(program, people, number)
        first = program.solved(program.costs, seconds / 2)
        program.keep_cost(first.values)
        second = program.solved(program.uses, seconds / 2)
        values = second.values if second.is_found else first.values
        links = {link for link, at in program.links.items() if values[at] > 0.5}
        left = {conflict for conflict, at in program.left.items() if values[at] > 0.5}
        return Solved(links, left, first.objective, first.bound)

    def others(self, people: list[int], links: set[Link]) -> list[set[Link]]:
        """Further cures of one group of people that cost as little, those that take the fewest uses away first."""
        program = Program()
        self._put_in(program, people, 0)
        start = np.zeros(len(program.costs))
        start[[program.links[link] for link in links]] = 1
        program.keep_cost(start)
        known = [links]
        while len(known) <= _MOST_OTHERS:
            program.forbid(known[-1])
            solved = program.solved(program.uses, 5.0)
            if not solved.is_found or any(solved.values[at] > 0.5 for at in program.left.values()):
                break
            known.append({link for link, at in program.links.items() if solved.values[at] > 0.5})
        return known[1:]

    def _put_in(self, program: Program, people: Sequence[int], block: int) -> None:
        links = self.links_of(people)
        for link in sorted(links):
            program.links[link] = program.variable(1 + self.others_losing(link), self.uses_through(link), block)
        price = 1 + sum(program.costs[program.links[link]] for link in links)
        for person in people:
            self._put_person_in(program, person, block, price)

    def _put_person_in(self, program: Program, person: int, block: int, price: float) -> None:
        paths = self._paths[person]
        stays: dict[int, int] = {}  # the variable of each group that may go; others stay whatever is withdrawn
        for group in sorted({group for _, group in paths.edges} - set(paths.direct)):
            stays[group] = program.variable(0, 0, block, is_whole=False)
        for member, group in paths.edges:
            if group in stays:
                link = [(program.links[member, group], 1.0)] if (member, group) in program.links else []
                before = [(stays[member], -1.0)] if member in stays else []
                program.at_least(0.0 if before else 1.0, [(stays[group], 1.0), *link, *before])
        for conflict in self.by_person[person]:
            left = program.left[id(conflict)] = program.variable(price, 0, block)
            for value in conflict.values:
                held = []
                for duty in conflict.rule.duties:
                    parts = [paths.parts[id(conflict), duty, part, value] for part in range(len(_parts(duty)))]
                    if parts and all(parts):
                        held.append(self._gone(program, stays, parts, block))
                most = len(held) - conflict.rule.threshold + 1
                if most > 0:
                    program.at_least(most, [*((at, 1.0) for at in held), (left, float(most))])

    def _gone(self, program: Program, stays: Mapping[int, int], parts: Sequence[set[int]], block: int) -> int:
        """A variable that can be 1 only if one of the parts of a duty is given by no grant any more."""
        some = []
        for grants in parts:
            some.append(program.variable(0, 0, block))
            for grant in sorted(grants):
                link = [(program.links[grant, -1], 1.0)] if (grant, -1) in program.links else []
                holder = int(self.index.grants.holder[grant])
                before = [(stays[holder], -1.0)] if holder in stays else []
                program.at_least(-1.0 if before else 0.0, [(some[-1], -1.0), *link, *before])
        gone = program.variable(0, 0, block)
        program.at_least(0.0, [*((part, 1.0) for part in some), (gone, -1.0)])
        return gone


def _parts(duty: Duty) -> list[tuple[Permission, ...]]:
    """The parts of a duty, all of which have to be held: one of its permissions, and each of those of which all are."""
    return [*([duty.permissions] if duty.permissions else []), *((permission,) for permission in duty.every)]


class _Paths(msgspec.Struct):
    """How one person comes to what its conflicts rest on. `parts`: the grants of each part of a duty on a value."""

    direct: list[int]
    grants: set[int] = msgspec.field(default_factory=set)
    parts: dict[tuple[int, Duty, int, str | None], set[int]] = msgspec.field(default_factory=dict)
    edges: list[Link] = msgspec.field(default_factory=list)

    def above(self, groups: Iterable[int]) -> dict[int, set[int]]:
        """For each of some groups all that it leads to, itself included."""
        ahead: dict[int, list[int]] = {}
        for member, group in self.edges:
            ahead.setdefault(member, []).append(group)
        found: dict[int, set[int]] = {}
        for start in groups:
            found[start], fresh = {start}, [start]
            while fresh:
                more = [group for group in ahead.get(fresh.pop(), ()) if group not in found[start]]
                found[start].update(more)
                fresh += more
        return found


def _leading_to(wanted: set[int], edges: Mapping[int, list[int]]) -> list[Link]:
    """The memberships by which one gets to one of the wanted holders."""
    below: dict[int, list[int]] = {}
    for member, groups in edges.items():
        for group in groups:
            below.setdefault(group, []).append(member)
    seen, fresh = set(wanted), list(wanted)
    while fresh:
        more = [member for member in below.get(fresh.pop(), ()) if member not in seen]
        seen.update(more)
        fresh += more
    return [(member, group) for member, groups in edges.items() for group in groups if {member, group} <= seen]
