"""Directories: LDIF files (RFC 2849) and LDAP servers (RFC 4511) as identities, accounts, groups and members.

People are entries of a person's class; each is an identity or an account of the directory, or both. Groups are entries
of `groupOfNames`, `groupOfUniqueNames` or `posixGroup`; members that are groups nest. What a directory calls its
attributes is mapped onto ours in the source's block.
"""

from __future__ import annotations

from kathodos.connectors.directory_records import Translation
from kathodos.connectors.ldap import from_server
from kathodos.connectors.ldif import read_ldif
from kathodos.connectors.mapping import Reading, digest_of
from kathodos.connectors.settings import Source
from kathodos.errors import DataError
from kathodos.formats.raw import Problem

_KEYS = ("guard", "system", "as", "person_classes", "group_classes", "attributes", "disabled_where", "page")
_LDIF = ("path", *_KEYS)
_LDAP = (
    "url",
    "total_timeout",
    "base",
    "filter",
    "bind",
    "start_tls",
    "ca_file",
    "certificate",
    "key",
    "timeout",
    "incremental",
    *_KEYS,
)


def place(source: Source) -> str:
    """The file, or the server's address and the base of the search."""
    settings = source.settings
    if source.kind == "ldif":
        return settings.text("path")
    return f"{settings.address('url')} {settings.text('base')}"


def glance(source: Source, mark: str) -> str:
    """The digest of an LDIF file; a server has to be asked."""
    return digest_of(source.settings.path("path")) if source.kind == "ldif" else ""


def read(source: Source, mark: str) -> Reading:
    """What a directory says."""
    settings = source.settings
    settings.only(*(_LDIF if source.kind == "ldif" else _LDAP))
    if source.kind == "ldif":
        path = settings.path("path")
        problems: list[Problem] = []
        entries = list(read_ldif(path, problems))
        if not entries:
            raise DataError(f"{path} holds no entry.", "Export the directory as LDIF with its people and groups.")
        tables = Translation(settings, path.name, problems).tables(entries)
        return Reading(tables, problems, digest_of(path))
    return from_server(settings, mark)
