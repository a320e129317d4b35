"""Logs of the system calls of processes, a line each, as a tracer of calls writes them on Linux.

A line is `NAME(ARGUMENTS) = RESULT`, before it the number of the process and a time where these were asked for. A call
that was interrupted by another process's line is put together again. Strings are escaped as in C.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from pathlib import Path

import msgspec

from kathodos.errors import DataError
from kathodos.formats.raw import Problem, shown

_LINE = re.compile(
    rb"(?:\[pid\s+(?P<bracketed>\d+)\]\s+|(?P<pid>\d+)\s+(?=[\d<a-z_+-]))?"
    rb"(?:(?P<time>\d{9,}\.\d+|\d\d:\d\d:\d\d(?:\.\d+)?)\s+)?(?P<rest>.*)",
    re.DOTALL,
)
_RESUMED = re.compile(rb"<\.\.\. (?P<name>\w+) resumed>(?P<rest>.*)", re.DOTALL)
_CALL = re.compile(rb"(?P<name>\w+)\((?P<rest>.*)", re.DOTALL)
_RESULT = re.compile(rb"\)\s+= (?P<result>-?\w+|\?)(?P<after>.*)", re.DOTALL)
_UNFINISHED = b"<unfinished ...>"
_ESCAPE = re.compile(rb"\\(?:x(?P<hex>[0-9a-fA-F]{1,2})|(?P<octal>[0-7]{1,3})|(?P<mark>.))", re.DOTALL)
_MARKS = {b"n": b"\n", b"t": b"\t", b"r": b"\r", b"v": b"\v", b"f": b"\f", b"a": b"\a", b"b": b"\b"}
_OPENING, _CLOSING = b"([{", b")]}"


class Call(msgspec.Struct, frozen=True):
    """One call that has ended. `time`: as it is written, empty where it is not; `error`: as in `EACCES`, or empty.

    `result`: the number that came back, and in `<...>` behind it what a descriptor stands for, where the log says it.
    """

    line: int
    process: int
    time: str
    name: str
    arguments: Sequence[bytes]
    result: bytes
    error: str

    def text(self, at: int) -> str | None:
        """The string that an argument is, bytes that are no text carried along; None where it is none."""
        return string_in(self.arguments[at]) if at < len(self.arguments) else None


def read_calls(path: Path, problems: list[Problem]) -> Iterator[Call]:
    """The calls of a log, in the order in which they ended; lines that are none are noted among the problems.

    Raises DataError where the file cannot be read.
    """
    begun: dict[tuple[int, bytes], tuple[bytes, str]] = {}
    try:
        with path.open("rb") as file:
            for number, line in enumerate(file, 1):
                found = _LINE.match(line.rstrip(b"\r\n"))
                assert found is not None
                process = int(found["bracketed"] or found["pid"] or 0)
                time, rest = (found["time"] or b"").decode(), found["rest"]
                if not rest.strip() or rest.startswith((b"+++", b"---", b"strace:")):
                    continue
                resumed = _RESUMED.match(rest)
                if resumed:
                    before, began = begun.pop((process, resumed["name"]), (resumed["name"] + b"(", time))
                    rest, time = before + resumed["rest"], began
                elif rest.rstrip().endswith(_UNFINISHED):
                    call = _CALL.match(rest)
                    if call:
                        begun[process, call["name"]] = (rest.rstrip().removesuffix(_UNFINISHED).rstrip(), time)
                        continue
                made = _call(number, process, time, rest)
                if made is not None:
                    yield made
                else:
                    reason, remedy = (
                        "is no system call, or was cut off",
                        "Record again: strace -f -y -ttt -o FILE COMMAND",
                    )
                    problems.append(
                        Problem(path.name, number, "", shown(line.decode("utf-8", "replace")), reason, remedy)
                    )
    except OSError as error:
        raise DataError(f"{path} cannot be read: {error.strerror}.", "Name a file that was recorded.") from None


def _call(line: int, process: int, time: str, text: bytes) -> Call | None:
    found = _CALL.fullmatch(text)
    if not found:
        return None
    arguments, end = _arguments(found["rest"])
    result = _RESULT.fullmatch(found["rest"][end:]) if end >= 0 else None
    if result is None:
        return None
    after = result["after"].strip()
    error = after.split(b" ", 1)[0].decode("ascii", "replace") if result["result"] in (b"-1", b"?") else ""
    whole = result["result"] + (after if after.startswith(b"<") else b"")
    return Call(line, process, time, found["name"].decode(), arguments, whole, error)


def _arguments(text: bytes) -> tuple[list[bytes], int]:
    """The arguments of a call, apart at commas that stand in no string or bracket, and where they end; -1: nowhere."""
    found: list[bytes] = []
    begin = depth = at = 0
    size = len(text)
    while at < size:
        mark = text[at : at + 1]
        if mark == b'"':
            at = _end_of_string(text, at)
            continue
        if mark == b"<" and depth == 0 and not text.startswith(b"<<", at):
            close = text.find(b">", at)
            if close > 0:
                at = close + 1
                continue
        if mark in _OPENING:
            depth += 1
        elif mark in _CLOSING and depth:
            depth -= 1
        elif mark == b")":
            return [*found, text[begin:at].strip()] if at > begin or found else [], at
        elif mark == b"," and not depth:
            found.append(text[begin:at].strip())
            begin = at + 1
        at += 1
    return found, -1


def _end_of_string(text: bytes, at: int) -> int:
    """Where a string that begins at a quote ends."""
    at += 1
    while at < len(text) and text[at : at + 1] != b'"':
        at += 2 if text[at : at + 1] == b"\\" else 1
    return at + 1


def string_in(argument: bytes) -> str | None:
    """The text of a string; None where an argument is none, or was cut short."""
    if not argument.startswith(b'"') or not argument.endswith(b'"') or len(argument) < 2:
        return None
    return unescaped(argument[1:-1])


def unescaped(raw: bytes) -> str:
    """What a text with escapes as in C says; bytes that are no UTF-8 are carried along."""

    def meant(found: re.Match[bytes]) -> bytes:
        if found["hex"]:
            return bytes([int(found["hex"], 16)])
        if found["octal"]:
            return bytes([int(found["octal"], 8) & 255])
        return _MARKS.get(found["mark"], found["mark"])

    return _ESCAPE.sub(meant, raw).decode("utf-8", "surrogateescape")


def named_in(argument: bytes) -> str | None:
    """The path that a descriptor stands for, as in `3</srv/share>`; None where the log does not say."""
    number, opened, rest = argument.partition(b"<")
    return unescaped(rest[:-1]) if opened and rest.endswith(b">") and rest.startswith(b"/") and number else None
