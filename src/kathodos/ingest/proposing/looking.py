"""Other people's files looked at: how they are written, and the tables that they hold."""

from __future__ import annotations

import contextlib
import csv
import io
import itertools
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

import msgspec

from kathodos.connectors.mapping import read_raw
from kathodos.errors import DataError
from kathodos.formats.csv import read_csv_text
from kathodos.formats.raw import Format, Raw

_LOOKED_AT_ROWS = 60
_LOOKED_AT = 1 << 20
_DELIMITERS = ",;\t|"
_OF_RECORDS = (".xlsx", ".jsonl", ".ndjson", ".json", ".parquet")
LDIF = ".ldif"
LOGS = (".log", ".syslog")


class Sheet(msgspec.Struct, frozen=True):
    """A table of a file as it stands there; `settings` say how the file has to be read, `name` is that of the sheet."""

    path: Path
    name: str
    raw: Raw
    settings: dict[str, str | int]


def sheets_of(path: Path) -> list[Sheet]:
    """The tables of a file. Raises DataError where it cannot be read, or holds no row."""
    found = _sheets(path)
    if not any(len(sheet.raw.lines) for sheet in found):
        raise DataError(f"{path} holds no row that can be read.", "Name a file with its header and some rows.")
    return [sheet for sheet in found if len(sheet.raw.lines)]


def _sheets(path: Path) -> list[Sheet]:
    if path.suffix == ".xlsx":
        from kathodos.formats.xlsx import sheet_names

        names = sheet_names(path)
        return [
            Sheet(path, name, read_raw(path, Format(sheet=name, header=at)), _of_sheet(name, names, at))
            for name in names
            if (at := _header_of_sheet(path, name))
        ]
    if path.suffix in (*_OF_RECORDS, *LOGS):
        return [Sheet(path, "", read_raw(path, Format()), {})]
    form, settings = _format(path)
    return [Sheet(path, "", read_csv_text(path.name, _start(path, form), form), settings)]


def _of_sheet(name: str, names: Sequence[str], header: int) -> dict[str, str | int]:
    settings: dict[str, str | int] = {"sheet": name} if name != names[0] else {}
    return {**settings, **({"header": header} if header > 1 else {})}


def _header_of_sheet(path: Path, name: str) -> int:
    """The row with the names of the columns: the first that is as full as most; 0 where the sheet is empty."""
    from kathodos.formats.xlsx import first_rows

    rows = first_rows(path, name, _LOOKED_AT_ROWS)
    widths = Counter(sum(cell is not None for cell in row) for row in rows)
    if not widths.total() or max(widths) == 0:
        return 0
    usual = max((width for width in widths if width > 1), key=lambda it: (widths[it], it), default=1)
    return next((at for at, row in enumerate(rows, 1) if sum(cell is not None for cell in row) >= usual), 1)


def _start(path: Path, form: Format) -> str:
    """The beginning of a text file, in whole lines."""
    with path.open("rb") as file:
        content = file.read(_LOOKED_AT)
    text = content.decode(form.encoding or "utf-8-sig", "replace")
    return text if len(content) < _LOOKED_AT else text[: text.rfind("\n") + 1]


def _format(path: Path) -> tuple[Format, dict[str, str | int]]:
    """How a text file seems to be written, and the settings that say so."""
    with path.open("rb") as file:
        content = file.read(_LOOKED_AT)
    encoding = _encoding(content)
    text = content.decode(encoding or "utf-8-sig", "replace")
    rows = {mark: _first_rows(text[: 1 << 16], mark) for mark in _DELIMITERS}
    delimiter = max(_DELIMITERS, key=lambda mark: _evenness(rows[mark]))
    widths = Counter(len(row) for row in rows[delimiter] if any(row))
    usual = widths.most_common(1)[0][0] if widths else 1
    header = next((at for at, row in enumerate(rows[delimiter], 1) if len(row) == usual and all(row)), 1)
    settings: dict[str, str | int] = {"encoding": encoding} if encoding else {}
    settings |= {"delimiter": delimiter} if delimiter != "," else {}
    settings |= {"header": header} if header > 1 else {}
    return Format(delimiter, '"', encoding, header), settings


def _first_rows(text: str, delimiter: str) -> list[list[str]]:
    """The first rows of a text, as far as they can be read."""
    rows: list[list[str]] = []
    with contextlib.suppress(csv.Error):
        for row in itertools.islice(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter), _LOOKED_AT_ROWS):
            rows.append(row)
    return rows


def _evenness(rows: Sequence[Sequence[str]]) -> tuple[int, int]:
    """How many rows are as wide as most, if wider than one cell; and how wide."""
    widths = Counter(len(row) for row in rows if len(row) > 1)
    return (widths.most_common(1)[0][1], widths.most_common(1)[0][0]) if widths else (0, 0)


def _encoding(content: bytes) -> str:
    """The encoding that has to be named; nothing for UTF-8 and for what bears a mark of its own."""
    if content[:3] == b"\xef\xbb\xbf" or content[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return ""
    try:
        content[: max(len(content) - 4, 0)].decode("utf-8")
    except UnicodeDecodeError as error:
        return "" if error.start > len(content) - 8 else "cp1252"
    return ""
