"""A provisioning service: pages, cursors, tags and filters, and one that misbehaves in every way."""

import contextlib
import copy
import json
import os
import threading
import unittest

from kathodos.connectors.scim import ENTERPRISE, read
from kathodos.connectors.settings import Source
from kathodos.errors import DataError
from kathodos.standin.scim import Standin
from tests import stores
from tests.support import Scratch
from tests.support import inside as run
from tests.support import records_inside as records

TOKEN = "a token of the tests"


def user(number, **more):
    return {
        "id": f"u{number}",
        "userName": f"p{number:04d}",
        "displayName": f"Person {number}",
        "active": number % 10 != 0,
        "emails": [{"value": "second@x.example"}, {"value": f"p{number}@x.example", "primary": True}],
        "roles": [{"value": "night pilot"}] if number % 2 else [],
        "entitlements": [{"value": "tide/tables"}] if number == 3 else [],
        ENTERPRISE: {"department": "Pilotage", "manager": {"value": "u1"}, "employeeNumber": str(number)},
        **more,
    }


DATA = {
    "Users": [user(number) for number in range(1, 251)],
    "Groups": [
        {"id": "g1", "displayName": "pilots", "members": [{"value": "u1"}, {"value": "g2"}, {"value": "nobody"}]},
        {"id": "g2", "displayName": "night", "members": [{"value": "u2"}]},
    ],
}


@contextlib.contextmanager
def serving(data=DATA, **how):
    server = Standin(0, copy.deepcopy(data), **how)
    thread = threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True)
    thread.start()
    try:
        yield server
    finally:
        server.shutdown()
        server.server_close()


class Scim(Scratch, unittest.TestCase):
    def read(self, server, **settings):
        values = {"url": server.url, "system": "roster", "retries": 3, "timeout": 20, **settings}
        reading = read(Source("roster", "scim", self.folder, values), "")
        found = {}
        for table in reading.tables:
            rows = zip(*(column.listed() for column in table.columns.values()), strict=True)
            found[table.kind.name] = [dict(zip(table.columns, row, strict=True)) for row in rows]
        return found, reading

    def test_users_groups_roles_and_entitlements_by_index_and_by_cursor(self):
        with serving() as server:
            for cursor in (False, True):
                found, reading = self.read(server, cursor=cursor, page=80, **{"as": ["identities", "accounts"]})
                self.assertEqual(len(found["identities"]), 250)
                first, tenth = found["identities"][0], found["identities"][9]
                self.assertEqual(
                    (first["email"], first["manager"], first["status"]), ("p1@x.example", "p0001", "active")
                )
                self.assertEqual((tenth["status"], tenth["department"]), ("suspended", "Pilotage"))
                self.assertEqual(found["accounts"][2]["staff_number"], "3")
                members = {(row["group"], row["member"]) for row in found["members"]}
                expected = {("pilots", "identity:p0001"), ("pilots", "group:roster/night"), ("night", "identity:p0002")}
                self.assertEqual(members, expected)
                gives = [row["gives"] for row in found["grants"] if row["holder"] == "identity:p0003"]
                self.assertEqual(gives, ["role:roster/night pilot", "hold roster:/entitlements/tide%2Ftables"])
                self.assertEqual([problem.value for problem in reading.problems], ["g1"])
                self.assertGreater(reading.waited, 0)

    def test_a_filter_is_asked_of_the_service(self):
        with serving() as server:
            found, _ = self.read(server, filter='userName eq "p0007"')
            self.assertEqual([row["login"] for row in found["accounts"]], ["p0007"])

    def test_members_that_are_no_list_and_half_characters(self):
        groups = [
            {"id": "g1", "displayName": "odd\ud800", "members": 5},
            {"id": "g2", "displayName": "odd", "members": {}},
        ]
        groups.append({"id": "g3", "displayName": "even", "members": [{"value": "u1"}, 7, None]})
        with serving({"Users": DATA["Users"][:3], "Groups": groups}) as server:
            found, reading = self.read(server)
        self.assertEqual([row["group"] for row in found["groups"]], ["odd%ED%A0%80", "odd", "even"])
        self.assertEqual([row["group"] for row in found["members"]], ["even"])
        self.assertIn("are no list", " ".join(it.reason for it in reading.problems))

    def test_a_busy_service_is_asked_again(self):
        with serving(fault="busy") as server:
            found, _ = self.read(server)
            self.assertEqual(len(found["accounts"]), 250)

    def test_a_service_that_misbehaves_is_told_in_clear_words(self):
        for fault, told in (
            ("repeat", "says it has 250 Users, but gives only 100"),
            ("short", "says it has 255 Users, but gives only 250"),
            ("html", "answers text/html, and no JSON"),
            ("redirect", "sends us on to elsewhere.example"),
            ("huge", "more than 32 MiB in one answer"),
            ("stop", "does not answer, or broke off"),
        ):
            with self.subTest(fault), serving(fault=fault) as server, self.assertRaisesRegex(DataError, told):
                self.read(server, retries=0)
        with serving(fault="repeat") as server, self.assertRaisesRegex(DataError, "the same page of Users for ever"):
            self.read(server, cursor=True)

    def test_secrets_come_from_outside_and_stay_there(self):
        (self.folder / "token").write_text(TOKEN + "\n")
        with serving(token=TOKEN) as server:
            found, _ = self.read(server, auth={"token_from": "file:token"})
            self.assertEqual(len(found["accounts"]), 250)
            os.environ["WRONG_TOKEN"] = "another secret"
            for auth, told in (
                ({}, "does not accept the credentials \\(401\\)"),
                ({"token_from": "env:WRONG_TOKEN"}, "401"),
                ({"how": "basic", "user": "u", "password_from": "env:WRONG_TOKEN"}, "401"),
                ({"token_from": "env:NOT_THERE"}, "has no NOT_THERE"),
                ({"token": "x"}, "only how, user, password_from, token_from"),
            ):
                with self.assertRaisesRegex(DataError, told) as caught:
                    self.read(server, auth=auth)
                self.assertNotIn("secret", str(caught.exception).replace("no secret stands", ""))
        with self.assertRaisesRegex(DataError, "https"):
            read(Source("x", "scim", self.folder, {"url": "http://scim.example/v2"}), "")

    def test_the_command_gathers_and_sees_by_the_tags_that_nothing_changed(self):
        run("init", "office", cwd=self.folder)
        office = self.folder / "office"
        with serving(token=TOKEN) as server:
            stores.configured(
                office,
                f'[[source]]\nname = "roster"\nkind = "scim"\nurl = "{server.url}"\nsystem = "roster"\n'
                'as = ["identities", "accounts"]\nauth = { token_from = "env:ROSTER_TOKEN" }\n',
            )
            rows = {row["kind"]: row["came"] for row in records("gather", cwd=office, ROSTER_TOKEN=TOKEN)}
            self.assertEqual((rows["identities"], rows["accounts"], rows["grants"]), (250, 250, 126))
            asked = server.asked
            rows = records("gather", cwd=office, ROSTER_TOKEN=TOKEN)
            self.assertEqual({row["came"] + row["changed"] + row["went"] for row in rows}, {0})
            self.assertEqual(server.asked - asked, 4)
            server.data["Users"][0]["active"] = False
            rows = {row["kind"]: row["changed"] for row in records("gather", cwd=office, ROSTER_TOKEN=TOKEN)}
            self.assertEqual((rows["identities"], rows["accounts"]), (1, 1))
            told = run("ledger", "list", "--format", "json", cwd=office).stdout
            self.assertNotIn(TOKEN, told)
            told = run("show", "role:roster/night pilot", cwd=office).stdout
            self.assertIn("grants (125)", told)
            reached = records("reach", "--by", "identity:p0003", cwd=office)
            self.assertEqual([row["resource"] for row in reached], ["roster:/entitlements/tide%2Ftables"])

    def test_the_standin_of_the_command_serves_a_file(self):
        import subprocess

        import httpx

        from tests.support import COMMAND

        file = self.folder / "data.json"
        file.write_text(json.dumps({"Users": [user(1)]}))
        words = [COMMAND, "standin", "scim", file]
        with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as process:
            url = process.stdout.readline().split()[3].rstrip(",")
            self.assertEqual(httpx.get(f"{url}/Users").json()["totalResults"], 1)
            process.terminate()
        file.write_text("[]")
        self.assertIn("holds no users", run("standin", "scim", file, cwd=self.folder, status=3).stderr)


if __name__ == "__main__":
    unittest.main()
