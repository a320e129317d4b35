"""What differs between two states of the catalogue: by kind of record, and by person in what they reach.

Records are compared as rows of one history, column by column. Of what people reach only those are looked at whose
reach can differ: the holders of what came, changed or went, or began or ended between the two moments; everybody where
something changed that bears on all. They are taken in classes of those alike in both states.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.analysis.concerned import concerned
from kathodos.columns.csr import Bools, Ints, distinct, in_loads, joined, stretches
from kathodos.columns.dictionary import row_numbers
from kathodos.columns.intervals import Intervals, alone, covered, intervals_where, united
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.packed import PackedPairs
from kathodos.columns.strings import StringTable
from kathodos.columns.threads import in_threads
from kathodos.engine.compiled.index import Index
from kathodos.engine.everyone import ReachClasses
from kathodos.engine.pair_axis import IntervalLists, OwnedIntervals
from kathodos.model.addresses import parse_pattern
from kathodos.model.kinds import GATHERED, ROLE_PERMISSIONS, Kind
from kathodos.model.references import reference_to
from kathodos.store.edited import Edits
from kathodos.store.history import Histories
from kathodos.store.kind_history import KindHistory


class KindDifference(msgspec.Struct, frozen=True):
    """How many records of a kind came, changed and went from the first state to the second."""

    kind: Kind
    came: int
    changed: int
    went: int


def by_kind(histories: Histories, first: int, second: int) -> list[KindDifference]:
    """The differences in the records of each gathered kind between two ledger entries, where there is one."""
    touched = histories.touched_between(first, second)
    found = [_of_kind(histories.of(kind), first, second) for kind in GATHERED if kind.name in touched]
    return [it for it in found if it.came or it.changed or it.went]


def _of_kind(history: KindHistory, first: int, second: int) -> KindDifference:
    gone, come = history.between(first, second)
    both, kind = np.concatenate([gone, come]), history.kind
    keys = row_numbers([history.column(name).codes[both] for name in kind.key])
    whole = row_numbers([keys, *(history.column(name).codes[both] for name in kind.names if name not in kind.key)])
    _, of_gone, of_come = np.intersect1d(keys[: len(gone)], keys[len(gone) :], True, return_indices=True)
    same = whole[of_gone] == whole[len(gone) + of_come]
    shared = len(of_gone)
    return KindDifference(kind, len(come) - shared, int((~same).sum()), len(gone) - shared)


class Side(msgspec.Struct, frozen=True):
    """One of the two states: its index, and the moment it is asked about."""

    index: Index
    moment: int


def who_may_differ(first: Side, second: Side, edits: Edits | None) -> tuple[Bools, Bools] | None:
    """Whose reach can differ, given what came and went (None: too much to look at): masks. None: everybody's."""
    if edits is None or first.index.actions != second.index.actions:
        return None
    found = []
    for side in (first, second):
        holders, grants = side.index.holders, side.index.grants
        begun = _between(grants.starts, first.moment, second.moment)
        begun |= _between(grants.ends, first.moment, second.moment)
        mask = np.zeros(holders.first_group, dtype=bool)
        for moment in dict.fromkeys((first.moment, second.moment)):
            some = concerned(side.index, moment, edits, distinct(grants.holder[begun]).tolist())
            if some is None:
                return None
            mask[some] = True
        moved = _between(holders.starts, first.moment, second.moment)
        moved |= _between(holders.ends, first.moment, second.moment)
        mask[: holders.people] |= moved
        owned = holders.owner >= 0
        mask[holders.people :][owned & mask[: holders.people][holders.owner]] = True
        found.append(mask)
    return found[0], found[1]


def _where_reach_can_differ(index: Index, edits: Edits) -> Intervals | None:
    """The stretches of the line of all pairs outside which nobody's reach can differ; None where it can everywhere.

    What a role permits or denies bears on nothing that is not at or below what it names.
    """
    if {name for name, edit in edits.items() if len(edit)} != {ROLE_PERMISSIONS.name}:
        return None
    tops: set[int] = set()
    for record in (*edits[ROLE_PERMISSIONS.name].gone, *edits[ROLE_PERMISSIONS.name].come):
        tops.update(index.tree.matches(parse_pattern(str(record["resource"])).target).tolist())
    places = np.zeros(len(index.tree), dtype=bool)
    places[index.tree.position[index.tree.below(tops).nonzero()[0]]] = True
    firsts, ends = [], []
    for system in index.systems_in_order:
        first, end = intervals_where(places[system.root : system.end], np.arange(system.root, system.end + 1))
        for row in index.action_rows[system.actions].tolist():
            firsts.append(first + row)
            ends.append(end + row)
    return united(joined(firsts), joined(ends))


def _between(times: Ints, first: int, second: int) -> Bools:
    """Which of some times lie behind the first moment and not behind the second, whichever comes first."""
    low, high = min(first, second), max(first, second)
    found: Bools = (times > low) & (times <= high)
    return found


class MovedAccount(msgspec.Struct, frozen=True):
    """An account that became somebody's, or nobody's: whose it was and is, and what it reaches by itself now."""

    account: str
    was: str | None
    is_now: str | None
    reaches: list[str]


class ReachDifferences:
    """Those whose reach differs, most first: their references, and how many pairs of action and resource each.

    An account counts where it is tied to nobody in each state in which it is there. Those that became somebody's, or
    nobody's, are told apart (`moved`).
    """

    def __init__(self, first: Side, second: Side, edits: Edits | None) -> None:
        before, after = first.index.holders, second.index.holders
        self._tables = (_joint(before.identities, after.identities), _joint(before.accounts, after.accounts))
        self._moved = self._accounts_moved(first.index, second.index)
        self._states = (first, second)
        # Which pairs on the line of all pairs somebody gains or loses; None where the two states have no such line.
        # The pair of an action and a node is `index.action_rows[action] + tree.position[node]`.
        self.touched: Bools | None = None
        self._numbers = self._looked_at(first, second, edits)
        self._is_one_axis = _axis(first.index) == _axis(second.index)
        is_narrow = self._is_one_axis and first.moment == second.moment and edits is not None
        self._window = _where_reach_can_differ(first.index, edits) if is_narrow and edits is not None else None
        sides = [self._reaching(side, at) for at, side in enumerate((first, second))]
        self._sides = [side for side, _ in sides]
        code = (sides[0][1] + 1) * (len(self._sides[1]) + 1) + sides[1][1] + 1
        pairs, self._pair = np.unique(code, return_inverse=True)  # in the order of the classes of the first state
        self._pairs = np.stack([pairs // (len(self._sides[1]) + 1) - 1, pairs % (len(self._sides[1]) + 1) - 1])
        gained, lost = self._counted()
        chosen = ((gained + lost)[self._pair] > 0).nonzero()[0]
        chosen = chosen[order_of(-(gained + lost)[self._pair[chosen]])]
        self._chosen = self._numbers[chosen]
        self.askers = self._names(self._chosen)
        self._pair = self._pair[chosen]
        self.gained, self.lost = gained[self._pair], lost[self._pair]

    def __len__(self) -> int:
        return len(self.askers)

    # Who is who

    def _accounts_moved(self, first: Index, second: Index) -> tuple[Ints, Ints]:
        """The accounts that are somebody's in one state and nobody's in the other, by their numbers in each."""
        accounts = self._tables[1]
        common = (accounts.of_first < len(accounts.second)).nonzero()[0]
        later = accounts.of_first[common]
        is_moved = (first.holders.owner[common] >= 0) != (second.holders.owner[later] >= 0)
        return common[is_moved], later[is_moved]

    @property
    def has_moved(self) -> bool:
        """Whether an account became somebody's, or nobody's."""
        return len(self._moved[0]) > 0

    @cached_property
    def moved(self) -> list[MovedAccount]:
        """The accounts that became somebody's, or nobody's, with what each reaches in the second state."""
        if not self.has_moved:
            return []
        first, second = self._states
        people = second.index.holders.people
        reaching = _Reaching(second, self._moved[1] + people)
        found = []
        for at, (old, new) in enumerate(zip(*(it.tolist() for it in self._moved), strict=True)):
            was, is_now = _owner(first.index, old), _owner(second.index, new)
            _, begin, end = reaching.reached_by(reaching.reach.alike[[at]])
            texts = _pair_texts(reaching, stretches(begin, end - begin)[1])
            found.append(MovedAccount(reference_to("account", second.index.holders.accounts[new]), was, is_now, texts))
        return found

    def _looked_at(self, first: Side, second: Side, edits: Edits | None) -> Ints:
        """Whoever asks for itself in one of the states, and whose reach can differ, in one numbering for both."""
        concerned = who_may_differ(first, second, edits)
        found = np.zeros(self._tables[0].size + self._tables[1].size, dtype=bool)
        for at, side in enumerate((first, second)):
            askers = side.index.holders.askers
            if concerned is not None:
                askers = askers[concerned[at][askers]]
            found[self.joint_numbers(at)[askers]] = True
        found[self._tables[0].size + self._moved[1]] = False
        return found.nonzero()[0]

    def joint_numbers(self, side: int) -> Ints:
        """The number in both of each identity and account of one state (0 or 1)."""
        people, accounts = self._tables
        return np.concatenate([people.numbers(side), people.size + accounts.numbers(side)])

    def _own_numbers(self, numbers: Ints, at: int) -> Ints:
        """The number in one state of each of some in both; -1 where somebody is not there."""
        own = np.full(self._tables[0].size + self._tables[1].size, -1, dtype=np.int64)
        joint = self.joint_numbers(at)
        own[joint] = np.arange(len(joint))
        return own[numbers]

    def kinds_of(self, which: Bools) -> tuple[int, int]:
        """How many of those whose reach differs that are marked are identities, and how many accounts."""
        accounts = int((which & (self._chosen >= self._tables[0].size)).sum())
        return int(which.sum()) - accounts, accounts

    def numbers_in(self, at: int) -> Ints:
        """The number in one state (0 or 1) of each of those whose reach differs; -1 where it is not there."""
        return self._own_numbers(self._chosen, at)

    def moved_in(self, at: int) -> Ints:
        """The number in one state (0 or 1) of each account that became somebody's, or nobody's."""
        return self._moved[at].astype(np.int64) + self._states[at].index.holders.people

    def _reaching(self, side: Side, at: int) -> tuple[_Reaching, Ints]:
        """What those looked at reach in one state, and the class of each; -1 where somebody is not there."""
        askers = self._own_numbers(self._numbers, at)
        reaching = _Reaching(side, askers[askers >= 0], self._window)
        of = np.full(len(askers), -1, dtype=np.int64)
        of[askers >= 0] = reaching.reach.alike
        return reaching, of

    def _names(self, numbers: Ints) -> list[str]:
        """The references of some, by their numbers in both."""
        people, is_account = self._tables[0], numbers >= self._tables[0].size
        found = np.empty(len(numbers), dtype=object)
        found[~is_account] = [reference_to("identity", it) for it in people.names(numbers[~is_account])]
        names = self._tables[1].names(numbers[is_account] - people.size)
        found[is_account] = [reference_to("account", it) for it in names]
        return list(found)

    # What differs

    def _counted(self) -> tuple[Ints, Ints]:
        """How much each pair of classes gains and loses; by system, and where on the line, is kept for who asks."""
        blocks = self._blocks()  # what the sides share is made here, before several threads ask for it
        sides: tuple[list[_Counts], list[_Counts]] = ([], [])
        touched: list[Intervals] = []
        for block, measured in zip(blocks, in_threads(self._measured, blocks), strict=True):
            for counts, (places, sizes) in zip(sides, measured.gained_and_lost, strict=True):
                counts.append((places + block[0] * self._width, sizes))
            touched += measured.where
        self._counts = [(joined([it[0] for it in some]), joined([it[1] for it in some])) for some in sides]
        if self._is_one_axis:
            self.touched = _covered(touched, self._sides[0].reach.axis.size)
        found = [
            np.bincount(places // self._width, weights=sizes, minlength=self._pairs.shape[1]).astype(np.int64)
            for places, sizes in self._counts
        ]
        return found[0], found[1]

    @property
    def _packing(self) -> PackedPairs:
        """How the positions of both sides, who have the same line, are packed with whose they are."""
        return self._sides[0].reach.axis.packing

    def _blocks(self) -> list[Ints]:
        if not self._is_one_axis:
            _ = self._joint_pairs, self._node_systems
        return in_loads(
            self._loads() + 1, thresholds.COMPARED_TOGETHER, min(side.reach.axis.most_owners for side in self._sides)
        )

    def _loads(self) -> Ints:
        """How many intervals are put together to tell what each pair of classes reaches."""
        loads = [np.append(side.loads, 0)[classes] for side, classes in zip(self._sides, self._pairs, strict=True)]
        found: Ints = loads[0] + loads[1]
        return found

    def _measured(self, block: Ints) -> _Measured:
        """How much each pair of classes of a block gains and loses in each system, and where on the line."""
        lines = self._lines(block)
        if self._is_one_axis:
            lost, gained = self._beyond(lines)
            sums, where = [], []
            for first, end in (gained, lost):
                begin = self._packing.seconds(first)
                system = self._base_systems[insertion_points(self._states[0].index.pair_bases, begin, side="right") - 1]
                sums.append(_sums(self._packing.firsts(first) * self._width + system, end - first))
                where.append(united(begin, begin + (end - first)))
            return _Measured((sums[0], sums[1]), where)
        sizes = [np.bincount(it[0], weights=it[2] - it[1], minlength=len(block)) for it in lines]
        found: tuple[list[_Counts], list[_Counts]] = ([], [])
        for some in in_loads((sizes[0] + sizes[1]).astype(np.int64) + 1, thresholds.COMPARED_TOGETHER):
            codes = [self._codes(lines, at, some) for at in range(2)]
            for counts, side in zip(found, (1, 0), strict=True):
                beyond = np.setdiff1d(codes[side], codes[1 - side], assume_unique=True)
                node = beyond % self._joint_size % max(self._joint_nodes.size, 1)
                places = beyond // self._joint_size * self._width + self._node_systems[node]
                counts.append(_sums(places, np.ones(len(places), dtype=np.int64)))
        gained, lost = ((joined([it[0] for it in some]), joined([it[1] for it in some])) for some in found)
        return _Measured((gained, lost), [])

    def _lines(self, block: Ints) -> list[OwnedIntervals]:
        """What the pairs of classes of a block reach in each state: whose, and intervals of pairs."""
        return [side.reached_by(classes[block]) for side, classes in zip(self._sides, self._pairs, strict=True)]

    def _beyond(self, lines: Sequence[OwnedIntervals]) -> tuple[Intervals, Intervals]:
        """What is reached in the first state alone, and in the second, each owner's behind that of the one before."""
        packed = [(self._packing.pack(owner, first), self._packing.pack(owner, end)) for owner, first, end in lines]
        return alone(*packed)

    def _codes(self, lines: Sequence[OwnedIntervals], side: int, some: Ints) -> Ints:
        """What some owners, that follow each other, reach in one state, by names that both states have in common."""
        owner, first, end = lines[side]
        here = slice(*insertion_points(owner, [int(some[0]), int(some[-1]) + 1]))
        of, positions = stretches(first[here], end[here] - first[here])
        return distinct(owner[here][of] * self._joint_size + self._joint_pairs[side][positions])

    @cached_property
    def _joint_pairs(self) -> list[Ints]:
        """The number of each pair of each axis among the pairs of both, by the names of action and resource."""
        nodes = self._joint_nodes
        names = sorted({name for side in self._sides for _, name in side.reach.index.actions})
        found = []
        for at, side in enumerate(self._sides):
            axis = side.reach.axis
            action = np.array([names.index(name) for _, name in side.reach.index.actions], dtype=np.int64)
            number = np.append(nodes.numbers(at), -1)[axis.pair_nodes]
            found.append(action[axis.pair_actions] * nodes.size + number)
        self._joint_size = max(len(names) * nodes.size, 1)
        return found

    @property
    def by_system(self) -> dict[str, tuple[int, int, int, int]]:
        """By system how many gain something there, how many lose something, and how many pairs in all of each."""
        alike = np.bincount(self._pair, minlength=self._pairs.shape[1])
        columns = []
        for places, sizes in self._counts:
            many, system = alike[places // self._width], places % self._width
            columns.append([np.bincount(system, it, self._width).astype(np.int64) for it in (many, many * sizes)])
        (gaining, gained), (losing, lost) = columns
        found = zip(self._systems, np.stack([gaining, losing, gained, lost], axis=1).tolist(), strict=False)
        return {name: (some[0], some[1], some[2], some[3]) for name, some in found if any(some)}

    @property
    def systems_of_each(self) -> tuple[list[str], Bools]:
        """The systems, and `[side, at, system]`: who gains (side 0) or loses (1) something in it."""
        found = np.zeros((2, self._pairs.shape[1], self._width), dtype=bool)
        for side, (places, _) in enumerate(self._counts):
            found[side].reshape(-1)[places] = True
        return self._systems, found[:, self._pair, : len(self._systems)]

    @cached_property
    def _systems(self) -> list[str]:
        """The systems of both states, by name."""
        return sorted({it.name for state in self._states for it in state.index.systems_in_order})

    @cached_property
    def _width(self) -> int:
        """By how much the number of a pair of classes is multiplied to be counted by system too."""
        return max(len(self._systems), 1)

    @cached_property
    def _base_systems(self) -> Ints:
        """The number of the system of each stretch of the line that both states have."""
        return np.array([self._systems.index(it.name) for it in self._states[0].index.systems_in_order], dtype=np.int64)

    @cached_property
    def _node_systems(self) -> Ints:
        """The system of each node of both states."""
        found = np.zeros(self._joint_nodes.size, dtype=np.int64)
        for at, state in enumerate(self._states):
            index = state.index
            number = np.array([self._systems.index(it.name) for it in index.systems_in_order], dtype=np.int64)
            nodes = np.arange(len(index.tree))
            found[self._joint_nodes.numbers(at)] = number[insertion_points(index.system_roots, nodes, side="right") - 1]
        return found

    @cached_property
    def _joint_nodes(self) -> _Joint:
        """The nodes of both states in one numbering."""
        trees = [side.reach.index.tree.addresses for side in self._sides]
        return _joint(trees[0], trees[1])

    def texts(self, position: int) -> tuple[list[str], list[str]]:
        """What one of them gained and lost, as `action address`, in order."""
        if int(self._pair[position]) not in self._known_texts:
            block = self._pair[[position]]
            self._known_texts[int(self._pair[position])] = (self._texts(block, 1), self._texts(block, 0))
        return self._known_texts[int(self._pair[position])]

    @cached_property
    def _known_texts(self) -> dict[int, tuple[list[str], list[str]]]:
        return {}

    def _texts(self, block: Ints, side: int) -> list[str]:
        lines = self._lines(block)
        if self._is_one_axis:
            first, end = self._beyond(lines)[side]
            positions = stretches(self._packing.seconds(first), end - first)[1]
        else:
            codes = [self._codes(lines, at, np.zeros(1, dtype=np.int64)) for at in range(2)]
            joint = np.setdiff1d(codes[side], codes[1 - side], assume_unique=True)
            positions = np.isin(self._joint_pairs[side], joint).nonzero()[0]
        return _pair_texts(self._sides[side], positions)


_Counts = tuple[Ints, Ints]  # pairs of classes and systems, as one number each, and how many pairs of each


class _Measured(msgspec.Struct, frozen=True):
    """What pairs of classes gain and lose: how much in each system, and the stretches of the line that it is on."""

    gained_and_lost: tuple[_Counts, _Counts]
    where: list[Intervals]


def _sums(places: Ints, sizes: Ints) -> _Counts:
    """What the sizes at each place add up to."""
    sums = np.bincount(places, weights=sizes)
    filled = sums.nonzero()[0]
    return filled, sums[filled].astype(np.int64)


def _covered(intervals: Sequence[Intervals], size: int) -> Bools:
    """Which of so many positions lie in one of the intervals."""
    return covered(joined([first for first, _ in intervals]), joined([end for _, end in intervals]), size)


class _Reaching:
    """What the askers of one state reach, in classes of those alike."""

    def __init__(self, side: Side, askers: Ints, window: Intervals | None = None) -> None:
        self.reach = ReachClasses(side.index, side.moment, None, askers, window)

    def __len__(self) -> int:
        return len(self.reach.classes)

    @cached_property
    def loads(self) -> Ints:
        """How many intervals are put together to tell what each class reaches."""
        permits, denials = self.reach.part_pairs
        sizes = permits.sizes(self.reach.classes.items) + 2 * denials.sizes(self.reach.classes.items)
        return np.diff(np.concatenate([[0], np.cumsum(sizes)])[self.reach.classes.starts])

    def reached_by(self, classes: Ints) -> OwnedIntervals:
        """What each of some classes reaches (-1: nothing): its position among them, in order, and intervals."""
        some = distinct(classes[classes >= 0]).astype(np.int64)
        if not len(some):
            return (some, some, some)
        owner, first, end = self.reach.reached(some)
        lists = IntervalLists(insertion_points(owner, np.arange(len(some) + 2)), first, end)  # behind them an empty one
        return lists.of(np.where(classes >= 0, insertion_points(some, classes), len(some)))


def _pair_texts(reaching: _Reaching, positions: Ints) -> list[str]:
    """Pairs of a state by their positions on its axis, as `action address`, in order."""
    axis = reaching.reach.axis
    positions = positions[axis.pair_nodes[positions] >= 0]
    actions = [axis.index.actions[action][1] for action in axis.pair_actions[positions].tolist()]
    addresses = axis.index.tree.addresses.taken(axis.pair_nodes[positions])
    return sorted(f"{action} {address}" for action, address in zip(actions, addresses, strict=True))


def _owner(index: Index, account: int) -> str | None:
    """The identity that an account is tied to, if it is to one."""
    owner = int(index.holders.owner[account])
    return reference_to("identity", index.holders.identities[owner]) if owner >= 0 else None


class _Joint(msgspec.Struct, frozen=True):
    """Names of two tables in one numbering: those of the second, and behind them those of the first alone."""

    first: StringTable
    second: StringTable
    of_first: Ints
    alone: Ints

    @property
    def size(self) -> int:
        return len(self.second) + len(self.alone)

    def numbers(self, side: int) -> Ints:
        return np.arange(len(self.second)) if side else self.of_first

    def names(self, numbers: Ints) -> list[str]:
        is_alone = numbers >= len(self.second)
        found = np.empty(len(numbers), dtype=object)
        found[~is_alone] = self.second.taken(numbers[~is_alone])
        found[is_alone] = self.first.taken(self.alone[numbers[is_alone] - len(self.second)])
        return list(found)


def _joint(first: StringTable, second: StringTable) -> _Joint:
    of_first = second.positions_of(first)
    alone = (of_first < 0).nonzero()[0]
    of_first[alone] = len(second) + np.arange(len(alone))
    return _Joint(first, second, of_first, alone)


def _axis(index: Index) -> object:
    """What the pairs of an index are laid out by."""
    systems = [(it.name, it.root, it.size, it.actions.tolist()) for it in index.systems_in_order]
    return systems, index.actions, index.tree.addresses, index.tree.node_at.tobytes()
