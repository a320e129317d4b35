"""`kathodos chart`: access, conflicts, risk and excess as pictures."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session
from kathodos.report.answers import Answer

if TYPE_CHECKING:
    from kathodos.workspace.view import View

KINDS = ("access", "conflicts", "risk", "excess")
_NAMED = 8


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "chart",
        common,
        formatter,
        run,
        "draw access by department and system, conflicts by topic, risk, or excess by kind and age",
        "  kathodos chart access --out access.png\n  kathodos chart excess --out excess.svg --as-of before-review",
    )
    parser.add_argument("kind", metavar="KIND", choices=KINDS, help=", ".join(KINDS))
    parser.add_argument("--out", metavar="FILE", required=True, help="the picture: a name that ends in .png or .svg")
    parser.add_argument("--replace", action="store_true", help="write over a file that is there")
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.output.charts import save

    asked = session.arguments
    figure = _drawn(asked.kind, session.view)
    save(figure, asked.out, asked.replace)
    title = figure.get_suptitle().replace("\\$", "$")
    return session.answer(Answer(heading=f"{asked.out}: {title}", document={"file": asked.out, "title": title}))


def _drawn(kind: str, view: View) -> Any:
    """The figure of a kind."""
    from kathodos.findings import pictures
    from kathodos.output import charts

    if kind == "access":
        return charts.draw_access(pictures.access_by_department(view.context))
    if kind == "conflicts":
        found = view.findings.conflicts
        is_open = ~view.findings.covered(found)
        return charts.draw_conflicts(pictures.conflicts_by_topic(view.basis, found.taken(is_open)))
    if kind == "excess":
        return charts.draw_excess(pictures.excess_by_age(view.findings.excess))
    scores = view.findings.scores("identities")
    highest = scores.order()[:_NAMED].tolist()
    people = view.people(highest)
    named = [(str(people[at]["name"] or people[at]["id"]), float(scores.totals[at])) for at in highest]
    return charts.draw_risk(scores.totals, named)
