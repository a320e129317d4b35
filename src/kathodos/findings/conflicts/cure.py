"""The smallest set of withdrawals that clears chosen conflicts, by integer programming with a proven bound.

What can be withdrawn is a grant or a listed membership. A withdrawal costs 1, and 1 more for each person in none of
the chosen conflicts who would reach less without it; among cures that cost the least, the one is taken that takes away
the fewest uses of the last days.

The program, for each person: a holder stays in reach (r = 1) unless the memberships on the way are withdrawn; a part of
a duty is gone (y = 1) only if every grant that permits it is withdrawn or out of reach; a duty is gone if one of its
parts is; and so many duties have to go that fewer than the threshold are left. What nothing can clear is left standing
at a price above all withdrawals. Where a system ranks or denies, all that permits is withdrawn.
"""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Sequence

import msgspec

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.engine.compiled.patch import updated
from kathodos.findings.conflicts.cure_problem import Problem, Withdrawal, edits_of
from kathodos.findings.conflicts.states import Conflict, who_breaks
from kathodos.model.times import DAY
from kathodos.store.edited import Edits, edited

_SOLVING = 0.8  # of the time; the rest is for the rehearsal
_MOST_WITH_OTHERS = 200  # people for whom further cures are looked for


class Cure(msgspec.Struct, frozen=True):
    """One cure of the conflicts of some people who have to be looked at together; `others` cost as little."""

    conflicts: list[Conflict]
    withdrawals: list[Withdrawal]
    others: list[list[Withdrawal]]


class Cures(msgspec.Struct, frozen=True):
    """The cures, and what no withdrawal clears. `cost` was found; that nothing costs less than `bound` is proven.

    What is left standing is in both, at a price above all withdrawals that bear on it; what there was no time to look
    at is `unseen`.
    """

    cures: list[Cure]
    uncured: list[Conflict]
    unseen: list[Conflict]
    cost: float
    bound: float

    @property
    def gap(self) -> float:
        """How far from the optimum it may be, as a part of what was found."""
        return max(self.cost - self.bound, 0.0) / self.cost if self.cost > 0 else 0.0

    def withdrawals(self) -> list[Withdrawal]:
        return [one for cure in self.cures for one in cure.withdrawals]


def cure(
    basis: Basis, conflicts: Sequence[Conflict], protected: Iterable[str], days: int, seconds: float = 50.0
) -> Cures:
    """The cheapest withdrawals that clear all of these conflicts.

    `protected`: grants, roles, groups and holders, by reference, that are left alone; `days`: of which uses count;
    `seconds`: after which the best that was found is taken, with the bound that was proven.
    """
    deadline = time.monotonic() + seconds * _SOLVING
    strict: set[int] = set()
    while True:
        problem = Problem(basis, conflicts, set(protected), basis.moment - days * DAY, strict, deadline)
        found = _solved(problem, deadline)
        left = {id(it) for it in (*found.uncured, *found.unseen)}
        chosen = [it for it in conflicts if id(it) not in left]
        opened = {id(it) for it in still_standing(basis, chosen, edits_of(basis, found.withdrawals()))} - strict
        if not opened or time.monotonic() > deadline:
            return found
        strict |= opened  # a denial went with what was withdrawn: there every permit counts, reached or not


def _solved(problem: Problem, deadline: float) -> Cures:
    """The cures of all groups of people, block by block."""
    cures, uncured, cost, bound = [], [], 0.0, 0.0
    unseen = list(problem.unseen)
    groups = problem.together()
    for block in _blocks(groups):
        if time.monotonic() > deadline:
            unseen += [it for people in block for person in people for it in problem.by_person[person]]
            continue
        solved = problem.solve(block, max(deadline - time.monotonic(), 0.5))
        cost, bound = cost + solved.cost, bound + solved.bound
        for people in block:
            mine = [it for person in people for it in problem.by_person[person]]
            left = [it for it in mine if id(it) in solved.left]
            links = solved.links & problem.links_of(people)
            uncured += left
            if len(left) < len(mine):
                is_asked = len(groups) <= _MOST_WITH_OTHERS and time.monotonic() < deadline
                others = problem.others(people, links) if is_asked and not left else []
                cleared = [it for it in mine if id(it) not in solved.left]
                cures.append(
                    Cure(cleared, problem.withdrawals_by(links), [problem.withdrawals_by(other) for other in others])
                )
    return Cures(cures, uncured, unseen, cost, bound)


def still_standing(basis: Basis, conflicts: Sequence[Conflict], edits: Edits) -> list[Conflict]:
    """Which of the conflicts would still be there after some edits."""
    records = edited(basis.records, edits)
    after = Basis(records, updated(basis.index, edits, records), basis.moment)
    rules = list({it.rule.id: it.rule for it in conflicts}.values())
    breaking = {breach.rule.id: set(breach.askers.tolist()) for breach in who_breaks(after, rules)}
    return [it for it in conflicts if it.asker in breaking[it.rule.id]]


def _blocks(groups: Sequence[list[int]]) -> Iterator[list[list[int]]]:
    """Groups of people in blocks that are solved at once."""
    block: list[list[int]] = []
    for group in groups:
        block.append(group)
        if sum(map(len, block)) >= thresholds.CURED_TOGETHER:
            yield block
            block = []
    if block:
        yield block
