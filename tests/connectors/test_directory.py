"""Directories: LDIF files, and a real slapd read page by page, over TLS, and only what is new."""

import tempfile
import unittest
from pathlib import Path

from kathodos.connectors.directory import read
from kathodos.connectors.ldif import read_ldif
from kathodos.connectors.settings import Source
from kathodos.errors import DataError
from tests import stores
from tests.servers import PASSWORD, ROOT, SLAPD, Cutting, Directory
from tests.support import Scratch
from tests.support import inside as run
from tests.support import records_inside as records

BASE = "dc=tarnholm,dc=example"
HEAD = f"dn: {BASE}\nobjectClass: dcObject\nobjectClass: organization\no: Tarnholm\ndc: tarnholm\n"
FOLK = """
dn: uid=ann,{base}
objectClass: inetOrgPerson
uid: ann
cn: Ann
sn: Bow
displayName: Ann Bow
mail: ann@tarnholm.example
departmentNumber: Dues office

dn: uid=bo,{base}
objectClass: inetOrgPerson
uid: bo
cn:: QsO4
sn: Bo
manager: UID=Ann, {base}
title: a very
  long title

dn: cn=clerks,{base}
objectClass: groupOfNames
cn: clerks
member: uid=ann,{base}
member: cn=night,{base}

dn: cn=night,{base}
objectClass: groupOfUniqueNames
cn: night
uniqueMember: uid=bo,{base}

dn: cn=unix,{base}
objectClass: posixGroup
cn: unix
gidNumber: 5
memberUid: ann
""".replace("{base}", BASE)


def gone_through(source):
    """The records of a source, by kind, as sets of what their cells say."""
    reading = read(source, "")
    found = {}
    for table in reading.tables:
        rows = zip(*(column.listed() for column in table.columns.values()), strict=True)
        named = [
            {name: cell for name, cell in zip(table.columns, row, strict=True) if cell is not None} for row in rows
        ]
        found[table.kind.name] = named
    return found, reading


class Ldif(unittest.TestCase):
    def read(self, content, **settings):
        with tempfile.TemporaryDirectory() as folder:
            data = content if isinstance(content, bytes) else content.encode()
            (Path(folder) / "all.ldif").write_bytes(data)
            return gone_through(Source("dir", "ldif", Path(folder), {"path": "all.ldif", **settings}))

    def test_people_groups_and_nesting_folded_and_base64_lines(self):
        found, reading = self.read(f"version: 1\n# a comment\n  going on\n\n{HEAD}{FOLK}")
        ann, bo = found["identities"]
        self.assertEqual(
            (ann["name"], ann["email"], ann["department"]), ("Ann Bow", "ann@tarnholm.example", "Dues office")
        )
        self.assertEqual((bo["name"], bo["manager"], bo["title"]), ("Bø", "ann", "a very long title"))
        self.assertEqual(
            {(row["group"], row["member"]) for row in found["members"]},
            {
                ("clerks", "identity:ann"),
                ("clerks", "group:directory/night"),
                ("night", "identity:bo"),
                ("unix", "identity:ann"),
            },
        )
        self.assertEqual(reading.problems, [])

    def test_entries_may_be_accounts_with_what_disables_them(self):
        content = f"{FOLK}\n".replace("sn: Bow", "sn: Bow\nemployeeType: off")
        settings = {"as": ["accounts"], "system": "corp", "disabled_where": {"employeeType": "off"}}
        found, _ = self.read(content, **settings)
        self.assertEqual(
            [(row["login"], row["status"]) for row in found["accounts"]], [("ann", "disabled"), ("bo", "enabled")]
        )
        self.assertIn("account:corp/bo", {row["member"] for row in found["members"]})

    def test_what_is_wrong_is_set_aside_with_its_line(self):
        wrong = (
            "dn: uid=c,o=x\nobjectClass: person\nno colon here\n\n"
            "dn: uid=d,o=x\nobjectClass: person\nuid:: ***\n\n"
            "objectClass: person\n\n"
            "dn: uid=e,o=x\nchangetype: delete\n\n"
            "dn: cn=f,o=x\nobjectClass: person\ncn: f\n\n"
            "dn: cn=g,o=x\nobjectClass: groupOfNames\ncn: g\nmember: uid=nobody,o=x\n\n"
        )
        _, reading = self.read((FOLK + "\n" + wrong).encode() + b"dn: uid=z,o=x\nuid: \xff\n")
        first = FOLK.count("\n") + 2
        told = [(problem.line - first, problem.reason) for problem in reading.problems]
        self.assertEqual([line for line, _ in told], [0, 4, 8, 10, 22, 13, 17])
        self.assertEqual(
            [reason for _, reason in told],
            [
                "has a line without a colon",
                "has a value of uid that is no base64",
                "is no entry",
                "is a change, and no content",
                "is not UTF-8",
                "has no uid",
                "its member uid=nobody,o=x is no person or group that was read",
            ],
        )

    def test_a_file_cut_off_in_a_long_value_and_a_url_are_only_data(self):
        found, _ = self.read(
            FOLK + "\ndn: uid=h,o=x\nobjectClass: person\nuid: h\ncn:< file:///etc/passwd\ndescription: x"
        )
        self.assertEqual(found["identities"][-1], {"id": "h"})

    def test_an_attribute_of_many_megabytes_is_refused(self):
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "big.ldif"
            file.write_bytes(b"dn: uid=a,o=x\ncn: " + b"x" * 100 + (b"\n " + b"y" * (1 << 20)) * 17)
            with self.assertRaisesRegex(DataError, "longer than 16 MiB"):
                list(read_ldif(file, []))


@unittest.skipUnless(SLAPD, "slapd is not installed")
class Server(Scratch, unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.home = tempfile.TemporaryDirectory()
        many = "".join(
            f"\ndn: uid=q{n},{BASE}\nobjectClass: inetOrgPerson\nuid: q{n}\ncn: Q\nsn: Q\n" for n in range(130)
        )
        cls.server = Directory(Path(cls.home.name) / "slapd", HEAD + FOLK + many)

    @classmethod
    def tearDownClass(cls):
        cls.server.stop()
        cls.home.cleanup()
        super().tearDownClass()

    def source(self, **settings):
        bind = {"as": ROOT, "password_from": "file:secret"}
        (self.folder / "secret").write_text(PASSWORD)
        values = {"url": self.server.url, "base": BASE, "bind": bind, "page": 20, "timeout": 5, **settings}
        return Source("dir", "ldap", self.folder, values)

    def test_all_pages_are_read_and_equal_what_the_file_says(self):
        found, reading = gone_through(self.source())
        self.assertEqual(len(found["identities"]), 132)
        self.assertEqual(len(found["members"]), 4)
        self.assertGreater(reading.waited, 0)

    def test_certificates_are_checked(self):
        authority = str(self.server.folder / "server.pem")
        found, _ = gone_through(self.source(url=self.server.tls_url, ca_file=authority))
        self.assertEqual(len(found["identities"]), 132)
        with self.assertRaisesRegex(DataError, "could not be trusted"):
            read(self.source(url=self.server.tls_url), "")
        found, _ = gone_through(
            self.source(url=self.server.url.replace("127.0.0.1", "localhost"), start_tls=True, ca_file=authority)
        )
        self.assertEqual(len(found["identities"]), 132)

    def test_the_operating_system_says_who_asks_where_the_bind_is_external(self):
        found, _ = gone_through(self.source(url=self.server.local_url, bind={"how": "external"}))
        self.assertGreater(len(found["identities"]), 130)
        with self.assertRaisesRegex(DataError, "shows nothing|has nothing"):
            read(self.source(url=self.server.local_url, bind={}), "")

    def test_what_goes_wrong_is_told_and_never_the_password(self):
        bind = {"as": ROOT, "password_from": "file:wrong"}
        (self.folder / "wrong").write_text("not the secret")
        port = Cutting(self.server.port, 9000).port
        for settings, told in (
            ({"bind": bind}, "refuses the name or the password"),
            ({"bind": {}}, "shows nothing|has nothing"),
            ({"base": "dc=other"}, "shows nothing below dc=other"),
            ({"url": "ldap://127.0.0.1:9"}, "does not answer"),
            ({"url": f"ldap://127.0.0.1:{port}"}, "broke off"),
            ({"url": "ldap://directory.example"}, "start_tls = true"),
            ({"bind": {"as": ROOT, "password": "x"}}, "only as, password_from, how"),
            ({"bind": {"as": ROOT, "password_from": "x"}}, "no secret stands in kathodos.toml"),
        ):
            with self.assertRaisesRegex(DataError, told) as caught:
                read(self.source(**settings), "")
            self.assertNotIn("made up for the demo", str(caught.exception))

    def test_the_command_reads_only_what_is_new_and_sees_what_is_gone(self):
        run("init", "office", cwd=self.folder)
        office = self.folder / "office"
        (office / "secret").write_text(PASSWORD)
        stores.configured(
            office,
            f'[[source]]\nname = "dir"\nkind = "ldap"\nurl = "{self.server.url}"\nbase = "{BASE}"\nincremental = true\n'
            f'bind = {{ as = "{ROOT}", password_from = "env:LDAP_SECRET" }}\n',
        )

        def gather():
            rows = records("gather", cwd=office, LDAP_SECRET=PASSWORD)
            return {row["kind"]: (row["came"], row["changed"], row["went"]) for row in rows}

        self.assertIn("no LDAP_SECRET", run("gather", cwd=office, status=3).stderr)
        self.assertEqual(gather()["identities"], (132, 0, 0))
        self.server.change(
            f"dn: uid=q1,{BASE}\nchangetype: delete\n\n"
            f"dn: uid=q2,{BASE}\nchangetype: modify\nreplace: title\ntitle: Clerk\n\n"
            f"dn: cn=clerks,{BASE}\nchangetype: modify\ndelete: member\nmember: uid=ann,{BASE}\n"
        )
        self.assertEqual(
            gather(), {"systems": (0, 0, 0), "identities": (0, 1, 1), "groups": (0, 0, 0), "members": (0, 0, 1)}
        )
        told = run("ledger", "list", "--format", "json", cwd=office).stdout + (office / "kathodos.toml").read_text()
        self.assertNotIn(PASSWORD, told)
        self.assertEqual(run("sources", "check", cwd=office, LDAP_SECRET=PASSWORD, status=0).stderr, "")


if __name__ == "__main__":
    unittest.main()
