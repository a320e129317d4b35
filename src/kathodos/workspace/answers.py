"""What a view answers to a notebook: results as arrays, each with a data frame of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec
import numpy as np
import pandas as pd

from kathodos.findings.conflicts.states import STATES, Conflicts
from kathodos.findings.excess.batches import FindingColumns
from kathodos.findings.risk.scores import Scores
from kathodos.findings.risk.weights import COLUMNS
from kathodos.model.severities import SEVERITIES

if TYPE_CHECKING:
    from kathodos.columns.csr import Bools, Ints
    from kathodos.columns.strings import StringTable
    from kathodos.engine.compiled.index import Holders

_SEVERITIES = [str(name) for name in SEVERITIES]


class ConflictsFound(msgspec.Struct, frozen=True):
    """Conflicts, whose they are by number, and which of them a cover holds."""

    conflicts: Conflicts
    holders: Holders
    is_covered: Bools

    def __len__(self) -> int:
        return len(self.conflicts)

    def frame(self) -> pd.DataFrame:
        """A row a conflict: rule, severity, topic, identity or account (of nobody), state, is_covered."""
        found, rules = self.conflicts, self.conflicts.rules
        return pd.DataFrame(
            {
                "rule": _category(found.rule, [rule.id for rule in rules]),
                "severity": _category(found.severity(), _SEVERITIES, ordered=True),
                "topic": pd.Series([rules[at].topic for at in found.rule.tolist()], dtype="str"),
                **_askers(self.holders, found.asker),
                "state": _category(found.state, [str(state) for state in STATES]),
                "is_covered": np.array(self.is_covered, dtype=bool),
            }
        )


class ExcessFound(msgspec.Struct, frozen=True):
    """Findings of excess, kind by kind, and the names of those concerned."""

    kinds: list[FindingColumns]
    holders: Holders

    def __len__(self) -> int:
        return sum(len(found) for found in self.kinds)

    def frame(self) -> pd.DataFrame:
        """A row a finding: kind, severity, identity or account and days (missing where there is none), confidence."""
        kinds = [found.kind for found in self.kinds]
        whose, severity, confidence, days = (
            np.concatenate([np.zeros(0, dtype=np.int64), *(getattr(found, name) for found in self.kinds)])
            for name in ("whose", "severity", "confidence", "days")
        )
        of = np.repeat(np.arange(len(kinds)), [len(found) for found in self.kinds])
        return pd.DataFrame(
            {
                "kind": _category(of, kinds),
                "severity": _category(severity, _SEVERITIES, ordered=True),
                **_askers(self.holders, whose),
                "confidence": confidence,
                "days": pd.Series(days, dtype="Int64").mask(days < 0),
            }
        )


class RiskFound(msgspec.Struct, frozen=True):
    """The risk scores of all of a kind."""

    scores: Scores

    def __len__(self) -> int:
        return len(self.scores.totals)

    def frame(self) -> pd.DataFrame:
        """A row a thing, the highest first: subject, risk, the points of each part, and what lifts it."""
        order = self.scores.order()
        parts = {name: self.scores.points[order, at] for at, name in enumerate(COLUMNS)}
        subjects = [self.scores.subjects[at] for at in order.tolist()]
        return pd.DataFrame({"subject": subjects, "risk": self.scores.totals[order], **parts})


def _category(codes: Ints, names: list[str], ordered: bool = False) -> pd.Categorical:
    return pd.Categorical.from_codes(codes, pd.Index(names, dtype="str"), ordered=ordered)


def _askers(holders: Holders, numbers: Ints) -> dict[str, pd.Series]:
    """The identity of each number, or the account."""
    return {
        "identity": _names(holders.identities, np.where(numbers < holders.people, numbers, -1)),
        "account": _names(holders.accounts, np.where(numbers >= holders.people, numbers - holders.people, -1)),
    }


def _names(table: StringTable, numbers: Ints) -> pd.Series:
    """The texts with some numbers; missing for those below zero."""
    known = numbers >= 0
    names = np.full(len(numbers), None, dtype=object)
    names[known] = table.taken(np.asarray(numbers)[known])
    return pd.Series(names, dtype="str")
