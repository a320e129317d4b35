"""Whose account it is: by rules in order, by a person's word that stands; and what comes back after a review."""

import json
import unittest

from tests.support import OFFICE, OFFICE_RULES, Prepared, Scratch, carried_out, lay_out, write_tables
from tests.support import inside as run
from tests.support import records_inside as records

PEOPLE = {
    "systems": [{"system": "s"}, {"system": "t"}],
    "identities": [
        {"id": "p1", "name": "Åse Lund", "email": "ase@x.example", "staff": "11"},
        {"id": "p2", "name": "Bo Ek", "email": "bo@x.example", "staff": "12"},
        {"id": "p3", "name": "Bo Ek", "email": "bo.ek@x.example", "staff": "13"},
    ],
    "accounts": [
        {"system": "s", "login": "P1"},
        {"system": "s", "login": "x", "email": "BO@x.example"},
        {"system": "s", "login": "y", "number": "13"},
        {"system": "s", "login": "z", "name": "Lund, Ase"},
        {"system": "s", "login": "b", "name": "Bo Ek"},
        {"system": "s", "login": "said", "identity": "p2"},
        {"system": "t", "login": "p1"},
    ],
}
RULES = """
[[tie]]
by = "id"
systems = ["s"]
[[tie]]
by = "mail"
[[tie]]
by = "attribute"
account = "number"
identity = "staff"
[[tie]]
by = "name"
"""


class Ties(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", PEOPLE, mapping=RULES)
        run("gather", cwd=at)
        return at

    def setUp(self):
        super().setUp()
        self.at = self.here

    def owners(self):
        return {f"{row['system']}/{row['login']}": row["identity"] for row in records("list", "accounts", cwd=self.at)}

    def test_rules_tie_in_order_and_the_report_says_how(self):
        expected = {"s/P1": "p1", "s/x": "p2", "s/y": "p3", "s/z": "p1", "s/b": None, "s/said": "p2", "t/p1": None}
        self.assertEqual(self.owners(), expected)
        counts = {(row["system"], row["how"]): row["accounts"] for row in records("tie", cwd=self.at)}
        once = [("s", how) for how in ("id", "mail", "number = staff", "name", "ambiguous", "its source")]
        self.assertEqual(counts, {**dict.fromkeys(once, 1), ("t", "orphan"): 1})
        left = {row["account"]: row["candidates"] for row in records("tie", "--open", cwd=self.at)}
        self.assertEqual(left, {"s/b": ["p2", "p3"], "t/p1": []})
        self.assertEqual({row["came"] + row["changed"] + row["went"] for row in records("gather", cwd=self.at)}, {0})

    def test_a_persons_word_stands_over_later_gathers_until_it_is_taken_back(self):
        run("tie", "s/b", "p3", "--reason", "asked him", "--as", "boss", cwd=self.at)
        run("tie", "s/said", "nobody", "--reason", "a shared desk", cwd=self.at)
        more = [*PEOPLE["accounts"], {"system": "s", "login": "new"}]
        people = [*PEOPLE["identities"], {"id": "p4", "name": "Cy"}]
        write_tables(self.at / "tables", {"accounts": more, "identities": people})
        rows = {row["kind"]: row for row in records("gather", cwd=self.at)}
        self.assertEqual((rows["accounts"]["came"], rows["accounts"]["changed"]), (1, 0))
        self.assertEqual((self.owners()["s/b"], self.owners()["s/said"]), ("p3", None))
        found = json.loads(run("ledger", "list", "--subject", "account:s/b", "--format", "json", cwd=self.at).stdout)
        self.assertIn("asked him", json.dumps(found))
        run("tie", "s/b", "--undo", cwd=self.at)
        run("tie", "s/said", "--undo", cwd=self.at)
        self.assertEqual((self.owners()["s/b"], self.owners()["s/said"]), (None, "p2"))
        self.assertIn("no identity", run("tie", "s/b", "p9", cwd=self.at, status=2).stderr)
        self.assertIn("Say which account", run("tie", "s/b", cwd=self.at, status=2).stderr)

    def test_a_tie_follows_what_it_was_found_by(self):
        people = [{**PEOPLE["identities"][0], "email": "bo@x.example"}, {"id": "p2", "email": "other@x.example"}]
        write_tables(self.at / "tables", {"identities": people})
        run("gather", "--accept-loss", cwd=self.at)
        self.assertEqual((self.owners()["s/x"], self.owners()["s/y"]), ("p1", None))
        self.assertIn("As signed", run("ledger", "verify", cwd=self.at).stdout)

    def test_duplicates_are_listed_with_what_speaks_for_them(self):
        people = [
            {"id": "p1", "name": "Åse Lund", "email": "ase@x.example", "department": "Dues"},
            {"id": "p2", "name": "Lund, Ase", "department": "Dues"},
            {"id": "p3", "name": "Bo Ek", "department": "Dues"},
            {"id": "p4", "name": "Bo Ek", "department": "Gates"},
            {"id": "p5", "name": "Other", "email": "ASE@x.example"},
        ]
        write_tables(self.at / "tables", {"identities": people})
        run("gather", cwd=self.at)
        found = {
            (row["first"][9:], row["second"][9:]): row["reasons"] for row in records("tie", "--duplicates", cwd=self.at)
        }
        self.assertEqual(set(found), {("p1", "p2"), ("p1", "p5")})
        self.assertEqual(found["p1", "p2"], "the same name Åse Lund; the same department Dues")


class CameBack(Scratch, unittest.TestCase):
    def test_what_a_review_took_away_and_a_gather_brings_back_stays_listed_until_it_is_settled(self):
        at = lay_out(self.folder / "office", OFFICE, rules=OFFICE_RULES)
        run("gather", cwd=at)
        run("review", "open", "--yes", "r", "--where", 'id eq "ann"', "--by-manager", "--due", "2026-07-01", cwd=at)
        run("review", "decide", "all", "revoke", "--as", "head", "--reason", "left the desk", cwd=at)
        run("review", "close", "--yes", "r", "--as", "auditor", "--reason", "June", cwd=at)
        before = {file: file.read_bytes() for file in (at / "tables").iterdir()}
        carried_out(at)
        for file, content in before.items():
            file.write_bytes(content)
        told = run("gather", cwd=at).stdout
        self.assertIn("came back that had been taken away: `kathodos returned` lists them", told.replace("\\n", " "))
        listed = json.loads(run("returned", "--format", "json", cwd=at, status=1).stdout)
        self.assertTrue(listed)
        self.assertTrue(all(row["why"] == "June" and row["said_by"] == "files" for row in listed))
        run("gather", cwd=at)
        self.assertEqual(json.loads(run("returned", "--format", "json", cwd=at, status=1).stdout), listed)
        self.assertIn("without a reason", run("returned", "--settle", "all", cwd=at, status=2).stderr)
        run("returned", "--settle", "all", "--reason", "given anew", cwd=at)
        self.assertEqual(
            run("returned", cwd=at).stdout.splitlines()[0], "0 records came back after having been taken away."
        )


if __name__ == "__main__":
    unittest.main()
