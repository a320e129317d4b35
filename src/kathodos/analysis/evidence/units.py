"""What is said about units, of all of them at once: what each adds, how it was used, what it is needed for.

A use, or a need, is *of* a unit where it lies in its content; it is *credited* where it lies in what the unit adds, so
that without the unit it would not be possible. Of two units that give the same neither is credited.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.asked import Asked
from kathodos.analysis.evidence.held import Units
from kathodos.analysis.evidence.since import Time, time_of
from kathodos.analysis.evidence.sources import Sources, sources_of
from kathodos.analysis.evidence.swept import Beyond, Swept
from kathodos.analysis.evidence.things import actions_of
from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    among,
    distinct,
    one_below_the_other,
)
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.packed import PackedPairs
from kathodos.engine.decide import able_of
from kathodos.model.times import BEGINNING

_NAMES_TRIED = 3  # by which it is seen that a unit adds something, in most cases


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


class UnitEvidence:
    """What is said about some units at the moment of a basis. `asked`: what needs ask for, and of whom; `recorded`:
    since when uses of all systems that each unit gives something in are recorded."""

    def __init__(self, basis: Basis, units: Units, asked: Asked, recorded: Ints | None = None) -> None:
        self.basis = basis
        self.index = basis.index
        self.units = units
        self.asked = asked
        self.recorded = np.full(len(units), BEGINNING) if recorded is None else recorded
        self.things = basis.things

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
    def _swept(self) -> Swept:
        return Swept(self)

    @cached_property
    def _counted(self) -> tuple[Ints, Ints]:
        """How many combinations each source adds, and withholds."""
        return self._swept.shares.counted()

    def _of_items(self, values: Ints) -> Ints:
        """What is known of sources, for units; 0 for those that give nothing."""
        return np.append(values, 0)[self.item]

    def add_something(self, some: Ints) -> Bools:
        """Whether something would be lost without each of some units.

        Where one of the first that a unit names is given by nothing else, it is; only the others are looked at whole.
        """
        swept, (used, pairs, _) = self._swept, self.names
        items, which = np.unique(self.item[some], return_inverse=True)
        found = np.zeros(len(items), dtype=bool)
        owner = insertion_points(self.sources.classes.starts, items, side="right") - 1
        row = insertion_points(used, self.sources.used[self.sources.classes.items[np.maximum(items, 0)]])
        plain = (items >= 0) & ~swept.is_odd[np.maximum(owner, 0)]
        for number in range(_NAMES_TRIED):
            left = (plain & ~found & (pairs.sizes()[row] > number)).nonzero()[0]
            pair = pairs.items[pairs.starts[row[left]] + number].astype(np.int64)
            found[left] = (swept.ways(owner[left], pair) == 1) & ~swept.denied(owner[left], pair)
        left = ((items >= 0) & ~found).nonzero()[0]
        for shared in swept.shares.blocks(distinct(owner[left]).astype(np.int64)):
            found |= among(items, distinct(shared.adds[0]))
        return found[which]

    @property
    def adds(self) -> Ints:
        """How many combinations of action and resource would be lost without each unit."""
        return self._of_items(self._counted[0])

    @property
    def withholds(self) -> Ints:
        """How many would be gained without each unit, since it denies them."""
        return self._of_items(self._counted[1])

    @property
    def is_redundant(self) -> Bools:
        """Without which of the units nothing would be lost or gained, though they count."""
        found: Bools = (self.item >= 0) & (self.adds == 0) & (self.withholds == 0)
        return found

    def reaches(self, position: Ints, pair: Ints) -> Bools:
        """Whether askers, by position, reach pairs."""
        swept, owner = self._swept, self.sources.alike[position]
        found = ~swept.is_odd[owner] & (swept.ways(owner, pair) > 0) & ~swept.denied(owner, pair)
        odd = swept.is_odd[owner].nonzero()[0]
        for shared in swept.shares.blocks(distinct(owner[odd]).astype(np.int64)):
            found[odd] |= swept.lies_in(shared.reached, owner[odd], pair[odd])
        return found

    def reach_any(self, questions: Sequence[Ints]) -> list[Bools]:
        """Which askers, by position, reach any of the pairs of each question; these are in order."""
        found = np.zeros((len(questions), len(self.sources.classes)), dtype=bool)
        for shared in self._swept.shares.blocks() if questions else ():
            whose, first, end = shared.reached
            for of_class, pairs in zip(found, questions, strict=True):
                of_class[whose[insertion_points(pairs, first) < insertion_points(pairs, end)]] = True
        return [of_class[self.sources.alike] for of_class in found]

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
        points = self.things.points
        pairs = points.fewer(points.pairs(uses.action.astype(np.int64), uses.node.astype(np.int64)))
        return where[uses.user], pairs, uses.time, uses.count

    @cached_property
    def used_pairs(self) -> tuple[Ints, Ints, CSRList]:
        """What each asker used: the position of the asker and the pair, each once; and the uses of each."""
        position, pair, _, _ = self._uses
        order = order_of(PackedPairs.below(int(self.index.pair_bases[-1]) + 1).pack(position, pair))
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
        _, own, reached = self._swept.partly_reached
        number = insertion_points(used, self.thing)
        at, is_partly = self._partly
        some = is_partly.copy()
        some[is_partly] = reached.sizes()[own[at[is_partly]]] > 0
        number[some] = len(used) + own[at[some]]
        return number, one_below_the_other([pairs, reached])

    @cached_property
    def _partly(self) -> tuple[Ints, Bools]:
        """The place of each unit among those of which not all that they name is reached, and which units these are."""
        partly = self._swept.partly_reached[0]
        at = np.minimum(insertion_points(partly, self.item), max(len(partly) - 1, 0))
        if not len(partly):
            return at, np.zeros(len(at), dtype=bool)
        return at, (self.item >= 0) & (partly[at] == self.item)

    @cached_property
    def reaches_names(self) -> Bools:
        """Of which units that count whoever has them reaches all of the set of names that stands for them, and any."""
        numbers, sets = self.name_sets
        _, is_partly = self._partly
        is_whole = numbers < len(self.names[0])
        found: Bools = (self.item >= 0) & (sets.sizes()[numbers] > 0) & ~(is_partly & is_whole)
        return found

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
        """What each unit that a need asks for names besides, which no need of whoever it belongs to asks for, as far as
        it lets that, or the same on something below it, be done."""
        return self._swept.beyond

    def beyond_resources(self, rows: Ints) -> Ints:
        """On how many resources the units of some rows of `beyond` let the action be done that nobody asked for."""
        beyond = self.beyond
        return self._swept.beyond_counts(beyond.item[rows], beyond.needs[rows], beyond.action[rows])
