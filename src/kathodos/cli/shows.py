"""`kathodos show`: one record with everything that points at it."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, as_of, assuming, command, long_answer
from kathodos.cli.session import Session
from kathodos.errors import CallError


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "show",
        common,
        formatter,
        run,
        "show one record and everything that points at it",
        "  kathodos show p0017\n  kathodos show dues:/northmole/tariffs\n"
        "  kathodos show role:dues/clerk --history --than before-review",
    )
    parser.add_argument("reference", metavar="REF", help="as in identity:p0017, role:dues/clerk or a resource address")
    parser.add_argument("--history", action="store_true", help="how it came to be so: what came and went, by whom, why")
    than = "with --history: how many records there were then and are now, side by side"
    parser.add_argument("--than", metavar="POINT", help=than)
    long_answer(parser)
    as_of(parser)
    assuming(parser)


def run(session: Session) -> int:
    if session.arguments.history:
        if session.arguments.assume is not None:
            raise CallError("What is assumed has no history.", "Leave --assume out, or --history.")
        from kathodos.report.history import history_shown

        reference = session.arguments.reference
        than = session.view_of(session.arguments.than) if session.arguments.than is not None else None
        return session.answer(history_shown(session.view, reference, session.most, session.format, than))
    if session.arguments.than is not None:
        raise CallError("--than sets a history side by side.", "Add --history.")
    from kathodos.report.shows import shown

    return session.answer(shown(session.view, session.arguments.reference, session.format))
