"""`kathodos chart`: access, conflicts, risk, excess, changes and roles as pictures."""

from __future__ import annotations

import argparse
from typing import Any

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.report.answers import Answer

KINDS = ("access", "conflicts", "risk", "excess", "change", "roles", "suggest", "review")


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "chart",
        common,
        formatter,
        run,
        "draw access, conflicts, risk, excess by age, what a change does, roles, or how far a review is",
        "  kathodos chart access --out access.png\n  kathodos chart excess --out excess.svg --as-of before-review\n"
        "  kathodos chart change summer --out summer.png\n  kathodos chart review june --out june.png\n"
        "  kathodos chart roles 'dues/*' --out roles.png",
    )
    parser.add_argument("kind", metavar="KIND", choices=KINDS, help=", ".join(KINDS))
    named = "which change, review, or (for `suggest`) system; for `roles`: only roles like this"
    parser.add_argument("name", nargs="?", metavar="NAME", help=named)
    parser.add_argument("--out", metavar="FILE", required=True, help="the picture: a name that ends in .png or .svg")
    parser.add_argument("--replace", action="store_true", help="write over a file that is there")
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.output.charts import save

    asked = session.arguments
    if asked.kind == "change" and asked.name is None:
        raise CallError("A chart of a change needs its name.", "As in: kathodos chart change summer")
    if asked.name is not None and asked.kind not in ("change", "roles", "suggest", "review"):
        raise CallError(f"A chart of {asked.kind} takes no name.", "Leave it out.")
    if asked.kind == "change" and asked.assume is not None:
        raise CallError("A chart of a change shows what it does to what has been decided.", "Leave --assume out.")
    figure = _figure(session)
    save(figure, asked.out, asked.replace)
    title = figure.get_suptitle().replace("\\$", "$")
    return session.answer(Answer(heading=f"{asked.out}: {title}", document={"file": asked.out, "title": title}))


def _figure(session: Session) -> Any:
    from kathodos.output.charts import drawn

    asked = session.arguments
    if asked.kind in ("roles", "suggest"):
        return _of_roles(session)
    return _of_review(session) if asked.kind == "review" else drawn(asked.kind, session.view, asked.name)


def _of_review(session: Session) -> Any:
    """The figure of how far a review is."""
    from kathodos.output.chart_of_review import draw_review
    from kathodos.report.review_overview import overview_of
    from kathodos.review.lines import ReviewLines, find_review, reviews_in

    view = session.view
    lines = ReviewLines(view.catalogue, find_review(reviews_in(view.catalogue), session.arguments.name))
    review = lines.review
    return draw_review(review.name, len(lines), review.due[:10], overview_of(lines, "department", view.moment))


def _of_roles(session: Session) -> Any:
    """The figure of roles that overlap, or of what is held in the order of the roles that are suggested."""
    from kathodos.change.composition import Desk
    from kathodos.model.times import now
    from kathodos.output.charts_of_roles import draw_roles, draw_suggested
    from kathodos.report.shaping.pictures import holdings_matrix, overlap
    from kathodos.roles.mining.cover import MiningTerms
    from kathodos.workspace.suggesting import suggested

    asked, view = session.arguments, session.view
    if asked.kind == "roles":
        return draw_roles(overlap(view, asked.name))
    terms = MiningTerms(session.workspace.configuration.mining_weights)
    found = suggested(view, Desk(view.catalogue, now()), terms, [asked.name] if asked.name else [])
    most = max(found.systems, key=lambda it: it.holdings.kinds.cells - it.cover.steps[-1].exceptions)
    return draw_suggested(holdings_matrix(most))
