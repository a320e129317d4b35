"""`kathodos chart`: access, conflicts, risk and excess as pictures."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session
from kathodos.report.answers import Answer

KINDS = ("access", "conflicts", "risk", "excess")


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
    from kathodos.output.charts import drawn, save

    asked = session.arguments
    figure = drawn(asked.kind, session.view)
    save(figure, asked.out, asked.replace)
    title = figure.get_suptitle().replace("\\$", "$")
    return session.answer(Answer(heading=f"{asked.out}: {title}", document={"file": asked.out, "title": title}))
