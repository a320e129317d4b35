"""A PostgreSQL server's log, in any of the forms that it writes: CSV, JSON lines, or text with the usual prefix.

The usual prefix is that of `log_line_prefix = '%m [%p] %q%u@%d '`, as Debian has it. A message of several lines is one.
"""

from __future__ import annotations

import csv
import json
import re
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path

import msgspec

from kathodos.errors import DataError
from kathodos.formats.raw import Problem, shown
from kathodos.model.carried import written_out
from kathodos.model.times import time_text

_PREFIX = re.compile(
    r"(?P<time>\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(?:\.\d+)? [\w+:-]+) \[(?P<process>\d+)\] "
    r"(?:(?P<user>\S+)@(?P<database>\S+) )?(?P<level>[A-Z]+\d?):  (?P<message>.*)",
    re.DOTALL,
)
_TIME, _USER, _DATABASE, _SESSION, _LEVEL, _MESSAGE = 0, 1, 2, 5, 11, 13  # columns of the server's CSV
_LONGEST = 1 << 24  # bytes of a message
_REMEDY = "Let the server write csvlog or jsonlog, or the prefix '%m [%p] %q%u@%d '."


class LogLine(msgspec.Struct, frozen=True):
    """One message of the server, and who was connected to which database. `time` is RFC 3339 in UTC."""

    line: int
    time: str
    user: str
    database: str
    session: str
    level: str
    message: str


def read_log(path: Path, problems: list[Problem]) -> Iterator[LogLine]:
    """The messages of a log; what is none is noted among the problems. Raises DataError where it cannot be read."""
    read = {".csv": _from_csv, ".json": _from_json}.get(path.suffix, _from_text)
    try:
        with path.open(encoding="utf-8", errors="surrogateescape", newline="") as file:
            yield from read(path.name, file, problems)
    except OSError as error:
        raise DataError(f"{path} cannot be read: {error.strerror}.", "Name the server's log.") from None


def _from_csv(name: str, lines: Iterable[str], problems: list[Problem]) -> Iterator[LogLine]:
    csv.field_size_limit(_LONGEST)
    rows = csv.reader(lines)
    while True:
        try:
            row = next(rows, None)
        except csv.Error as error:
            problems.append(Problem(name, rows.line_num, "", "", f"is no CSV ({error})", _REMEDY))
            continue
        if row is None:
            return
        if len(row) <= _MESSAGE:
            problems.append(Problem(name, rows.line_num, "", shown(",".join(row)), "is no line of a log", _REMEDY))
            continue
        fields = [row[at] for at in (_TIME, _USER, _DATABASE, _SESSION, _LEVEL, _MESSAGE)]
        yield from _line(name, rows.line_num, fields, problems)


def _from_json(name: str, lines: Iterable[str], problems: list[Problem]) -> Iterator[LogLine]:
    for number, line in enumerate(lines, 1):
        try:
            found = json.loads(line)
            names = ("timestamp", "user", "dbname", "session_id", "error_severity", "message")
            fields = [str(found.get(key, "")) for key in names]
        except (ValueError, AttributeError, RecursionError):
            problems.append(Problem(name, number, "", shown(line), "is no JSON object", _REMEDY))
            continue
        yield from _line(name, number, fields, problems)


def _from_text(name: str, lines: Iterable[str], problems: list[Problem]) -> Iterator[LogLine]:
    begun: tuple[int, list[str]] | None = None
    for number, line in enumerate(lines, 1):
        text = line.rstrip("\r\n")
        if text.startswith("\t") and begun is not None:
            begun[1].append(text[1:])
            continue
        if begun is not None:
            yield from _text(name, *begun, problems)
        begun = (number, [text]) if text else None
    if begun is not None:
        yield from _text(name, *begun, problems)


def _text(name: str, number: int, parts: list[str], problems: list[Problem]) -> Iterator[LogLine]:
    found = _PREFIX.fullmatch("\n".join(parts))
    if not found:
        problems.append(
            Problem(name, number, "", shown(parts[0]), "is no line of a log with the usual prefix", _REMEDY)
        )
        return
    fields = [found[it] or "" for it in ("time", "user", "database", "process", "level", "message")]
    yield from _line(name, number, fields, problems)


def _line(name: str, number: int, fields: Sequence[str], problems: list[Problem]) -> Iterator[LogLine]:
    """A message from its time, user, database, session, level and text."""
    time, user, database, session, level, message = fields
    moment = _moment(time)
    if moment is None:
        reason = "has a time in a zone that is only a name" if time else "has no time"
        problems.append(Problem(name, number, "", shown(time), reason, "Set log_timezone = 'UTC' on the server."))
        return
    user, database, message = (written_out(it) for it in (user, database, message))
    yield LogLine(number, moment, user, database, session, level, message)


def _moment(text: str) -> str | None:
    """A time as the server writes it; None where it is in a zone that may mean several."""
    day, _, zone = text.rpartition(" ")
    try:
        read = datetime.fromisoformat(day)
        if zone in ("UTC", "GMT", "Etc/UTC"):
            return time_text(read.replace(tzinfo=UTC))
        sign, digits = zone[:1], zone[1:].replace(":", "")
        if sign in ("+", "-") and digits.isdecimal():
            whole = digits.ljust(4, "0") if len(digits) <= 2 else digits
            return time_text(datetime.fromisoformat(f"{day}{sign}{whole[:2]}:{whole[2:4]}"))
    except ValueError:
        pass
    return None
