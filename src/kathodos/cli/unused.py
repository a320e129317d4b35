"""`kathodos unused`: who holds something in a system and has never used any of it there."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, as_of, assuming, at_time, command, long_answer
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "unused",
        common,
        formatter,
        run,
        "say per system who holds something there and never used any of it, as far as uses are recorded",
        "  kathodos unused              # counts by system\n  kathodos unused dues         # who, and what they hold",
    )
    parser.add_argument("system", nargs="?", metavar="SYSTEM", help="name everyone of this system")
    long_answer(parser)
    at_time(parser)
    as_of(parser)
    assuming(parser)


def run(session: Session) -> int:
    from kathodos.report.unused import unused_by_system, unused_in

    name = session.arguments.system
    if name is None:
        return session.answer(unused_by_system(session.view))
    name = str(name).removeprefix("system:").removesuffix(":/")
    return session.answer(unused_in(session.view, name, session.most, session.format == "table"))
