"""Folders of tables, one file per kind of record: CSV, XLSX, JSON Lines or Parquet, made ours by a mapping."""

from __future__ import annotations

import functools
import hashlib
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path

import msgspec
import numpy as np

from kathodos.columns.dictionary import (
    DictionaryColumn,
    Encoder,
    Ints,
    Scalar,
    always,
    dictionary_column,
    joined_columns,
    nothing,
)
from kathodos.errors import DataError
from kathodos.formats.raw import NOTED, Format, Problem, Raw, shown
from kathodos.formats.totals import without_totals
from kathodos.model.filters import FilterError, parse_filter
from kathodos.model.kinds import GATHERED, Form, Kind
from kathodos.store.attributes import Distinct, selected

_SUFFIXES = (".csv", ".jsonl", ".json", ".xlsx", ".parquet")
_FIELD = re.compile(r"\{\{|\}\}|\{([^{}:]+)(?::(path|pattern))?\}")
_OF_RESOURCES = (Form.ADDRESS, Form.ADDRESSES, Form.PATTERN, Form.PATTERNS, Form.GIVES, Form.SCOPE)


class Mapped(msgspec.Struct, frozen=True):
    """How one table of a source is written there.

    `file` and `format`: where it is and how its kind leaves open; `columns` and `values`: their headers and values
    onto ours, of built columns too; `dates`: forms of dates; `constants`: what every row holds; `build`: columns by a
    template such as `dues:/{Site}/tariffs`; `where`: a filter for rows, over their headers; `once`: the file names
    one record in many rows, so that repeats are no problem; `totals`: lines that look like totals are records; `only`:
    of the file no columns are read but those that are named here.
    """

    file: str = ""
    format: Format = msgspec.field(default_factory=Format)
    columns: Mapping[str, str] = msgspec.field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = msgspec.field(default_factory=dict)
    dates: Sequence[str] = ()
    constants: Mapping[str, str] = msgspec.field(default_factory=dict)
    build: Mapping[str, str] = msgspec.field(default_factory=dict)
    where: str = ""
    once: bool = False
    totals: bool = False
    only: bool = False


class Table(msgspec.Struct, frozen=True):
    """A table as read: columns by our names; `lines` says where in the file each row begins.

    `files`: the file of each row, where there are several.
    """

    kind: Kind
    file: str
    lines: Ints
    columns: Mapping[str, DictionaryColumn]
    dates: Sequence[str] = ()
    once: bool = False
    files: DictionaryColumn | None = None

    def __len__(self) -> int:
        return len(self.lines)

    def column(self, name: str) -> DictionaryColumn:
        """A column of the table; an empty one where it has none of that name."""
        return self.columns.get(name) or nothing(len(self))

    def file_of(self, row: int) -> str:
        """The file that a row is from."""
        return self.file if self.files is None else str(self.files.value(row))

    @classmethod
    def of_cells(cls, kind: Kind, file: str, cells: Mapping[str, Sequence[str | None]]) -> Table:
        """A table of cells, row by row from line 1."""
        size = len(next(iter(cells.values()), ()))
        return cls(kind, file, np.arange(1, size + 1), {name: dictionary_column(some) for name, some in cells.items()})


class Reading(msgspec.Struct, frozen=True):
    """All that a source says: tables, what could not be read, and a digest of what was read.

    `covers`: whether what the source no longer lists is gone from it; `waited`: seconds spent waiting for a server.
    `mark`: what the source is to be asked from at the next gather, where it can tell only what is new; then `stands`
    says by kind which records are still there, by their key, although they were not read again.
    """

    tables: list[Table]
    problems: list[Problem]
    digest: str
    covers: bool = True
    waited: float = 0.0
    mark: str = ""
    stands: Mapping[str, Callable[[tuple[Scalar, ...]], bool]] = msgspec.field(default_factory=dict)


def tables_of(records: Mapping[str, Sequence[Mapping[str, object]]], place: str) -> list[Table]:
    """The tables that records make, by kind; `place` stands for their file."""
    tables = []
    for kind in GATHERED:
        rows = records.get(kind.name)
        if rows is not None:
            names = list(dict.fromkeys(name for row in rows for name in row)) or list(kind.key)
            cells = {name: [None if row.get(name) is None else str(row[name]) for row in rows] for name in names}
            tables.append(Table.of_cells(kind, place, cells))
    return tables


def digest_of_tables(tables: Sequence[Table]) -> str:
    """One digest over what some tables say."""
    whole = hashlib.sha256()
    for table in tables:
        for name, column in table.columns.items():
            whole.update(f"{table.kind.name} {name} {list(column.values)!r}".encode("utf-8", "surrogatepass"))
            whole.update(column.codes.tobytes())
    return whole.hexdigest()


def joined(tables: Sequence[Table]) -> Table:
    """Tables of one kind as one, with the file of each row."""
    first = tables[0]
    sizes = [len(table) for table in tables]
    names = dict.fromkeys(name for table in tables for name in table.columns)
    columns = {name: joined_columns([table.column(name) for table in tables]) for name in names}
    files = joined_columns([always(table.file, size) for table, size in zip(tables, sizes, strict=True)])
    lines = np.concatenate([table.lines for table in tables])
    return Table(first.kind, first.file, lines, columns, first.dates, first.once, files)


def files_of(folder: Path, mapping: Mapping[str, Mapped]) -> list[tuple[Kind, Path, Mapped]]:
    """The file of each kind of record there is one of. Raises DataError where there is none at all."""
    if not folder.is_dir():
        remedy = "Put it there, or correct the source's path in kathodos.toml."
        raise DataError(f"The folder {folder} is not there.", remedy)
    found = []
    for kind in GATHERED:
        mapped = mapping.get(kind.name, Mapped())
        names = [mapped.file] if mapped.file else [f"{kind.name}{suffix}" for suffix in _SUFFIXES]
        there = [folder / name for name in names if (folder / name).is_file()]
        if mapped.file and not there:
            remedy = f"kathodos.toml names it for {kind.name}; correct one of the two."
            raise DataError(f"{folder / mapped.file} is not there.", remedy)
        if len(there) > 1:
            remedy = "Take one away, or name the one to read in kathodos.toml."
            raise DataError(f"{folder} holds both {there[0].name} and {there[1].name}.", remedy)
        found += [(kind, path, mapped) for path in there]
    if not found:
        names = [f"{kind.name}.csv" for kind in GATHERED[:4]]
        raise DataError(f"The folder {folder} holds no table.", f"Expected files such as {', '.join(names)}.")
    return found


def digest_of_files(files: Sequence[tuple[Kind, Path, Mapped]]) -> str:
    """One digest over the files and how they are read."""
    whole = hashlib.sha256()
    for kind, path, mapped in files:
        whole.update(f"{kind.name} {mapped!r} {digest_of(path)}\n".encode())
    return whole.hexdigest()


def digest_of(path: Path) -> str:
    """The digest of one file's bytes."""
    try:
        status = path.stat()
        return _digest(path, status.st_mtime_ns, status.st_size, status.st_ino)
    except OSError as error:
        raise unreadable(path, error) from error


@functools.lru_cache
def _digest(path: Path, *_: int) -> str:
    """The digest of a file, computed once as long as the file stays what it is."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def unreadable(path: Path, error: OSError) -> DataError:
    return DataError(f"{path} cannot be read: {error.strerror}.", "Nothing was changed; check the file.")


def read_tables(files: Sequence[tuple[Kind, Path, Mapped]], digest: str) -> Reading:
    """What some files say. Raises DataError where one changes while it is read."""
    tables, problems = [], []
    for kind, path, mapped in files:
        before = path.stat()
        raw = read_raw(path, mapped.format)
        table, wrong = table_of(kind, path.name, raw, mapped)
        after = path.stat()
        if (before.st_mtime_ns, before.st_size) != (after.st_mtime_ns, after.st_size):
            raise DataError(f"{path} changed while it was read.", "Nothing was changed; gather again when it is whole.")
        tables.append(table)
        problems += wrong
    return Reading(tables, problems, digest)


def read_raw(path: Path, form: Format) -> Raw:
    """A file of any of the formats, by its name's ending; what has none of them is read as CSV."""
    try:
        if path.suffix == ".xlsx":
            from kathodos.formats.xlsx import read_xlsx as read
        elif path.suffix in (".jsonl", ".ndjson"):
            from kathodos.formats.json_lines import read_json_lines as read
        elif path.suffix == ".json":
            from kathodos.formats.json_file import read_json as read
        elif path.suffix in (".log", ".syslog"):
            from kathodos.formats.syslog import read_syslog as read
        elif path.suffix == ".parquet":
            from kathodos.formats.parquet import read_parquet as read
        else:
            from kathodos.formats.csv import read_csv as read
        return read(path, form)
    except OSError as error:
        raise unreadable(path, error) from error


def table_of(kind: Kind, file: str, raw: Raw, mapped: Mapped) -> tuple[Table, list[Problem]]:
    """What a file gives as a table of a kind: rows chosen, headers and values made ours, further columns built."""
    raw = _mapped_values(raw, mapped)
    raw = _chosen(file, raw, mapped.where)
    raw = raw if mapped.totals else without_totals(file, raw)
    size = len(raw.lines)
    names = _names(kind, file, raw.header, mapped)
    columns = {name: column for name, column in zip(names, raw.columns, strict=True) if name}
    by_header = {header.strip().casefold(): column for header, column in zip(raw.header, raw.columns, strict=True)}
    problems = list(raw.problems)
    for name, template in mapped.build.items():
        built = _built(kind, file, name, template, by_header, size)
        values = mapped.values.get(name)
        columns[name] = built.recoded([values.get(str(it), it) or None for it in built.values]) if values else built
    columns |= {name: always(value, size) for name, value in mapped.constants.items()}
    if mapped.only:
        named = {*mapped.columns.values(), *mapped.build, *mapped.constants}
        columns = {name: column for name, column in columns.items() if name in named}
    used = _used(mapped)
    unknown = [name for name in columns if name not in kind.names and _attribute(name) not in used]
    for name in [] if kind.open_ended else unknown:
        what, line = "unknown column; it is not used", mapped.format.header
        problems.append(Problem(file, line, name, "", what, _columns_there_are(kind), NOTED))
    return Table(kind, file, raw.lines, columns, mapped.dates, mapped.once), problems


def _used(mapped: Mapped) -> set[str]:
    """Their columns that templates and the filter make use of."""
    used = {_attribute(found[1]) for text in mapped.build.values() for found in _FIELD.finditer(text) if found[1]}
    return used | ({name.casefold() for name in parse_filter(mapped.where).attributes()} if mapped.where else set())


def _mapped_values(raw: Raw, mapped: Mapped) -> Raw:
    if not mapped.values:
        return raw
    by_name = {name.casefold(): values for name, values in mapped.values.items()}
    ours = {header.strip().casefold(): ours.casefold() for header, ours in mapped.columns.items()}
    columns = []
    for header, column in zip(raw.header, raw.columns, strict=True):
        name = header.strip().casefold()
        values = by_name.get(ours.get(name, name)) or by_name.get(name)
        columns.append(column.recoded([values.get(str(cell), cell) for cell in column.values]) if values else column)
    return Raw(raw.header, columns, raw.lines, raw.problems)


def _chosen(file: str, raw: Raw, where: str) -> Raw:
    """The rows that a filter over their headers selects."""
    if not where:
        return raw
    try:
        node = parse_filter(where)
    except FilterError as error:
        remedy = 'Write it as in: State ne "draft"'
        raise DataError(f"{file}: the filter in kathodos.toml does not parse: {error}.", remedy) from None
    by_name = {_attribute(header): column for header, column in zip(raw.header, raw.columns, strict=True)}
    for name in sorted(node.attributes()):
        if name.casefold() not in by_name:
            remedy = f"The header has: {', '.join(map(shown, raw.header))}; write a blank in a name as _."
            raise DataError(f"{file}: the filter in kathodos.toml asks for {name}, which is no column.", remedy)
    mask = selected(node, lambda name: _distinct(by_name[name.casefold()]), len(raw.lines))
    return Raw(raw.header, [column.taken(mask) for column in raw.columns], raw.lines[mask], raw.problems)


def _distinct(column: DictionaryColumn) -> Distinct:
    return Distinct(column.codes, column.values)


def _attribute(header: str) -> str:
    """A header as a filter can name it."""
    return re.sub(r"\W+", "_", header.strip()).casefold()


def _built(
    kind: Kind, file: str, name: str, template: str, columns: Mapping[str, DictionaryColumn], size: int
) -> DictionaryColumn:
    """A column made of others; absent where one of them is. What an address gives a meaning to is escaped in cells:

    of a `:path` the slashes stay, of a `:pattern` the stars and what is escaped already as well.
    """
    parts = [(template[first:last], found) for first, last, found in _parts(template)]
    is_resource = name in kind.names and name != "attributes" and kind.column(name).form in _OF_RESOURCES
    used: list[DictionaryColumn] = []
    for _, found in parts:
        if found:
            header, kept = found
            if header.strip().casefold() not in columns:
                remedy = f"Columns there are: {', '.join(columns)}."
                raise DataError(f"{file}: {name} is built from {header!r}, which is no column.", remedy)
            column = columns[header.strip().casefold()]
            used.append(column.mapped(_ESCAPING[kept]) if is_resource and kept != "pattern" else column)
    if not used:
        return always(template, size)
    is_there = np.logical_and.reduce([column.codes >= 0 for column in used])
    coder = Encoder()
    lists = [column.listed(is_there.nonzero()[0]) for column in used]
    form = "".join("%s" if found else text.replace("%", "%%") for text, found in parts)
    made = [form % cells for cells in zip(*lists, strict=True)]
    codes = np.full(size, -1, dtype=np.int32)
    codes[is_there] = coder.codes(made)
    return DictionaryColumn(codes, coder.values)


def _segment(cell: object) -> str:
    """A cell as one segment of an address."""
    return _path(cell).replace("/", "%2F")


def _path(cell: object) -> str:
    """A cell as segments of an address, which hold no star."""
    return str(cell).replace("%", "%25").replace("*", "%2A")


_ESCAPING: Mapping[str, Callable[[object], str]] = {"": _segment, "path": _path}


def _parts(template: str) -> Iterator[tuple[int, int, tuple[str, str] | None]]:
    """The parts of a template: from where to where; for a field the column's name, and `path`, `pattern` or nothing."""
    at = 0
    for found in _FIELD.finditer(template):
        yield at, found.start(), None
        if found[1]:
            yield found.start(), found.end(), (found[1], found[2] or "")
        else:
            yield found.start(), found.start() + 1, None
        at = found.end()
    yield at, len(template), None


def _names(kind: Kind, file: str, header: Sequence[str], mapped: Mapped) -> list[str]:
    """Our name for each column of the file; further ones keep theirs, those without a name are passed over."""
    ours = {name.casefold(): name for name in kind.names if name != "attributes"}
    theirs = {name.strip().casefold(): name_of for name, name_of in mapped.columns.items()}
    made = {*mapped.build, *mapped.constants}
    names = []
    for cell in header:
        name = cell.strip()
        own = theirs.get(name.casefold()) or ours.get(name.casefold(), name)
        names.append("" if own in made else own)
    missing = [column.name for column in kind.columns if column.required and column.name not in (*names, *made)]
    where = f"{file}, line {mapped.format.header}"
    if missing:
        remedy = f"The header has: {', '.join(map(shown, header))}. Name the columns as in the manual, or map them."
        other = next((mark for mark in ";\t|" if len(header) == 1 and mark in header[0]), "")
        if other:
            remedy = f"It seems to be separated by {other!r}: write delimiter = {other!r} for it in kathodos.toml."
        raise DataError(f"{where}: the column {', '.join(missing)} is missing. Nothing was changed.", remedy)
    twice = sorted({name for name in names if name and names.count(name) > 1})
    if twice:
        raise DataError(f"{where}: the column {', '.join(twice)} is there twice.", "Take one of them out.")
    return names


def _columns_there_are(kind: Kind) -> str:
    return f"Columns of {kind.name}: {', '.join(kind.names)}."
