"""`kathodos gather`: reads sources into the catalogue, and lists what was wrong with them."""

from __future__ import annotations

import argparse
import sys
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.errors import DataError, Status

if TYPE_CHECKING:
    from kathodos.connectors.settings import Source
    from kathodos.ingest.gather import Gathered
    from kathodos.ledger.operations import Done


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "gather",
        common,
        formatter,
        run,
        "read sources into the catalogue, and say what came, changed and went",
        "  kathodos gather\n  kathodos gather --dry-run     # every difference, nothing changed\n"
        "  kathodos gather --problems    # rows that were set aside, and why",
    )
    parser.add_argument("source", nargs="?", metavar="SOURCE", help="only this source of kathodos.toml")
    instead = parser.add_mutually_exclusive_group()
    instead.add_argument("--problems", action="store_true", help="list what was wrong at the last gather; read nothing")
    instead.add_argument("--dry-run", action="store_true", help="show every difference; change nothing")
    parser.add_argument(
        "--accept-loss", action="store_true", help="continue although many records of a table disappear at once"
    )
    acting(parser)


def run(session: Session) -> int:
    sources = session.sources(session.arguments.source)
    if session.arguments.problems:
        from kathodos.report.gathers import problem_list

        return session.answer(problem_list(session.view, {source.name for source in sources}))
    return _gather(session, sources)


def _gather(session: Session, sources: list[Source]) -> int:
    """Gathers one source after the other; one that cannot be read is told, and does not keep the others waiting."""
    from kathodos.report.gathers import gather_rehearsed, gathered

    done, failed = [], []
    for source in sources:
        try:
            done.append(_gathered(session, source))
        except DataError as error:
            if len(sources) == 1:
                raise
            failed.append(source.name)
            session.complain(f"{source.name}: {error.what} {error.remedy}")
    if done:
        found, is_new = [it.result for it in done], any(it.entry is not None for it in done)
        is_dry = session.arguments.dry_run
        session.answer(gather_rehearsed(found, session.format == "table") if is_dry else gathered(found, is_new))
    if failed:
        session.complain(f"Not gathered: {', '.join(failed)}. Correct this, then run `kathodos gather NAME` for each.")
    return DataError.status if failed else Status.DONE


def _gathered(session: Session, source: Source) -> Done[Gathered]:
    """Gathers one source; asks at a terminal where much would go."""
    from kathodos.ingest.gather import GuardedError
    from kathodos.ledger.operations import Done
    from kathodos.workspace.gathering import gather_source, rehearse_source

    workspace, asked = session.workspace, session.arguments
    if asked.dry_run:
        return Done(rehearse_source(workspace, source, is_detailed=True)[0], None)
    try:
        return gather_source(
            workspace, source, session.said_actor, session.reason, asked.accept_loss, session.accepts_clock
        )
    except GuardedError as error:
        if not (sys.stdin.isatty() and session.agrees(f"{error.what} Let them go all the same?")):
            raise
        return gather_source(workspace, source, session.said_actor, session.reason, True, session.accepts_clock)
