"""`kathodos returned`: what had been taken away and a gather brought back, until somebody settles it."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

_FIELDS = (
    Field("number", "Nr", 9, is_number=True, least=2),
    Field("kind", "Kind", 8),
    Field("record", "Record", 9, least=14),
    Field("said_by", "Source", 6),
    Field("ended_by", "Entry", 5, is_number=True),
    Field("ended_at", "Taken away", 8, least=20),
    Field("why", "Why", 7, least=10),
    Field("back_at", "Back", 4, least=20),
)


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
    from kathodos.ingest.returned import Settle, returned_records

    if session.arguments.settle is not None:
        done = session.carry_out(Settle(session.arguments.settle))
        heading = f"{plural(done.result, 'record')} settled; entry {done.entry} of the ledger."
        return session.answer(Answer((), [], heading))
    rows = returned_records(session.view.stored)
    heading = f"{plural(len(rows), 'record')} came back after having been taken away."
    hint = "Settle one: `kathodos returned --settle NR --reason WHY`."
    session.answer(Answer(_FIELDS, rows, heading, hint=hint if rows else ""))
    return 1 if rows else 0
