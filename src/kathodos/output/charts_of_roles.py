"""Charts of roles: which of them overlap, and what is held, ordered by suggested roles; readable in grey."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from kathodos.model.words import plural
from kathodos.output.charts import field, figure_with, short

if TYPE_CHECKING:
    from kathodos.report.shaping.pictures import HoldingsMatrix, Overlap

_EXCEPTION = 0.05  # how dark an exception is; lower is darker
_SHADES = (0.62, 0.42, 0.74, 0.52)
_MOST_NAMES, _MOST_ROLES = 30, 12


def draw_roles(found: Overlap) -> Any:
    """How far roles overlap, each with how many hold it."""
    percent = 100 * found.share
    labels = [
        ["" if at == to else f"{value:.0f}" if value >= 0.5 else "" for to, value in enumerate(row)]
        for at, row in enumerate(percent.tolist())
    ]
    beside = percent - 100 * np.eye(len(found.roles))
    title = "No two roles overlap"
    if beside.size and beside.max() > 0:
        whole = int((beside >= 99.95).any(axis=1).sum())
        one, other = (int(it) for it in np.unravel_index(int(beside.argmax()), beside.shape))
        title = f"{found.roles[one]} lies {beside[one, other]:.0f} % within {found.roles[other]}"
        if whole > 1:
            title = f"{whole} of these {len(found.roles)} roles lie wholly within another"
            title += f": {found.roles[one]}, for one, within {found.roles[other]}"
    held = zip(found.roles, found.holders, strict=True)
    rows = [f"{short(name)} ({count})   {at}" for at, (name, count) in enumerate(held, 1)]
    note = "Of what the role in the row gives by itself, the per cent that the role in the column gives as well. "
    note += "In brackets: who hold it."
    return field(beside, labels, rows, [str(at) for at in range(1, len(rows) + 1)], title, note, 100.0)


def draw_suggested(found: HoldingsMatrix) -> Any:
    """Who holds what, in the order of the suggested roles: grey by a role, black by itself."""
    rest = found.held - found.bundled
    roles = plural(len(found.roles), "role")
    title = f"{found.system}: {roles} would stand in for {found.bundled:,} of {found.held:,} grants"
    title += f", {plural(rest, 'exception')} left" if rest else ", nothing is left over"
    note = "A row for each holder, a column for each thing. Grey: by a suggested role; black: given by itself."
    figure, axes = figure_with(title, note)
    shades = np.ones(max(int(found.cells.max(initial=0)) + 1, 2))
    shades[1] = _EXCEPTION
    for number in range(2, len(shades)):
        shades[number] = _SHADES[number % len(_SHADES)]
    axes.imshow(shades[found.cells], cmap="gray", vmin=0.0, vmax=1.0, aspect="auto", interpolation="nearest")
    names = [short(it) for it in found.things]
    if len(names) <= _MOST_NAMES:
        axes.set_xticks(range(len(names)), names, rotation=30, ha="right", fontsize=9)
    else:
        axes.set_xlabel(f"{len(names):,} things")
        axes.set_xticks([])
    middles, labels = [], []
    first = np.where(found.cells > 1, found.cells, len(shades)).min(axis=1, initial=len(shades))
    for number, name in enumerate(found.roles[:_MOST_ROLES], 2):
        rows = (first == number).nonzero()[0]
        if len(rows):
            middles.append(float(rows.mean()))
            labels.append(short(name))
            axes.axhline(rows.max() + 0.5, color="#333333", linewidth=0.8)
    axes.set_yticks(middles, labels)
    axes.tick_params(length=0)
    if len(found.roles) > _MOST_ROLES:
        axes.set_ylabel(f"the first {_MOST_ROLES} of {len(found.roles)} roles are named")
    return figure
