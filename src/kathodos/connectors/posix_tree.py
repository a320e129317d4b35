"""A file tree with modes and POSIX ACLs as records that decide as the kernel does (acl(5), "Access check algorithm").

The classes of a file are tried in order and the first that matches decides: owner, named users, owning and named groups
together, others. That is first-applicable with a tier a class, each class permitting what it has and denying what it
has not; among groups one that permits is enough. Reaching anything needs `search` on every folder above it: a gate.

One thing is not in the manual page: where the mode's group bits (the mask) are all zero, Linux does not look at the ACL
at all, so named users and groups fall through to the others' permissions.
"""

from __future__ import annotations

import os
import stat
import struct
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from kathodos.model.addresses import address_of
from kathodos.model.references import reference_to

Columns = dict[str, list[str | None]]
READ, WRITE, EXECUTE = 4, 2, 1
ANY_EXECUTE = 0o111
_ACL = "system.posix_acl_access"
_USER_OBJ, _USER, _GROUP_OBJ, _GROUP, _MASK, _OTHER = 0x01, 0x02, 0x04, 0x08, 0x10, 0x20
_SUPERUSER = -1
_OWNER, _NAMED, _GROUPS, _OTHERS = "0", "1", "2", "3"
_COMBINING = "first-applicable"
_OF_KINDS = {
    "file": ((READ, "read"), (WRITE, "write"), (EXECUTE, "execute")),
    "folder": ((READ, "read"), (WRITE, "write"), (EXECUTE, "search")),
}
_EXECUTES = "executes"


class Access(msgspec.Struct, frozen=True):
    """Who may do what with one file or folder. Permissions are sums of READ, WRITE and EXECUTE."""

    path: tuple[str, ...]
    is_folder: bool
    owner: int
    group: int
    of_owner: int
    of_group: int
    of_others: int
    of_users: Mapping[int, int] = msgspec.field(default_factory=dict)
    of_groups: Mapping[int, int] = msgspec.field(default_factory=dict)
    mask: int | None = None
    is_executable: bool = False

    def masked(self, permissions: int) -> int:
        """What of these permissions the mask lets through."""
        return permissions if self.mask is None else permissions & self.mask


def read_access(top: Path, file: Path) -> Access:
    """The access of one file or folder of a tree, from its mode and its ACL. Follows no link."""
    status = os.lstat(file)
    mode = status.st_mode
    known = {
        "path": file.relative_to(top).parts,
        "is_folder": stat.S_ISDIR(mode),
        "owner": status.st_uid,
        "group": status.st_gid,
        "is_executable": bool(mode & ANY_EXECUTE),
    }
    acl = _acl_of(file) if mode & 0o070 else None
    if acl is None:
        return Access(**known, of_owner=mode >> 6 & 7, of_group=mode >> 3 & 7, of_others=mode & 7)  # type: ignore[arg-type]  # by name
    plain = {tag: permissions for tag, permissions, _ in acl}
    return Access(
        **known,  # type: ignore[arg-type]  # by name
        of_owner=plain[_USER_OBJ],
        of_group=plain[_GROUP_OBJ],
        of_others=plain[_OTHER],
        of_users={name: permissions for tag, permissions, name in acl if tag == _USER},
        of_groups={name: permissions for tag, permissions, name in acl if tag == _GROUP},
        mask=plain.get(_MASK),
    )


def _acl_of(file: Path) -> list[tuple[int, int, int]] | None:
    """The entries (tag, permissions, id) of a file's ACL; None where it has only a mode."""
    try:
        data = os.getxattr(file, _ACL, follow_symlinks=False)
    except OSError:
        return None
    return [struct.unpack_from("<HHI", data, at) for at in range(4, len(data), 8)]


def columns_of(
    system: str,
    files: Iterable[Access],
    users: Mapping[int, str],
    groups: Mapping[int, str],
    members: Mapping[int, Sequence[int]],
) -> dict[str, Columns]:
    """The records of a tree, by kind as columns. `members`: by group the users in it, primary groups included.

    What a class may do with a file is one grant of a role, such as `file-r-x`, on the file's address. Every resource is
    detached, so that such a grant on a folder holds the folder alone.
    """
    inside = [
        (groups[group], reference_to("account", system, users[user]))
        for group, some in members.items()
        for user in some
    ]
    resources: Columns = {"resource": [], "type": [], "detached": []}
    grants: Columns = {"holder": [], "gives": [], "on": [], "tier": []}
    for holder, gives, on, tier in _of_superuser(system, users):
        _add(grants, holder, gives, on, tier)
    for access in files:
        address, kind = address_of(system, access.path), "folder" if access.is_folder else "file"
        _add(resources, address, kind, "1")
        for tier, holder, permissions in _classes(system, access, users, groups):
            _add(grants, holder, f"role:{system}/{kind}-{_text(permissions)}", address, tier)
        if 0 in users and access.is_executable and not access.is_folder:
            _add(
                grants,
                reference_to("account", system, users[0]),
                reference_to("role", system, _EXECUTES),
                address,
                str(_SUPERUSER),
            )
    return {
        **_policy_of(system),
        "accounts": _table(
            ["system", "login", "privileged"], [(system, name, str(int(user == 0))) for user, name in users.items()]
        ),
        "groups": _table(["system", "group"], [(system, name) for name in groups.values()]),
        "members": _table(["system", "group", "member"], [(system, *pair) for pair in inside]),
        "resources": resources,
        "grants": grants,
    }


def _policy_of(system: str) -> dict[str, Columns]:
    """What is the same for every tree: the system, its actions, and a role for each that a class may have."""
    roles = [f"{kind}-{_text(bits)}" for kind in _OF_KINDS for bits in range(8)]
    lines = [
        (f"{kind}-{_text(bits)}", action, "permit" if bits & bit else "deny")
        for kind, of_kind in _OF_KINDS.items()
        for bits in range(8)
        for bit, action in of_kind
    ]
    lines.append((_EXECUTES, "execute", "permit"))
    actions = (("read", "read"), ("write", "write"), ("search", "read"), ("execute", "write"))
    return {
        "systems": _table(["system", "combining", "inherit", "gates"], [(system, _COMBINING, "0", "folder=search")]),
        "roles": _table(["system", "role"], [(system, role) for role in (*roles, _EXECUTES)]),
        "actions": _table(["system", "action", "kind"], [(system, *pair) for pair in actions]),
        "role_permissions": _table(
            ["system", "role", "action", "resource", "effect"],
            [(system, role, action, f"{system}:/**", effect) for role, action, effect in lines],
        ),
    }


def _add(columns: Columns, *values: str | None) -> None:
    for column, value in zip(columns.values(), values, strict=True):
        column.append(value)


def _table(names: Sequence[str], rows: Sequence[tuple[str, ...]]) -> Columns:
    return {name: [row[at] for row in rows] for at, name in enumerate(names)}


def _text(permissions: int) -> str:
    """Permissions as `ls` writes them: `r-x`."""
    return "".join(mark if permissions & bit else "-" for bit, mark in ((READ, "r"), (WRITE, "w"), (EXECUTE, "x")))


def _of_superuser(system: str, users: Mapping[int, str]) -> Iterator[tuple[str, str, None, str]]:
    """The superuser reads, writes and searches everything; it executes what anybody may execute."""
    if 0 in users:
        for action in ("read", "write", "search"):
            yield reference_to("account", system, users[0]), f"{action} {system}:/**", None, str(_SUPERUSER)


def _classes(
    system: str, access: Access, users: Mapping[int, str], groups: Mapping[int, str]
) -> Iterator[tuple[str, str, int]]:
    """(tier, holder, permissions) of every class that decides about a file."""
    if access.owner in users:
        yield _OWNER, reference_to("account", system, users[access.owner]), access.of_owner
    for user, permissions in access.of_users.items():
        if user in users:
            yield _NAMED, reference_to("account", system, users[user]), access.masked(permissions)
    for group, permissions in ((access.group, access.of_group), *access.of_groups.items()):
        if group in groups:
            yield _GROUPS, reference_to("group", system, groups[group]), access.masked(permissions)
    yield _OTHERS, "everyone", access.of_others
