"""Syslog messages (RFC 5424), a line each: the header's fields and the structured data as columns.

The columns are `time`, `host`, `app`, `process`, `message_id`, `message`, and `ID.NAME` for each parameter of an
element of structured data, as in `access@32473.user`.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from kathodos.errors import UnfitError
from kathodos.formats.raw import Format, Raw, read_lines
from kathodos.model.carried import written_out

_HEADER = re.compile(
    r"<(?P<priority>\d{1,3})>1 (?P<time>\S+) (?P<host>\S{1,255}) (?P<app>\S{1,48}) (?P<process>\S{1,128}) "
    r"(?P<message_id>\S{1,32}) "
)
_ELEMENT = re.compile(r'\[(?P<id>[^ =\]"]{1,32})(?P<parameters>(?: [^ =\]"]{1,32}="(?:[^"\\\]]|\\.)*")*)\]')
_PARAMETER = re.compile(r' (?P<name>[^ =\]"]{1,32})="(?P<value>(?:[^"\\\]]|\\.)*)"')
_ESCAPED = re.compile(r'\\(["\\\]])')
_FIELDS = ("time", "host", "app", "process", "message_id")


def read_syslog(path: Path, form: Format) -> Raw:
    """All messages of a file; lines that are none are set aside."""
    return read_lines(path, [*_FIELDS, "message"], form, _cells)


def _cells(line: bytes) -> dict[str, str]:
    """The fields of one line. Raises UnfitError where it is no message."""
    found = _message(written_out(line.decode("utf-8", "surrogateescape").rstrip("\r\n")))
    if found is None:
        remedy = "Log in the form of RFC 5424: <PRI>1 TIME HOST APP PROCID MSGID [data] text."
        raise UnfitError("is no syslog message, or was cut off", remedy)
    return found


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
