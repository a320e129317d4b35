"""Syslog messages (RFC 5424), a line each: the header's fields and the structured data as columns.

The columns are `time`, `host`, `app`, `process`, `message_id`, `message`, and `ID.NAME` for each parameter of an
element of structured data, as in `access@32473.user`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from kathodos.systems.raw import Format, Growing, Raw, lines_of

_HEADER = re.compile(
    r"<(?P<priority>\d{1,3})>1 (?P<time>\S+) (?P<host>\S{1,255}) (?P<app>\S{1,48}) (?P<process>\S{1,128}) "
    r"(?P<message_id>\S{1,32}) "
)
_ELEMENT = re.compile(r'\[(?P<id>[^ =\]"]{1,32})(?P<parameters>(?: [^ =\]"]{1,32}="(?:[^"\\\]]|\\.)*")*)\]')
_PARAMETER = re.compile(r' (?P<name>[^ =\]"]{1,32})="(?P<value>(?:[^"\\\]]|\\.)*)"')
_ESCAPED = re.compile(r'\\(["\\\]])')
_FIELDS = ("time", "host", "app", "process", "message_id")
_BLOCK = 20_000


def read_syslog(path: Path, form: Format) -> Raw:
    """All messages of a file; lines that are none are set aside."""
    growing = Growing(path.name, [*_FIELDS, "message"])
    columns = {name: at for at, name in enumerate(growing.header)}
    rows: list[dict[str, str]] = []
    numbers: list[int] = []
    for number, line in lines_of(path, growing):
        text = line.decode("utf-8", "replace").rstrip("\r\n").replace("\0", "\ufffd")
        if text.strip():
            found = _message(text)
            if found is None:
                remedy = "Log in the form of RFC 5424: <PRI>1 TIME HOST APP PROCID MSGID [data] text."
                growing.set_aside(number, text, "is no syslog message, or was cut off", remedy)
            else:
                rows.append(found)
                numbers.append(number)
        if len(rows) == _BLOCK:
            _add(growing, columns, rows, numbers)
            rows, numbers = [], []
    _add(growing, columns, rows, numbers)
    return growing.raw()


def _add(growing: Growing, columns: dict[str, int], rows: list[dict[str, str]], numbers: list[int]) -> None:
    for name in dict.fromkeys(name for row in rows for name in row):
        if name not in columns:
            columns[name] = len(growing.header)
            growing.header.append(name)
    growing.add(([row.get(name) for row in rows] for name in columns), np.array(numbers, dtype=np.int64))


def _message(text: str) -> dict[str, str] | None:
    """The fields of one message; `-` stands for none."""
    header = _HEADER.match(text)
    if not header:
        return None
    found = {name: header[name] for name in _FIELDS if header[name] != "-"}
    at = header.end()
    if text[at : at + 1] == "[":
        while element := _ELEMENT.match(text, at):
            found |= dict(_parameters(element))
            at = element.end()
    elif text[at : at + 1] == "-":
        at += 1
    else:
        return None
    if text[at : at + 1] not in ("", " "):
        return None
    message = text[at + 1 :].removeprefix("\ufeff").strip()
    return {**found, "message": message} if message else found


def _parameters(element: re.Match[str]) -> Iterator[tuple[str, str]]:
    for parameter in _PARAMETER.finditer(element["parameters"]):
        yield f"{element['id']}.{parameter['name']}", _ESCAPED.sub(r"\1", parameter["value"])
