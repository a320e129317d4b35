"""`kathodos returned`: what had been taken away and a gather brought back, until somebody settles it."""

from __future__ import annotations

import argparse
import json

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
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
    from kathodos.model.kinds import RETURNED
    from kathodos.store.records import rows_of

    held = rows_of(session.view.catalogue, RETURNED, *RETURNED.names)
    if session.arguments.settle is not None:
        return _settle(session, held.ids)
    rows = []
    for number, values in zip(held.ids, held.values(), strict=True):
        record = dict(zip(RETURNED.names, values, strict=True))
        key = " ".join(str(part) for part in json.loads(record["record"]) if part is not None)
        rows.append({**record, "number": number, "record": key})
    heading = f"{plural(len(rows), 'record')} came back after having been taken away."
    hint = "Settle one: `kathodos returned --settle NR --reason WHY`."
    session.answer(Answer(_FIELDS, rows, heading, hint=hint if rows else ""))
    return 1 if rows else 0


def _settle(session: Session, numbers: list[int]) -> int:
    from kathodos.ledger.entries import writing
    from kathodos.model.kinds import RETURNED

    asked = session.arguments.settle
    if not session.reason:
        raise CallError("Nothing is settled without a reason.", "Say --reason WHY; the ledger keeps it.")
    chosen = numbers if asked == "all" else [number for number in numbers if str(number) == asked]
    if not chosen:
        raise CallError(f"There is no open record {asked}.", "See `kathodos returned`.")
    workspace = session.workspace
    with writing(workspace.store, workspace.keys, "settle", session.actor, session.reason) as draft:
        draft.close_rows(RETURNED, chosen)
        draft.subjects += [f"returned:{number}" for number in chosen]
        number = draft.number
    return session.answer(Answer((), [], f"{plural(len(chosen), 'record')} settled; entry {number} of the ledger."))
