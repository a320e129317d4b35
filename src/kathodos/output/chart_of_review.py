"""A chart of a review: how far each department is, and what was decided there; readable in grey."""

from __future__ import annotations

from typing import Any

import numpy as np

from kathodos.model.words import plural
from kathodos.output.charts import figure_with, short, stacked
from kathodos.report.review_overview import Overview

_MOST = 14  # departments that have a bar of their own
_PARTS = ("left", "certified", "reduced", "revoked")


def draw_review(name: str, lines: int, due: str, found: Overview) -> Any:
    """The lines of a review by department: what is left, certified, reduced and revoked."""
    order = found.order
    counts = np.array([[int(getattr(found, part)[at]) for part in _PARTS] for at in order]).reshape(-1, len(_PARTS))
    rows = [short(found.names[at]) for at in order]
    if len(rows) > _MOST:
        rest = counts[_MOST - 1 :].sum(axis=0)
        rows = [*rows[: _MOST - 1], f"{len(rows) - _MOST + 1} others"]
        counts = np.vstack([counts[: _MOST - 1], rest])
    left, taken = int(counts[:, 0].sum()), counts[:, 2] + counts[:, 3]
    title = f"{name}: {lines - left} of {plural(lines, 'line')} decided"
    if taken.sum():
        most = int(taken.argmax())
        title += f"; {int(taken.sum())} taken away or made less, most in {rows[most]} ({int(taken[most])})"
    figure, axes = figure_with(
        title, f"Lines by the department of whom they are about, and what was decided; due {due}."
    )
    stacked(axes, rows, _PARTS, counts)
    axes.set_xlabel("lines")
    axes.legend(loc="lower right", frameon=False)
    return figure
