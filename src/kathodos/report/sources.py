"""Sources in words: their list, how they would be read, and how a file may be mapped."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import msgspec

from kathodos.connectors.mapping import Table
from kathodos.connectors.settings import Source
from kathodos.connectors.sources import reader_of
from kathodos.ingest.gather import Gathered
from kathodos.ingest.merging import gathers
from kathodos.ingest.proposing.sources import Proposal, ProposedSource
from kathodos.ingest.proposing.writing import as_text
from kathodos.ledger.entries import Entry
from kathodos.model.kinds import Kind
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.gathers import problem_lines, what_was_wrong
from kathodos.store.base import Reader

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
_MOST_PROBLEMS = 10
_SURE = 60  # per cent, below which a column is a guess
_SAMPLE = (
    Field("kind", "Kind", 8, least=10),
    Field("file", "File", 6, least=12),
    Field("line", "Line", 7, is_number=True),
    Field("text", "Cells", 9, least=24),
)


class Tried(msgspec.Struct, frozen=True):
    """A source read as a gather would: what came of it, in how many seconds, so many of them waiting for a server."""

    source: str
    found: Gathered
    seconds: float
    waited: float


def source_list(sources: Iterable[Source], reader: Reader) -> Answer:
    """The sources, and the entry of the gather that last brought something new of each."""
    last: dict[str, Entry] = {}
    for entry, payload in gathers(reader):
        last.setdefault(payload.source, entry)
    rows = []
    for source in sources:
        known = last.get(source.name)
        last_gather = {"gathered": known.time if known else None, "entry": known.number if known else None}
        rows.append(
            {"source": source.name, "kind": source.kind, "place": reader_of(source).place(source), **last_gather}
        )
    return Answer(_LIST, rows, hint="Next: `kathodos sources check`, then `kathodos gather --dry-run`.")


def sources_checked(tried: Sequence[Tried], total: int, is_whole: bool) -> Answer:
    """What those of so many sources that can be read would bring."""
    rows: list[dict[str, Any]] = []
    for one in tried:
        waiting = f"{one.waited / max(one.seconds, 1e-9):.0%}" if one.waited else None
        for at, it in enumerate(one.found.differences):
            counts = {"read": it.came + it.changed + it.same, "set_aside": it.set_aside}
            times = {"seconds": round(one.seconds, 2), "waiting": waiting} if at == 0 else {}
            rows.append({"source": one.source, "kind": it.kind.name, **counts, **times})
    heading = f"{len(tried)} of {plural(total, 'source')} can be read."
    problems = [it for one in tried for it in one.found.problems]
    wrong = what_was_wrong(sum(it.set_aside for one in tried for it in one.found.differences), problems)
    text, more = problem_lines(problems, len(problems) if is_whole else _MOST_PROBLEMS)
    text = [f"{wrong}:", *text] if wrong else ["Nothing is wrong with what they hold."] if tried else []
    text += [f"and {more} more: kathodos sources check --all"] if more else []
    hint = "Next: correct what is named above." if len(tried) < total else "Next: `kathodos gather --dry-run`."
    return Answer(_CHECK, rows, heading, text, hint=hint)


def source_sample(tables: Iterable[tuple[Source, Table]], kind: Kind | None, lines: int, is_json: bool) -> Answer:
    """The first records of each table as they would come, before references are resolved."""
    rows: list[dict[str, Any]] = []
    for source, table in tables:
        for row in range(min(lines, len(table)) if kind in (None, table.kind) else 0):
            cells = {name: column.value(row) for name, column in table.columns.items()}
            line = {"file": table.file_of(row), "line": int(table.lines[row])}
            text = "; ".join(f"{name} {cell}" for name, cell in cells.items() if cell is not None)
            rows.append({"source": source.name, "kind": table.kind.name, **line, "cells": cells, "text": text})
    document = {"records": [{key: value for key, value in row.items() if key != "text"} for row in rows]}
    if is_json:
        return Answer((), [], document=document)
    heading = f"{plural(len(rows), 'record')} as they would be read."
    return Answer(_SAMPLE, rows, heading, hint="Other headers or values? `kathodos sources propose FILE`.")


def mapping_proposed(found: Proposal, is_csv: bool) -> Answer:
    """Sources to be corrected, with what could not be told."""
    text = as_text(found)
    columns = [
        {"source": source.name, "kind": block.kind.name, "file": block.settings.get("file"), "header": header}
        | {"column": match.target, "sure": match.sure}
        for source in found.sources
        for block in source.blocks
        for header, match in block.columns.items()
    ]
    document = {"mapping": text, "columns": columns, "open": found.questions}
    head = "# Correct this, and put it into kathodos.toml; with --write it is added there, and what you wrote stays."
    lines = [head, *text.splitlines()]
    fields = [Field(key, key) for key in ("source", "kind", "file", "header", "column", "sure")]
    return Answer(fields if is_csv else (), columns if is_csv else [], text=lines, document=document, is_verbatim=True)


def mapping_written(found: Proposal) -> Answer:
    """What was added to the configuration, and what is to be looked at."""
    tables = [f"{source.name}: {', '.join(_told(source))}" for source in found.sources]
    text = [*tables, *(f"? {question}" for question in found.questions)]
    unsure = sum(
        match.sure < _SURE for source in found.sources for block in source.blocks for match in block.columns.values()
    )
    doubts = plural(unsure, "column is", "columns are")
    heading = f"Wrote {plural(len(found.sources), 'source')} into kathodos.toml; {doubts} a guess." if unsure else ""
    heading = heading or f"Wrote {plural(len(found.sources), 'source')} into kathodos.toml."
    return Answer(heading=heading, text=text, hint="Look at kathodos.toml, then: kathodos sources check")


def _told(source: ProposedSource) -> list[str]:
    if not source.blocks:
        return [f"a directory's export {source.settings['path']}"]
    return [
        f"{block.kind.name} from {block.settings.get('file', source.settings['path'])}"
        + (f" ({block.settings['sheet']})" if "sheet" in block.settings else "")
        for block in source.blocks
        if not block.is_derived
    ]
