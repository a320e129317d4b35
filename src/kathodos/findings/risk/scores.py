"""Risk: a score from 0 to 100 made of parts that add up, for identities, accounts, roles, resources and systems.

Each part is a weight times a measure from 0 to 1, rounded to a tenth; the score is the sum of the parts. The weights
are 100 together. What each measure says is written in docs/risk.md.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from enum import IntEnum
from functools import cached_property

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos.analysis.exposure import KINDS
from kathodos.columns.csr import Bools, Ints
from kathodos.findings.conflicts.states import STATES, Conflicts
from kathodos.findings.excess.kinds import NAMES as FLOORED_BY
from kathodos.findings.risk.weights import COLUMNS, FLOOR, Weights
from kathodos.model.words import plural

Floats = npt.NDArray[np.float64]


class Part(msgspec.Struct, frozen=True):
    """One part of a score: what it may add at most, what it adds, and why."""

    name: str
    weight: float
    points: float
    why: str


class Scores(msgspec.Struct, frozen=True, dict=True):
    """Scores of many of one kind: `points` has a row for each, a column for each of COLUMNS.

    `subjects` names them, `why` puts one part of one of them into words, from what was `measured` of identities and
    accounts.
    """

    kind: str
    subjects: Sequence[str]
    points: Floats
    weights: Weights
    why: Callable[[int, int], str]
    measured: Mapping[str, Ints] = msgspec.field(default_factory=dict)

    @cached_property
    def totals(self) -> Floats:
        """The scores; each is the sum of its parts as they are shown."""
        totals: Floats = np.round(self.points.sum(axis=1), 1)
        return totals

    def order(self) -> Ints:
        """The positions, the highest score first."""
        return np.lexsort((np.arange(len(self.totals)), -self.totals))

    def parts(self, at: int) -> list[Part]:
        floors = (self.weights.critical, self.weights.exercised, self.weights.unguarded)
        weights = [*self.weights.listed(), max(floors)]
        return [
            Part(name, weights[number], float(self.points[at, number]), self.why(at, number))
            for number, name in enumerate(COLUMNS)
            if name != FLOOR or self.points[at, number]
        ]


def why_of_asker(
    kind: str, measured: Mapping[str, Ints], systems: int, broken: Callable[[int], str]
) -> Callable[[int, int], str]:
    """What puts one part of the score of an identity or account into words. `systems`: how many there are; `broken`:
    the rules that one of them breaks, in words."""

    def why(at: int, part: int) -> str:
        of = {name: int(column[at]) for name, column in measured.items()}
        named = [name for bit, name in enumerate(KINDS) if of["kinds"] >> bit & 1]
        is_account, idle, gain = kind == "accounts", of["idle"], of["gain"]
        since = f"{'' if is_account else 'an account '}{'no' if is_account else 'without a'} sign-in for {idle} days"
        never = "not idle" if is_account else "no account is idle"
        return {
            0: lambda: f"reaches what is of sensitivity {of['level']}",
            1: lambda: f"holds something in {of['systems']} of {systems} systems",
            2: lambda: f"was given {', '.join(named)}" if named else "was given nothing",
            3: lambda: (
                broken(at) or ("breaks no rule; those of an owner count there" if is_account else "breaks no rule")
            ),
            4: lambda: plural(of["findings"], "finding"),
            5: lambda: since if idle else never,
            6: lambda: _gain(gain) if gain else "is not known to be able to give itself more",
            7: lambda: _lifted(of, broken(at)),
        }[part]()

    return why


def _gain(pairs: int) -> str:
    return f"could give itself more: {pairs:,} combinations of action and resource"


class Lift(IntEnum):
    """What lifts a score, where it is no critical finding, which is told by the position of its kind."""

    NOTHING = -1
    CONFLICT = -2
    FENCE = -3
    UNOWNED = -4
    CLIMB = -5


_LIFTED = {
    Lift.CONFLICT: "the duties of a conflict were used: {}",
    Lift.FENCE: "it is across a critical fence: {}",
    Lift.UNOWNED: "it is in use, and nobody owns it",
    Lift.CLIMB: "it could give itself everything in a system, and that is not its office",
}


def _lifted(of: Mapping[str, int], broken: str) -> str:
    """Why a score is lifted. `broken`: the rules that are broken, in words."""
    lifted = of["lifted"]
    why = f"a critical finding is certain: {FLOORED_BY[lifted]}" if lifted >= 0 else _LIFTED[Lift(lifted)]
    return f"lifted, because {why.format(broken)}"


def rules_broken(conflicts: Conflicts, covered: Bools, crossed: Iterable[str], asker: int) -> str:
    """The conflicts of an identity or account, each with its rule and how far it has gone, and the fences crossed."""
    texts = [
        f"{conflicts.rules[int(conflicts.rule[at])].id} {STATES[int(conflicts.state[at])]}"
        f"{' (covered)' if covered[at] else ''}"
        for at in (conflicts.asker == asker).nonzero()[0].tolist()
    ]
    return ", ".join([*texts, *(f"{fence} crossed" for fence in sorted(crossed))])


class References(Sequence[str]):
    """Some of the references of holders, made when they are asked for."""

    def __init__(self, references: Sequence[str], first: int, size: int) -> None:
        self.references = references
        self.first = first
        self.size = size

    def __len__(self) -> int:
        return self.size

    def __getitem__(self, at: int) -> str:  # type: ignore[override]  # no slices
        if at >= self.size:
            raise IndexError(at)
        return self.references[self.first + at]
