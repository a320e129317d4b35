"""A program in whole numbers, solved with a proven bound."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import numpy.typing as npt

Link = tuple[int, int]  # (grant, -1), or (member, group) as numbers of holders


class Found(msgspec.Struct, frozen=True):
    values: npt.NDArray[np.float64]
    objective: float
    bound: float
    is_found: bool


class Program:
    """A program in whole numbers: variables from 0 to 1, rows that have to be at least so much."""

    def __init__(self) -> None:
        self.costs: list[float] = []
        self.uses: list[float] = []
        self.block: list[int] = []
        self.whole: list[int] = []
        self.least: list[float] = []
        self.rows: list[list[tuple[int, float]]] = []
        self.links: dict[Link, int] = {}
        self.left: dict[int, int] = {}

    def variable(self, cost: float, uses: float, block: int, is_whole: bool = True) -> int:
        """A new variable: what it costs, the uses it takes away, the block that it belongs to."""
        self.costs.append(cost)
        self.uses.append(uses)
        self.block.append(block)
        self.whole.append(int(is_whole))
        return len(self.costs) - 1

    def at_least(self, least: float, terms: list[tuple[int, float]]) -> None:
        self.least.append(least)
        self.rows.append(terms)

    def keep_cost(self, values: npt.NDArray[np.float64]) -> None:
        """From now on no block may cost more than it does with these values."""
        costs, block = np.array(self.costs), np.array(self.block)
        spent = costs * np.round(values)
        for number in np.unique(block[costs > 0]).tolist():
            here = ((block == number) & (costs > 0)).nonzero()[0].tolist()
            self.at_least(-float(spent[here].sum()) - 1e-6, [(at, -float(costs[at])) for at in here])

    def forbid(self, links: set[Link]) -> None:
        """From now on these withdrawals may not be exactly those that are made."""
        terms = [(at, -1.0 if link in links else 1.0) for link, at in self.links.items()]
        self.at_least(1.0 - len(links), terms)

    def solved(self, objective: Sequence[float], seconds: float) -> Found:
        """The values that make the objective least, and the bound that was proven in the time."""
        from scipy.optimize import Bounds, LinearConstraint, milp
        from scipy.sparse import csr_array

        direct = [(row, at, value) for row, terms in enumerate(self.rows) for at, value in terms]
        row, column, value = (np.array(part) for part in zip(*direct, strict=True))
        matrix = csr_array((value, (row, column)), shape=(len(self.rows), len(self.costs)))
        done = milp(
            np.array(objective),
            integrality=np.array(self.whole),
            bounds=Bounds(0, 1),
            constraints=LinearConstraint(matrix, np.array(self.least), np.inf),
            options={"time_limit": seconds, "mip_rel_gap": 0.0},
        )
        if done.x is None:
            standing = np.zeros(len(self.costs))
            standing[list(self.left.values())] = 1
            return Found(standing, float(np.array(self.costs) @ standing), 0.0, False)
        bound = done.mip_dual_bound if done.mip_dual_bound is not None else done.fun
        return Found(done.x, float(done.fun), float(bound), True)
