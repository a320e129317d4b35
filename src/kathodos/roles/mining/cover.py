"""Which candidates become roles: a cover of what is held at least cost, chosen greedily and then in whole numbers.

The cost is the weighted structural complexity (I. Molloy et al., Mining Roles with Multiple Objectives, ACM TISSEC 13,
2010): roles, entries of roles, assignments of roles, and exceptions, which are things that stay given by themselves,
each with a weight. The program in whole numbers chooses among the greedy roles and the best other candidates; its
bound is the least that any choice among these can cost.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Mapping, Sequence

import msgspec
import numpy as np
from scipy.sparse import csr_array

from kathodos import thresholds
from kathodos.columns.csr import Bools, Ints
from kathodos.findings.conflicts.cure_program import Program
from kathodos.roles.mining.holdings import Kinds
from kathodos.roles.mining.weights import MiningWeights

_POOL, _MOST_VARIABLES = 120, 60_000


class MiningTerms(msgspec.Struct, frozen=True):
    """How roles are looked for. `fewest`: rows that a role has to be for; `most`: roles at most; `tolerance`: share of
    a role's entries that whoever gets it may lack, 0 for none; `seconds`: for the program in whole numbers.
    """

    weights: MiningWeights = msgspec.field(default_factory=MiningWeights)
    fewest: int = 3
    most: int | None = None
    tolerance: float = 0.0
    seconds: float = 30.0


class Step(msgspec.Struct, frozen=True):
    """What it comes to with so many of the roles, the best first."""

    roles: int
    entries: int
    assignments: int
    exceptions: int
    extras: int
    cost: float


class Cover(msgspec.Struct, frozen=True):
    """The roles chosen, as sets of things, and to which kinds of row each is assigned.

    `steps`: what it comes to with none, with the first, the first two, and so on. `bound`: the least that any choice
    among the candidates of the program can cost; None where it was too large to be solved.
    """

    roles: Sequence[Ints]
    assigned: Sequence[Ints]
    steps: Sequence[Step]
    bound: float | None

    @property
    def cost(self) -> float:
        """What all of it costs."""
        return self.steps[-1].cost


def cover_of(kinds: Kinds, candidates: Sequence[Ints], terms: MiningTerms) -> Cover:
    """The cover of what is held by some of the candidates."""
    search = _Search(kinds, candidates, terms)
    chosen = search.greedy()
    bound = None
    if chosen and terms.most is None:
        chosen, bound = search.refined(chosen)
    chosen = search.greedy(chosen)  # the one that saves most first
    steps = search.steps(chosen)
    roles = [candidates[at] for at in chosen]
    return Cover(roles, search.assignments(chosen), steps, min(bound, steps[-1].cost) if bound is not None else None)


class _Search:
    def __init__(self, kinds: Kinds, candidates: Sequence[Ints], terms: MiningTerms) -> None:
        self.kinds = kinds
        self.candidates = candidates
        self.terms = terms
        self.width = kinds.things
        rows = np.repeat(np.arange(len(kinds)), np.diff(kinds.held.indptr))
        self.keys = np.sort(rows * self.width + kinds.held.indices)
        self.fitting = self._fitting()
        self.covered = np.zeros(len(self.keys), dtype=bool)

    def _fitting(self) -> list[tuple[Ints, Ints]]:
        """For each candidate the kinds of row that may get it, and how many of its things each of them lacks."""
        found: list[tuple[Ints, Ints]] = []
        for first in range(0, len(self.candidates), thresholds.COVERED_TOGETHER):
            some = self.candidates[first : first + thresholds.COVERED_TOGETHER]
            sizes = np.array([len(it) for it in some])
            indptr = np.concatenate([[0], np.cumsum(sizes)])
            indices = np.concatenate(some) if len(some) else np.zeros(0, dtype=np.int64)
            data = np.ones(len(indices), dtype=np.int32)
            block = csr_array((data, indices, indptr), shape=(len(some), self.width))
            overlap = csr_array(block @ csr_array(self.kinds.held.T))
            for at in range(len(some)):
                part = slice(overlap.indptr[at], overlap.indptr[at + 1])
                rows, lacking = overlap.indices[part].astype(np.int64), sizes[at] - overlap.data[part]
                kept = lacking <= self.terms.tolerance * sizes[at] + 1e-9
                found.append((rows[kept], lacking[kept].astype(np.int64)))
        return found

    def _positions(self, at: int) -> tuple[Ints, Bools]:
        """Where each kind of row that may get a candidate holds each of its things; and whether it does."""
        rows, _ = self.fitting[at]
        wanted = rows[:, None] * self.width + self.candidates[at][None, :]
        found = np.minimum(np.searchsorted(self.keys, wanted), len(self.keys) - 1)
        return found, self.keys[found] == wanted

    def gains(self, at: int, covered: Bools) -> tuple[float, Bools, Ints]:
        """What a candidate saves beside what is covered, to which kinds of row it is assigned then, and their cells."""
        weights, counts = self.terms.weights, self.kinds.counts
        rows, lacking = self.fitting[at]
        positions, holds = self._positions(at)
        fresh = (holds & ~covered[positions]).sum(axis=1)
        each = weights.exception * fresh - weights.assignment - weights.extra * lacking
        worth = each > 0
        if counts[rows[worth]].sum() < self.terms.fewest:
            return -1.0, worth, positions
        saved = float((each[worth] * counts[rows[worth]]).sum())
        cost = weights.role + weights.entry * len(self.candidates[at])
        return saved - cost, worth, positions[holds & worth[:, None]] if len(rows) else positions

    def greedy(self, among: Iterable[int] | None = None) -> list[int]:
        """The candidates that save most, one after the other, as long as one saves anything.

        What one saves never grows by what is covered, so that only the one that saved most is looked at anew.
        """
        covered = self.covered.copy()
        every = range(len(self.candidates)) if among is None else among
        heap = [it for it in ((-self.gains(at, covered)[0], at) for at in every) if it[0] < 0]
        heapq.heapify(heap)
        chosen: list[int] = []
        while heap and (self.terms.most is None or len(chosen) < self.terms.most):
            _, at = heapq.heappop(heap)
            gain, _, cells = self.gains(at, covered)
            if gain <= 0:
                continue
            if heap and -gain > heap[0][0] + 1e-9:
                heapq.heappush(heap, (-gain, at))
                continue
            covered[cells] = True
            chosen.append(at)
        return chosen

    def assignments(self, chosen: Sequence[int]) -> list[Ints]:
        """To which kinds of row each of the chosen is assigned, one after the other."""
        covered, found = self.covered.copy(), []
        for at in chosen:
            _, worth, cells = self.gains(at, covered)
            covered[cells] = True
            found.append(self.fitting[at][0][worth])
        return found

    def steps(self, chosen: Sequence[int]) -> list[Step]:
        """What it comes to with the first so many of the chosen."""
        weights, counts = self.terms.weights, self.kinds.counts
        covered = self.covered.copy()
        row_of = self.keys // self.width
        left = int(counts[row_of].sum())
        entries = assignments = extras = 0
        found = [Step(0, 0, 0, left, 0, weights.exception * left)]
        for number, at in enumerate(chosen, 1):
            rows, lacking = self.fitting[at]
            _, worth, cells = self.gains(at, covered)
            fresh = np.unique(cells[~covered[cells]])
            left -= int(counts[row_of[fresh]].sum())
            covered[cells] = True
            entries += len(self.candidates[at])
            assignments += int(counts[rows[worth]].sum())
            extras += int((lacking[worth] * counts[rows[worth]]).sum())
            cost = weights.role * number + weights.entry * entries + weights.assignment * assignments
            cost += weights.exception * left + weights.extra * extras
            found.append(Step(number, entries, assignments, left, extras, cost))
        return found

    # In whole numbers

    def refined(self, chosen: list[int]) -> tuple[list[int], float | None]:
        """The best choice among the greedy ones and the best others, and the least that any such choice can cost."""
        pool = self._pool(chosen)
        groups = self._groups(pool)
        size = len(pool) + sum(len(fits) + len(classes) for fits, classes in groups)
        if size > _MOST_VARIABLES:
            return chosen, None
        weights = self.terms.weights
        program = Program()
        taken = [program.variable(weights.role + weights.entry * len(self.candidates[at]), 0.0, 0) for at in pool]
        constant = weights.exception * self.kinds.cells
        for (fits, classes), count in groups.items():
            given = {}
            for position, lacking in fits:
                cost = count * (weights.assignment + weights.extra * lacking)
                given[position] = program.variable(cost, 0.0, 0)
                program.at_least(0.0, [(taken[position], 1.0), (given[position], -1.0)])
            for covering, things in classes:
                left = program.variable(count * weights.exception * things, 0.0, 0, is_whole=False)
                constant -= count * weights.exception * things
                program.at_least(1.0, [(left, 1.0), *((given[position], 1.0) for position in covering)])
        if not program.rows:
            return chosen, None
        done = program.solved(program.costs, self.terms.seconds)
        if not done.is_found:
            return chosen, None
        better = [at for at, variable in zip(pool, taken, strict=True) if done.values[variable] > 0.5]
        if self.steps(self.greedy(better))[-1].cost < self.steps(self.greedy(chosen))[-1].cost - 1e-9:
            chosen = better
        return chosen, done.bound + constant

    def _pool(self, chosen: Sequence[int]) -> list[int]:
        """The chosen, and the others that save most by themselves."""
        alone = np.array([self.gains(at, self.covered)[0] for at in range(len(self.candidates))])
        best = [at for at in np.argsort(-alone, kind="stable").tolist() if alone[at] > 0]
        return list(dict.fromkeys([*chosen, *best]))[: max(_POOL, len(chosen))]

    def _groups(self, pool: Sequence[int]) -> Mapping[_Group, int]:
        """Kinds of row that are alike for a pool of candidates: what fits, and which things which of these cover."""
        fits: dict[int, list[tuple[int, int]]] = {}
        for position, at in enumerate(pool):
            for row, lacking in zip(*(it.tolist() for it in self.fitting[at]), strict=True):
                fits.setdefault(row, []).append((position, lacking))
        inside = [set(self.candidates[at].tolist()) for at in pool]
        held = self.kinds.held
        found: dict[_Group, int] = {}
        for row, some in fits.items():
            classes: dict[tuple[int, ...], int] = {}
            for thing in held.indices[held.indptr[row] : held.indptr[row + 1]].tolist():
                covering = tuple(position for position, _ in some if thing in inside[position])
                if covering:
                    classes[covering] = classes.get(covering, 0) + 1
            key = (tuple(some), tuple(sorted(classes.items())))
            found[key] = found.get(key, 0) + int(self.kinds.counts[row])
        return found


_Group = tuple[tuple[tuple[int, int], ...], tuple[tuple[tuple[int, ...], int], ...]]
