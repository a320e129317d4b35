"""`kathodos find`: anything by a part of any of its names."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, as_of, assuming, command, long_answer
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "find",
        common,
        formatter,
        run,
        "find people, accounts, groups, roles, resources and more by a part of any of their names",
        "  kathodos find lund                # also Lünd, LUND and Åse Lund\n  kathodos find 'engen leif'\n"
        "  kathodos find tariffs --format csv",
    )
    parser.add_argument("text", nargs="+", metavar="TEXT", help="words, each of which has to be in a name")
    long_answer(parser)
    as_of(parser)
    assuming(parser)


def run(session: Session) -> int:
    from kathodos.report.found import found

    text = " ".join(session.arguments.text)
    return session.answer(found(session.view, text, session.most, session.format == "table"))
