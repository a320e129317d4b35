"""JSON Lines: an object a line. Nested objects become columns `outer.inner`, lists of plain values cells `a;b`."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from kathodos.systems.raw import Format, Growing, Raw, lines_of

_BLOCK = 20_000
_DEEPEST = 8


class _UnfitLineError(ValueError):
    """A line that is no flat object."""


def read_json_lines(path: Path, form: Format) -> Raw:
    """All lines that are objects; the others are set aside. The columns are all keys that occur."""
    growing = Growing(path.name, [])
    columns: dict[str, int] = {}
    rows: list[dict[str, str]] = []
    numbers: list[int] = []
    for number, line in lines_of(path, growing):
        if line.strip():
            try:
                rows.append(_cells(line))
                numbers.append(number)
            except (ValueError, RecursionError) as error:
                reason, remedy = _what_is_wrong(line, error)
                growing.set_aside(number, line[:200].decode("utf-8", "replace"), reason, remedy)
        if len(rows) == _BLOCK:
            _add(growing, columns, rows, numbers)
            rows, numbers = [], []
    _add(growing, columns, rows, numbers)
    return growing.raw()


def _add(growing: Growing, columns: dict[str, int], rows: list[dict[str, str]], numbers: list[int]) -> None:
    for row in rows:
        for key in row:
            if key not in columns:
                columns[key] = len(growing.header)
                growing.header.append(key)
    growing.add(([row.get(key) for row in rows] for key in columns), np.array(numbers, dtype=np.int64))


def _cells(line: bytes) -> dict[str, str]:
    said = json.loads(line.decode("utf-8-sig"), object_pairs_hook=_once, parse_constant=_refuse)
    if not isinstance(said, dict):
        raise _UnfitLineError("is no object")
    return dict(_flat("", said, 0))


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        raise _UnfitLineError("names a key twice")
    return found


def _refuse(text: str) -> None:
    raise _UnfitLineError(f"holds {text}, which is no number")


def _flat(prefix: str, said: dict[str, Any], depth: int) -> Iterator[tuple[str, str]]:
    if depth > _DEEPEST:
        raise _UnfitLineError("is nested too deeply")
    for key, value in said.items():
        if isinstance(value, dict):
            yield from _flat(f"{prefix}{key}.", value, depth + 1)
        elif (text := _text(value)) is not None:
            yield f"{prefix}{key}", text


def _text(value: Any) -> str | None:
    if value is None:
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    if isinstance(value, list):
        if any(isinstance(part, dict | list) for part in value):
            return json.dumps(value, ensure_ascii=False, separators=(",", ":"))
        return ";".join(filter(None, map(_text, value)))
    text = str(value)
    if "\0" in text or any("\ud800" <= mark <= "\udfff" for mark in text):
        raise _UnfitLineError("holds a NUL or half a character")
    return text


def _what_is_wrong(line: bytes, error: Exception) -> tuple[str, str]:
    if isinstance(error, _UnfitLineError):
        return str(error), "Write one flat JSON object a line."
    if isinstance(error, UnicodeDecodeError):
        return "is not UTF-8", "Save the file as UTF-8."
    if isinstance(error, RecursionError):
        return "is nested too deeply", "Write one flat JSON object a line."
    what = error.msg if isinstance(error, json.JSONDecodeError) else str(error)
    return f"is no JSON: {what[0].lower()}{what[1:]}", "Write one JSON object a line; the file may have been cut off."
