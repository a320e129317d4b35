"""Directories: LDIF files (RFC 2849) and LDAP servers (RFC 4511) as identities, accounts, groups and members.

People are entries of a person's class; each is an identity or an account of the directory, or both. Groups are entries
of `groupOfNames`, `groupOfUniqueNames` or `posixGroup`; members that are groups nest. What a directory calls its
attributes is mapped onto ours in the source's block.
"""

from __future__ import annotations

import base64
import hashlib
import ssl
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from kathodos.columns.dictionary import Scalar
from kathodos.connectors.mapping import Reading, Table, digest_of, unreadable
from kathodos.connectors.settings import Settings, Source
from kathodos.errors import DataError
from kathodos.formats.raw import Problem, shown
from kathodos.model import kinds

Attributes = Mapping[str, Sequence[str]]
_PERSON_CLASSES = ("person", "inetorgperson", "organizationalperson", "posixaccount")
_GROUP_CLASSES = ("groupofnames", "groupofuniquenames", "posixgroup")
_PERSON = {
    "id": "uid",
    "name": "displayName cn",
    "email": "mail",
    "department": "departmentNumber ou",
    "title": "title",
    "manager": "manager",
    "location": "l physicalDeliveryOfficeName",
    "employment": "employeeType",
}
_KEYS = ("guard", "system", "as", "person_classes", "group_classes", "attributes", "disabled_where", "page")
_LDIF = ("path", *_KEYS)
_LDAP = (
    "url",
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
_MOST_BYTES = 16 << 20
_CHANGED = "modifyTimestamp"


@dataclass(frozen=True)
class Entry:
    """One entry: its name, its attributes by lower-case name, and the line it begins at (0: from a server)."""

    name: str
    attributes: Attributes
    line: int = 0

    def first(self, names: str) -> str | None:
        """The first value of the first of some attributes that the entry has."""
        for name in names.lower().split():
            for value in self.attributes.get(name, ()):
                if value.strip():
                    return value.strip()
        return None

    @property
    def classes(self) -> set[str]:
        return {name.lower() for name in self.attributes.get("objectclass", ())}


def place(source: Source) -> str:
    """The file, or the server's address and the base of the search."""
    settings = source.settings
    if source.kind == "ldif":
        return settings.text("path")
    return f"{settings.text('url')} {settings.text('base')}"


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
        tables = _Translation(settings, path.name, problems).tables(entries)
        return Reading(tables, problems, digest_of(path))
    return _from_server(settings, mark)


# LDIF


def read_ldif(path: Path, problems: list[Problem]) -> Iterator[Entry]:
    """The entries of an LDIF content file. What is no entry is set aside with its line."""
    try:
        with path.open("rb") as file:
            for line, record in _records(file, path.name):
                entry = _entry(path, line, record, problems)
                if entry is not None:
                    yield entry
    except OSError as error:
        raise unreadable(path, error) from error


def _records(file: Any, name: str) -> Iterator[tuple[int, list[bytes]]]:
    """The records of a file, each with the line it begins at; folded lines joined, comments left out."""
    record: list[bytes] = []
    begin, is_comment = 0, False
    for number, raw in enumerate(file, 1):
        line = raw.rstrip(b"\r\n")
        if line.startswith(b" ") and (record or is_comment):
            if not is_comment:
                record[-1] += line[1:]
                if len(record[-1]) > _MOST_BYTES:
                    what = f"{name}, line {number}: an attribute is longer than {_MOST_BYTES >> 20} MiB."
                    raise DataError(what, "Leave that attribute out of the export.")
            continue
        is_comment = line.startswith(b"#")
        if not line:
            if record:
                yield begin, record
            record = []
        elif not is_comment:
            begin = begin if record else number
            record.append(line)
    if record:
        yield begin, record


def _entry(path: Path, line: int, record: list[bytes], problems: list[Problem]) -> Entry | None:
    """A record as an entry; nothing for the version line and for what is wrong."""
    if record[0].lower().startswith(b"version:"):
        record = record[1:]
        if not record:
            return None
    try:
        pairs = [_pair(path, text) for text in record]
        if pairs[0][0] != "dn" or any(name == "changetype" for name, _ in pairs):
            raise ValueError("is no entry" if pairs[0][0] != "dn" else "is a change, and no content")
        attributes: dict[str, list[str]] = {}
        for name, value in pairs[1:]:
            attributes.setdefault(name, []).append(value)
        return Entry(pairs[0][1], attributes, line)
    except (ValueError, UnicodeDecodeError) as error:
        reason = "is not UTF-8" if isinstance(error, UnicodeDecodeError) else str(error)
        remedy = "Write the export anew; an entry begins with dn: and each line is name: value."
        text = shown(record[0].decode("utf-8", "replace"))
        problems.append(Problem(path.name, line, "", text, reason, remedy))
        return None


def _pair(path: Path, line: bytes) -> tuple[str, str]:
    """The attribute's name and its value; options such as `;lang-en` are left out, a URL is not followed."""
    name, colon, value = line.partition(b":")
    if not colon:
        raise ValueError("has a line without a colon")
    text = name.decode("ascii", "strict").partition(";")[0].strip().lower()
    if value.startswith(b"<"):
        return text, ""
    if value.startswith(b":"):
        try:
            raw = base64.b64decode(value[1:].strip(), validate=True)
        except ValueError:
            raise ValueError(f"has a value of {text} that is no base64") from None
        return text, raw.decode("utf-8", "strict" if text == "dn" else "replace")
    return text, value.lstrip(b" ").decode("utf-8")


# From entries to records


@dataclass
class _Translation:
    """Entries of people and groups as tables."""

    settings: Settings
    file: str
    problems: list[Problem]
    names: dict[str, str] = field(default_factory=dict)  # of normalised entry names: the reference
    logins: dict[str, str] = field(default_factory=dict)
    read_groups: set[str] = field(default_factory=set)

    def __post_init__(self) -> None:
        settings = self.settings
        self.system = settings.text("system", "directory")
        self.becomes = settings.texts("as") or ["identities"]
        if not set(self.becomes) <= {"identities", "accounts"}:
            raise settings.expected('as = ["identities"], ["accounts"] or both')
        self.people = {name.lower() for name in settings.texts("person_classes")} or set(_PERSON_CLASSES)
        self.groups = {name.lower() for name in settings.texts("group_classes")} or set(_GROUP_CLASSES)
        self.attributes = {**_PERSON, **settings.named("attributes")}
        self.disabled = settings.named("disabled_where")

    def split(self, entries: Sequence[Entry]) -> tuple[list[Entry], list[Entry]]:
        """The entries that are people, and those that are groups."""
        people = [entry for entry in entries if entry.classes & self.people]
        return people, [entry for entry in entries if entry.classes & self.groups and not entry.classes & self.people]

    def note(self, entries: Sequence[Entry]) -> None:
        """Notes what there is to be a member, or somebody's manager."""
        people, groups = self.split(entries)
        for entry in people:
            if login := entry.first(self.attributes["id"]):
                reference = f"identity:{login}" if "identities" in self.becomes else f"account:{self.system}/{login}"
                self.names[plain_dn(entry.name)] = reference
                self.logins[login.lower()] = reference
        for entry in groups:
            if name := entry.first("cn"):
                self.names[plain_dn(entry.name)] = f"group:{self.system}/{name}"

    @property
    def stands(self) -> dict[str, Callable[[tuple[Scalar, ...]], bool]]:
        """By kind what there still is in the directory although it was not read again."""
        logins = {reference.rpartition(":")[2].rpartition("/")[2] for reference in self.logins.values()}
        groups = {name.partition("/")[2] for name in self.names.values() if name.startswith("group:")}
        unread = groups - self.read_groups
        return {
            "systems": lambda key: True,
            "identities": lambda key: key[0] in logins,
            "accounts": lambda key: key[1] in logins,
            "groups": lambda key: key[1] in groups,
            "members": lambda key: key[1] in unread,
        }

    def tables(self, entries: Sequence[Entry]) -> list[Table]:
        self.note(entries)
        people, groups = self.split(entries)
        for entry in people:
            if entry.first(self.attributes["id"]) is None:
                reason = f"has no {self.attributes['id']}"
                self.aside(entry, reason, "Fill it in, or name another attribute for id in the source's attributes.")
        self.read_groups = {str(entry.first("cn")) for entry in groups}
        tables = [self.table(kinds.SYSTEMS, [({"system": self.system}, 0)])]
        known = [entry for entry in people if entry.first(self.attributes["id"])]
        if "identities" in self.becomes:
            tables.append(self.table(kinds.IDENTITIES, [(self.person(entry), entry.line) for entry in known]))
        if "accounts" in self.becomes:
            tables.append(self.table(kinds.ACCOUNTS, [(self.account(entry), entry.line) for entry in known]))
        tables.append(self.table(kinds.GROUPS, [(self.group(it), it.line) for it in groups if it.first("cn")]))
        members = [(row, entry.line) for entry in groups for row in self.members(entry)]
        return [*tables, self.table(kinds.MEMBERS, members)]

    def table(self, kind: kinds.Kind, rows: Sequence[tuple[Mapping[str, str | None], int]]) -> Table:
        import numpy as np

        names = list(dict.fromkeys(name for row, _ in rows for name in row)) or list(kind.key)
        table = Table.of_cells(kind, self.file, {name: [row.get(name) for row, _ in rows] for name in names})
        lines = np.array([line for _, line in rows], dtype=np.int64)
        return Table(kind, self.file, lines, table.columns, once=True)

    def aside(self, entry: Entry, reason: str, remedy: str) -> None:
        self.problems.append(Problem(self.file, entry.line, "", shown(entry.name), reason, remedy))

    def person(self, entry: Entry) -> dict[str, str | None]:
        record = {ours: entry.first(theirs) for ours, theirs in self.attributes.items()}
        if record.get("manager"):
            reference = self.names.get(plain_dn(str(record["manager"])), "")
            record["manager"] = reference.removeprefix("identity:") or None
        if self.is_disabled(entry):
            record["status"] = "suspended"
        return record

    def account(self, entry: Entry) -> dict[str, str | None]:
        login = entry.first(self.attributes["id"])
        owner = login if "identities" in self.becomes else None
        own = {"email": entry.first(self.attributes["email"]), "name": entry.first(self.attributes["name"])}
        status = "disabled" if self.is_disabled(entry) else "enabled"
        return {"system": self.system, "login": login, "identity": owner, "status": status, **own}

    def is_disabled(self, entry: Entry) -> bool:
        """Whether an attribute has a value that the source calls disabled."""
        return any(
            value.lower() == said.lower()
            for name, said in self.disabled.items()
            for value in entry.attributes.get(name.lower(), ())
        )

    def group(self, entry: Entry) -> dict[str, str | None]:
        title = entry.first("description")
        return {"system": self.system, "group": entry.first("cn"), "title": title}

    def members(self, entry: Entry) -> Iterator[dict[str, str | None]]:
        group = entry.first("cn")
        if group is None:
            self.aside(entry, "has no cn", "Give the group a name.")
            return
        named = [*entry.attributes.get("member", ()), *entry.attributes.get("uniquemember", ())]
        found = [(name, self.names.get(plain_dn(name))) for name in named if name.strip()]
        found += [(uid, self.logins.get(uid.strip().lower())) for uid in entry.attributes.get("memberuid", ())]
        for name, reference in found:
            if reference is None and plain_dn(name) != plain_dn(entry.name):
                reason = f"its member {shown(name)} is no person or group that was read"
                self.aside(entry, reason, "Read the part of the directory that it is in too, or take it out.")
            elif reference is not None:
                yield {"system": self.system, "group": group, "member": reference}


def plain_dn(name: str) -> str:
    """A distinguished name so that two ways of writing it are the same (RFC 4514)."""
    from ldap3.core.exceptions import LDAPInvalidDnError
    from ldap3.utils.dn import parse_dn

    try:
        parts = parse_dn(name.partition("#")[0], strip=True)
    except (LDAPInvalidDnError, IndexError):
        return name.strip().lower()
    return ",".join(f"{kind.lower()}={value.lower()}" for kind, value, _ in parts)


# From a server


def _from_server(settings: Settings, mark: str) -> Reading:
    """What a server says; only what is new since the mark, where the source is incremental and nothing is gone."""
    from ldap3.core.exceptions import LDAPException

    url, clock = settings.text("url"), _Clock()
    problems: list[Problem] = []
    translation = _Translation(settings, url, problems)
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


@dataclass
class _Clock:
    """How long was waited for the server."""

    waited: float = 0.0

    def timed(self, ask: Any, *words: Any, **named: Any) -> Any:
        began = time.monotonic()
        try:
            return ask(*words, **named)
        finally:
            self.waited += time.monotonic() - began


def _connected(settings: Settings, clock: _Clock) -> Any:
    import ldap3

    url, timeout = settings.text("url"), int(settings.number("timeout", 30)) or 1
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
        if sum(map(len, values)) > _MOST_BYTES:
            what = f"The entry {shown(name)} has more than {_MOST_BYTES >> 20} MiB in {attribute}."
            raise DataError(what, "Nothing was changed; leave such entries out with a filter.")
        if attribute.lower() not in ("userpassword", "jpegphoto", "usercertificate"):
            found[attribute.partition(";")[0].lower()] = [value.decode("utf-8", "replace") for value in values]
    return found


def _explained(settings: Settings, error: Exception) -> DataError:
    """What an error of the server means here; never with what was sent to it."""
    url = settings.text("url")
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
