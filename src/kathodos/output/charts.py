"""Charts as PNG or SVG, readable in grey and by the colour-blind: numbers stand in the fields, hatches in the bars."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Ints
from kathodos.errors import CallError, DataError
from kathodos.model.printing import printable
from kathodos.model.words import plural

if TYPE_CHECKING:
    from kathodos.findings.pictures import Table
    from kathodos.workspace.view import View

_SIZE = (11.0, 6.6)  # inches; at 116 dots an inch 1276 by 766
_DOTS = 116
_HATCHES = ("", "..", "//", "xx", "")
_GREYS = ("#f2f2f2", "#d0d0d0", "#a6a6a6", "#6e6e6e", "#2b2b2b")
_LONGEST = 34
_NAMED = 8
_FEWEST_BARS = 8  # for which there is room upright
_FEWEST_CELLS = 5  # for which there is room in a field each way


def drawn(kind: str, view: View, name: str | None = None) -> Any:
    """The figure of a kind: access, conflicts, risk, excess, or what the change of a name does."""
    from kathodos.findings import pictures

    if kind == "change" and name is not None:
        from kathodos.report.rehearsals import differences_by_department

        return draw_change(name, *differences_by_department(view, name))
    if kind == "access":
        return draw_access(pictures.access_by_department(view.context))
    if kind == "conflicts":
        found = view.findings.conflicts
        is_open = ~view.findings.covered(found)
        return draw_conflicts(pictures.conflicts_by_topic(view.basis, found.taken(is_open)))
    if kind == "excess":
        return draw_excess(pictures.excess_by_age(view.findings.excess))
    scores = view.findings.scores("identities")
    highest = scores.order()[:_NAMED].tolist()
    people = view.people(highest)
    named = [(str(people[at]["name"] or people[at]["id"]), float(scores.totals[at])) for at in highest]
    return draw_risk(scores.totals, named)


def draw_access(table: Table) -> Any:
    """The share of each department that holds something in each system."""
    shares = 100 * table.counts / np.maximum(table.of[:, None], 1)
    labels = [[_cell(count) for count in row] for row in table.counts.tolist()]
    wide = (table.counts > 0).sum(axis=1)
    title = "Nobody holds anything"
    if wide.size and wide.max():
        widest = (wide == wide.max()).nonzero()[0].tolist()
        who = table.rows[widest[0]] if len(widest) == 1 else f"{len(widest)} of {len(table.rows)} departments"
        title = f"{who}: access in {wide.max()} of {len(table.columns)} systems, the most of all"
    rows = [f"{name} ({count})" for name, count in zip(table.rows, table.of.tolist(), strict=True)]
    note = (
        "Number of people who were given something in the system; the darker, the larger their share of the department."
    )
    return field(shares, labels, rows, table.columns, title, note, 100.0)


def draw_conflicts(table: Table) -> Any:
    """Open conflicts by topic and department."""
    labels = [[_cell(count) for count in row] for row in table.counts.tolist()]
    title = "No conflict is open"
    if table.counts.size:
        topic, department = np.unravel_index(int(table.counts.argmax()), table.counts.shape)
        where = f"of the topic {table.rows[int(topic)]} in the department {table.columns[int(department)]}"
        title = f"{plural(int(table.counts.sum()), 'open conflict')}, the most ({table.counts.max()}) {where}"
    note = "Open conflicts by the topic of the rule and the department of the person; covered and latent ones left out."
    most = float(table.counts.max(initial=1))
    return field(table.counts.astype(np.float64), labels, table.rows, table.columns, title, note, most)


def _cell(count: int) -> str:
    return str(count) if count else ""


def field(
    values: npt.NDArray[np.float64],
    labels: list[list[str]],
    rows: Sequence[str],
    columns: Sequence[str],
    title: str,
    note: str,
    most: float,
) -> Any:
    """A field of cells, darker for more, each with its number."""
    figure, axes = figure_with(title, note)
    if not values.size:
        axes.axis("off")
        return figure
    axes.imshow(values, cmap="Greys", vmin=-most * 0.06, vmax=most * 1.25, aspect="auto")
    axes.set_xticks(
        range(len(columns)), [short(it) for it in columns], rotation=30 if len(columns) > 6 else 0, ha="center"
    )
    axes.set_yticks(range(len(rows)), [short(it) for it in rows])
    axes.set_xticks(np.arange(len(columns) + 1) - 0.5, minor=True)
    axes.set_yticks(np.arange(len(rows) + 1) - 0.5, minor=True)
    axes.grid(which="minor", color="white", linewidth=2)
    axes.tick_params(which="both", length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.spines["bottom"].set_position(("data", len(rows) - 0.5))  # the names of the columns stand right below the last
    axes.set_xlim(-0.5, max(len(columns), _FEWEST_CELLS) - 0.5)  # a few cells are not blown up to a wall
    axes.set_ylim(max(len(rows), _FEWEST_CELLS) - 0.5, -0.5)
    for at, row in enumerate(labels):
        for to, text in enumerate(row):
            dark = values[at, to] > most * 0.6
            axes.text(to, at, text, ha="center", va="center", color="white" if dark else "black", fontsize=10)
    return figure


def draw_risk(scores: npt.NDArray[np.float64], named: Sequence[tuple[str, float]]) -> Any:
    """How many identities have which score, with the highest named."""
    above = int((scores > 40).sum())
    title = f"{above} of {plural(len(scores), 'identity scores', 'identities score')} above 40"
    title += f"; the highest is {named[0][0]} with {named[0][1]:g}" if named else ""
    figure, axes = figure_with(title, "Number of identities by risk score, in steps of 5; the highest are named.")
    counts, edges = np.histogram(scores, bins=np.arange(0, 101, 5))
    axes.bar(edges[:-1], counts, width=4.6, align="edge", color="#8c8c8c", edgecolor="black", linewidth=0.8)
    for edge, count in zip(edges[:-1].tolist(), counts.tolist(), strict=True):
        if count:
            axes.text(edge + 2.3, count, str(count), ha="center", va="bottom", fontsize=10)
    axes.set_xlim(0, 100)
    axes.set_xticks(range(0, 101, 10))
    axes.set_ylim(0, max(int(counts.max(initial=0)) * 1.15, 1))
    axes.set_xlabel("risk score")
    axes.set_ylabel("identities")
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    lines = [f"{score:5.1f}  {short(name)}" for name, score in named]
    place = {"transform": axes.transAxes, "ha": "left", "va": "top"}
    axes.text(0.7, 0.97, "\n".join(lines), family="monospace", fontsize=10, **place)
    return figure


def draw_change(name: str, gaining: Table, losing: Table) -> Any:
    """How many people of each department gain and lose something in each system by a change."""
    labels = [
        [_both(more, less) for more, less in zip(*rows, strict=True)]
        for rows in zip(gaining.counts.tolist(), losing.counts.tolist(), strict=True)
    ]
    more, less = int(gaining.of.sum()), int(losing.of.sum())
    title = f"{name}: nobody's reach changes"
    if more or less:
        gains = f"{plural(more, 'person gains', 'people gain')} access" if more else "nobody gains access"
        title = (
            f"{name}: {gains}, {plural(less, 'loses', 'lose')} some" if less else f"{name}: {gains}, nobody loses any"
        )
    note = "Number of people who gain (+) or lose (-) something in the system; the darker, the more."
    counts = (gaining.counts + losing.counts).astype(np.float64)
    return field(counts, labels, gaining.rows, gaining.columns, title, note, float(counts.max(initial=1)))


def _both(gaining: int, losing: int) -> str:
    return "  ".join([*([f"+{gaining}"] if gaining else []), *([f"-{losing}"] if losing else [])])


def draw_excess(table: Table) -> Any:
    """How many findings of each kind there are, by how long they have stood."""
    total = int(table.counts.sum())
    old = int(table.counts[:, -1].sum()) if table.counts.size else 0
    title = "No finding of excess"
    if total:
        title = f"{plural(total, 'finding')} of excess, the most of them {table.rows[0]}; {old} older than half a year"
    figure, axes = figure_with(title, "Findings by kind, and by how long what they say has been so.")
    stacked(axes, table.rows, table.columns, table.counts)
    axes.set_xlabel("findings")
    if total:
        axes.legend(loc="lower right", frameon=False, title="has stood for")
    return figure


def stacked(axes: Any, rows: Sequence[str], columns: Sequence[str], counts: Ints) -> None:
    """Lying bars, one for each row from the top, of parts told by grey and hatch, with the total behind each."""
    start, position = np.zeros(len(rows)), np.arange(len(rows))
    for at, name in enumerate(columns):
        style = {"color": _GREYS[at], "hatch": _HATCHES[at], "edgecolor": "black", "linewidth": 0.6}
        axes.barh(position, counts[:, at], left=start, height=0.72, label=name, **style)
        start += counts[:, at]
    for at, count in enumerate(start.astype(int).tolist()):
        axes.text(count, at, f" {count}", va="center", fontsize=9)
    axes.set_yticks(position, rows)
    axes.set_ylim(max(len(rows), _FEWEST_BARS) - 0.5, -0.5)
    axes.set_xlim(0, 1.06 * max(start.max(initial=0), 1))
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)


def figure_with(title: str, note: str) -> tuple[Any, Any]:
    """A figure with its title, which says what is seen, and a note below that says what is shown; and its axes."""
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import rcParams
    from matplotlib.figure import Figure

    rcParams["svg.hashsalt"] = "kathodos"  # the same data give the same file
    figure = Figure(figsize=_SIZE, layout="constrained")
    axes = figure.add_subplot()
    figure.suptitle(_plain(title), fontsize=13, fontweight="bold", x=0.01, ha="left")
    axes.set_title(_plain(note), fontsize=9.5, loc="left", color="#333333")
    return figure, axes


def short(text: str) -> str:
    """A name for which there is room."""
    text = printable(text)
    return _plain(text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…")


def _plain(text: str) -> str:
    """Text in which a dollar is a dollar and begins no formula."""
    return printable(text).replace("$", r"\$")


def save(figure: Any, file: str, may_replace: bool) -> None:
    """Writes a figure as PNG or SVG, by the end of the file's name."""
    path = Path(file)
    if path.suffix.lower() not in (".png", ".svg"):
        raise CallError(f"{file} ends in neither .png nor .svg.", "Name the file as in access.png.")
    if path.exists() and not may_replace:
        raise CallError(f"{file} is there already.", "Say --replace, or name another file.")
    metadata = {"Date": None} if path.suffix.lower() == ".svg" else {"Software": None}
    try:
        figure.savefig(path, dpi=_DOTS, metadata=metadata)
    except OSError as error:
        raise DataError(f"{file} cannot be written: {error.strerror}.", "Name a file that you may write.") from None
