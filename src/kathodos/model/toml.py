"""TOML as typed values, with the line of every error.

A file is converted to a type of msgspec; where a value does not fit, the path to it is led back to its line.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping, Sequence
from typing import Any, TypeVar

import msgspec

from kathodos.errors import DataError
from kathodos.model.forms import WRITTEN_FOR, must_be_for_us

Path = Sequence[str | int]
T = TypeVar("T")
_HEADER = re.compile(r"\s*(\[\[?)\s*(.+?)\s*\]\]?\s*(?:#.*)?$")
_KEY = re.compile(r"""\s*("(?:[^"\\]|\\.)*"|'[^']*'|[A-Za-z0-9_-]+)\s*(?:\.[^=]*)?=""")
_PART = re.compile(r"""\s*("(?:[^"\\]|\\.)*"|'[^']*'|[A-Za-z0-9_-]+)\s*(?:\.|$)""")
_STEP = re.compile(r"\.([A-Za-z0-9_-]+)|\[(\d+)\]")


class TomlText(msgspec.Struct, frozen=True):
    """What a TOML file says, and its text for telling lines. `name`: how errors call the file."""

    name: str
    content: Mapping[str, Any]
    text: str

    def line_of(self, path: Path) -> int:
        """The line in which the value at a path stands, or else the nearest above it that is written."""
        best, depth = 1, 0
        for line, there in _lines(self.text):
            shared = _shared(there, path)
            if shared == len(there) and shared > depth:
                best, depth = line, shared
        return best

    def error(self, path: Path, what: str, remedy: str) -> DataError:
        """The error of the value at a path."""
        return DataError(f"{self.name}, line {self.line_of(path)}: {what}.", remedy)

    def as_type(self, kind: type[T], remedy: str) -> T:
        """The content as a type. Raises DataError with file, line and key where it does not fit."""
        try:
            return msgspec.convert(self.content, kind)
        except msgspec.ValidationError as error:
            what, _, where = str(error).partition(" - at `$")
            path = steps_of(where.rstrip("`"))
            unknown = re.match(r"Object contains unknown field `(.*)`", what)
            if unknown:
                raise self.error([*path, unknown[1]], f"there is no key {unknown[1]!r} here", remedy) from None
            missing = re.match(r"Object missing required field `(.*)`", what)
            if missing:
                raise self.error(path, f"the key {missing[1]!r} is missing", remedy) from None
            other = re.match(r"Expected `(.*)`, got `(.*)`", what)
            if other:
                key = str(path[-1]) if path else "the file"
                if "[...]" in where:
                    what = f"one of the values in {key} is {_called(other[2])}, not {_called(other[1])}"
                    raise self.error(path, what, remedy) from None
                raise self.error(
                    path, f"expected {_expected(other[1], key)}, got {_called(other[2])}", remedy
                ) from None
            wrong = re.match(r"Invalid enum value (.*)", what)
            if wrong:
                key, value = str(path[-1]), wrong[1].replace("`", "")
                raise self.error(path, f"{key} is {value}, which is none of its words", remedy) from None
            named = next((str(step) for step in reversed(path) if isinstance(step, str)), "the file")
            raise self.error(path, f"{named}: {what[0].lower()}{what[1:]}".replace("`", ""), remedy) from None


_WORDS = {
    "str": "a text",
    "int": "a whole number",
    "float": "a number",
    "bool": "true or false",
    "array": "a list",
    "object": "a section",
    "null": "nothing",
}


def _called(kinds: str) -> str:
    """Kinds of value as msgspec names them, in words."""
    return " or ".join(_WORDS.get(kind.strip(), kind.strip()) for kind in kinds.split("|"))


def _expected(kinds: str, key: str) -> str:
    """What had to stand under a key."""
    if kinds == "object":
        return f"a section [{key}]"
    if kinds == "array":
        return f"{key} = a list, or [[{key}]] with two brackets"
    return f"{key} = {_called(kinds)}"


def toml_text(name: str, text: str) -> TomlText:
    """A text as TOML 1.0. Raises DataError with the line and what was expected there."""
    try:
        content = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        place = re.search(r"\(at line (\d+), column (\d+)\)", str(error))
        line, column = place.groups() if place else ("the last", "1")
        what = re.sub(r" \(at .*\)$", "", str(error))
        remedy = "Mend that line; the file is TOML 1.0."
        raise DataError(f"{name}, line {line}, column {column}: {what}.", remedy) from None
    except RecursionError:
        what = f"{name}: lists or tables stand in one another too deep to be read."
        raise DataError(what, "Write it flat, as docs/file-formats.md shows.") from None
    if not isinstance(content.get(WRITTEN_FOR, {}), dict):
        must_be_for_us(name, content.pop(WRITTEN_FOR))
    return TomlText(name, content, text)


def steps_of(text: str) -> list[str | int]:
    """The steps of a path as msgspec writes it: `.conflict[2].threshold`."""
    known = text.partition("[...]")[0]  # which key of a table it is, msgspec does not say
    return [found[1] if found[1] is not None else int(found[2]) for found in _STEP.finditer(known)]


def _lines(text: str) -> list[tuple[int, list[str | int]]]:
    """Each line that begins a table or a key, with the path to what it begins."""
    found: list[tuple[int, list[str | int]]] = []
    table: list[str | int] = []
    counts: dict[tuple[str | int, ...], int] = {}
    is_inside = ""
    for number, line in enumerate(text.splitlines(), 1):
        if is_inside:  # of a text over several lines
            is_inside = "" if is_inside in line else is_inside
            continue
        header, key = _HEADER.match(line), _KEY.match(line)
        if header and not key:
            table = _table(header[1] == "[[", [_bare(part[1]) for part in _PART.finditer(header[2])], counts)
            found.append((number, table))
        elif key:
            found.append((number, [*table, _bare(key[1])]))
            for fence in ('"""', "'''"):
                is_inside = fence if line.count(fence) % 2 else is_inside
    return found


def _table(is_listed: bool, parts: list[str], counts: dict[tuple[str | int, ...], int]) -> list[str | int]:
    """The path to a table that a header begins; of a list the element that it is."""
    path: list[str | int] = []
    for at, part in enumerate(parts):
        path.append(part)
        key = tuple(path)
        if is_listed and at == len(parts) - 1:
            counts[key] = counts.get(key, -1) + 1
            for deeper in [it for it in counts if len(it) > len(key) and it[: len(key)] == key]:
                del counts[deeper]
        if key in counts:
            path.append(counts[key])
    return path


def _bare(text: str) -> str:
    return text[1:-1] if text[:1] in "\"'" else text


def _shared(one: Path, other: Path) -> int:
    """How many steps two paths begin with alike."""
    count = 0
    for first, second in zip(one, other, strict=False):
        if first != second:
            break
        count += 1
    return count
