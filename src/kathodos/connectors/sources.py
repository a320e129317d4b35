"""The kinds of source, and how each is read: one module a kind, imported only when it is used."""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from typing import Protocol

from kathodos.connectors.mapping import Reading
from kathodos.connectors.settings import Source
from kathodos.errors import DataError

_MODULES = {
    "tables": "kathodos.connectors.tables",
    "ldif": "kathodos.connectors.directory",
    "ldap": "kathodos.connectors.directory",
    "postgres": "kathodos.connectors.postgres",
    "posix": "kathodos.connectors.posix",
    "scim": "kathodos.connectors.scim",
    "activity": "kathodos.connectors.activity",
}
KINDS = tuple(_MODULES)


class Reader(Protocol):
    """What the module of a kind of source offers."""

    def glance(self, source: Source, mark: str) -> str:
        """The digest of what the source would say, where that is told without reading it; else nothing."""

    def read(self, source: Source, mark: str) -> Reading:
        """All that the source says, or what is new since the mark of the last gather."""

    def place(self, source: Source) -> str:
        """Where the source is: a path or an address, without any secret."""


def reader_of(source: Source) -> Reader:
    """The reader of a source. Raises DataError where there is no such kind."""
    if source.kind not in _MODULES:
        kinds = ", ".join(KINDS)
        raise source.settings.expected(f"kind = one of {kinds}, not {source.kind!r}")
    try:
        module: Reader = importlib.import_module(_MODULES[source.kind])
    except ImportError as error:
        what = f"A source of the kind {source.kind} needs the package {error.name}, which is not installed."
        raise DataError(what, f"Install it: pip install {error.name}") from None
    return module


def digest_with(source: Source, content: str, further: Mapping[str, object]) -> str:
    """One digest over what a source said, how it is read, and what else bears on the outcome."""
    import hashlib

    return hashlib.sha256(repr((source.kind, dict(source.values), content, dict(further))).encode()).hexdigest()
