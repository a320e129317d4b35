"""A folder tree as a source: walked here, or from a dump of its ACLs; and what is wrong with either."""

import os
import random
import shutil
import subprocess
import unittest
from pathlib import Path
from unittest import mock

from kathodos.connectors import posix as posix_source
from kathodos.connectors.settings import Source
from kathodos.errors import DataError
from tests import stores
from tests.connectors.test_posix_tree import GROUPS, USERS, grow, has_acls
from tests.support import Scratch
from tests.support import inside as run
from tests.support import records_inside as records

PASSWD = "".join(f"{name}:x:{number}:62001::/:/bin/sh\n" for number, name in USERS.items())
GROUP = "".join(f"{name}:x:{number}:{'ann,bo' if name == 'desk' else ''}\n" for number, name in GROUPS.items())


class Tree(Scratch, unittest.TestCase):
    def setUp(self):
        super().setUp()
        (self.folder / "passwd").write_text(PASSWD)
        (self.folder / "group").write_text(GROUP)

    def read(self, **settings):
        values = {"system": "files", "passwd": "passwd", "group": "group", **settings}
        reading = posix_source.read(Source("files", "posix", self.folder, values), "")
        found = {}
        for table in reading.tables:
            rows = zip(*(column.listed() for column in table.columns.values()), strict=True)
            found[table.kind.name] = {tuple(sorted(zip(table.columns, row, strict=True))) for row in rows}
        return found, reading

    @unittest.skipUnless(has_acls() and shutil.which("getfacl"), "needs root, a file system with ACLs, and getfacl")
    def test_a_dump_made_elsewhere_says_what_the_walk_says(self):
        for seed in range(8):
            top = self.folder / f"tree{seed}"
            top.mkdir()
            grow(top, random.Random(seed))
            for folder in [path for path in top.rglob("*") if path.is_dir()]:
                (folder / "inside").write_text("so that the dump shows that this is a folder")
            (top / "link").symlink_to("/etc")
            names = {f":{number}:": f":{name}:" for number, name in (*USERS.items(), *GROUPS.items())}
            dump = subprocess.run(["getfacl", "-R", "-P", "."], cwd=top, capture_output=True).stdout
            dump = os.fsdecode(dump)
            for number, name in (*USERS.items(), *GROUPS.items()):
                dump = dump.replace(f"owner: {number}\n", f"owner: {name}\n").replace(
                    f"group: {number}\n", f"group: {name}\n"
                )
            for number, name in names.items():
                dump = dump.replace(number, name)
            (self.folder / "dump").write_bytes(os.fsencode(dump))
            walked, reading = self.read(tree=f"tree{seed}")
            self.assertEqual(reading.problems, [])
            dumped, reading = self.read(dump="dump")
            self.assertEqual(reading.problems, [])
            self.assertEqual(walked, dumped)
            self.assertNotIn("link", str(walked["resources"]))

    def test_a_primary_group_without_a_line_has_its_members_all_the_same(self):
        (self.folder / "passwd").write_bytes(
            PASSWD.encode() + b"ed:x:61005:62009::/:/bin/sh\nf\xff:x:61006:62009::/:/x\n"
        )
        (self.folder / "dump").write_text(
            "# file: a\n# owner: ann\n# group: 62009\nuser::rw-\nuser:f\\377:rwx\t#effective:r--\n"
            "group::r--\nmask::r--\nother::---\n"
        )
        found, reading = self.read(dump="dump")
        self.assertEqual(reading.problems, [])
        inside = {dict(row)["member"] for row in found["members"] if dict(row)["group"] == "gid:62009"}
        self.assertEqual(inside, {"account:files/ed", "account:files/f%FF"})
        given = {(dict(row)["holder"], dict(row)["gives"]) for row in found["grants"] if dict(row)["on"] == "files:/a"}
        self.assertIn(("group:files/gid:62009", "role:files/file-r--"), given)
        self.assertIn(("account:files/f%FF", "role:files/file-r--"), given)
        self.assertNotIn("role:files/executes", {gives for _, gives in given})
        (self.folder / "passwd").write_text(PASSWD + f"ed:x:{'9' * 5000}:62009::/:/bin/sh\n")
        with self.assertRaisesRegex(DataError, "passwd, line 6: expected 7 fields"):
            self.read(dump="dump")

    def test_a_file_that_goes_while_the_tree_is_read_is_noted(self):
        top = self.folder / "tree"
        top.mkdir()
        for name in ("a", "b", "c"):
            (top / name).write_text("x")
        real = posix_source.read_access

        def reads(above, file):
            if file.name == "a":
                (top / "b").unlink()
            return real(above, file)

        with mock.patch.object(posix_source, "read_access", reads):
            found, reading = self.read(tree="tree")
        self.assertEqual(len(found["resources"]), 3)
        self.assertEqual([problem.reason for problem in reading.problems], ["went while the tree was read"])

    def test_what_is_wrong_with_files_is_told_with_its_line(self):
        (self.folder / "dump").write_text(
            "# file: a\n# owner: ann\n# group: crew\nuser::rw-\ngroup::r--\nother::---\n\n"
            "# file: b\\040c\n# owner: ann\nuser::rw-\ngroup::r--\nother::---\n\n"
            "# file: ../d\n# owner: ann\n# group: crew\nuser::rw-\ngroup::r--\nother::---\n\n"
            "# file: e\n# owner: ann\n# group: crew\nuser::rwz\n"
        )
        _, reading = self.read(dump="dump")
        self.assertEqual(
            [(problem.line, problem.reason) for problem in reading.problems],
            [
                (8, "has no 'group'"),
                (14, "has a path that leads upward"),
                (21, "has the line 'user::rwz', which is no ACL entry"),
            ],
        )
        (self.folder / "passwd").write_text("ann:x:61001\n")
        with self.assertRaisesRegex(DataError, "passwd, line 1: expected 7 fields"):
            self.read(dump="dump")
        with self.assertRaisesRegex(DataError, "is no folder"):
            (self.folder / "passwd").write_text(PASSWD)
            self.read(tree="nowhere")

    def test_the_command_gathers_a_tree_and_answers(self):
        run("init", "office", cwd=self.folder)
        office = self.folder / "office"
        top = office / "share"
        (top / "plans").mkdir(parents=True)
        (top / "plans" / "berth").write_text("x")
        for name in (b"\xff", b"\xfe", b"end "):
            (top / os.fsdecode(name)).write_text("x")
        for path, mode in ((top, 0o755), (top / "plans", 0o750), (top / "plans" / "berth", 0o640)):
            path.chmod(mode)
        mine = f"me:x:{os.geteuid() or 61001}:7::/:/bin/sh\nbo:x:61999:8::/:/bin/sh\n"
        (office / "passwd").write_text(mine)
        (office / "group").write_text("crew:x:7:\nwheel:x:8:bo\n")
        source = 'kind = "posix"\nsystem = "share"\ntree = "share"\npasswd = "passwd"\ngroup = "group"\n'
        stores.configured(office, f'[[source]]\nname = "tree"\n{source}administrators = ["wheel"]\n')
        rows = {row["kind"]: row["came"] for row in records("gather", cwd=office)}
        self.assertEqual((rows["accounts"], rows["resources"]), (2, 6))
        listed = {row["resource"] for row in records("list", "resources", cwd=office)}
        self.assertLess({"share:/%FF", "share:/%FE", "share:/end "}, listed)
        self.assertTrue(records("reach", "--on", "share:/%FF", cwd=office))
        self.assertTrue(records("reach", "--on", "share:/end ", cwd=office))
        reached = records("reach", "--on", "share:/plans/berth", "--do", "write", cwd=office)
        self.assertIn("share/bo", {row["account"] for row in reached})
        self.assertIn(("share:/plans", "goes"), self.after_losing(office, Path("share/plans")))

    def after_losing(self, office, path):
        shutil.rmtree(office / path)
        rows = records("gather", "--dry-run", cwd=office)
        return {(row["record"], row["what"]) for row in rows}


if __name__ == "__main__":
    unittest.main()
