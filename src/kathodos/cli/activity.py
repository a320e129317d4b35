"""`kathodos activity`: what logs show of use - last used and how often, by who, action and resource."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, as_of, assuming, command
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "activity",
        common,
        formatter,
        run,
        "show who used what, how often and when last",
        "  kathodos activity --by p0063\n  kathodos activity --on dues:/northmole --since 2026-05-01",
    )
    parser.add_argument("--by", metavar="REF", help="only this identity or account")
    parser.add_argument("--on", metavar="RESOURCE", help="only this resource and what lies below it")
    parser.add_argument("--since", metavar="DATE", help="only use from this day on")
    as_of(parser)
    assuming(parser)


def run(session: Session) -> int:
    from kathodos.report.activity import used
    from kathodos.workspace.points import moment_in

    asked = session.arguments
    return session.answer(used(session.view, asked.by, asked.on, moment_in(asked.since, "--since")))
