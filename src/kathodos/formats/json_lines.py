"""JSON Lines: an object a line. Nested objects become columns `outer.inner`, lists of plain values cells `a;b`."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from kathodos.errors import UnfitError
from kathodos.formats.raw import Format, Raw, read_lines
from kathodos.model.json_text import json_text

_DEEPEST = 8
_REMEDY = "Write one flat JSON object a line."


def read_json_lines(path: Path, form: Format) -> Raw:
    """All lines that are objects; the others are set aside. The columns are all keys that occur."""
    return read_lines(path, [], form, _cells)


def _cells(line: bytes) -> dict[str, str]:
    """The cells of one line. Raises UnfitError where it is no flat object."""
    try:
        content = json.loads(line.decode("utf-8-sig"), object_pairs_hook=once, parse_constant=refuse)
        return cells_of_object(content)
    except UnfitError:
        raise
    except UnicodeDecodeError:
        raise UnfitError("is not UTF-8", "Save the file as UTF-8.") from None
    except RecursionError:
        raise UnfitError("is nested too deeply", _REMEDY) from None
    except ValueError as error:  # also where a number has thousands of digits
        text = error.msg if isinstance(error, json.JSONDecodeError) else str(error)
        raise UnfitError(
            f"is no JSON: {text[0].lower()}{text[1:]}", "Write one JSON object a line; the file may have been cut off."
        ) from None


def cells_of_object(content: Any) -> dict[str, str]:
    """The cells of one object. Raises UnfitError where it is none, or not flat."""
    if not isinstance(content, dict):
        raise UnfitError("is no object", _REMEDY)
    return dict(_flat("", content, 0))


def once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """An object of which no key stands there twice. Raises UnfitError."""
    found = dict(pairs)
    if len(found) < len(pairs):
        raise UnfitError("names a key twice", _REMEDY)
    return found


def refuse(text: str) -> None:
    """Refuses what JSON has no number for. Raises UnfitError."""
    raise UnfitError(f"holds {text}, which is no number", _REMEDY)


def _flat(prefix: str, content: dict[str, Any], depth: int) -> Iterator[tuple[str, str]]:
    if depth > _DEEPEST:
        raise UnfitError("is nested too deeply", _REMEDY)
    for key, value in content.items():
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
            return json_text(value)
        return ";".join(filter(None, map(_text, value)))
    text = str(value)
    if "\0" in text or any("\ud800" <= mark <= "\udfff" for mark in text):
        raise UnfitError("holds a NUL or half a character", _REMEDY)
    return text
