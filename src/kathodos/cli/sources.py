"""`kathodos sources`: the configured sources, whether each can be read, and how a new file may be mapped."""

from __future__ import annotations

import argparse
import itertools
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session, plural
from kathodos.errors import CallError, DataError, KathodosError
from kathodos.output.answers import Answer, Field
from kathodos.output.text import printable

if TYPE_CHECKING:
    from kathodos.systems.settings import Source

_LIST = (
    Field("source", "Source", 1),
    Field("kind", "Kind", 2),
    Field("place", "Where", 3),
    Field("gathered", "Last new", 4),
    Field("entry", "Entry", 5, is_number=True),
)
_CHECK = (
    Field("source", "Source", 1),
    Field("kind", "Records", 2),
    Field("read", "Read", 3, is_number=True),
    Field("set_aside", "Set aside", 4, is_number=True),
    Field("seconds", "Seconds", 6, is_number=True),
    Field("waiting", "Waiting", 5),
    Field("wrong", "What is wrong", 3, least=20),
)


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "sources",
        common,
        formatter,
        run,
        "list and check the sources; see how a file would be read",
        "  kathodos sources list\n  kathodos sources check\n  kathodos sources sample harbour\n"
        "  kathodos sources propose exports/staff.csv     # a mapping for kathodos.toml, to be corrected",
    )
    parser.add_argument("verb", metavar="list|check|sample|propose", choices=("list", "check", "sample", "propose"))
    parser.add_argument("name", nargs="?", metavar="NAME", help="a source; for `propose` a file")
    parser.add_argument("--kind", metavar="KIND", help="`propose`: what the file holds; `sample`: only this")
    parser.add_argument("--lines", metavar="N", type=int, default=5, help="with `sample`: so many records of each kind")


def run(session: Session) -> int:
    verb = session.arguments.verb
    if verb == "propose":
        return _propose(session)
    sources = session.sources(session.arguments.name)
    return {"list": _list, "check": _check, "sample": _sample}[verb](session, sources)


def _list(session: Session, sources: list[Source]) -> int:
    from kathodos.catalogue.store import LEDGER
    from kathodos.ledger.entries import read_entries
    from kathodos.systems.sources import reader_of

    with session.workspace.store.connect() as connection:
        entries = read_entries(connection, LEDGER.c.kind == "gather")
    last = {entry.payload["source"]: entry for entry in entries}
    rows = []
    for source in sources:
        entry = last.get(source.name)
        told = {"gathered": entry.time if entry else None, "entry": entry.number if entry else None}
        rows.append({"source": source.name, "kind": source.kind, "place": reader_of(source).place(source), **told})
    return session.answer(Answer(_LIST, rows, hint="Next: `kathodos sources check`, then `kathodos gather --dry-run`."))


def _check(session: Session, sources: list[Source]) -> int:
    """Reads every source as a gather would, and changes nothing."""
    from kathodos.systems.gather import rehearse
    from kathodos.systems.sources import reader_of

    rows: list[dict[str, Any]] = []
    for source in sources:
        began = time.monotonic()
        try:
            reading = reader_of(source).read(source, "")
            found = rehearse(
                session.workspace.store, session.workspace.keys, source.name, reading, session.workspace.terms(source)
            )
        except DataError as error:
            rows.append({"source": source.name, "kind": None, "wrong": f"{error.what} {error.remedy}"})
            continue
        took = time.monotonic() - began
        waiting = f"{reading.waited / max(took, 1e-9):.0%}" if reading.waited else None
        for at, it in enumerate(found.differences):
            counts = {"read": it.came + it.changed + it.same, "set_aside": it.set_aside}
            times = {"seconds": round(took, 2), "waiting": waiting} if at == 0 else {}
            rows.append({"source": source.name, "kind": it.kind.name, **counts, **times})
    wrong = len({row["source"] for row in rows if row.get("wrong")})
    heading = (
        f"{plural(wrong, 'source')} cannot be read."
        if wrong
        else f"All of {plural(len(sources), 'source')} can be read."
    )
    session.answer(Answer(_CHECK, rows, heading, hint="" if wrong else "Next: `kathodos gather --dry-run`."))
    return KathodosError.status if wrong else 0


def _sample(session: Session, sources: list[Source]) -> int:
    """The first records of each table as they would come, before references are resolved."""
    from kathodos.systems.sources import reader_of

    asked = session.arguments
    rows: list[dict[str, Any]] = []
    for source in sources:
        for table in reader_of(source).read(source, "").tables:
            if asked.kind in (None, table.kind.name):
                for row in range(min(asked.lines, len(table))):
                    cells = {name: column.at(row) for name, column in table.columns.items()}
                    line = {"file": table.file_of(row), "line": int(table.lines[row])}
                    said = "; ".join(f"{name} {cell}" for name, cell in cells.items() if cell is not None)
                    rows.append({"source": source.name, "kind": table.kind.name, **line, "cells": cells, "said": said})
    fields = [Field("kind", "Kind", 1), Field("file", "File", 3), Field("line", "Line", 4, is_number=True)]
    shown = [*fields, Field("said", "Cells", 2, least=30)]
    document = {"records": [{key: value for key, value in row.items() if key != "said"} for row in rows]}
    if session.format == "json":
        return session.answer(Answer((), [], document=document))
    heading = f"{plural(len(rows), 'record')} as they would be read."
    return session.answer(
        Answer(shown, rows, heading, hint="Other headers or values? `kathodos sources propose FILE`.")
    )


def _propose(session: Session) -> int:
    from kathodos.catalogue.kinds import GATHERED
    from kathodos.catalogue.selecting import nearest
    from kathodos.systems.proposing import propose

    asked = session.arguments
    if not asked.name:
        raise CallError("Name the file to look at.", "As in `kathodos sources propose exports/staff.csv`.")
    path = Path(asked.name)
    if not path.is_file():
        raise CallError(f"{path} is no file.", "Name a CSV, XLSX, JSON Lines or Parquet file.")
    kinds = {kind.name: kind for kind in GATHERED}
    if asked.kind not in (None, *kinds):
        raise CallError(f"There is no kind {asked.kind}.", nearest(asked.kind, list(kinds)))
    found = propose(path, kinds.get(asked.kind))
    if session.format == "json":
        document = {"kind": found.kind.name, "mapping": found.text, "open": found.open_questions}
        return session.answer(Answer((), [], document=document))
    head = [f"# {path.name} looks like {found.kind.name}. Correct this, and put it below the source in kathodos.toml."]
    lines = itertools.chain(head, [f"# ? {question}" for question in found.open_questions], [found.text])
    sys.stdout.writelines(f"{printable(line)}\n" for text in lines for line in text.splitlines())
    return 0
