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
from dataclasses import dataclass, field
from pathlib import Path

from kathodos.catalogue.addresses import address_of

Record = dict[str, object]
READ, WRITE, EXECUTE = 4, 2, 1
ANY_EXECUTE = 0o111
_ACL = "system.posix_acl_access"
_USER_OBJ, _USER, _GROUP_OBJ, _GROUP, _MASK, _OTHER = 0x01, 0x02, 0x04, 0x08, 0x10, 0x20
_SUPERUSER, _OWNER, _NAMED, _GROUPS, _OTHERS = -1, 0, 1, 2, 3


@dataclass(frozen=True)
class Access:
    """Who may do what with one file or folder. Permissions are sums of READ, WRITE and EXECUTE."""

    path: tuple[str, ...]
    is_folder: bool
    owner: int
    group: int
    of_owner: int
    of_group: int
    of_others: int
    of_users: Mapping[int, int] = field(default_factory=dict)
    of_groups: Mapping[int, int] = field(default_factory=dict)
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


def records_of(
    system: str,
    files: Iterable[Access],
    users: Mapping[int, str],
    groups: Mapping[int, str],
    members: Mapping[int, Sequence[int]],
) -> dict[str, list[Record]]:
    """The records of a tree by kind. `members`: by group the users that are in it, primary groups included."""
    tables: dict[str, list[Record]] = {
        "systems": [{"system": system, "combining": "first-applicable", "inherit": 0, "gates": "folder=search"}],
        "accounts": [{"system": system, "login": name, "privileged": int(user == 0)} for user, name in users.items()],
        "groups": [{"system": system, "group": name} for name in groups.values()],
        "members": [
            {"system": system, "group": groups[group], "member": f"account:{system}/{users[user]}"}
            for group, inside in members.items()
            for user in inside
        ],
        "actions": [
            {"system": system, "action": action, "kind": kind}
            for action, kind in (("read", "read"), ("write", "write"), ("search", "read"), ("execute", "write"))
        ],
        "resources": [],
        "grants": [],
    }
    for access in files:
        address = address_of(system, access.path)
        tables["resources"].append({"resource": address, "type": "folder" if access.is_folder else "file"})
        for tier, holder, permissions in _classes(system, access, users, groups):
            tables["grants"] += _grants(access, address, holder, tier, permissions)
    return tables


def _classes(
    system: str, access: Access, users: Mapping[int, str], groups: Mapping[int, str]
) -> Iterator[tuple[int, str, int]]:
    """(tier, holder, permissions) of every class that decides about a file."""
    if 0 in users:
        # The superuser reads and writes everything, and executes what anybody may execute.
        may = READ | WRITE | (EXECUTE if access.is_folder or access.is_executable else 0)
        yield _SUPERUSER, f"account:{system}/{users[0]}", may
    if access.owner in users:
        yield _OWNER, f"account:{system}/{users[access.owner]}", access.of_owner
    for user, permissions in access.of_users.items():
        if user in users:
            yield _NAMED, f"account:{system}/{users[user]}", access.masked(permissions)
    for group, permissions in ((access.group, access.of_group), *access.of_groups.items()):
        if group in groups:
            yield _GROUPS, f"group:{system}/{groups[group]}", access.masked(permissions)
    yield _OTHERS, "everyone", access.of_others


def _grants(access: Access, address: str, holder: str, tier: int, permissions: int) -> Iterator[Record]:
    """A permit for every permission that a class has, a deny for every one that it has not."""
    for bit, action in ((READ, "read"), (WRITE, "write"), (EXECUTE, "search" if access.is_folder else "execute")):
        effect = "permit" if permissions & bit else "deny"
        name = f"{address} {tier} {holder} {action} {effect}"
        yield {"grant": name, "holder": holder, "gives": f"{action} {address}", "effect": effect, "tier": tier}
