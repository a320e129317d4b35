"""Redundant grants: those of which each, taken away alone, changes no reach of anyone (meaning of reach, "Chains").

All are decided together. Over a stretch of pairs where the same grants speak, taking one away can only matter where it
alone permits, or alone denies what another permits; so one sweep over an asker's intervals tells which of its grants
are needed. A grant that is needed for one asker is needed; one that is never alone among the grants of its own holder
and the groups above is needed by nobody. What both leave open is looked for among more and more askers, in the end all.
In systems with ranks or gates what an asker may do without each of its grants is computed for all of them at once.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kathodos.access.arrays import Bools, Ints, Lists, distinct, in_loads, joined, sorted_lists, spread_each
from kathodos.access.deciding import Given, gates_over, is_live, permit_wins, rank_of
from kathodos.access.everyone import Book
from kathodos.access.index import Index, System
from kathodos.access.line import Marked

_BLOCK = 200_000  # intervals that are swept together
_WIDEST = 1 << 16
_ROUNDS = 4


@dataclass(frozen=True)
class Redundant:
    """The redundant ones among the live grants, by number; `is_idle`: it gives nobody anything at all now."""

    grants: Ints
    is_idle: Bools


def redundant_grants(index: Index, at: int) -> Redundant:
    """The live grants of which each, taken away alone, changes no reach of anyone at a moment."""
    finder = _Finder(index, at)
    finder.decide_by_rank()
    finder.decide_plainly()
    live = is_live(index, np.arange(len(index.grants)), at)
    grants = (live & ~finder.needed).nonzero()[0]
    return Redundant(grants, ~finder.gives_something[grants])


class _Finder:
    """`needed`: the grants found so far that somebody needs."""

    def __init__(self, index: Index, at: int) -> None:
        self.index = index
        self.at = at
        self.book = Book(index, at, None)
        self.needed = np.zeros(len(index.grants), dtype=bool)
        self.form, self.permits, self.denials = self._forms()
        self.gives_something = np.zeros(len(index.grants), dtype=bool)
        held = distinct(self.book.closures.items).astype(np.int64)
        spans = index.rule_spans.sizes()
        has_spans = np.zeros(len(index.bundles), dtype=bool)
        has_spans[index.bundles.rules.rows()[spans[index.bundles.rules.items] > 0]] = True
        self.gives_something[held] = has_spans[index.grants.bundle[held]]

    def _forms(self) -> tuple[Ints, Marked, Marked]:
        """What each grant says, by its form: grants with the same bundle and effect say the same."""
        grants = self.index.grants
        codes = grants.bundle.astype(np.int64) * 2 + grants.denies
        _, first, form = np.unique(codes, return_index=True, return_inverse=True)
        one_each = Lists(np.arange(len(first) + 1), first)
        return form, *self.book.line.of_grants(one_each)

    # Systems that decide by permits and denies alone

    def decide_plainly(self) -> None:
        """Finds which grants are needed in plain systems."""
        open_ = self._alone_at_their_holder()
        by_class = self._classes_of(open_)
        random = np.random.default_rng(0)
        for _ in range(_ROUNDS):
            rows = (open_ & ~self.needed & (by_class.sizes() > 0)).nonzero()[0]
            if not len(rows):
                return
            chosen = by_class.starts[rows] + random.integers(by_class.sizes()[rows])
            self._sweep_classes(distinct(by_class.items[chosen]), rows)
        rows = (open_ & ~self.needed).nonzero()[0]
        self._sweep_classes(distinct(by_class.all_of(rows)), rows)

    def _alone_at_their_holder(self) -> Bools:
        """The grants that somewhere are alone among those of their holder and of the groups that it is in."""
        index, holders = self.index, self.index.holders
        live = is_live(index, np.arange(len(index.grants)), self.at)
        own = distinct(index.grants.holder[live]).astype(np.int64)
        above = spread_each(holders.edges, own)
        origin, grants = index.holder_grants.of(above.items)
        owner = above.rows()[origin]
        kept = live[grants]
        of_owner = sorted_lists(owner[kept], grants[kept], len(own), max(len(live), 1))
        alone = np.zeros(len(live), dtype=bool)
        for block in in_loads(self._loads(of_owner), _BLOCK, _WIDEST):
            owners, some = self._sweep(of_owner.picked(block), np.ones(len(live), dtype=bool), is_alone_enough=True)
            alone[some[index.grants.holder[some] == own[block[owners]]]] = True
        return alone

    def _classes_of(self, grants: Bools) -> Lists:
        """For each of the grants the classes of askers that hold it; none for the others."""
        book = self.book
        by_grant = book.closures.turned(len(grants))
        by_part = book.classes.turned(len(book.closures))
        chosen = grants.nonzero()[0]
        origin, parts = by_grant.of(chosen)
        at, classes = by_part.of(parts)
        return sorted_lists(chosen[origin[at]], classes, len(grants), max(len(book.classes), 1))

    def _sweep_classes(self, classes: Ints, candidates: Ints) -> None:
        """Marks those of the candidates that one of the classes needs."""
        book, is_open = self.book, np.zeros(len(self.needed), dtype=bool)
        is_open[candidates] = True
        _, first, end = self.permits.of(self.form[candidates])
        _, denied_first, denied_end = self.denials.of(self.form[candidates])
        cells = np.zeros(book.line.size + 1, dtype=np.int64)
        np.add.at(cells, np.concatenate([first, denied_first]), 1)
        np.add.at(cells, np.concatenate([end, denied_end]), -1)
        matters = np.concatenate([[0], np.cumsum(np.cumsum(cells) > 0)])
        for some in in_loads(np.full(len(classes), 50), _BLOCK):
            origin, parts = book.classes.of(classes[some])
            at, grants = book.closures.of(parts)
            of_class = sorted_lists(origin[at], grants, len(some), max(len(self.needed), 1))
            for block in in_loads(self._loads(of_class), _BLOCK, _WIDEST):
                _, found = self._sweep(of_class.picked(block), matters, is_alone_enough=False)
                self.needed[found[is_open[found]]] = True

    def _loads(self, of_owner: Lists) -> Ints:
        """How many intervals the grants of each owner have."""
        forms = self.form[of_owner.items]
        sizes = np.concatenate([[0], np.cumsum(self.permits.sizes(forms) + self.denials.sizes(forms))])
        return np.diff(sizes[of_owner.starts])

    def _sweep(self, of_owner: Lists, matters: Ints | Bools, is_alone_enough: bool) -> tuple[Ints, Ints]:
        """Where a grant of an owner is alone: pairs of owner and grant.

        `matters`: how much of the line before each position is of interest, or anything as long for all of it.
        `is_alone_enough`: also where that changes nothing, since something else denies, or nothing else permits.
        """
        line = self.book.line
        local = np.arange(len(of_owner.items)) - np.repeat(of_owner.starts[:-1], of_owner.sizes())
        wide = int(local.max(initial=0)).bit_length()
        keys = []
        for kind, marked in enumerate((self.permits, self.denials)):
            item, first, end = marked.of(self.form[of_owner.items])
            if matters.dtype != bool:
                near = matters[end] > matters[first]
                item, first, end = item[near], first[near], end[near]
            owner = of_owner.rows()[item].astype(np.int64) << line.bits
            for opens, position in ((0, first), (1, end)):
                keys.append(((((owner | position) << 2) | (kind * 2 + opens)) << wide) | local[item])
        events = np.sort(joined(keys))
        place, what, who = events >> (wide + 2), (events >> wide) & 3, events & ((1 << wide) - 1)
        last = np.append(place[1:] != place[:-1], True)[: len(place)].nonzero()[0]
        change = np.array([1, -1])
        permitting, permits, denying, denials = (
            np.cumsum(np.where(what >> 1 == kind, change[what & 1] * weight, 0))[last]
            for kind in (0, 1)
            for weight in (1, who)
        )
        owner = place[last] >> line.bits
        lone_permit, lone_denial = permitting == 1, denying == 1
        if not is_alone_enough:
            lone_permit &= denying == 0
            lone_denial &= (permitting > 1) | ((permitting == 1) & (permits != denials))
        owners = np.concatenate([owner[lone_permit], owner[lone_denial]])
        locals_ = np.concatenate([permits[lone_permit], denials[lone_denial]])
        return owners, of_owner.items[of_owner.starts[owners] + locals_].astype(np.int64)

    # Systems with ranks or gates

    def decide_by_rank(self) -> None:
        """Marks the grants that somebody needs in a system with ranks or gates; askers alike there are taken once."""
        book = self.book
        if not book.special:
            return
        seen = set()
        speaking = book.special_grants
        for number in range(len(book.classes)):
            grants = distinct(speaking.of(book.classes[number])[1]).astype(np.int64)
            if len(grants) and grants.tobytes() not in seen:
                seen.add(grants.tobytes())
                for _, system in book.special:
                    self.needed[_needed_of(self.index, system, grants)] = True


def _needed_of(index: Index, system: System, grants: Ints) -> Ints:
    """Which of exactly these grants of somebody are needed in one system: without each of them something changes."""
    origin, rules = index.bundles.rules.of(index.grants.bundle[grants])
    of_rule, spans = index.rule_spans.of(rules)
    which, line = origin[of_rule], index.rule_line[rules[of_rule]]
    here = (system.root <= index.spans.first[spans]) & (index.spans.first[spans] < system.end)
    which, line, spans = which[here], line[here], spans[here]
    rank = rank_of(system, index.grants.tier[grants[which]], index.spans.anchor[spans])
    given = Given(index.lines.action[line], index.grants.denies[grants[which]] | index.lines.denies[line], rank)
    first, end = index.spans.first[spans].astype(np.int64), index.spans.end[spans].astype(np.int64)
    edges = _segments(system, first, end)
    nodes = index.tree.by_place[edges[:-1]].tolist()
    without = np.stack(
        [
            _without_each(system, given, action, which, len(grants), edges, first, end)
            for action in range(len(system.actions))
        ]
    )
    if system.gates:
        segment_of = {node: at for at, node in enumerate(nodes)}
        may = without.copy()
        for at, node in enumerate(nodes):
            for above, gate in gates_over(index, system, node):
                may[:, :, at] &= without[gate, :, segment_of[above]]
        without = may
    changes = (without[:, 1:] != without[:, :1]).any(axis=(0, 2))
    needed: Ints = grants[changes]
    return needed


def _segments(system: System, first: Ints, end: Ints) -> Ints:
    """The bounds of the stretches of places where the same is said; where there are gates every node is one."""
    if system.gates:
        return np.arange(system.root, system.end + 1)
    return distinct(np.concatenate([[system.root, system.end], first, end]))


def _without_each(
    system: System, given: Given, action: int, which: Ints, count: int, edges: Ints, first: Ints, end: Ints
) -> Bools:
    """What is permitted of one action before gates, with all grants and then without each: (1 + grants, segments)."""
    bears = given.bears_on(system, action)
    size = len(edges) - 1
    begin, stop = np.searchsorted(edges, first[bears]), np.searchsorted(edges, end[bears])
    of, rank, denies = which[bears], given.rank[bears], given.denies[bears]
    permitted = np.zeros((count + 1, size), dtype=bool)
    undecided = np.ones((count + 1, size), dtype=bool)
    for best in distinct(rank).tolist():
        said = []
        for kind in (False, True):
            now = (rank == best) & (denies == kind)
            change = np.zeros((count, size + 1), dtype=np.int64)
            np.add.at(change, (of[now], begin[now]), 1)
            np.add.at(change, (of[now], stop[now]), -1)
            held = np.cumsum(change[:, :size], axis=1) > 0
            total = held.sum(axis=0)
            said.append(np.concatenate([total[None] > 0, total - held > 0]))
        permits, denials = said
        permitted |= undecided & permit_wins(system, permits, denials)
        undecided &= ~(permits | denials)
    return permitted
