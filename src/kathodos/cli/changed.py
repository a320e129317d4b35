"""`kathodos changed`: what came, changed and went since a day, by whom and why."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, command, long_answer
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "changed",
        common,
        formatter,
        run,
        "say what came, changed and went since a day, by whom and why where the ledger knows",
        "  kathodos changed                      # since a week ago\n  kathodos changed --since 2026-05\n"
        "  kathodos changed --since today-P1M --kind grants --format csv",
    )
    parser.add_argument("--since", metavar="DAY", default="today-7d", help="a date, a month, or today-7d (default)")
    parser.add_argument("--kind", metavar="KIND", help="only records of this kind, as in `kathodos list`")
    long_answer(parser)


def run(session: Session) -> int:
    from kathodos.report.changed import changed

    asked = session.arguments
    return session.answer(changed(session.view, asked.since, asked.kind, session.most, session.format == "table"))
