"""One pass over the classes of askers: what is told of their sources, by their place in the classes.

Where permits and denies decide alone, and no two sources give what one need asks for, what is used, named and needed is
held against the sources that speak of it; the other classes are swept with all their intervals.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.analysis.evidence.shares import NOTHING, Owned, Shared, Shares
from kathodos.analysis.evidence.things import actions_of, rows_of
from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    among,
    csr_from_pairs,
    distinct,
    in_loads,
    joined,
    one_below_the_other,
)
from kathodos.columns.dictionary import in_chunks
from kathodos.columns.intervals import Intervals, holds, pieces_within, united, without
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.sketch import Sketch, sketched
from kathodos.engine.everyone import alike
from kathodos.engine.pair_axis import IntervalLists

if TYPE_CHECKING:
    from kathodos.analysis.evidence.units import UnitEvidence


class Beyond(msgspec.Struct, frozen=True):
    """What units name and no need of whoever they belong to asks for: the unit, the action by number, the source that
    the unit is, and the number of the set of needs."""

    unit: Ints
    action: Ints
    item: Ints
    needs: Ints


class Swept:
    """What one pass over the classes of askers tells of their sources, by their place in the classes."""

    def __init__(self, evidence: UnitEvidence) -> None:
        self.evidence = evidence
        self.sources = evidence.sources
        self.shares = Shares(self.sources)
        self.packing = self.shares.packing
        size = len(self.sources.classes.items)
        self.needed, self.contained = ([np.zeros(size, dtype=np.int64) for _ in evidence.asked.chunks] for _ in "12")
        self._content: list[tuple[Ints, Ints]] = []
        self._credited: list[tuple[Ints, Ints]] = []
        self._beyond: list[tuple[Ints, Ints, Ints, Ints]] = []
        self._doubtful: list[tuple[Ints, Ints, Ints, Ints]] = []
        self._of_class = self._uses_by_class()
        self._known_sets: dict[int, Intervals] = {}
        self._known_beyond: dict[int, Ints] = {}
        self._partly: list[tuple[Ints, Ints]] = []
        self._reached_names: list[CSRList] = []
        odd = (self.is_odd | self._is_disputed).nonzero()[0]
        for shared in self.shares.blocks(odd):
            self._take_uses(shared)
            self._take_names(shared)
            if len(evidence.asked.of_need):
                self._take_needs(shared)
        rest = np.ones(len(self.sources.classes), dtype=bool)
        rest[odd] = False
        self._take_plainly(rest.nonzero()[0])

    @property
    def content_uses(self) -> tuple[Ints, Ints]:
        """Pairs of a unit and a use that lies in what it contains."""
        return _both_joined(self._content)

    @property
    def credited_uses(self) -> tuple[Ints, Ints]:
        """Pairs of a unit and a use that would not have been possible without it."""
        return _both_joined(self._credited)

    @cached_property
    def beyond(self) -> Beyond:
        """Where what is named is denied and something below it is not, that stands for it."""
        sure, doubtful = (
            [joined([part[side] for part in parts]).astype(np.int64) for side in range(4)]
            for parts in (self._beyond, self._doubtful)
        )
        _, action, item, needs = doubtful
        kept = self.beyond_counts(item, needs, action) > 0
        return Beyond(*(np.concatenate([one, other[kept]]) for one, other in zip(sure, doubtful, strict=True)))

    # By class

    def _uses_by_class(self) -> tuple[CSRList, CSRList]:
        """For each class the units of its askers, and for each asker its units."""
        evidence = self.evidence
        counted = (evidence.item >= 0).nonzero()[0]
        position = evidence.position[counted]
        of_position = csr_from_pairs(position, counted, len(evidence.askers))
        by_class = csr_from_pairs(self.sources.alike[position], counted, len(self.sources.classes))
        return by_class, of_position

    @cached_property
    def _uses(self) -> CSRList:
        """For each class the uses of its askers."""
        position = self.evidence.used_pairs[0]
        return csr_from_pairs(self.sources.alike[position], np.arange(len(position)), len(self.sources.classes))

    # Where permits and denies decide alone, each use is held against the sources that permit or deny it

    @cached_property
    def _is_disputed(self) -> Bools:
        """In which classes several sources permit, or any denies, something that one need asks for, of one of those it
        is about."""
        evidence, classes = self.evidence, self.sources.classes
        found = np.zeros(len(classes), dtype=bool)
        denials = self._asked_in(self.shares.spoken[1])
        for chunk, bits, denied in zip(evidence.asked.chunks, self._asked_of_things, denials, strict=True):
            asks = np.zeros(len(classes), dtype=np.int64)
            for bit, number in enumerate(chunk):
                asks[self.sources.alike[evidence.asked.who[number][evidence.askers]]] |= 1 << bit
            own = bits[classes.items] & asks[classes.rows()]
            every, total = np.zeros(len(classes), dtype=np.int64), np.zeros(len(classes), dtype=np.int64)
            np.bitwise_or.at(every, classes.rows(), own)
            np.add.at(total, classes.rows(), np.bitwise_count(own))
            found |= np.bitwise_count(every) != total
            touched = denied[classes.items] & asks[classes.rows()] != 0
            found[classes.rows()[touched]] = True
        return found

    def _take_plainly(self, some: Ints) -> None:
        """What there is to be told of classes in which permits and denies decide alone, and needs are apart."""
        evidence, classes = self.evidence, self.sources.classes
        position, pair, _ = evidence.used_pairs
        for block in in_loads(self._uses.sizes()[some] * 8 + 1, thresholds.USED_TOGETHER):
            use = self._uses.all_of(some[block]).astype(np.int64)
            at, thing = self.sources.of_asker.of(position[use])
            permits = self._permits(thing.astype(np.int64), pair[use[at]])
            ways = np.bincount(at[permits], minlength=len(use))
            ways[self.denied(self.sources.alike[position[use]], pair[use])] = 0
            used = use[ways > 0]
            at, unit = self._of_class[1].of(position[used])
            unit, which = unit.astype(np.int64), used[at]
            gives = self._permits(classes.items[evidence.item[unit]].astype(np.int64), pair[which])
            self._content.append((unit[gives], which[gives]))
            alone = gives & (ways[ways > 0][at] == 1)
            self._credited.append((unit[alone], which[alone]))
        if len(evidence.asked.of_need):
            items = classes.positions(some)[1]
            for needed, contained, of_thing in zip(self.needed, self.contained, self._asked_of_things, strict=True):
                needed[items] = contained[items] = of_thing[classes.items[items]]
            for block in in_loads(classes.sizes()[some] + 1, thresholds.SWEPT):
                self._take_beyond(Shared(some[block], *[NOTHING] * 4), is_plain=True)
        self._take_names_plainly(some[self.denies[some]])

    def _take_names_plainly(self, some: Ints) -> None:
        """As `_take_names`, of classes in which something is denied."""
        evidence, classes = self.evidence, self.sources.classes
        units = self._of_class[0].all_of(some).astype(np.int64)
        items = distinct(evidence.item[units]).astype(np.int64)
        used, pairs, _ = evidence.names
        row = insertion_points(used, self.sources.used[classes.items[items]])
        owner = insertion_points(classes.starts, items, side="right") - 1
        deniers = self._denials[0][owner]
        of_names, of_denials = self._sketches
        met = of_names.meets(row, of_denials, deniers)
        items, row, owner, deniers = items[met], row[met], owner[met], deniers[met]
        _, first, kind = np.unique(deniers * len(used) + row, return_index=True, return_inverse=True)
        row, owner, by_kind = row[first], owner[first], csr_from_pairs(kind, items, len(first))
        for block in in_loads(pairs.sizes()[row] + 1, thresholds.SWEPT):
            at, pair = pairs.of(row[block])
            pair = pair.astype(np.int64)
            self._take_reached(by_kind.picked(block), at, pair, ~self.denied(owner[block][at], pair))

    @property
    def _sketches(self) -> tuple[Sketch, Sketch]:
        """What things name, and what sets of denials deny, on the line of all pairs that are named."""
        _, pairs, _ = self.evidence.names
        line = distinct(pairs.items).astype(np.int64)
        place = insertion_points(line, pairs.items)
        of_names = sketched(pairs.rows(), place, place + 1, len(pairs), len(line))
        set_of, (first, end) = self._denials
        begin = insertion_points(line, self.packing.seconds(first))
        stop = insertion_points(line, self.packing.seconds(end - 1) + 1)
        some = begin < stop
        sets = int(set_of.max(initial=-1)) + 1
        return of_names, sketched(self.packing.firsts(first)[some], begin[some], stop[some], sets, len(line))

    def _take_reached(self, items: CSRList, at: Ints, pair: Ints, is_reached: Bools) -> None:
        """Takes note of sources of which not all is reached: lists of those alike, and what each list names."""
        partly = (np.bincount(at[~is_reached], minlength=len(items)) > 0).nonzero()[0]
        place, own = items.of(partly)
        self._partly.append((own.astype(np.int64), place + sum(map(len, self._reached_names))))
        kept = is_reached & among(at, partly)
        self._reached_names.append(csr_from_pairs(insertion_points(partly, at[kept]), pair[kept], len(partly)))

    @cached_property
    def _denying(self) -> CSRList:
        """For each class the things of it that deny anything."""
        classes = self.sources.classes
        says = self.shares.spoken[1].sizes(np.arange(len(self.sources.used))) > 0
        kept = says[classes.items]
        return csr_from_pairs(classes.rows()[kept].astype(np.int64), classes.items[kept], len(classes))

    @cached_property
    def _denials(self) -> tuple[Ints, Intervals]:
        """For each class the number of its set of denials, and what each set denies in plain systems, on a line on
        which each has a part of its own."""
        set_of, sample = alike(self._denying)
        at, thing = self._denying.of(sample)
        of, first, end = self.shares.spoken[1].of(thing.astype(np.int64))
        return set_of, united(*(self.packing.pack(at[of], it.astype(np.int64)) for it in (first, end)))

    def denied(self, owner: Ints, pair: Ints) -> Bools:
        """Whether something that a class has denies a pair, in plain systems."""
        set_of, intervals = self._denials
        return holds(intervals, self.packing.pack(set_of[owner], pair))

    def ways(self, owner: Ints, pair: Ints) -> Ints:
        """How many sources of classes permit pairs, each of its own class."""
        found = np.zeros(len(owner), dtype=np.int64)
        for block in in_loads(self.sources.classes.sizes()[owner] + 1, thresholds.USED_TOGETHER):
            at, thing = self.sources.classes.of(owner[block])
            permits = self._permits(thing.astype(np.int64), pair[block[at]])
            found[block] = np.bincount(at[permits], minlength=len(block))
        return found

    def _permits(self, thing: Ints, pair: Ints) -> Bools:
        """Whether things in use permit pairs, in plain systems."""
        found = self._permitted_about.may_hold(thing, pair)
        found[found] = holds(self._permitted, self.packing.pack(thing[found], pair[found]))
        return found

    @cached_property
    def _permitted_about(self) -> Sketch:
        """What things in use permit in plain systems, roughly."""
        lists, size = self.shares.spoken[0], int(self.evidence.index.pair_bases[-1]) + 1
        return sketched(lists.rows(), lists.first, lists.end, len(lists), size)

    @cached_property
    def _permitted(self) -> Intervals:
        """What things in use permit in plain systems, on a line on which each has a part of its own."""
        lists = self.shares.spoken[0]
        first, end = (self.packing.pack(lists.rows(), it.astype(np.int64)) for it in (lists.first, lists.end))
        return first, end

    def _take_uses(self, shared: Shared) -> None:
        evidence = self.evidence
        use = self._uses.all_of(shared.classes).astype(np.int64)
        if not len(use):
            return
        position, pair, _ = evidence.used_pairs
        reached = self.lies_in(shared.reached, self.sources.alike[position[use]], pair[use])
        use = use[reached]
        at, unit = self._of_class[1].of(position[use])
        unit, which = unit.astype(np.int64), use[at]
        item = evidence.item[unit]
        gives = self._gives(shared, item, pair[which])
        alone = self.lies_in(shared.adds, item, pair[which])
        self._content.append((unit[gives | alone], which[gives | alone]))
        self._credited.append((unit[alone], which[alone]))

    def lies_in(self, owned: Owned, owner: Ints, pair: Ints) -> Bools:
        """Whether pairs lie in the intervals of their owners."""
        whose, first, end = owned
        if not len(whose):
            return np.zeros(len(owner), dtype=bool)
        at = insertion_points(self.packing.pack(whose, first), self.packing.pack(owner, pair), side="right") - 1
        found: Bools = (at >= 0) & (whose[at] == owner) & (pair < end[at])
        return found

    def _gives(self, shared: Shared, item: Ints, pair: Ints) -> Bools:
        """Whether sources permit pairs that are reached."""
        thing = self.sources.classes.items[item].astype(np.int64)
        return self._permits(thing, pair) | self.lies_in(shared.gives, item, pair)

    # What is named and reached

    @property
    def partly_reached(self) -> tuple[Ints, Ints, CSRList]:
        """The sources of which not all that they name is reached, in order, the set of each, and the sets' pairs."""
        item, number = _both_joined(self._partly)
        order = order_of(item)
        return item[order], number[order], one_below_the_other(self._reached_names)

    def _take_names(self, shared: Shared) -> None:
        evidence, classes = self.evidence, self.sources.classes
        units = self._of_class[0].all_of(shared.classes[~self.is_plain[shared.classes]]).astype(np.int64)
        items = distinct(evidence.item[units]).astype(np.int64)
        if not len(items):
            return
        used, pairs, _ = evidence.names
        things = self.sources.used[classes.items[items]]
        at, pair = pairs.of(insertion_points(used, things))
        owner = insertion_points(classes.starts, items, side="right") - 1
        reached = self.lies_in(shared.reached, owner[at], pair.astype(np.int64))
        own = CSRList(np.arange(len(items) + 1), items)
        self._take_reached(own, at, pair.astype(np.int64), reached)

    # What is asked for

    @cached_property
    def _needs(self) -> tuple[Ints, list[Ints]]:
        """The number of the set of needs that are about each asker, and the needs of each set."""
        return self.evidence.asked.sets(self.evidence.askers)

    @cached_property
    def _asked_of_things(self) -> list[Ints]:
        """The needs that ask for something that each thing permits: bits, chunk by chunk."""
        return self._asked_in(self.shares.spoken[0])

    def _asked_in(self, lists: IntervalLists) -> list[Ints]:
        """The needs that ask for something in what is said of each thing."""
        numbers = np.arange(len(self.sources.used))
        return self.evidence.asked.asking_for(*lists.of(numbers), len(numbers))

    @cached_property
    def is_odd(self) -> Bools:
        """In which classes ranks or gates decide."""
        return self._with_any(self.shares.is_special)

    @cached_property
    def denies(self) -> Bools:
        """In which classes anything is denied in plain systems."""
        return self._with_any(self.shares.spoken[1].sizes(np.arange(len(self.sources.used))) > 0)

    @property
    def is_plain(self) -> Bools:
        """In which classes all that a source permits is reached: nothing is denied, and no ranks or gates decide."""
        return ~self.is_odd & ~self.denies

    def _with_any(self, things: Bools) -> Bools:
        classes = self.sources.classes
        found = np.zeros(len(classes), dtype=bool)
        found[classes.rows()[things[classes.items]]] = True
        return found

    def _take_needs(self, shared: Shared) -> None:
        asked, size, classes = self.evidence.asked, len(self.sources.classes.items), self.sources.classes
        for found, more in zip(self.needed, asked.asking_for(*shared.adds, size), strict=True):
            found |= more
        at, here = classes.positions(shared.classes)
        owner = shared.classes[at]
        plain = self.is_plain[owner]
        items = here[~plain]
        exact = asked.asking_for(*self._content_of(shared, items, owner[~plain]), size)
        for found, of_thing, more in zip(self.contained, self._asked_of_things, exact, strict=True):
            found[here] = np.where(plain, of_thing[classes.items[here]], more[here])
        self._take_beyond(shared)

    def _content_of(self, shared: Shared, items: Ints, owner: Ints) -> Owned:
        """What sources, which are in order, contain, as intervals that may overlap; `owner`: the class of each."""
        at, first, end = self.shares.spoken[0].of(self.sources.classes.items[items].astype(np.int64))
        whose, begin, stop = shared.reached
        first, end = (self.packing.pack(owner[at], it) for it in (first, end))
        window = (self.packing.pack(whose, begin), self.packing.pack(whose, stop))
        origin, (first, end) = pieces_within((first, end), window)
        parts = [(items[at[origin]], self.packing.seconds(first), self.packing.seconds(end - 1) + 1)]
        for item, begin, stop in (shared.gives, shared.adds) if self.shares.special else ():
            mine = among(item, items)
            parts.append((item[mine], begin[mine], stop[mine]))
        item, first, end = (joined([part[side] for part in parts]) for side in range(3))
        return item, first, end

    def _take_beyond(self, shared: Shared, is_plain: bool = False) -> None:
        """What is named beyond the needs, of units that are alike in source and needs once. `is_plain`: where permits
        and denies decide alone."""
        evidence, classes = self.evidence, self.sources.classes
        units = self._of_class[0].all_of(shared.classes).astype(np.int64)
        units = units[self._is_asked_for(units)]
        if not len(units):
            return
        of_asker, about = self._needs
        sets = of_asker[evidence.position[units]]
        kinds, which = np.unique(evidence.item[units] * len(about) + sets, return_inverse=True)
        item, needs = np.divmod(kinds, len(about))
        codes, of_kind = np.unique(classes.items[item].astype(np.int64) * len(about) + needs, return_inverse=True)
        known = self._known_beyond
        for code in (it for it in codes.tolist() if it not in known):
            known[code] = self._named_beyond(*divmod(code, len(about)))
        pairs = [known[code] for code in codes.tolist()]
        points = csr_from_pairs(np.repeat(np.arange(len(codes)), list(map(len, pairs))), joined(pairs), len(codes))
        kind, pair = points.of(of_kind)
        pair = pair.astype(np.int64)
        owner = insertion_points(classes.starts, item[kind], side="right") - 1
        if is_plain:
            contained = ~self.denied(owner, pair)
        else:
            contained = self.lies_in(shared.reached, owner, pair) & self._gives(shared, item[kind], pair)
            contained |= self.lies_in(shared.adds, item[kind], pair)
        width = max(len(evidence.index.actions), 1)
        code = kind * width + actions_of(evidence.index, pair)
        sure = distinct(code[contained]).astype(np.int64)
        rest = distinct(code[~contained]).astype(np.int64)
        for found, codes in ((self._beyond, sure), (self._doubtful, rest[~among(rest, sure)])):
            kind, action = np.divmod(codes, width)
            at, row = csr_from_pairs(kind, np.arange(len(kind)), len(kinds)).of(which)
            found.append((units[at], action[row], item[kind][row], needs[kind][row]))

    def _is_asked_for(self, units: Ints) -> Bools:
        """Of which units a need asks for something, of those that are about whoever they belong to."""
        asked, found = self.evidence.asked, np.zeros(len(units), dtype=bool)
        for chunk, bits in zip(asked.chunks, self.contained, strict=True):
            for bit, number in enumerate(chunk):
                about = asked.who[number][self.evidence.units.asker[units]]
                found |= about & (bits[self.evidence.item[units]] >> bit & 1 > 0)
        return found

    def _named_beyond(self, thing: int, needs: int) -> Ints:
        """The pairs that a thing in use, by position, names and a set of needs does not ask for."""
        used, pairs, _ = self.evidence.names
        named = pairs[int(insertion_points(used, self.sources.used[thing]))].astype(np.int64)
        return named[~holds(self._asked_of_set(needs), named)]

    def beyond_counts(self, item: Ints, needs: Ints, action: Ints) -> Ints:
        """On how many resources each source lets an action be done that a set of needs does not ask for."""
        sets, actions = max(len(self._needs[1]), 1), max(len(self.evidence.index.actions), 1)
        keys, which = np.unique((item * sets + needs) * actions + action, return_inverse=True)
        counts = np.zeros(len(keys), dtype=np.int64)
        for some in in_chunks(len(keys), max(thresholds.SWEPT // 2, 1)):
            rest, action = np.divmod(keys[some], actions)
            counts[some] = self._beyond_counted(*np.divmod(rest, sets), action)
        return counts[which]

    def _beyond_counted(self, item: Ints, needs: Ints, action: Ints) -> Ints:
        classes = self.sources.classes
        owner = insertion_points(classes.starts, item, side="right") - 1
        odd, rows = self.is_odd[owner], rows_of(self.evidence.index, action)
        plain = (~odd).nonzero()[0]
        of_thing = classes.items[item[plain]].astype(np.int64)
        in_plain, of_odd = self._in_rows(of_thing, rows, self._permitted, plain), self._odd_content(item, owner, odd)
        of_odd = of_odd[0], np.maximum(of_odd[1], rows[0][of_odd[0]]), np.minimum(of_odd[2], rows[1][of_odd[0]])
        denying = plain[self.denies[owner[plain]]]
        set_of, denials = self._denials
        denied = self._in_rows(set_of[owner[denying]], rows, denials, denying)
        used = distinct(needs).astype(np.int64)
        of_sets = [self._asked_of_set(number) for number in used.tolist()]
        whose = np.repeat(np.arange(len(used)), [len(first) for first, _ in of_sets])
        first, end = (self.packing.pack(whose, joined([it[side] for it in of_sets])) for side in (0, 1))
        asked = self._in_rows(insertion_points(used, needs), rows, (first, end), np.arange(len(item)))
        held, taken = (
            tuple(np.concatenate(it) for it in zip(*parts, strict=True))
            for parts in ((in_plain, of_odd), (denied, asked))
        )
        first, end = without(self._of_owners(*held), self._of_owners(*taken))
        return np.bincount(self.packing.firsts(first), weights=end - first, minlength=len(item)).astype(np.int64)

    def _of_owners(self, owner: Ints, first: Ints, end: Ints) -> Intervals:
        """Intervals on a line on which each owner has a part of its own; empty ones are left out."""
        some = first < end
        return self.packing.pack(owner[some], first[some]), self.packing.pack(owner[some], end[some])

    def _in_rows(self, owner: Ints, rows: Intervals, intervals: Intervals, at: Ints) -> Owned:
        """What of the intervals of owners, on a line on which each has a part of its own, lies in some of the rows: for
        each piece which of them, its first and its end. `at`: which row of those given is each owner's."""
        window = tuple(self.packing.pack(owner, it[at]) for it in rows)
        origin, (first, end) = pieces_within((window[0], window[1]), intervals)
        return at[origin], self.packing.seconds(first), self.packing.seconds(end - 1) + 1

    def _odd_content(self, item: Ints, owner: Ints, odd: Bools) -> Owned:
        """What those sources contain in whose classes ranks or gates decide: which of them, its first and its end."""
        parts = [NOTHING]
        for shared in self.shares.blocks(distinct(owner[odd]).astype(np.int64)):
            here = (odd & among(owner, shared.classes)).nonzero()[0]
            own = distinct(item[here]).astype(np.int64)
            of, first, end = self._content_of(
                shared, own, insertion_points(self.sources.classes.starts, own, "right") - 1
            )
            content = csr_from_pairs(insertion_points(own, of), np.arange(len(of)), len(own))
            at, interval = content.of(insertion_points(own, item[here]))
            parts.append((here[at], first[interval], end[interval]))
        return tuple(np.concatenate(it) for it in zip(*parts, strict=True))  # type: ignore[return-value]

    def _asked_of_set(self, number: int) -> Intervals:
        """The pairs that the needs of a set ask for."""
        if number not in self._known_sets:
            self._known_sets[number] = self.evidence.asked.together(self._needs[1][number])
        return self._known_sets[number]


def _both_joined(parts: list[tuple[Ints, Ints]]) -> tuple[Ints, Ints]:
    return joined([one for one, _ in parts]), joined([other for _, other in parts])
