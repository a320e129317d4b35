"""`kathodos returned`: what had been taken away and a gather brought back, until somebody settles it."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "returned",
        common,
        formatter,
        run,
        "list what had been taken away and came back; settle it",
        "  kathodos returned\n  kathodos returned --settle 1 --reason 'given anew, ticket 4711'\n"
        "  kathodos returned --settle all --reason 'the system owner has been told'",
    )
    parser.add_argument("--settle", metavar="NR", help="take a record, or `all`, off the list; say why with --reason")
    acting(parser)


def run(session: Session) -> int:
    from kathodos.ingest.returned import Settle
    from kathodos.report.returned import returned, settled

    if session.arguments.settle is None:
        return session.answer(returned(session.view))
    done = session.carry_out(Settle(session.arguments.settle))
    return session.answer(settled(done.result, done.entry))
