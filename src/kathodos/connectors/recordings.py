"""Recordings: files that are read to see what one task touched, and are not gathered."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import msgspec

from kathodos.connectors.mapping import Mapped, Table, read_raw, table_of
from kathodos.connectors.settings import Source
from kathodos.connectors.tables import mapped_of
from kathodos.errors import DataError
from kathodos.formats.raw import NOTED, Problem
from kathodos.model.kinds import ACTIVITY


class Through(msgspec.Struct, frozen=True):
    """Something that was read only by way of something else, which is what one needs: a view, a definer's function."""

    action: str
    resource: str
    via: str
    count: int


class Recording(msgspec.Struct, frozen=True):
    """What a recording says. `table`: the uses, as activity; `refused`: tries that the system did not allow, likewise.

    `through`: what was touched only by way of something else; `doubtful`: of which it cannot be told whether it was;
    `passed_over`: what is not of the system, in words, with how often.
    """

    table: Table
    problems: Sequence[Problem] = ()
    refused: Table | None = None
    through: Sequence[Through] = ()
    doubtful: Sequence[Through] = ()
    passed_over: Sequence[tuple[str, int]] = msgspec.field(default_factory=tuple)


def read_activity(path: Path, source: Source | None) -> Recording:
    """A recording that is a table of activity, JSON Lines or syslog; mapped as a source's logs are, if one is named.

    Raises DataError where it holds no row.
    """
    mapped = mapped_of(source.settings.block("log")) if source is not None else Mapped()
    if not path.is_file():
        raise DataError(f"{path} is not there.", "Name a file.")
    raw = read_raw(path, mapped.format)
    if not len(raw.lines):
        what = f"{path} holds no use"
        what += f"; {len(raw.problems)} lines of it could not be read." if raw.problems else ": it is empty."
        raise DataError(what, raw.problems[0].remedy if raw.problems else "Record again, or name another file.")
    table, problems = table_of(ACTIVITY, path.name, raw, mapped)
    return Recording(table, [it for it in problems if it.outcome != NOTED])
