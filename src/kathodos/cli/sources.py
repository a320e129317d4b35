"""`kathodos sources`: the configured sources, whether each can be read, and how a new file may be mapped."""

from __future__ import annotations

import argparse
import itertools
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session
from kathodos.errors import CallError, DataError, KathodosError
from kathodos.model.printing import printable
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

if TYPE_CHECKING:
    from kathodos.model.kinds import Kind

_LIST = (
    Field("source", "Source", 9, least=10),
    Field("kind", "Kind", 8, least=8),
    Field("place", "Where", 7, least=16),
    Field("gathered", "Last new", 6, least=20),
    Field("entry", "Entry", 5, is_number=True),
)
_CHECK = (
    Field("source", "Source", 9, least=10),
    Field("kind", "Records", 8, least=16),
    Field("read", "Read", 8, is_number=True),
    Field("set_aside", "Set aside", 7, is_number=True),
    Field("seconds", "Seconds", 4, is_number=True),
    Field("waiting", "Waiting", 4),
)
_SAMPLE = (
    Field("kind", "Kind", 8, least=10),
    Field("file", "File", 6, least=12),
    Field("line", "Line", 7, is_number=True),
    Field("said", "Cells", 9, least=24),
)


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "sources",
        help="list and check the sources; see how a file would be read",
        description="The sources of kathodos.toml: list, check and sample them; propose how a new file is mapped.",
        epilog="example:\n  kathodos sources list        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)
    for name, run, what, example in (
        ("list", _list, "list the sources, and when each last brought something new", "kathodos sources list"),
        ("check", _check, "read every source as a gather would; change nothing", "kathodos sources check harbour"),
        ("sample", _sample, "show the first records as they would be read", "kathodos sources sample --kind grants"),
    ):
        step = command(steps, name, common, formatter, run, what, f"  {example}")
        step.add_argument("name", nargs="?", metavar="SOURCE", help="only this source")
        if name == "sample":
            step.add_argument("--kind", metavar="KIND", help="only this kind of record")
            step.add_argument("--lines", metavar="N", type=_positive, default=5, help="so many of each kind (5)")
    proposing = command(
        steps,
        "propose",
        common,
        formatter,
        _propose,
        "look at a file and propose its mapping, to be corrected",
        "  kathodos sources propose exports/staff.csv\n  kathodos sources propose rights.xlsx --kind grants",
    )
    proposing.add_argument("file", type=Path, metavar="FILE", help="CSV, XLSX, JSON Lines, Parquet or syslog")
    proposing.add_argument("--kind", metavar="KIND", help="what it holds, if that is known")


def _positive(text: str) -> int:
    if not text.isdecimal() or not int(text):
        raise argparse.ArgumentTypeError(f"{text} is no number of lines")
    return int(text)


def _kind(session: Session) -> Kind | None:
    """The kind of record that `--kind` names. Raises CallError with the nearest."""
    from kathodos.model.kinds import GATHERED
    from kathodos.model.suggestions import nearest

    named, kinds = session.arguments.kind, {kind.name: kind for kind in GATHERED}
    if named not in (None, *kinds):
        raise CallError(f"There is no kind of record {named}.", nearest(named, list(kinds)))
    return kinds.get(named)


def _list(session: Session) -> int:
    from kathodos.connectors.sources import reader_of
    from kathodos.ledger.entries import read_entries
    from kathodos.ledger.payloads import Act

    with session.workspace.store.reading() as reader:
        last = {it.payload["source"]: it for it in read_entries(reader) if it.kind == Act.GATHER}
    rows = []
    for source in session.sources(session.arguments.name):
        entry = last.get(source.name)
        told = {"gathered": entry.time if entry else None, "entry": entry.number if entry else None}
        rows.append({"source": source.name, "kind": source.kind, "place": reader_of(source).place(source), **told})
    return session.answer(Answer(_LIST, rows, hint="Next: `kathodos sources check`, then `kathodos gather --dry-run`."))


def _check(session: Session) -> int:
    """Reads every source as a gather would, and changes nothing."""
    from kathodos.workspace.gathering import rehearse_source

    rows: list[dict[str, Any]] = []
    sources = session.sources(session.arguments.name)
    wrong = 0
    for source in sources:
        began = time.monotonic()
        try:
            found, waited = rehearse_source(session.workspace, source)
        except DataError as error:
            wrong += 1
            sys.stderr.write(f"{printable(source.name)}: {printable(error.what)} {printable(error.remedy)}\n")
            continue
        took = time.monotonic() - began
        waiting = f"{waited / max(took, 1e-9):.0%}" if waited else None
        for at, it in enumerate(found.differences):
            counts = {"read": it.came + it.changed + it.same, "set_aside": it.set_aside}
            times = {"seconds": round(took, 2), "waiting": waiting} if at == 0 else {}
            rows.append({"source": source.name, "kind": it.kind.name, **counts, **times})
    heading = f"{len(sources) - wrong} of {plural(len(sources), 'source')} can be read."
    hint = "Next: mend what stderr names." if wrong else "Next: `kathodos gather --dry-run`."
    session.answer(Answer(_CHECK, rows, heading, hint=hint))
    return KathodosError.status if wrong else 0


def _sample(session: Session) -> int:
    """The first records of each table as they would come, before references are resolved."""
    from kathodos.connectors.sources import reader_of

    kind = _kind(session)
    rows: list[dict[str, Any]] = []
    for source in session.sources(session.arguments.name):
        for table in reader_of(source).read(source, "").tables:
            if kind in (None, table.kind):
                for row in range(min(session.arguments.lines, len(table))):
                    cells = {name: column.value(row) for name, column in table.columns.items()}
                    line = {"file": table.file_of(row), "line": int(table.lines[row])}
                    said = "; ".join(f"{name} {cell}" for name, cell in cells.items() if cell is not None)
                    rows.append({"source": source.name, "kind": table.kind.name, **line, "cells": cells, "said": said})
    document = {"records": [{key: value for key, value in row.items() if key != "said"} for row in rows]}
    if session.format == "json":
        return session.answer(Answer((), [], document=document))
    heading = f"{plural(len(rows), 'record')} as they would be read."
    hint = "Other headers or values? `kathodos sources propose FILE`."
    return session.answer(Answer(_SAMPLE, rows, heading, hint=hint))


def _propose(session: Session) -> int:
    from kathodos.ingest.proposing import propose

    path: Path = session.arguments.file
    if not path.is_file():
        raise CallError(f"{path} is no file.", "Name a CSV, XLSX, JSON Lines, Parquet or syslog file.")
    found = propose(path, _kind(session))
    if session.format == "json":
        document = {"kind": found.kind.name, "mapping": found.text, "open": found.open_questions}
        return session.answer(Answer((), [], document=document))
    head = [f"# {path.name} looks like {found.kind.name}. Correct this, and put it below the source in kathodos.toml."]
    lines = itertools.chain(head, [f"# ? {question}" for question in found.open_questions], [found.text])
    sys.stdout.writelines(f"{printable(line)}\n" for text in lines for line in text.splitlines())
    return 0
