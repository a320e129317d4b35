"""What charts show, counted: access by department and system, conflicts by topic and department, excess by age."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import distinct
from kathodos.columns.ordered import order_of
from kathodos.findings.conflicts.states import Conflicts
from kathodos.findings.excess.batches import Batch, ExcessContext

NO_DEPARTMENT = "(no department)"
AGES = ("not known", "under 30 days", "30 to 89 days", "90 to 179 days", "180 days and more")
_EDGES = (0, 30, 90, 180)
_MOST = 24


class Table(msgspec.Struct, frozen=True):
    """Counts by row and column: `counts[r, c]`, of how many in each row."""

    rows: list[str]
    columns: list[str]
    counts: npt.NDArray[np.int64]
    of: npt.NDArray[np.int64]


def access_by_department(context: ExcessContext) -> Table:
    """How many of each department were given something in each system, of people who are there; the largest ones."""
    basis, usage = context.basis, context.usage
    there = basis.is_person & basis.is_there
    department = basis.identity("department")
    codes = np.where(department.codes >= 0, department.codes, len(department.values))
    count = len(department.values) + 1
    systems = basis.index.systems_in_order
    held = usage.systems_of[: basis.people]
    counts = np.stack([np.bincount(codes[there & held[:, at]], minlength=count) for at in range(held.shape[1])], axis=1)
    of = np.bincount(codes[there], minlength=count)
    chosen = order_of(-of)[:_MOST]
    chosen = chosen[of[chosen] > 0]
    names = [*map(str, department.values), NO_DEPARTMENT]
    return Table([names[at] for at in chosen.tolist()], [it.name for it in systems], counts[chosen], of[chosen])


def conflicts_by_topic(basis: Basis, conflicts: Conflicts) -> Table:
    """How many of some conflicts there are by topic and department."""
    department = basis.asker("department")
    topics = sorted({conflicts.rules[at].topic for at in distinct(conflicts.rule).tolist()})
    of_rule = np.array([topics.index(rule.topic) if rule.topic in topics else -1 for rule in conflicts.rules])
    codes, which = np.unique(department.codes[conflicts.asker], return_inverse=True)
    names = [NO_DEPARTMENT if code < 0 else str(department.values[code]) for code in codes.tolist()]
    order = sorted(range(len(names)), key=names.__getitem__)
    counts = np.zeros((len(topics), len(names)), dtype=np.int64)
    if len(conflicts):
        np.add.at(counts, (of_rule[conflicts.rule], which), 1)
    counts = counts[:, order]
    return Table(topics, [names[at] for at in order], counts, counts.sum(axis=1))


def excess_by_age(batches: Sequence[Batch]) -> Table:
    """How many findings there are of each kind by how long they have stood, the most frequent kinds first."""
    rows = [it for it in batches if len(it)]
    rows.sort(key=len, reverse=True)
    counts = np.zeros((len(rows), len(AGES)), dtype=np.int64)
    for at, batch in enumerate(rows):
        age = np.where(batch.days < 0, 0, np.searchsorted(_EDGES, batch.days, side="right"))
        counts[at] = np.bincount(age, minlength=len(AGES))
    return Table([it.kind for it in rows], list(AGES), counts, counts.sum(axis=1))
