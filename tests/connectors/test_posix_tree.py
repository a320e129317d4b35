"""The kernel's own answer: what the engine reaches in a file tree is what access(2) says, asked as each user."""

import json
import os
import random
import struct
import tempfile
import unittest
from pathlib import Path

from kathodos.connectors import posix_tree as posix
from kathodos.engine.everyone import triples
from kathodos.model.addresses import address_of
from tests.support import index_of

USERS = {0: "root", 61001: "ann", 61002: "bo", 61003: "cy", 61004: "di"}
GROUPS = {62001: "crew", 62002: "desk", 62003: "yard"}
NASTY = (
    *map(os.fsdecode, (b"\xff", b"\xfe", b"b ", b"t\t", b" l", b"c\\", b"o\\040")),
    "%FF",
    "n\n",
    "é",
    "#h",
    "b",
    "t",
)
WAYS = (("read", os.R_OK), ("write", os.W_OK), ("execute", os.X_OK))


def has_acls():
    """Whether we are root on a file system that keeps ACLs."""
    if os.geteuid() != 0 or not hasattr(os, "setxattr"):
        return False
    with tempfile.NamedTemporaryFile() as file:
        try:
            os.setxattr(file.name, "system.posix_acl_access", acl({61001: 4}, {}, 7, 6, 4, 4))
        except OSError:
            return False
    return True


def acl(users, groups, mask, owner, group, others):
    """An ACL with named users and groups, as the kernel keeps it."""
    nobody = 0xFFFFFFFF
    entries = [(1, owner, nobody), (4, group, nobody), (16, mask, nobody), (32, others, nobody)]
    entries += [(2, permissions, user) for user, permissions in users.items()]
    entries += [(8, permissions, name) for name, permissions in groups.items()]
    return struct.pack("<I", 2) + b"".join(struct.pack("<HHI", *entry) for entry in sorted(entries))


def grow(top, seeded):
    """A random tree: folders in folders, owners and groups of all sorts, modes and ACLs."""
    folders, everything = [top], [top]
    for number in range(26):
        path = seeded.choice(folders) / seeded.choice((f"f{number}", f"a*{number}", f"50%{number}", *NASTY))
        if path.exists():
            continue
        if seeded.random() < 0.45:
            path.mkdir()
            folders.append(path)
        else:
            path.write_text("x")
        everything.append(path)
    for path in everything[1:]:
        os.chown(path, seeded.choice(list(USERS)), seeded.choice(list(GROUPS)))
        generous = seeded.random() < 0.6
        path.chmod(seeded.choice((0o755, 0o775, 0o711)) if generous else seeded.randrange(0o1000))
        if seeded.random() < 0.5:
            users = {user: seeded.randrange(8) for user in USERS if seeded.random() < 0.4}
            groups = {group: seeded.randrange(8) for group in GROUPS if seeded.random() < 0.4}
            data = acl(
                users, groups, seeded.choice((7, 5, seeded.randrange(8))), *(seeded.randrange(8) for _ in range(3))
            )
            os.setxattr(path, "system.posix_acl_access", data)
    return everything


def records_of(columns):
    """Columns of texts as the records that a gather makes of them."""
    numbers = {"inherit", "detached", "privileged", "tier"}
    rows = [dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)]
    rows = [{name: int(value) if name in numbers else value for name, value in row.items()} for row in rows]
    return [{**row, "grant": f"g{at}"} if "gives" in row else row for at, row in enumerate(rows)]


def asked_as(user, groups, files):
    """What access(2) says to a user who is in these groups, asked by a process of that user's own."""
    read, write = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(read)
        os.setgroups(groups)
        if user:
            os.setresgid(groups[0], groups[0], groups[0])
            os.setresuid(user, user, user)
        said = [[os.access(path, way, follow_symlinks=False) for _, way in WAYS] for path in files]
        with os.fdopen(write, "w") as pipe:
            json.dump(said, pipe)
        os._exit(0)
    os.close(write)
    with os.fdopen(read) as pipe:
        said = json.load(pipe)
    os.waitpid(child, 0)
    return said


@unittest.skipUnless(has_acls(), "needs root, and a file system that keeps ACLs")
class TheKernelsOwnAnswer(unittest.TestCase):
    def test_reach_is_what_access_says_to_every_user_about_every_file(self):
        for seed in range(12):
            with self.subTest(seed=seed), tempfile.TemporaryDirectory() as folder:
                self.compare(Path(folder), random.Random(seed))

    def compare(self, folder, seeded):
        folder.chmod(0o755)
        files = grow(folder, seeded)
        members = {group: [user for user in USERS if user and seeded.random() < 0.5] for group in GROUPS}
        access = [posix.read_access(folder, path) for path in files]
        columns = posix.columns_of("files", access, USERS, GROUPS, members)
        tables = {kind: records_of(said) for kind, said in columns.items()}
        index = index_of(tables)
        reached = set(triples(index, None, 0))
        self.assertEqual(len({address_of("files", it.path) for it in access}), len(files))
        for user, name in USERS.items():
            groups = [group for group, inside in members.items() if user in inside] or [65534]
            for entry, path, said in zip(access, files, asked_as(user, groups, files), strict=True):
                for (way, _), is_permitted in zip(WAYS, said, strict=True):
                    action = "search" if way == "execute" and entry.is_folder else way
                    asked = (f"account:files/{name}", action, address_of("files", entry.path))
                    self.assertEqual(asked in reached, is_permitted, (asked, path, entry))


if __name__ == "__main__":
    unittest.main()
