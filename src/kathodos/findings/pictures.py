"""What charts show, counted: access by department and system, conflicts by topic and department, excess by age."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from kathodos.analysis.snapshot import Snapshot
from kathodos.findings.conflicts.states import LATENT, Conflict
from kathodos.findings.excess.batches import Batch, ExcessContext

NO_DEPARTMENT = "(no department)"
AGES = ("not known", "under 30 days", "30 to 89 days", "90 to 179 days", "180 days and more")
_EDGES = (0, 30, 90, 180)
_MOST = 24


@dataclass(frozen=True)
class Table:
    """Counts by row and column: `counts[r, c]`, of how many in each row."""

    rows: list[str]
    columns: list[str]
    counts: npt.NDArray[np.int64]
    of: npt.NDArray[np.int64]


def access_by_department(context: ExcessContext) -> Table:
    """How many of each department were given something in each system, of people who are there; the largest ones."""
    snapshot, usage = context.snapshot, context.usage
    there = snapshot.is_person & snapshot.is_there
    department = snapshot.identity("department")
    codes = np.where(department.codes >= 0, department.codes, len(department.values))
    count = len(department.values) + 1
    systems = snapshot.index.systems_in_order
    held = usage.systems_of[: snapshot.people]
    counts = np.stack([np.bincount(codes[there & held[:, at]], minlength=count) for at in range(held.shape[1])], axis=1)
    of = np.bincount(codes[there], minlength=count)
    chosen = np.argsort(-of, kind="stable")[:_MOST]
    chosen = chosen[of[chosen] > 0]
    names = [*map(str, department.values), NO_DEPARTMENT]
    return Table([names[at] for at in chosen.tolist()], [it.name for it in systems], counts[chosen], of[chosen])


def conflicts_by_topic(snapshot: Snapshot, conflicts: Sequence[Conflict], is_open: Callable[[Conflict], bool]) -> Table:
    """How many open conflicts there are by topic and department."""
    counted = [it for it in conflicts if it.state != LATENT and is_open(it)]
    department = snapshot.identity("department")
    placed = [(it.rule.topic, str(department.value(it.identity) or NO_DEPARTMENT)) for it in counted]
    topics = sorted({topic for topic, _ in placed})
    departments = sorted({name for _, name in placed})
    counts = np.zeros((len(topics), len(departments)), dtype=np.int64)
    for topic, name in placed:
        counts[topics.index(topic), departments.index(name)] += 1
    return Table(topics, departments, counts, counts.sum(axis=1))


def excess_by_age(batches: Sequence[Batch]) -> Table:
    """How many findings there are of each kind by how long they have stood, the most frequent kinds first."""
    rows = [it for it in batches if len(it)]
    rows.sort(key=len, reverse=True)
    counts = np.zeros((len(rows), len(AGES)), dtype=np.int64)
    for at, batch in enumerate(rows):
        age = np.where(batch.days < 0, 0, np.searchsorted(_EDGES, batch.days, side="right"))
        counts[at] = np.bincount(age, minlength=len(AGES))
    return Table([it.kind for it in rows], list(AGES), counts, counts.sum(axis=1))
