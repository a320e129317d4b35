"""What is said about units, of all of them at once: what each adds, how it was used, what it is needed for.

A use, or a need, is *of* a unit where it lies in its content; it is *credited* where it lies in what the unit adds, so
that without the unit it would not be possible. Of two units that give the same neither is credited.
"""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.asked import Asked
from kathodos.analysis.evidence.held import Units
from kathodos.analysis.evidence.shares import Owned, Shared, Shares
from kathodos.analysis.evidence.since import Time, time_of
from kathodos.analysis.evidence.sources import Sources, sources_of
from kathodos.analysis.evidence.things import Points, Things, actions_of, row_of
from kathodos.columns.csr import Bools, CSRList, Ints, among, csr_from_pairs, distinct, joined
from kathodos.columns.intervals import Intervals, holds, pieces_within, without
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.engine.decide import able_of
from kathodos.model.times import BEGINNING


class Used(msgspec.Struct, frozen=True):
    """The uses of each unit: how often, and when last (the beginning for never)."""

    times: Ints
    last: Ints

    @property
    def is_any(self) -> Bools:
        return self.last > BEGINNING


class ActionUses(msgspec.Struct, frozen=True):
    """The uses of units by action: the unit, the action by number, whether it is named, how often and when last."""

    unit: Ints
    action: Ints
    is_named: Bools
    times: Ints
    last: Ints


class Beyond(msgspec.Struct, frozen=True):
    """What units name and no need of whoever they belong to asks for: the unit, the action by number, and on how many
    resources the unit lets it be done that nobody asked for."""

    unit: Ints
    action: Ints
    resources: Ints


class UnitEvidence:
    """What is said about some units at the moment of a basis. `asked`: what needs ask for, and of whom; `recorded`:
    since when uses of all systems that each unit gives something in are recorded."""

    def __init__(self, basis: Basis, units: Units, asked: Asked, recorded: Ints | None = None) -> None:
        self.basis = basis
        self.index = basis.index
        self.units = units
        self.asked = asked
        self.recorded = np.full(len(units), BEGINNING) if recorded is None else recorded
        self.things = Things(basis.index, basis.moment)

    @cached_property
    def thing(self) -> Ints:
        """The thing that each unit is."""
        return self.things.of_units(self.units.grant, self.units.group)

    @cached_property
    def askers(self) -> Ints:
        """Whose units these are, in order."""
        return distinct(self.units.asker).astype(np.int64)

    @cached_property
    def position(self) -> Ints:
        """The position of the asker of each unit."""
        return insertion_points(self.askers, self.units.asker)

    @cached_property
    def sources(self) -> Sources:
        return sources_of(self.things, self.askers)

    @cached_property
    def counts(self) -> Bools:
        """Which units count now: in force, and held by somebody who counts as the holder."""
        able = able_of(self.index.holders, self.basis.moment)[self.units.holder]
        in_force: Bools = np.append(self.things.live, True)[self.units.grant]
        return able & in_force

    @cached_property
    def item(self) -> Ints:
        """The source that each unit is, as it stands in the classes; -1 for one that gives nothing now."""
        return np.where(self.counts, self.sources.units_of(self.position, self.thing), -1)

    @cached_property
    def _swept(self) -> _Swept:
        return _Swept(self)

    def _of_items(self, values: Ints) -> Ints:
        """What is known of sources, for units; 0 for those that give nothing."""
        return np.append(values, 0)[self.item]

    @property
    def adds(self) -> Ints:
        """How many combinations of action and resource would be lost without each unit."""
        return self._of_items(self._swept.adds)

    @property
    def withholds(self) -> Ints:
        """How many would be gained without each unit, since it denies them."""
        return self._of_items(self._swept.withholds)

    @property
    def is_redundant(self) -> Bools:
        """Without which of the units nothing would be lost or gained, though they count."""
        found: Bools = (self.item >= 0) & (self.adds == 0) & (self.withholds == 0)
        return found

    # Use

    @cached_property
    def _uses(self) -> tuple[Ints, Ints, Ints, Ints]:
        """The recorded uses: position of the asker, pair, when, and how often. Pairs about which the same is said are
        one."""
        basis = self.basis
        only = np.zeros(basis.size, dtype=bool)
        only[self.askers] = True
        uses = basis.uses_of(only)
        where = np.full(basis.size, -1, dtype=np.int64)
        where[self.askers] = np.arange(len(self.askers))
        points = Points(self.index)
        pairs = points.alike(points.pairs(uses.action.astype(np.int64), uses.node.astype(np.int64)))
        return where[uses.user], pairs, uses.time, uses.count

    @cached_property
    def used_pairs(self) -> tuple[Ints, Ints, CSRList]:
        """What each asker used: the position of the asker and the pair, each once; and the uses of each."""
        position, pair, _, _ = self._uses
        order = np.lexsort((pair, position))
        differs = (np.diff(position[order]) != 0) | (np.diff(pair[order]) != 0)
        starts = np.append(True, differs)[: len(order)].nonzero()[0]
        first = order[starts]
        return position[first], pair[first], CSRList(np.append(starts, len(order)), order)

    @cached_property
    def names(self) -> tuple[Ints, CSRList, CSRList]:
        """The things that units are, in order, and for each the pairs that it names, and the actions."""
        used = distinct(self.thing).astype(np.int64)
        return used, *self.things.names(used)

    @property
    def _width(self) -> int:
        return max(len(self.index.actions), 1)

    def is_named(self, unit: Ints, action: Ints) -> Bools:
        """Whether each unit names an action."""
        used, _, actions = self.names
        return among(self.thing[unit] * self._width + action, used[actions.rows()] * self._width + actions.items)

    @cached_property
    def time(self) -> Time:
        """Since when each unit holds, and since when its use would be known."""
        return time_of(self.basis, self.units, self.recorded)

    def _in_time(self, pairs: tuple[Ints, Ints]) -> tuple[Ints, Ints]:
        """Units with each use of what an asker used that lies in the unit's time."""
        unit, which = pairs
        at, use = self.used_pairs[2].of(which)
        unit, use = unit[at], use.astype(np.int64)
        late = self._uses[2][use] >= self.time.begins[unit]
        return unit[late], use[late]

    @cached_property
    def _contained(self) -> tuple[Ints, Ints]:
        return self._in_time(self._swept.content_uses)

    @cached_property
    def _creditable(self) -> tuple[Ints, Ints]:
        return self._in_time(self._swept.credited_uses)

    def _actions(self, use: Ints) -> Ints:
        return actions_of(self.index, self._uses[1][use])

    @cached_property
    def used(self) -> Used:
        """Every use of what each unit contains, as activity shows it, or its source tells it of a grant."""
        return self._folded(*self._contained)

    @cached_property
    def credited(self) -> Used:
        """The uses that would not have been possible without each unit."""
        return self._folded(*self._creditable)

    @cached_property
    def used_as_named(self) -> Used:
        """Of the uses credited to each unit those of actions that it names itself."""
        unit, use = self._creditable
        named = self.is_named(unit, self._actions(use))
        return self._folded(unit[named], use[named])

    def _folded(self, unit: Ints, use: Ints) -> Used:
        _, _, time, count = self._uses
        times, last = np.zeros(len(self.units), dtype=np.int64), np.full(len(self.units), BEGINNING, dtype=np.int64)
        np.add.at(times, unit, count[use])
        np.maximum.at(last, unit, time[use])
        said = np.append(self.basis.moments(self.basis.grant("last_used")), BEGINNING)
        return Used(times, np.maximum(last, said[self.units.grant]))

    @cached_property
    def by_action(self) -> ActionUses:
        """Every use of what each unit contains, by action, in the order of the units."""
        return self._by_action(*self._contained)

    @cached_property
    def credited_by_action(self) -> ActionUses:
        """As `by_action`, of the uses that are credited to each unit."""
        return self._by_action(*self._creditable)

    def _by_action(self, unit: Ints, use: Ints) -> ActionUses:
        _, _, time, count = self._uses
        code = unit * self._width + self._actions(use)
        order = order_of(code)
        code, use = code[order], use[order]
        starts = np.append(True, code[1:] != code[:-1])[: len(code)].nonzero()[0]
        last = np.maximum.reduceat(time[use], starts) if len(starts) else time[:0]
        times = np.add.reduceat(count[use], starts) if len(starts) else count[:0]
        of, what = np.divmod(code[starts], self._width)
        return ActionUses(of, what, self.is_named(of, what), times, last)

    # Names

    @cached_property
    def name_sets(self) -> tuple[Ints, CSRList]:
        """What each unit names, as far as whoever has it reaches that: the number of a set, and the pairs of each set.

        Of a unit that gives nothing now it is all that it names.
        """
        used, pairs, _ = self.names
        partly, reached = self._swept.partly_reached
        number = insertion_points(used, self.thing)
        at = np.minimum(insertion_points(partly, self.item), max(len(partly) - 1, 0))
        is_partly = (self.item >= 0) & (partly[at] == self.item) if len(partly) else np.zeros(len(number), dtype=bool)
        some = is_partly & (reached.sizes()[at] > 0) if len(partly) else is_partly
        starts = np.concatenate([pairs.starts, pairs.starts[-1] + reached.starts[1:]])
        sets = CSRList(starts.astype(np.int64), np.concatenate([pairs.items, reached.items]))
        return np.where(some, len(used) + at, number), sets

    # Need

    @cached_property
    def needed(self) -> list[Ints]:
        """The needs by which each unit adds something that they ask for: bits, chunk by chunk."""
        return self._of_bits(self._swept.needed)

    @cached_property
    def also_needed(self) -> list[Ints]:
        """The needs that ask for something that each unit contains, and of which it adds nothing."""
        contained = self._of_bits(self._swept.contained)
        return [every & ~own for every, own in zip(contained, self.needed, strict=True)]

    def _of_bits(self, of_items: list[Ints]) -> list[Ints]:
        found = []
        for chunk, of_item in zip(self.asked.chunks, of_items, strict=True):
            asks = np.zeros(len(self.units), dtype=np.int64)
            for bit, number in enumerate(chunk):
                asks |= self.asked.who[number][self.units.asker].astype(np.int64) << bit
            found.append(self._of_items(of_item) & asks)
        return found

    @property
    def beyond(self) -> Beyond:
        """What each unit that a need asks for names besides, which no need of whoever it belongs to asks for."""
        return self._swept.beyond


class _Swept:
    """What one pass over the classes of askers tells of their sources, by their place in the classes."""

    def __init__(self, evidence: UnitEvidence) -> None:
        self.evidence = evidence
        self.sources = evidence.sources
        self.shares = Shares(self.sources)
        self.packing = self.shares.packing
        size = len(self.sources.classes.items)
        self.adds, self.withholds = np.zeros(size, dtype=np.int64), np.zeros(size, dtype=np.int64)
        self.needed, self.contained = ([np.zeros(size, dtype=np.int64) for _ in evidence.asked.chunks] for _ in "12")
        self._content: list[tuple[Ints, Ints]] = []
        self._credited: list[tuple[Ints, Ints]] = []
        self._beyond: list[tuple[Ints, Ints, Ints]] = []
        self._of_class = self._uses_by_class()
        self._known_counts: dict[tuple[int, int, int], int] = {}
        self._known_sets: dict[int, Intervals] = {}
        self._known_beyond: dict[int, Ints] = {}
        self._unreached: list[Ints] = []
        self._reached_names: list[tuple[Ints, Ints]] = []
        for shared in self.shares.blocks():
            self._take(shared)

    @property
    def content_uses(self) -> tuple[Ints, Ints]:
        """Pairs of a unit and a use that lies in what it contains."""
        return _both_joined(self._content)

    @property
    def credited_uses(self) -> tuple[Ints, Ints]:
        """Pairs of a unit and a use that would not have been possible without it."""
        return _both_joined(self._credited)

    @property
    def beyond(self) -> Beyond:
        return Beyond(*(joined([part[side] for part in self._beyond]) for side in range(3)))

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

    def _take(self, shared: Shared) -> None:
        size = len(self.adds)
        for owned, counts in ((shared.adds, self.adds), (shared.withholds, self.withholds)):
            item, first, end = owned
            counts += np.bincount(item, weights=end - first, minlength=size).astype(np.int64)
        self._take_uses(shared)
        self._take_names(shared)
        if len(self.evidence.asked.of_need):
            self._take_needs(shared)

    def _take_uses(self, shared: Shared) -> None:
        evidence = self.evidence
        use = self._uses.all_of(shared.classes).astype(np.int64)
        if not len(use):
            return
        position, pair, _ = evidence.used_pairs
        reached = self._in(shared.reached, self.sources.alike[position[use]], pair[use])
        use = use[reached]
        at, unit = self._of_class[1].of(position[use])
        unit, which = unit.astype(np.int64), use[at]
        item = evidence.item[unit]
        gives = self._gives(shared, item, pair[which])
        alone = self._in(shared.adds, item, pair[which])
        self._content.append((unit[gives | alone], which[gives | alone]))
        self._credited.append((unit[alone], which[alone]))

    def _in(self, owned: Owned, owner: Ints, pair: Ints) -> Bools:
        """Whether pairs lie in the intervals of their owners."""
        whose, first, end = owned
        if not len(whose):
            return np.zeros(len(owner), dtype=bool)
        at = insertion_points(self.packing.pack(whose, first), self.packing.pack(owner, pair), side="right") - 1
        found: Bools = (at >= 0) & (whose[at] == owner) & (pair < end[at])
        return found

    def _gives(self, shared: Shared, item: Ints, pair: Ints) -> Bools:
        """Whether sources permit pairs that are reached."""
        permits = self.shares.spoken[0]
        rows = np.repeat(np.arange(len(permits.starts) - 1), np.diff(permits.starts))
        plain = (rows, permits.first.astype(np.int64), permits.end.astype(np.int64))
        thing = self.sources.classes.items[item].astype(np.int64)
        return self._in(plain, thing, pair) | self._in(shared.gives, item, pair)

    # What is named and reached

    @property
    def partly_reached(self) -> tuple[Ints, CSRList]:
        """The sources of which not all that they name is reached, in order, and the pairs of each that are."""
        items = distinct(joined(self._unreached)).astype(np.int64)
        item, pair = _both_joined(self._reached_names)
        mine = among(item, items)
        return items, csr_from_pairs(insertion_points(items, item[mine]), pair[mine], len(items))

    def _take_names(self, shared: Shared) -> None:
        evidence, classes = self.evidence, self.sources.classes
        units = self._of_class[0].all_of(shared.classes[~self._is_plain[shared.classes]]).astype(np.int64)
        items = distinct(evidence.item[units]).astype(np.int64)
        if not len(items):
            return
        used, pairs, _ = evidence.names
        things = self.sources.used[classes.items[items]]
        at, pair = pairs.of(insertion_points(used, things))
        owner = insertion_points(classes.starts, items, side="right") - 1
        reached = self._in(shared.reached, owner[at], pair.astype(np.int64))
        self._unreached.append(items[at[~reached]])
        self._reached_names.append((items[at[reached]], pair[reached].astype(np.int64)))

    # What is asked for

    @cached_property
    def _asked_of_things(self) -> list[Ints]:
        """The needs that ask for something that each thing permits: bits, chunk by chunk."""
        permits = self.shares.spoken[0]
        numbers = np.arange(len(self.sources.used))
        owner, first, end = permits.of(numbers)
        return self.evidence.asked.asking_for(owner, first, end, len(numbers))

    @cached_property
    def _is_plain(self) -> Bools:
        """In which classes all that a source permits is reached: nothing is denied, and no ranks or gates decide."""
        classes, numbers = self.sources.classes, np.arange(len(self.sources.used))
        odd = (self.shares.spoken[1].sizes(numbers) > 0) | self.shares.is_special
        found = np.ones(len(classes), dtype=bool)
        found[classes.rows()[odd[classes.items]]] = False
        return found

    def _take_needs(self, shared: Shared) -> None:
        asked, size, classes = self.evidence.asked, len(self.adds), self.sources.classes
        for found, more in zip(self.needed, asked.asking_for(*shared.adds, size), strict=True):
            found |= more
        here = slice(int(classes.starts[shared.classes[0]]), int(classes.starts[shared.classes[-1] + 1]))
        owner = np.repeat(shared.classes, classes.sizes()[shared.classes])
        plain = self._is_plain[owner]
        items = np.arange(here.start, here.stop)[~plain]
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

    def _take_beyond(self, shared: Shared) -> None:
        """What is named beyond the needs, of units that are alike in source and needs once."""
        evidence, asked, classes = self.evidence, self.evidence.asked, self.sources.classes
        units = self._of_class[0].all_of(shared.classes).astype(np.int64)
        units = units[self._is_asked_for(units)]
        if not len(units):
            return
        of_asker, about = asked.sets
        sets = of_asker[evidence.units.asker[units]]
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
        contained = self._in(shared.reached, owner, pair) & self._gives(shared, item[kind], pair)
        contained |= self._in(shared.adds, item[kind], pair)
        action = actions_of(evidence.index, pair[contained])
        width = max(len(evidence.index.actions), 1)
        kind, action = np.divmod(distinct(kind[contained] * width + action), width)
        counts = self._beyond_counts(shared, item[kind], needs[kind], action)
        at, row = csr_from_pairs(kind, np.arange(len(kind)), len(kinds)).of(which)
        self._beyond.append((units[at], action[row], counts[row]))

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

    def _beyond_counts(self, shared: Shared, item: Ints, needs: Ints, action: Ints) -> Ints:
        """On how many resources each source lets an action be done that a set of needs does not ask for."""
        classes, index, known = self.sources.classes, self.evidence.index, self._known_counts
        owner = insertion_points(classes.starts, item, side="right") - 1
        plain, things = self._is_plain[owner], classes.items[item].astype(np.int64)
        odd, place = np.unique(item[~plain], return_index=True)
        of, first, end = self._content_of(shared, odd, owner[~plain][place])
        order = order_of(of)
        of, first, end = of[order], first[order], end[order]
        permits = self.shares.spoken[0]
        rows = zip(item.tolist(), plain.tolist(), things.tolist(), needs.tolist(), action.tolist(), strict=True)
        counts = np.zeros(len(item), dtype=np.int64)
        for at, (own, is_plain, thing, number, what) in enumerate(rows):
            key = (-1 - thing if is_plain else own, number, what)
            if key not in known:
                here = slice(*insertion_points(of, [own, own + 1])) if not is_plain else slice(0)
                content = (first[here], end[here])
                if is_plain:  # all that it permits is reached
                    mine = slice(int(permits.starts[thing]), int(permits.starts[thing + 1]))
                    content = (permits.first[mine].astype(np.int64), permits.end[mine].astype(np.int64))
                some = pieces_within(without(content, self._asked_of_set(number)), row_of(index, what))[1]
                known[key] = int((some[1] - some[0]).sum())
            counts[at] = known[key]
        return counts

    def _asked_of_set(self, number: int) -> Intervals:
        """The pairs that the needs of a set ask for."""
        if number not in self._known_sets:
            self._known_sets[number] = self.evidence.asked.of_set(number)
        return self._known_sets[number]


def _both_joined(parts: list[tuple[Ints, Ints]]) -> tuple[Ints, Ints]:
    return joined([one for one, _ in parts]), joined([other for _, other in parts])
