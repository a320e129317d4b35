"""Sources of the kind `activity`: access logs as tables, JSON Lines or syslog, one file or many."""

from __future__ import annotations

import hashlib
from pathlib import Path

from kathodos.connectors.mapping import Reading, Table, digest_of, joined, read_raw, table_of
from kathodos.connectors.settings import Source
from kathodos.connectors.tables import mapped_of
from kathodos.errors import DataError
from kathodos.formats.raw import Problem
from kathodos.model.kinds import ACTIVITY


def place(source: Source) -> str:
    """The files' path or pattern."""
    return source.settings.text("path")


def glance(source: Source, mark: str) -> str:
    """The digest over the files."""
    return _digest(_files(source))


def read(source: Source, mark: str) -> Reading:
    """All events of all files."""
    block = source.settings
    block.only("path", "guard", "log")
    mapped = mapped_of(block.block("log"))
    tables: list[Table] = []
    problems: list[Problem] = []
    files = _files(source)
    for path in files:
        raw = read_raw(path, mapped.format)
        if len(raw.lines):
            table, wrong = table_of(ACTIVITY, path.name, raw, mapped)
            tables.append(table)
            problems += [problem for problem in wrong if not problem.reason.startswith("unknown column")]
        else:
            problems += raw.problems
    return Reading([joined(tables)] if tables else [], problems, _digest(files))


def _files(source: Source) -> list[Path]:
    """The files that the path names; `*` stands for any characters in a name."""
    path = source.settings.path("path")
    found = sorted(path.parent.glob(path.name)) if "*" in path.name else [path]
    there = [file for file in found if file.is_file()]
    if not there:
        raise DataError(f"{path} is not there.", "Put the log there, or correct the source's path in kathodos.toml.")
    return there


def _digest(files: list[Path]) -> str:
    return hashlib.sha256(" ".join(digest_of(path) for path in files).encode()).hexdigest()
