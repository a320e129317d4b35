"""`kathodos compare`: two people, roles, groups or resources beside each other."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, about_state, command, long_answer
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "compare",
        common,
        formatter,
        run,
        "set two people, roles, groups or resources beside each other: what only one has, what both, through what",
        "  kathodos compare p0063 p0067\n  kathodos compare role:dues/clerk role:dues/manager\n"
        "  kathodos compare archive:/board archive:/shared",
    )
    parser.add_argument("first", metavar="A", help="a person, account, role, group or resource")
    parser.add_argument("second", metavar="B", help="another of the same kind")
    long_answer(parser)
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.report.side_by_side import compared

    asked = session.arguments
    return session.answer(compared(session.view, asked.first, asked.second, session.most, session.format == "table"))
