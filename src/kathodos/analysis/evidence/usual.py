"""How many have it: of somebody's peers, and of everybody, who reaches by whatever way all that a unit names.

People are counted by what they reach and not by what they were given. All of everybody is looked at in few points only,
one of each set of pairs about which the same is said.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.shares import Shares
from kathodos.analysis.evidence.sources import sources_of
from kathodos.analysis.evidence.things import Points, Things
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_distinct, csr_from_pairs, distinct, in_loads, stretches
from kathodos.columns.dictionary import dense, row_numbers
from kathodos.columns.ordered import insertion_points
from kathodos.engine.pair_axis import PairAxis


class Named(msgspec.Struct, frozen=True, dict=True):
    """Sets of names, each of pairs that stand for all about which the same is said. `sets` lists, for each, positions
    in `points`, which are in order."""

    points: Ints
    sets: CSRList

    @classmethod
    def of(cls, things: Things, names: CSRList) -> Named:
        """The names of things, or what some people reach of them."""
        pairs = Points(things.index).alike(names.items.astype(np.int64))
        points = distinct(pairs).astype(np.int64)
        at = insertion_points(points, pairs)
        return cls(points, csr_from_distinct(names.rows().astype(np.int64), at, len(names), max(len(points), 1)))

    @cached_property
    def of_point(self) -> CSRList:
        """For each point the sets that have it."""
        return self.sets.turned(len(self.points))


class Usual(msgspec.Struct, frozen=True):
    """How many others have what each unit names: of the peers of whoever it belongs to, and of everybody of their kind.

    Only who is active is counted, the one concerned left out. `level`: how many of the attributes that make peers were
    left out to find enough of them; `is_enough`: whether there are enough of them to judge by.
    """

    having: Ints
    of: Ints
    all_having: Ints
    all_of: Ints
    level: Ints
    is_enough: Bools


def peer_groups(basis: Basis, attributes: Sequence[str]) -> Ints:
    """The peer group of each identity, by number: those of the same kind who share these attributes.

    -1 where one of them is not known of somebody, who has no peers then.
    """
    columns = [basis.identity(name).codes for name in attributes]
    known = np.logical_and.reduce([it >= 0 for it in columns]) if columns else np.ones(basis.people, dtype=bool)
    codes = dense(row_numbers([basis.identity("kind").codes, *columns]))
    return np.where(known, codes, -1)


def counted(basis: Basis) -> Bools:
    """Which identities count when it is said how many have something: those that are active."""
    return basis.can_act[: basis.people]


def others_in(group: Ints, is_counted: Bools, whose: Ints) -> Ints:
    """How many others who are counted are in the group of each of some identities; 0 for who has none (-1)."""
    sizes = np.bincount(group[is_counted & (group >= 0)], minlength=int(group.max(initial=-1)) + 2)
    of = np.append(group, -1)[whose]
    return np.where(of >= 0, sizes[of] - np.append(is_counted, False)[whose], 0)


def usual_of(evidence: UnitEvidence, attributes: Sequence[str], enough: int, is_widened: bool) -> Usual:
    """How many others have what each unit names. `attributes`: what makes peers; `enough`: how many others it takes to
    judge by; `is_widened`: whether attributes are left out, the first of them first, where there are fewer."""
    basis, identity = evidence.basis, np.where(evidence.units.asker < evidence.basis.people, evidence.units.asker, -1)
    is_counted, levels = counted(basis), [attributes[at:] for at in range(len(attributes) if is_widened else 1)]
    groups = [peer_groups(basis, it) for it in levels]
    sizes = np.stack([others_in(it, is_counted, identity) for it in groups])
    fits = sizes >= enough
    level = np.where(fits.any(axis=0), fits.argmax(axis=0), 0)
    people, kind = is_counted.nonzero()[0], peer_groups(basis, ())
    asked = [np.where(level == at, np.append(it, -1)[identity], -1) for at, it in enumerate(groups)]
    asked.append(np.append(kind, -1)[identity])
    sets, names = evidence.name_sets
    groupings = [Grouping(group[people], of) for group, of in zip([*groups, kind], asked, strict=True)]
    whose = np.append(np.where(is_counted, np.cumsum(is_counted) - 1, -1), -1)[identity]
    counts, itself = having(evidence.things, Named.of(evidence.things, names), people, sets, groupings, whose)
    of = np.take_along_axis(sizes, level[None], axis=0)[0]
    mine = [np.where(it >= 0, count - itself, 0) for it, count in zip(asked, counts, strict=True)]
    return Usual(np.sum(mine[:-1], axis=0), of, mine[-1], others_in(kind, is_counted, identity), level, of >= enough)


class Grouping(msgspec.Struct, frozen=True):
    """How people are counted. `group`: that of each of the people who are counted; `of`: that of each question (-1:
    none, so that nobody is counted)."""

    group: Ints
    of: Ints


def having(
    things: Things, named: Named, people: Ints, sets: Ints, groupings: Sequence[Grouping], whose: Ints
) -> tuple[list[Ints], Bools]:
    """For each of some questions how many of a group of people reach all of a set of names, by each grouping.

    `people`: who is counted, by number; `sets`: the set that each question is about. Also whether the one whom a
    question is about is one of these: the position among the people, or -1.
    """
    width = max(len(named.sets), 1)
    asked = [np.where(it.of >= 0, it.of * width + sets, -1) for it in groupings]
    pairs = [np.unique(it, return_inverse=True) for it in asked]
    counts = [np.zeros(len(pair), dtype=np.int64) for pair, _ in pairs]
    own = np.where(whose >= 0, whose * width + sets, -1)
    own_codes, own_of = np.unique(own, return_inverse=True)
    has = np.zeros(len(own_codes), dtype=bool)
    for person, number in _having(things, named, people):
        for grouping, (pair, _), count in zip(groupings, pairs, counts, strict=True):
            codes, times = np.unique(grouping.group[person] * width + number, return_counts=True)
            at = np.minimum(insertion_points(pair, codes), max(len(pair) - 1, 0))
            here = pair[at] == codes if len(pair) else np.zeros(len(codes), dtype=bool)
            count[at[here]] += times[here]
        found = person * width + number
        at = np.minimum(insertion_points(own_codes, found), max(len(own_codes) - 1, 0))
        if len(own_codes):
            has[at[own_codes[at] == found]] = True
    totals = [
        np.where(grouping.of >= 0, count[inverse], 0)
        for grouping, count, (_, inverse) in zip(groupings, counts, pairs, strict=True)
    ]
    return totals, has[own_of] & (whose >= 0)


def _having(things: Things, named: Named, people: Ints) -> Iterator[tuple[Ints, Ints]]:
    """Pairs of one of some people, by position, and a set of names all of which they reach; block by block."""
    sources = sources_of(things, people, _speaking(things, named.points))
    members = csr_from_pairs(sources.alike, np.arange(len(people)), len(sources.classes))
    sizes, of_point, width = named.sets.sizes(), named.of_point, max(len(named.sets), 1)
    each = len(of_point.items) // max(len(of_point), 1) + 1
    for shared in Shares(sources, named.points).blocks():
        owner, first, end = shared.reached
        first_class = int(shared.classes[0])
        load = np.bincount(owner - first_class, weights=end - first, minlength=len(shared.classes)).astype(np.int64)
        bounds = insertion_points(owner, np.append(shared.classes, shared.classes[-1] + 1))
        for some in in_loads(load * each + 1, thresholds.HELD_TOGETHER):
            here = slice(int(bounds[some[0]]), int(bounds[some[-1] + 1]))
            which, point = stretches(first[here], (end - first)[here])
            at, number = of_point.of(point)
            codes, times = np.unique(owner[here][which[at]] * width + number, return_counts=True)
            whole = codes[times == sizes[codes % width]]
            row, person = members.of(whole // width)
            yield person.astype(np.int64), (whole % width)[row]


def _speaking(things: Things, points: Ints) -> Bools:
    """Which things say something about one of some pairs, or about a system with ranks or gates in which one lies."""
    index = things.index
    found = np.zeros(things.total, dtype=bool)
    entitlements = np.zeros(len(index.entitlements), dtype=bool)
    entitlements[_entitlements_at(things, points)] = True
    speaks = entitlements[index.grants.entitlement]
    found[distinct(things.of_grant[speaks])] = True
    held = np.zeros(index.holders.size, dtype=bool)
    held[index.grants.holder[speaks & things.live]] = True
    above, first = index.granted_above, index.holders.first_group
    found[distinct(above.rows()[held[above.items]]).astype(np.int64)] = True
    assert len(above) == things.holders and first >= 0
    return found


def _entitlements_at(things: Things, points: Ints) -> Ints:
    """The entitlements that say something about one of some pairs, or of a system with ranks or gates of theirs."""
    index = things.index
    permits, denials = PairAxis(index).scoped_pairs
    said = np.zeros(len(index.scoped_entry), dtype=bool)
    for lists in (permits, denials):
        touches = insertion_points(points, lists.first) < insertion_points(points, lists.end)
        rows = np.repeat(np.arange(len(lists.starts) - 1), np.diff(lists.starts))
        said[rows[touches]] = True
    of_point = distinct(insertion_points(index.pair_bases, points, side="right") - 1)
    special = [at for at, it in enumerate(index.systems_in_order) if not it.is_plain and at in of_point]
    of_interval = insertion_points(index.system_roots, index.intervals.first, side="right") - 1
    said[index.intervals.scoped[np.isin(of_interval, special)]] = True
    return distinct(index.scoped_entitlements.all_of(said.nonzero()[0])).astype(np.int64)
