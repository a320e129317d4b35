"""Sources of the kind `tables`: a folder of files, one for each kind of record, and how they are mapped."""

from __future__ import annotations

from collections.abc import Mapping

from kathodos.connectors.mapping import Mapped, Reading, digest_of_files, files_of, read_tables
from kathodos.connectors.settings import Settings, Source
from kathodos.formats.raw import Format
from kathodos.model.filters import FilterError, parse_filter
from kathodos.model.kinds import GATHERED

_KEYS = ("file", "sheet", "delimiter", "quote", "encoding", "header", "trim")
_LAST_HEADER = 100_000
_MAPPING = ("columns", "values", "dates", "constants", "build", "where", "once", "totals", "only")


def place(source: Source) -> str:
    """The folder of the source."""
    return source.settings.text("path")


def glance(source: Source, mark: str) -> str:
    """The digest over the files and how they are read."""
    return digest_of_files(files_of(source.settings.path("path"), mapping_of(source)))


def read(source: Source, mark: str) -> Reading:
    """What the files of the folder say."""
    files = files_of(source.settings.path("path"), mapping_of(source))
    return read_tables(files, digest_of_files(files))


def mapping_of(source: Source) -> dict[str, Mapped]:
    """How the tables of a source are written, by kind of record. Raises DataError where a block is wrong."""
    settings = source.settings
    settings.only("path", "guard", "tables")
    kinds = [kind.name for kind in GATHERED]
    blocks = settings.block("tables")
    blocks.only(*kinds)
    return {kind: mapped_of(blocks.block(kind)) for kind in blocks.values}


def mapped_of(block: Settings) -> Mapped:
    """How one table is written."""
    block.only(*_KEYS, *_MAPPING)
    values: Mapping[str, object] = block.values.get("values", {})
    if not isinstance(values, dict):
        raise block.expected("values = { column = { theirs = ours } }")
    where = block.text("where", "")
    try:
        parse_filter(where) if where else None
    except FilterError as error:
        raise block.expected(f'where = a filter such as State ne "draft" ({error})') from None
    return Mapped(
        file=block.text("file", ""),
        format=format_of(block),
        columns=block.named("columns"),
        values={name: block.block("values").named(name) for name in values},
        dates=block.texts("dates"),
        constants=block.named("constants"),
        build=block.named("build"),
        where=where,
        once=block.flag("once", False),
        totals=block.flag("totals", False),
        only=block.flag("only", False),
    )


def format_of(block: Settings) -> Format:
    """How a file leaves open is said by its block."""
    delimiter, quote = block.text("delimiter", ","), block.text("quote", '"')
    if len(delimiter) != 1 or len(quote) != 1 or delimiter == quote or {delimiter, quote} & set("\r\n\0"):
        raise block.expected("delimiter and quote = one character each")
    header = block.number("header", 1)
    if not 1 <= header <= _LAST_HEADER or not header.is_integer():
        raise block.expected(f"header = the number of the header's line, at most {_LAST_HEADER:,}")
    return Format(
        delimiter, quote, block.text("encoding", ""), int(header), block.text("sheet", ""), block.flag("trim", True)
    )
