"""`kathodos gather`: reads sources into the catalogue, and lists what was wrong with them."""

from __future__ import annotations

import argparse
from typing import Any

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session, plural
from kathodos.errors import CallError, DataError
from kathodos.output.answers import Answer, Field
from kathodos.workspace import Source

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


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "gather",
        common,
        formatter,
        run,
        "read sources into the catalogue, and say what came, changed and went",
        "  kathodos gather\n  kathodos gather --problems    # rows that were set aside, and why",
    )
    parser.add_argument("source", nargs="?", metavar="SOURCE", help="only this source of kathodos.toml")
    parser.add_argument("--problems", action="store_true", help="list what was wrong at the last gather; read nothing")
    acting(parser)


def run(session: Session) -> int:
    sources = _chosen(session)
    return _problems(session, sources) if session.arguments.problems else _gather(session, sources)


def _chosen(session: Session) -> list[Source]:
    from kathodos.catalogue.selecting import nearest

    sources, name = session.workspace.sources(), session.arguments.source
    if not sources:
        raise DataError("kathodos.toml names no source.", "Add a [[source]]; `kathodos init` shows one.")
    chosen = [source for source in sources if name in (None, source.name)]
    if not chosen:
        raise CallError(f"There is no source {name}.", nearest(name, [source.name for source in sources]))
    return chosen


def _gather(session: Session, sources: list[Source]) -> int:
    from kathodos.systems.gather import gather
    from kathodos.systems.tables import read_folder

    workspace = session.workspace
    rows: list[dict[str, Any]] = []
    is_new, aside, noted = False, 0, 0
    for source in sources:
        folder = read_folder(source.path, workspace.mapping(source))
        done = gather(workspace.store, workspace.keys, source.name, folder, session.actor, session.reason)
        is_new |= done.entry is not None
        aside += sum(problem.outcome == "set aside" for problem in done.problems)
        noted += sum(problem.outcome != "set aside" for problem in done.problems)
        for found in done.differences:
            numbers = {key: getattr(found, key) for key in (field.key for field in _FIELDS[2:])}
            rows.append({"source": source.name, "kind": found.kind.name, **numbers})
    wrong = f"{plural(aside, 'row')} set aside, {plural(noted, 'thing')} noted" if aside or noted else ""
    heading = "Gathered." if is_new else "Nothing has changed since the last gather; nothing was written."
    hint = "Next: `kathodos conflicts`, or `kathodos reach --by NAME`."
    if wrong:
        hint = f"{wrong}: `kathodos gather --problems` lists them."
    return session.answer(Answer(_FIELDS, rows, heading, hint=hint))


def _problems(session: Session, sources: list[Source]) -> int:
    from kathodos.catalogue.kinds import PROBLEMS

    found = session.state([PROBLEMS])["problems"]
    names = {source.name for source in sources}
    rows = [
        {"source": source, **dict(zip(PROBLEMS.names, values, strict=True))}
        for source, values in zip(found["source"], found.values(), strict=True)
        if source in names
    ]
    rows.sort(key=lambda row: (row["outcome"] != "set aside", row["source"], row["file"], row["line"]))
    aside = sum(row["outcome"] == "set aside" for row in rows)
    heading = f"{plural(aside, 'row')} set aside, {plural(len(rows) - aside, 'thing')} noted."
    if not rows:
        heading = "Nothing was wrong at the last gather."
    hint = "Mend the rows in the source and gather again." if rows else ""
    return session.answer(Answer(_PROBLEMS, rows, heading, hint=hint))
