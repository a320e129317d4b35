"""How many have it: of somebody's peers, and of everybody, who reaches by whatever way all that a unit names.

People are counted by what they reach and not by what they were given. They are looked at peer group by peer group, in
the few pairs only that some of their units name, one of each set about which the same is said.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.bounds import NOT_KNOWN, Bounds
from kathodos.analysis.evidence.looked import Looked
from kathodos.analysis.evidence.sources import sources_of
from kathodos.analysis.evidence.things import Things
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    first_of_each,
    in_loads,
    joined,
)
from kathodos.columns.dictionary import dense, row_numbers
from kathodos.columns.ordered import insertion_points
from kathodos.columns.threads import in_threads


class Usual(msgspec.Struct, frozen=True):
    """How many others have what each of some units names: of the peers of whoever it belongs to, and of everybody of
    their kind (-1: not looked at).

    Only who is active is counted, the one concerned left out. `level`: how many of the attributes that make peers were
    left out to find enough of them; `is_enough`: whether there are enough of them to judge by.
    """

    having: Ints
    of: Ints
    all_having: Ints
    all_of: Ints
    level: Ints
    is_enough: Bools


class Terms(msgspec.Struct, frozen=True):
    """What makes peers: people of a kind who share these attributes; `enough`: how many others it takes to judge by;
    `is_widened`: whether attributes are left out, the first of them first, where there are fewer."""

    attributes: Sequence[str]
    enough: int = 1
    is_widened: bool = False

    def groups(self, basis: Basis, whose: Ints | None = None) -> list[Ints]:
        """The peer group of each identity, by all attributes and then by fewer and fewer; `whose`: as `peer_groups`."""
        names = self.attributes
        return [peer_groups(basis, names[at:], whose) for at in range(len(names) if self.is_widened else 1)]

    def others(self, groups: Sequence[Ints], is_counted: Bools, whose: Ints) -> tuple[Ints, Ints]:
        """How many peers each of some identities has, and by which of the groups: the first that is large enough."""
        sizes = np.stack([others_in(it, is_counted, whose) for it in groups])
        fits = sizes >= self.enough
        level = np.where(fits.any(axis=0), fits.argmax(axis=0), 0)
        return np.take_along_axis(sizes, level[None], axis=0)[0], level


def not_judged(basis: Basis, terms: Terms) -> tuple[int, int]:
    """How many active persons have too few peers to judge by, and how many active persons there are."""
    people = (counted(basis) & basis.is_person[: basis.people]).nonzero()[0]
    of, _ = terms.others(terms.groups(basis), counted(basis), people)
    return int((of < terms.enough).sum()), len(people)


def peer_groups(basis: Basis, attributes: Sequence[str], whose: Ints | None = None) -> Ints:
    """The peer group of each identity, by number: those of the same kind who share these attributes.

    What is known of nobody makes no peers. -1 where one of the others is not known of somebody, who has no peers then.
    `whose`: only groups that some of these are in may be asked for; of the others it may be -1.
    """
    columns = [basis.identity(name).codes for name in known_of_anybody(basis, attributes)]
    known = np.full(basis.people, bool(columns) or not attributes)
    for column in columns:
        known &= column >= 0
    columns.append(basis.identity("kind").codes)
    for column in columns if whose is not None else ():
        wanted = np.zeros(int(column.max(initial=-1)) + 2, dtype=bool)
        wanted[column[whose]] = True
        known &= wanted[column]
    some, found = known.nonzero()[0], np.full(basis.people, -1, dtype=np.int64)
    found[some] = dense(row_numbers([it[some] for it in columns])) if len(columns) > 1 else columns[0][some]
    return found


def known_of_anybody(basis: Basis, attributes: Sequence[str]) -> list[str]:
    """Those of some attributes of which something is known of anybody."""
    return [name for name in attributes if (basis.identity(name).codes >= 0).any()]


def counted(basis: Basis) -> Bools:
    """Which identities count when it is said how many have something: those that are active."""
    return basis.can_act[: basis.people]


def others_in(group: Ints, is_counted: Bools, whose: Ints) -> Ints:
    """How many others who are counted are in the group of each of some identities; 0 for who has none (-1)."""
    sizes = np.bincount(group[is_counted & (group >= 0)], minlength=int(group.max(initial=-1)) + 2)
    of = np.append(group, -1)[whose]
    return np.where(of >= 0, sizes[of] - np.append(is_counted, False)[whose], 0)


class Peers:
    """The peers of whom some units belong to."""

    def __init__(self, evidence: UnitEvidence, terms: Terms) -> None:
        self.evidence = evidence
        self.basis = evidence.basis
        self.is_counted = counted(evidence.basis)
        asker = evidence.units.asker
        self.identity = np.where(asker < self.basis.people, asker, -1)
        self.groups = terms.groups(self.basis, self._whose)
        self.of, self.level = terms.others(self.groups, self.is_counted, self.identity)
        self.is_enough = self.of >= terms.enough

    @property
    def _whose(self) -> Ints:
        """The identities that any unit belongs to."""
        return distinct(self.identity[self.identity >= 0]).astype(np.int64)

    def holding(self) -> Ints:
        """How many others of the peers of each unit have the same thing at first hand: no fewer have what it names."""
        evidence, people = self.evidence, self.is_counted.nonzero()[0]
        sources = sources_of(evidence.things, people)
        held = distinct(sources.position * evidence.things.total + sources.thing)
        person, thing = np.divmod(held, evidence.things.total)
        found = np.zeros(len(evidence.units), dtype=np.int64)
        mine = np.append(self.is_counted, False)[self.identity] & (evidence.item >= 0)
        for level, group in enumerate(self.groups):
            codes = group[people[person]] * evidence.things.total + thing
            known, times = np.unique(codes[group[people[person]] >= 0], return_counts=True)
            own = np.append(group, -1)[self.identity]
            here = ((self.level == level) & (own >= 0)).nonzero()[0]
            wanted = own[here] * evidence.things.total + evidence.thing[here]
            at = np.minimum(insertion_points(known, wanted), max(len(known) - 1, 0))
            if len(known):
                found[here] = np.where(known[at] == wanted, times[at], 0) - mine[here]
        return np.maximum(found, 0)

    def usual(self, some: Ints | None = None, is_whole: bool = True) -> Usual:
        """How many others have what each of some units names. `is_whole`: of everybody as well."""
        evidence = self.evidence
        some = np.arange(len(evidence.units)) if some is None else some
        numbers, names = evidence.name_sets
        sets, which = np.unique(numbers[some], return_inverse=True)
        identity, level = self.identity[some], self.level[some]
        people, kind = self.is_counted.nonzero()[0], peer_groups(self.basis, (), self._whose)
        itself = np.append(self.is_counted, False)[identity] & self._has_itself(some)
        having = np.zeros(len(some), dtype=np.int64)
        reaching = Reaching(evidence.things, names.picked(sets))
        for at, group in enumerate(self.groups):
            of = np.where(level == at, np.append(group, -1)[identity], -1)
            asked = of >= 0
            having[asked] = (
                reaching.counted(people, group[people], of[asked], which[asked], itself[asked]) - itself[asked]
            )
        everybody = np.full(len(some), -1, dtype=np.int64)
        if is_whole:
            of, everybody = np.append(kind, -1)[identity], np.zeros(len(some), dtype=np.int64)
            asked = of >= 0
            everybody[asked] = (
                reaching.counted(people, kind[people], of[asked], which[asked], itself[asked]) - itself[asked]
            )
        every = others_in(kind, self.is_counted, identity)
        return Usual(having, self.of[some], everybody, every, level, self.is_enough[some])

    def _has_itself(self, some: Ints) -> Bools:
        """Whether who has each of some units reaches all that is asked of others: of one that counts it does."""
        evidence, (numbers, names) = self.evidence, self.evidence.name_sets
        found = evidence.reaches_names[some]
        left = (~found).nonzero()[0]
        if len(left):
            at, pair = names.of(numbers[some[left]])
            reached = evidence.reaches(evidence.position[some[left]][at], pair.astype(np.int64))
            sizes = names.sizes()[numbers[some[left]]]
            found[left] = (np.bincount(at, weights=reached, minlength=len(left)) == sizes) & (sizes > 0)
        return found


class Reaching:
    """Who reaches all of some sets of names, each given by its pairs."""

    def __init__(self, things: Things, names: CSRList) -> None:
        self.things = things
        pairs = things.points.fewer(names.items.astype(np.int64))
        self.points = distinct(pairs).astype(np.int64)
        at = insertion_points(self.points, pairs)
        self.sets = csr_from_distinct(names.rows().astype(np.int64), at, len(names), max(len(self.points), 1))

    def counted(self, people: Ints, group: Ints, of: Ints, sets: Ints, least: Bools | None = None) -> Ints:
        """For each question, about a group and a set, how many of the group reach all of the set.

        `people`: who is counted, by number, and the group of each; `least`: whether one is known who does. A set
        without names is reached by nobody.
        """
        width = max(len(self.sets), 1)
        pairs, which = np.unique(of * width + sets, return_inverse=True)
        counts = np.zeros(len(pairs), dtype=np.int64)
        asked = distinct(of)
        at = np.isin(group, asked).nonzero()[0]
        if not len(at) or not len(pairs):
            return counts[which]
        looked = Looked(sources_of(self.things, people[at]), self.points)
        row = insertion_points(asked, group[at])
        if least is not None:
            counts[which[least]] = 1
        own, set_of = insertion_points(asked, pairs // width), pairs % width
        most, may_be = Bounds(looked, self.sets, row).most(own, set_of)
        left = (most > counts).nonzero()[0]
        is_asked = np.isin(row, distinct(own[most == NOT_KNOWN]))
        is_asked[may_be.all_of(left)] = True
        members = csr_from_pairs(row[is_asked], is_asked.nonzero()[0], len(asked))
        counts[left] = self._each(looked, members, own[left], set_of[left])
        return counts[which]

    def _each(self, looked: Looked, members: CSRList, own: Ints, sets: Ints) -> Ints:
        """As `counted`, everybody being looked at: `members` of the groups, by position, and of which group each
        question is, in order."""
        asked = distinct(own).astype(np.int64)
        starts = insertion_points(own, np.append(asked, len(members)))
        load = members.sizes()[asked] * thresholds.NAMES_OF_PEER + np.diff(starts)

        def count(block: Ints) -> Ints:
            here = slice(int(starts[block[0]]), int(starts[block[-1] + 1]))
            return self._of_groups(looked, members.picked(asked[block]), asked[block], own[here], sets[here])

        return joined(in_threads(count, in_loads(load, thresholds.PEERS_TOGETHER))).astype(np.int64)

    def _of_groups(self, looked: Looked, members: CSRList, asked: Ints, own: Ints, sets: Ints) -> Ints:
        """As `_each`, of a few groups, given in order with their members."""
        counts = np.zeros(len(own), dtype=np.int64)
        row, position = members.rows().astype(np.int64), members.items
        every = distinct(sets)
        for part_of in np.array_split(every, -(-len(every) // thresholds.SETS_TOGETHER)):
            mine = np.isin(sets, part_of).nonzero()[0]
            cells = insertion_points(asked, own[mine]), insertion_points(part_of, sets[mine])
            for part in in_loads(np.ones(len(position), dtype=np.int64), thresholds.PEOPLE_TOGETHER):
                found = np.zeros((len(asked), len(part_of)), dtype=np.int64)
                groups, having = self._having(looked, row[part], position[part], part_of)
                found[groups] = having
                counts[mine] += found[cells]
        return counts

    def _having(self, looked: Looked, row: Ints, position: Ints, wanted: Ints) -> tuple[Ints, Ints]:
        """Of some people, by position, of groups in order: which groups, and how many of each reach all of each of some
        sets: groups by sets. Everybody is a bit, and each group begins with a new byte."""
        first = first_of_each(row).nonzero()[0]
        sizes = np.diff(np.append(first, len(row)))
        begins = np.concatenate([[0], np.cumsum(-(-sizes // 8))])
        slot = np.arange(len(row)) + np.repeat(8 * begins[:-1] - first, sizes)
        some = self.sets.picked(wanted)
        having = np.zeros((len(first), len(wanted)), dtype=np.int64)
        asked = (some.sizes() > 0).nonzero()[0]
        if len(asked):
            used, column = np.unique(some.items, return_inverse=True)
            classes, of = np.unique(looked.sources.alike[position], return_inverse=True)
            place = np.full(8 * int(begins[-1]), -1, dtype=np.int64)
            place[slot] = of
            reached = np.take(looked.reached(classes, used), place, axis=1)
            reached[:, place < 0] = False
            bits = np.packbits(reached, axis=1)
            _, one, same = np.unique(bits.view(f"V{bits.shape[1]}").ravel(), return_index=True, return_inverse=True)
            few = csr_from_distinct(some.rows(), same[column], len(wanted), len(one))  # what the same people reach once
            all_of = np.bitwise_and.reduceat(bits[one[few.items]], few.starts[asked].astype(np.int64), axis=0)
            counts = np.add.reduceat(np.bitwise_count(all_of), begins[:-1], axis=1, dtype=np.int64)
            having[:, asked] = counts.T
        return row[first], having
