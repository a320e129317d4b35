"""`kathodos gather`: reads sources into the catalogue, and lists what was wrong with them."""

from __future__ import annotations

import argparse
import sys
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.errors import DataError
from kathodos.model.printing import printable
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.connectors.settings import Source
    from kathodos.ingest.gather import Gathered
    from kathodos.ledger.operations import Done

_FIELDS = (
    Field("source", "Source", 1),
    Field("kind", "Kind", 9),
    Field("came", "Came", 8, is_number=True),
    Field("changed", "Changed", 8, is_number=True),
    Field("went", "Went", 8, is_number=True),
    Field("same", "Same", 5, is_number=True),
    Field("set_aside", "Set aside", 7, is_number=True),
    Field("came_back", "Came back", 6, is_number=True),
)
_PROBLEMS = (
    Field("source", "Source", 1),
    Field("file", "File", 9, least=18),
    Field("line", "Line", 9, is_number=True, least=4),
    Field("column", "Column", 5),
    Field("value", "Value", 4, least=14),
    Field("outcome", "Outcome", 6, least=5),
    Field("reason", "Reason", 8, least=28),
    Field("remedy", "What to do", 7, least=28),
)
_DETAILS = (
    Field("source", "Source", 1),
    Field("kind", "Kind", 8),
    Field("record", "Record", 9, least=14),
    Field("what", "What", 9, least=7),
    Field("column", "Column", 7, least=8),
    Field("before", "Before", 6, least=10),
    Field("after", "After", 6, least=10),
)
_MOST_SHOWN = 200


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
        "--accept-loss", action="store_true", help="go on although more than the guarded share of a table goes"
    )
    acting(parser)


def run(session: Session) -> int:
    sources = session.sources(session.arguments.source)
    return _problems(session, sources) if session.arguments.problems else _gather(session, sources)


def _gather(session: Session, sources: list[Source]) -> int:
    """Gathers one source after the other; one that cannot be read is told, and does not keep the others waiting."""
    done, failed = [], []
    for source in sources:
        try:
            done.append(_gathered(session, source))
        except DataError as error:
            if len(sources) == 1:
                raise
            failed.append(source.name)
            sys.stderr.write(f"{printable(source.name)}: {printable(error.what)} {printable(error.remedy)}\n")
    if done:
        found = [it.result for it in done]
        is_new = any(it.entry is not None for it in done)
        _details(session, found) if session.arguments.dry_run else _counts(session, found, is_new)
    if failed:
        names = ", ".join(map(printable, failed))
        sys.stderr.write(f"Not gathered: {names}. Mend that, then `kathodos gather NAME` for each.\n")
    return DataError.status if failed else 0


def _counts(session: Session, done: list[Gathered], is_new: bool) -> None:
    """What the sources brought, kind by kind."""
    rows: list[dict[str, Any]] = []
    for one in done:
        for found in one.differences:
            numbers = {key: getattr(found, key) for key in (field.key for field in _FIELDS[2:])}
            rows.append({"source": one.source, "kind": found.kind.name, **numbers})
    aside = sum(found.set_aside for one in done for found in one.differences)
    noted = sum(problem.outcome != "set aside" for one in done for problem in one.problems)
    back = sum(found.came_back for one in done for found in one.differences)
    wrong = f"{plural(aside, 'row')} set aside, {plural(noted, 'thing')} noted" if aside or noted else ""
    heading = "Gathered." if is_new else "Nothing has changed since the last gather; nothing was written."
    hint = "Next: `kathodos conflicts`, or `kathodos reach --by NAME`."
    if wrong:
        hint = f"{wrong}: `kathodos gather --problems` lists them."
    if back:
        hint = f"{plural(back, 'record')} came back that had been taken away: `kathodos returned` lists them. {hint}"
    session.answer(Answer(_FIELDS, rows, heading, hint=hint))


def _gathered(session: Session, source: Source) -> Done[Gathered]:
    """Gathers one source; asks at a terminal where much would go."""
    from kathodos.ingest.gather import GuardedError
    from kathodos.ledger.operations import Done
    from kathodos.workspace.gathering import gather_source, rehearse_source

    workspace, asked = session.workspace, session.arguments
    if asked.dry_run:
        return Done(rehearse_source(workspace, source, is_detailed=True)[0], None)
    try:
        return gather_source(workspace, source, session.actor, session.reason, asked.accept_loss)
    except GuardedError as error:
        if not (sys.stdin.isatty() and session.agrees(f"{error.what} Let them go all the same?")):
            raise
        return gather_source(workspace, source, session.actor, session.reason, may_lose=True)


def _details(session: Session, done: list[Gathered]) -> None:
    """Every difference that a gather would make."""
    rows = [
        {
            "source": one.source,
            "kind": it.kind.name,
            "record": " ".join("" if part is None else str(part) for part in it.record),
            "what": it.what,
            "column": it.column,
            "before": it.before,
            "after": it.after,
        }
        for one in done
        for it in one.details
    ]
    counts = [sum(getattr(found, name) for one in done for found in one.differences) for name in ("came", "changed")]
    went = sum(found.went for one in done for found in one.differences)
    heading = f"{counts[0]} would come, {counts[1]} would change, {went} would go. Nothing was changed."
    shown = rows if session.format != "table" else rows[:_MOST_SHOWN]
    hint = f"{len(rows) - len(shown)} more lines: --format csv shows all." if len(shown) < len(rows) else ""
    hint = hint or ("As you want it? `kathodos gather`." if rows else "")
    session.answer(Answer(_DETAILS, shown, heading, hint=hint))


def _problems(session: Session, sources: list[Source]) -> int:
    from kathodos.model.kinds import PROBLEMS
    from kathodos.store.records import rows_of

    stored = session.view.stored
    names = {source.name for source in sources}
    found = zip(stored.sources(PROBLEMS).listed(), rows_of(stored, PROBLEMS, *PROBLEMS.names).values(), strict=True)
    rows = [
        {"source": source, **dict(zip(PROBLEMS.names, values, strict=True))}
        for source, values in found
        if source in names
    ]
    rows.sort(key=lambda row: (row["outcome"] != "set aside", row["source"], row["file"], row["line"]))
    aside = [row for row in rows if row["outcome"] == "set aside"]
    lines = len({(row["source"], row["file"], row["line"]) for row in aside})  # one may be wrong in several cells
    heading = f"{plural(lines, 'row')} set aside, {plural(len(rows) - len(aside), 'thing')} noted."
    if not rows:
        heading = "Nothing was wrong at the last gather."
    hint = "Mend the rows in the source and gather again." if rows else ""
    return session.answer(Answer(_PROBLEMS, rows, heading, hint=hint))
