"""`kathodos show`: one record with everything that points at it."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, as_of, command
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "show",
        common,
        formatter,
        run,
        "show one record and everything that points at it",
        "  kathodos show p0017\n  kathodos show group:directory/pilots\n  kathodos show dues:/northmole/tariffs",
    )
    parser.add_argument("reference", metavar="REF", help="as in identity:p0017, role:dues/clerk or a resource address")
    as_of(parser)


def run(session: Session) -> int:
    from kathodos.report.shows import shown

    return session.answer(shown(session.view, session.arguments.reference, session.format))
