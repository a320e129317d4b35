"""A walk through the lines that somebody has to decide: where it stands, and what it decided last."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.ledger.actors import Actor
from kathodos.review.authority import Authority
from kathodos.review.choosing import capacities
from kathodos.review.line_attributes import LineAttributes
from kathodos.review.lines import ReviewLines
from kathodos.review.subjects import About


class Walk(msgspec.Struct):
    """Stops, each a line or all lines of one person, as numbers of lines. `done`: the stops decided, last one last."""

    stops: list[list[int]]
    at: int = 0
    done: list[list[int]] = msgspec.field(default_factory=list)

    @property
    def is_over(self) -> bool:
        """Whether there is no stop any more."""
        return self.at >= len(self.stops)

    @property
    def stop(self) -> list[int]:
        """The numbers of the lines at which it stands."""
        return self.stops[self.at]

    def go_on(self, steps: int = 1) -> None:
        """Goes some stops on, or back."""
        self.at = min(max(self.at + steps, 0), len(self.stops))

    def decided(self, numbers: Sequence[int]) -> None:
        """Takes note of lines that were decided, and goes on."""
        self.done.append(list(numbers))
        self.go_on()

    def take_back(self) -> list[int]:
        """The numbers of the lines that were decided last, where it stands again then; none where nothing was."""
        if not self.done:
            return []
        numbers = self.done.pop()
        self.at = next((at for at, stop in enumerate(self.stops) if set(numbers) & set(stop)), self.at)
        return numbers

    def one_by_one(self) -> None:
        """Makes each line of the stop at which it stands a stop of its own."""
        self.stops[self.at : self.at + 1] = [[number] for number in self.stop]


def left_for(lines: ReviewLines, actor: Actor, authority: Authority) -> Ints:
    """The positions of the lines that are left for somebody to decide, those about themselves left out."""
    mine = (capacities(lines, actor, authority) >= 0) & ~lines.is_decided & ~lines.is_signed
    if lines.review.about != About.IDENTITY_DATA:
        mine &= ~lines.about(actor.names)
    found: Ints = mine.nonzero()[0]
    return found


def walk_through(lines: ReviewLines, at: Ints, where: str | None, moment: int, is_by_person: bool) -> Walk:
    """A walk through some lines, those about one person together. `where`: only those that a filter selects."""
    if where is not None:
        at = at[LineAttributes(lines, moment).selected_by(where)[at]]
    numbers = lines.numbers[at]
    if not is_by_person:
        return Walk([[number] for number in numbers.tolist()])
    whose = lines.column("identity", at).compact().codes
    order = np.argsort(whose, kind="stable")
    parts = np.split(numbers[order], np.flatnonzero(np.diff(whose[order])) + 1) if len(order) else []
    return Walk(sorted(part.tolist() for part in parts))
