"""Entries of a directory as identities, accounts, groups and members."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence

import msgspec

from kathodos.columns.dictionary import Scalar
from kathodos.connectors.ldif import Entry
from kathodos.connectors.mapping import Table
from kathodos.connectors.settings import Settings
from kathodos.formats.raw import CELL_LEFT_OUT, SET_ASIDE, Outcome, Problem, shown
from kathodos.model import kinds
from kathodos.model.references import name_in, reference_to

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


class Translation(msgspec.Struct, dict=True):
    """Entries of people and groups as tables."""

    settings: Settings
    file: str
    problems: list[Problem]
    names: dict[str, str] = msgspec.field(default_factory=dict)  # of normalised entry names: the reference
    logins: dict[str, str] = msgspec.field(default_factory=dict)
    read_groups: set[str] = msgspec.field(default_factory=set)

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
                reference = (
                    reference_to("identity", login)
                    if "identities" in self.becomes
                    else reference_to("account", self.system, login)
                )
                self.names[plain_dn(entry.name)] = reference
                self.logins[login.lower()] = reference
        for entry in groups:
            if name := entry.first("cn"):
                self.names[plain_dn(entry.name)] = reference_to("group", self.system, name)

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

    def aside(self, entry: Entry, reason: str, remedy: str, outcome: Outcome = SET_ASIDE) -> None:
        self.problems.append(Problem(self.file, entry.line, "", shown(entry.name), reason, remedy, outcome))

    def person(self, entry: Entry) -> dict[str, str | None]:
        record = {ours: entry.first(theirs) for ours, theirs in self.attributes.items()}
        if record.get("manager"):
            reference = self.names.get(plain_dn(str(record["manager"])), "")
            record["manager"] = name_in("identity", reference) or None
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
                remedy = "Read the part of the directory that it is in too, or take it out."
                self.aside(entry, reason, remedy, CELL_LEFT_OUT)
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
