"""Entries of a directory, and the LDIF files that hold them (RFC 2849)."""

from __future__ import annotations

import base64
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from kathodos.connectors.mapping import unreadable
from kathodos.errors import DataError
from kathodos.formats.raw import Problem, shown
from kathodos.model.carried import carried

Attributes = Mapping[str, Sequence[str]]
MOST_BYTES = 16 << 20  # of one attribute


class Entry(msgspec.Struct, frozen=True):
    """One entry: its name, its attributes by lower-case name, and the line it begins at (0: from a server)."""

    name: str
    attributes: Attributes
    line: int = 0

    def first(self, names: str) -> str | None:
        """The first value of the first of some attributes that the entry has."""
        for name in names.lower().split():
            for value in self.attributes.get(name, ()):
                if value.strip():
                    return value
        return None

    @property
    def classes(self) -> set[str]:
        return {name.lower() for name in self.attributes.get("objectclass", ())}


def read_ldif(path: Path, problems: list[Problem]) -> Iterator[Entry]:
    """The entries of an LDIF content file. What is no entry is set aside with its line."""
    try:
        with path.open("rb") as file:
            for line, record in _records(file, path.name):
                entry = _entry(path, line, record, problems)
                if entry is not None:
                    yield entry
    except OSError as error:
        raise unreadable(path, error) from error


def _records(file: Any, name: str) -> Iterator[tuple[int, list[bytes]]]:
    """The records of a file, each with the line it begins at; folded lines joined, comments left out."""
    record: list[bytes] = []
    begin, is_comment = 0, False
    for number, raw in enumerate(file, 1):
        line = raw.rstrip(b"\r\n")
        if line.startswith(b" ") and (record or is_comment):
            if not is_comment:
                record[-1] += line[1:]
                if len(record[-1]) > MOST_BYTES:
                    what = f"{name}, line {number}: an attribute is longer than {MOST_BYTES >> 20} MiB."
                    raise DataError(what, "Leave that attribute out of the export.")
            continue
        is_comment = line.startswith(b"#")
        if not line:
            if record:
                yield begin, record
            record = []
        elif not is_comment:
            begin = begin if record else number
            record.append(line)
    if record:
        yield begin, record


def _entry(path: Path, line: int, record: list[bytes], problems: list[Problem]) -> Entry | None:
    """A record as an entry; nothing for the version line and for what is wrong."""
    if record[0].lower().startswith(b"version:"):
        record = record[1:]
        if not record:
            return None
    try:
        pairs = [_pair(path, text) for text in record]
        if pairs[0][0] != "dn" or any(name == "changetype" for name, _ in pairs):
            raise ValueError("is no entry" if pairs[0][0] != "dn" else "is a change, and no content")
        attributes: dict[str, list[str]] = {}
        for name, value in pairs[1:]:
            attributes.setdefault(name, []).append(value)
        return Entry(pairs[0][1], attributes, line)
    except (ValueError, UnicodeDecodeError) as error:
        reason = "is not UTF-8" if isinstance(error, UnicodeDecodeError) else str(error)
        remedy = "Write the export anew; an entry begins with dn: and each line is name: value."
        text = shown(record[0].decode("utf-8", "replace"))
        problems.append(Problem(path.name, line, "", text, reason, remedy))
        return None


def _pair(path: Path, line: bytes) -> tuple[str, str]:
    """The attribute's name and its value; options such as `;lang-en` are left out, a URL is not followed."""
    name, colon, value = line.partition(b":")
    if not colon:
        raise ValueError("has a line without a colon")
    text = name.decode("ascii", "strict").partition(";")[0].strip().lower()
    if value.startswith(b"<"):
        return text, ""
    if value.startswith(b":"):
        try:
            raw = base64.b64decode(value[1:].strip(), validate=True)
        except ValueError:
            raise ValueError(f"has a value of {text} that is no base64") from None
        return text, carried(raw.decode("utf-8", "surrogateescape"))
    return text, carried(value.lstrip(b" ").decode("utf-8"))
