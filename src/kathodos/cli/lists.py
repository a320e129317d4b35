"""`kathodos list`: the records of one kind, all or those that a filter selects."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, as_of, assuming, command
from kathodos.cli.session import Session
from kathodos.model.kinds import BY_NAME, KINDS


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "list",
        common,
        formatter,
        run,
        "list the records of one kind",
        '  kathodos list identities --where \'department eq "Pilotage" and status eq "active"\'\n'
        "  kathodos list grants --where 'not (until pr)' --format csv > open-ended.csv\n"
        "  kathodos list grants --redundant",
    )
    parser.add_argument(
        "kind", metavar="KIND", choices=[kind.name for kind in KINDS], help=", ".join(it.name for it in KINDS)
    )
    parser.add_argument("--where", metavar="FILTER", help="only those that this filter over their columns selects")
    parser.add_argument(
        "--redundant", action="store_true", help="only grants of which each, taken away alone, changes nobody's reach"
    )
    as_of(parser)
    assuming(parser)


def run(session: Session) -> int:
    from kathodos.report.lists import record_list

    asked, kind = session.arguments, BY_NAME[session.arguments.kind]
    return session.answer(record_list(session.view, kind, asked.where, asked.redundant, session.format == "table"))
