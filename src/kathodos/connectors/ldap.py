"""Entries of a directory read from its server (RFC 4511)."""

from __future__ import annotations

import hashlib
import ssl
import time
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import msgspec

from kathodos.connectors.directory_records import Translation
from kathodos.connectors.ldif import MOST_BYTES, Entry
from kathodos.connectors.mapping import Reading
from kathodos.connectors.settings import Settings
from kathodos.errors import DataError
from kathodos.formats.raw import Problem, shown
from kathodos.model.carried import carried

_TOTAL = 3600.0  # seconds that a source may be waited for in all, unless it is configured
_CHANGED = "modifyTimestamp"


def from_server(settings: Settings, mark: str) -> Reading:
    """What a server says; only what is new since the mark, where the source is incremental and nothing is gone."""
    from ldap3.core.exceptions import LDAPException

    url = settings.address("url")
    clock = _Clock(url, settings.number("total_timeout", _TOTAL))
    problems: list[Problem] = []
    translation = Translation(settings, url, problems)
    mark = mark if settings.flag("incremental", False) else ""
    try:
        connection = _connected(settings, clock)
        try:
            if mark:
                everyone = _search(connection, settings, clock, "", [translation.attributes["id"], "cn", "objectClass"])
                translation.note(list(everyone))
            found = list(_search(connection, settings, clock, mark, ["*", _CHANGED]))
        finally:
            connection.unbind()
    except LDAPException as error:
        raise _explained(settings, error) from None
    except (OSError, ssl.SSLError) as error:
        raise DataError(f"{url} does not answer: {error}.", "Check the address and the network.") from None
    if not found and not mark:
        what = f"{url} has nothing below {settings.text('base')}."
        raise DataError(what, "Check the base, and that the account may read there.")
    tables = translation.tables(found)
    content = sorted(
        (entry.name, sorted((name, tuple(values)) for name, values in entry.attributes.items())) for entry in found
    )
    digest = hashlib.sha256(repr((mark, content)).encode()).hexdigest()
    newest = max((entry.first(_CHANGED) or "" for entry in found), default="") or mark
    stands = translation.stands if mark else {}
    return Reading(tables, problems, digest, waited=clock.waited, mark=newest, stands=stands)


class _Clock(msgspec.Struct):
    """How long was waited for the server, which may be so long in all."""

    url: str
    total: float
    waited: float = 0.0

    def timed(self, ask: Any, *words: Any, **named: Any) -> Any:
        began = time.monotonic()
        if self.waited > self.total:
            remedy = "Nothing was changed; gather later, or raise total_timeout in its block."
            raise DataError(f"{self.url} has taken longer than {self.total:g} s in all.", remedy)
        try:
            return ask(*words, **named)
        finally:
            self.waited += time.monotonic() - began


def _connected(settings: Settings, clock: _Clock) -> Any:
    import ldap3

    url, timeout = settings.address("url"), int(settings.number("timeout", 30)) or 1
    if not url.startswith(("ldap://", "ldaps://", "ldapi://")):
        raise settings.expected("url = ldap://..., ldaps://... or ldapi://...")
    tls = ldap3.Tls(
        validate=ssl.CERT_REQUIRED,
        ca_certs_file=str(settings.path("ca_file")) if "ca_file" in settings.values else None,
        local_certificate_file=str(settings.path("certificate")) if "certificate" in settings.values else None,
        local_private_key_file=str(settings.path("key")) if "key" in settings.values else None,
    )
    bind = settings.block("bind")
    bind.only("as", "password_from", "how")
    how = bind.text("how", "simple" if bind.values else "anonymous")
    if how not in ("anonymous", "simple", "external"):
        raise bind.expected('how = "anonymous", "simple" or "external"')
    starts_tls = settings.flag("start_tls", False)
    if how == "simple" and url.startswith("ldap://") and not starts_tls and not _is_local(url):
        raise settings.expected("start_tls = true or ldaps://, so that no password goes over the network in the clear")
    server = ldap3.Server(url, tls=tls, connect_timeout=timeout, get_info=ldap3.NONE)
    words: dict[str, Any] = {"authentication": ldap3.ANONYMOUS}
    if how == "simple":
        words = {"user": bind.text("as"), "password": bind.secret("password_from"), "authentication": ldap3.SIMPLE}
    elif how == "external":
        words = {"authentication": ldap3.SASL, "sasl_mechanism": ldap3.EXTERNAL, "sasl_credentials": ""}
    connection = ldap3.Connection(
        server, read_only=True, receive_timeout=timeout, raise_exceptions=True, check_names=False, **words
    )
    clock.timed(connection.open)
    if starts_tls:
        clock.timed(connection.start_tls, read_server_info=False)
    clock.timed(connection.bind, read_server_info=False)
    return connection


def _is_local(url: str) -> bool:
    host = url.partition("://")[2].partition("/")[0].rpartition(":")[0] or url.partition("://")[2]
    return host in ("localhost", "127.0.0.1", "[::1]")


def _search(
    connection: Any, settings: Settings, clock: _Clock, mark: str, attributes: Sequence[str]
) -> Iterator[Entry]:
    """The entries that changed since a mark (all: none), page by page; each page has to bring something new."""
    import ldap3

    chosen = settings.text("filter", "(objectClass=*)")
    cookie: Any = None
    seen: set[Any] = set()
    control = "1.2.840.113556.1.4.319"  # paged results, RFC 2696
    while True:
        clock.timed(
            connection.search,
            settings.text("base"),
            f"(&{chosen}({_CHANGED}>={mark}))" if mark else chosen,
            search_scope=ldap3.SUBTREE,
            attributes=attributes,
            paged_size=int(settings.number("page", 500)),
            paged_cookie=cookie,
        )
        for found in connection.response or ():
            if found.get("type") == "searchResEntry":
                yield Entry(found["dn"], _decoded(found["dn"], found["raw_attributes"]))
        controls = (connection.result or {}).get("controls", {})
        cookie = controls.get(control, {}).get("value", {}).get("cookie")
        if not cookie:
            return
        if cookie in seen:
            what = f"{settings.text('url')} gives the same page again and again."
            raise DataError(what, "Nothing was changed; ask whoever runs the server.")
        seen.add(cookie)


def _decoded(name: str, raw: Mapping[str, Sequence[bytes]]) -> dict[str, list[str]]:
    found = {}
    for attribute, values in raw.items():
        if sum(map(len, values)) > MOST_BYTES:
            what = f"The entry {shown(name)} has more than {MOST_BYTES >> 20} MiB in {attribute}."
            raise DataError(what, "Nothing was changed; leave such entries out with a filter.")
        if attribute.lower() not in ("userpassword", "jpegphoto", "usercertificate"):
            texts = [carried(value.decode("utf-8", "surrogateescape")) for value in values]
            found[attribute.partition(";")[0].lower()] = texts
    return found


def _explained(settings: Settings, error: Exception) -> DataError:
    """What an error of the server means here; never with what was sent to it."""
    url = settings.address("url")
    kind = type(error).__name__
    if "InvalidCredentials" in kind:
        return DataError(f"{url} refuses the name or the password.", "Check bind as and password_from.")
    if "Certificate" in kind or "TLS" in kind or "certificate" in str(error):
        remedy = "Name the authority that signed it in ca_file; certificates are always checked."
        return DataError(f"The certificate of {url} could not be trusted, or TLS could not start.", remedy)
    if "InsufficientAccess" in kind or "NoSuchObject" in kind:
        what = f"{url} shows nothing below {settings.text('base')} to this account."
        return DataError(what, "Check the base, and the rights of the account.")
    if "SocketOpen" in kind or "SocketReceive" in kind or "SessionTerminated" in kind or "ResponseTimeout" in kind:
        what = f"{url} does not answer, or broke off ({kind.removeprefix('LDAP').removesuffix('Error')})."
        return DataError(what, "Nothing was changed; gather again when it runs.")
    return DataError(f"{url} could not be read: {kind.removeprefix('LDAP')}.", "Nothing was changed.")
