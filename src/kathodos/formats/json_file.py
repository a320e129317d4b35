"""JSON files (RFC 8259): a list of objects, by itself or as the one list in an object. Each object is a row."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from kathodos.errors import DataError, UnfitError
from kathodos.formats.json_lines import cells_of_object, once, refuse
from kathodos.formats.raw import Format, Growing, Raw, shown

_LARGEST = 1 << 30
_REMEDY = "Write a list of flat objects: [{...}, {...}], or one object a line (.jsonl)."


def read_json(path: Path, form: Format) -> Raw:
    """All objects of the list; the others are set aside. Raises DataError where the file holds no list."""
    if path.stat().st_size > _LARGEST:
        raise DataError(f"{path.name} has {path.stat().st_size >> 20} MiB.", "Write one object a line (.jsonl).")
    try:
        content = json.loads(path.read_bytes().decode("utf-8-sig"), object_pairs_hook=once, parse_constant=refuse)
    except (ValueError, RecursionError, UnfitError) as error:
        raise DataError(f"{path.name} is no JSON that can be read: {error}.", _REMEDY) from None
    rows = _list_in(content, form.sheet)
    if rows is None:
        raise DataError(f"{path.name} holds no list of objects.", _REMEDY)
    header: dict[str, None] = {}
    cells: list[dict[str, str]] = []
    numbers: list[int] = []
    problems: list[tuple[int, str, UnfitError]] = []
    for number, row in enumerate(rows, 1):
        try:
            found = cells_of_object(row)
        except UnfitError as error:
            problems.append((number, shown(json.dumps(row, ensure_ascii=True)[:200]), error))
            continue
        header |= dict.fromkeys(found)
        cells.append(found)
        numbers.append(number)
    growing = Growing(path.name, list(header), form)
    for number, text, wrong in problems:
        growing.set_aside(number, text, wrong.reason, wrong.remedy)
    growing.add(([row.get(name) for row in cells] for name in header), np.array(numbers, dtype=np.int64))
    return growing.raw()


def _list_in(content: Any, name: str) -> list[Any] | None:
    """The list itself, the one that is named, or the only one in an object."""
    if isinstance(content, dict):
        lists = [value for key, value in content.items() if isinstance(value, list) and name in ("", key)]
        content = lists[0] if len(lists) == 1 else None
    return content if isinstance(content, list) else None
