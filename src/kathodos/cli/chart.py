"""`kathodos chart`: access, conflicts, risk and excess as pictures."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.report.answers import Answer

KINDS = ("access", "conflicts", "risk", "excess", "change")


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "chart",
        common,
        formatter,
        run,
        "draw access by department and system, conflicts by topic, risk, excess by age, or what a change does",
        "  kathodos chart access --out access.png\n  kathodos chart excess --out excess.svg --as-of before-review\n"
        "  kathodos chart change summer --out summer.png",
    )
    parser.add_argument("kind", metavar="KIND", choices=KINDS, help=", ".join(KINDS))
    parser.add_argument("name", nargs="?", metavar="NAME", help="for `change`: which change")
    parser.add_argument("--out", metavar="FILE", required=True, help="the picture: a name that ends in .png or .svg")
    parser.add_argument("--replace", action="store_true", help="write over a file that is there")
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.output.charts import drawn, save

    asked = session.arguments
    if (asked.kind == "change") != (asked.name is not None):
        raise CallError("A chart of a change needs its name, and no other does.", "As in: kathodos chart change summer")
    if asked.kind == "change" and asked.assume is not None:
        raise CallError("A chart of a change shows what it does to what has been decided.", "Leave --assume out.")
    figure = drawn(asked.kind, session.view, asked.name)
    save(figure, asked.out, asked.replace)
    title = figure.get_suptitle().replace("\\$", "$")
    return session.answer(Answer(heading=f"{asked.out}: {title}", document={"file": asked.out, "title": title}))
