"""`kathodos ending`: whose access ends when."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, about_state, command, long_answer
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "ending",
        common,
        formatter,
        run,
        "list whose access ends when: grants, last days, covers of conflicts",
        "  kathodos ending                    # within the next 90 days\n  kathodos ending --within P1Y --format csv",
    )
    parser.add_argument("--within", metavar="PERIOD", default="P90D", help="as P30D, P3M or P1Y (default: P90D)")
    long_answer(parser)
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.report.ending import ending

    return session.answer(ending(session.view, session.arguments.within, session.most, session.format == "table"))
