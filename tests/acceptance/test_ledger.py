"""Nobody, even with the database file in hand, changes the past unnoticed."""

import json
import unittest

from msgspec.structs import asdict

from tests import stores
from tests.support import OFFICE, Prepared, inside, lay_out, run


class Tampering(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", OFFICE)
        run("gather", cwd=office)
        run("baseline", "mark", "one", "--as", "auditor", cwd=office)
        run("baseline", "mark", "two", cwd=office)
        run("review", "open", "--yes", "r", "--where", 'id eq "bo"', "--by-manager", "--due", "2026-07-01", cwd=office)
        run("review", "decide", "1", "revoke", "--reason", "no need", "--as", "head", cwd=office)
        run("review", "close", "--yes", "--as", "auditor", cwd=office)
        return office

    def setUp(self):
        super().setUp()
        self.office, self.untouched = self.here, self.prepared

    def found_after(self, *statements):
        """What verify finds after someone ran SQL on the file; the file is put back afterwards."""
        stores.altered(self.office, *statements)
        done = inside("ledger", "verify", "--format", "json", cwd=self.office, status=1)
        stores.replaced(self.office, self.untouched)
        return {(wrong["where"], wrong["what"]) for wrong in json.loads(done.stdout)["discrepancies"]}

    def assert_found(self, found, where, what):
        self.assertTrue(any(where in place and what in wrong for place, wrong in found), found)

    def test_the_untouched_store_is_as_signed(self):
        self.assertIn("As signed: 6 entries", run("ledger", "verify", cwd=self.office).stdout)

    def test_catalogue_rows(self):
        for statement, where, what in (
            ("UPDATE grants SET holder = 'identity:bo' WHERE \"grant\" = 'g1'", "grants row 1 (g1)", "was edited"),
            ("DELETE FROM members WHERE row = 1", "members row 1", "was removed; entry 1 brought it"),
            (
                "INSERT INTO grants SELECT 99, since, until, checksum, source, 'g9', holder, gives, \"on\", effect, "
                'tier, "from", until_, given_by, given_at, reason, last_used FROM grants WHERE row = 1',
                "grants row 99 (g9)",
                "was added",
            ),
            (
                "UPDATE reviews SET until = 4611686018427387904 WHERE state = 'open'",
                "(r)",
                "was brought back: entry 6",
            ),
            ("UPDATE grants SET until = 3 WHERE \"grant\" = 'g1'", "(g1)", "was ended: no entry"),
            ("UPDATE grants SET since = 2 WHERE \"grant\" = 'g1'", "(g1)", "says that entry 2 brought it"),
            ("UPDATE decisions SET decision = 'certify' WHERE row = 1", "decisions row 1 (r 1)", "was edited"),
        ):
            self.assert_found(self.found_after(statement), where, what)

    def test_an_entry_made_unreadable_is_told_by_whoever_meets_it(self):
        for change in (
            "rows = '{x'",
            "rows = '3'",
            *(() if stores.ON_POSTGRES else ("rows = x'00ff'",)),
            "payload = '[]'",
            "subjects = '3'",
        ):
            stores.replaced(self.office, self.untouched)
            stores.altered(self.office, f"UPDATE ledger SET {change} WHERE number = 1")
            for words in (("ledger", "list"), ("sources", "list"), ("gather",)):
                told = inside(*words, cwd=self.office, status=3).stderr
                self.assertIn("Entry 1 of the ledger cannot be read any more", told, (change, words))
            self.assertIn("entry 1", inside("ledger", "verify", cwd=self.office, status=1).stdout, change)

    def test_a_row_edited_together_with_its_mark(self):
        import numpy as np

        from kathodos.columns.dictionary import dictionary_column
        from kathodos.store.marks import marks_of

        columns = [dictionary_column([value]) for value in ("uno", 1, "2026-06-15T12:00:00Z", None)]
        (mark,) = marks_of(np.array([1]), columns)
        found = self.found_after(
            "UPDATE baselines SET baseline = 'uno' WHERE row = 1",
            f"UPDATE baselines SET checksum = {mark} WHERE row = 1",
        )
        self.assert_found(found, "baselines rows 1", "together with their checksums; entry 2")

    def test_entries(self):
        for statements, where, what in (
            (["UPDATE ledger SET actor = 'ann' WHERE number = 2"], "entry 2", "edited"),
            (["UPDATE ledger SET reason = 'x', payload = 'not json' WHERE number = 3"], "entry 3", "edited"),
            (["DELETE FROM ledger WHERE number = 3"], "entry 3", "is missing"),
            (["UPDATE ledger SET number = -number WHERE number IN (2, 3)",
              "UPDATE ledger SET number = 5 + number WHERE number < 0"], "entry 2", "moved"),
            (["INSERT INTO ledger SELECT 7, time, actor, origin, kind, subjects, reason, payload, rows, settings, "
              "proof, leaf_hash FROM ledger WHERE number = 3"], "entry 7", "no signed head"),
            (["UPDATE ledger_heads SET root = x'00' WHERE size = 2"], "head 2", "signature"),
            (["DELETE FROM ledger_heads WHERE size = 4"], "entry 4", "no signed head"),
        ):  # fmt: skip
            self.assert_found(self.found_after(*statements), where, what)

    def test_an_entry_edited_with_its_leaf_and_the_whole_tree_still_differs_from_its_signed_head(self):
        from kathodos.ledger.entries import read_entries
        from kathodos.workspace.workspace import Workspace

        with Workspace.find(self.office).store.reading() as reader:
            entry = read_entries(reader)[1]
        forged = type(entry)(**{**asdict(entry), "actor": "somebody else"}).leaf().hex()
        found = self.found_after(
            "UPDATE ledger SET actor = 'somebody else' WHERE number = 2",
            f"UPDATE ledger SET leaf_hash = x'{forged}' WHERE number = 2",
            f"UPDATE ledger_tree SET hash = x'{forged}' WHERE level = 0 AND position = 1",
        )
        self.assert_found(found, "entry 2", "first that differs from what was signed")

    def test_the_last_entry_dropped_with_all_its_traces_is_missed_by_the_heads_kept_outside(self):
        tables = ("baselines", "grants", "decisions", "reviews")
        found = self.found_after(
            "DELETE FROM ledger WHERE number = 6",
            "DELETE FROM ledger_heads WHERE size = 6",
            *(f"DELETE FROM {table} WHERE since = 6" for table in tables),
            *(f"UPDATE {table} SET until = 4611686018427387904 WHERE until = 6" for table in tables),
        )
        self.assert_found(found, "entry 6", "was dropped")

    def test_a_head_kept_by_an_auditor_stays_true_and_a_forged_store_does_not_stand_against_it(self):
        head = self.folder / "head.json"
        head.write_text(run("ledger", "head", "--format", "jsonl", cwd=self.office).stdout)
        run("baseline", "mark", "later", cwd=self.office)
        run("ledger", "verify", "--head", head, cwd=self.office)
        other = lay_out(self.folder / "other", OFFICE)
        run("gather", cwd=other)
        wrong = run("ledger", "verify", "--head", head, cwd=other, status=1).stdout
        self.assertIn("that this workspace's key did not sign", wrong)
        (self.folder / "none.json").write_text("")  # an empty file proves nothing
        run("ledger", "verify", "--head", self.folder / "none.json", cwd=self.office, status=3)
        (self.folder / "none.json").write_text("hello\n")
        self.assertIn(
            "no signed head", run("ledger", "verify", "--head", self.folder / "none.json", cwd=other, status=3).stderr
        )

    def test_the_key_is_the_owners_alone(self):
        self.assertEqual((self.office / "ledger.key").stat().st_mode & 0o777, 0o600)

    @stores.ONLY_IN_A_FILE
    def test_the_key_is_outside_the_database(self):
        secret = (self.office / "ledger.key").read_bytes().splitlines()[1]
        self.assertNotIn(secret, (self.office / "catalogue.db").read_bytes())

    def test_an_entry_says_from_where_it_was_written(self):
        import platform

        from kathodos.ledger.origin import system_user

        entries = json.loads(run("ledger", "list", "--format", "json", cwd=self.office).stdout)
        self.assertEqual({it["origin"]["user"] for it in entries}, {system_user()})
        self.assertEqual({it["origin"]["host"] for it in entries}, {platform.node()})
        self.assert_found(self.found_after("UPDATE ledger SET origin = '{}' WHERE number = 2"), "entry 2", "edited")

    def test_entries_are_found_by_date_kind_actor_and_subject(self):
        def numbers(*words):
            return [
                row["number"]
                for row in json.loads(inside("ledger", "list", *words, "--format", "json", cwd=self.office).stdout)
            ]

        self.assertEqual(numbers("--actor", "auditor"), [2, 6])
        self.assertEqual(numbers("--kind", "baseline mark"), [2, 3])
        self.assertEqual(numbers("--kind", "settings"), [])
        said = run("ledger", "list", "--kind", "baseline", cwd=self.office, status=2).stderr
        self.assertIn("There is no kind of entry baseline.\nNearest: baseline mark", said)
        self.assertEqual(numbers("--subject", "identity:bo"), [1, 4, 5, 6])
        self.assertEqual(numbers("--subject", "baseline:two"), [3])
        self.assertEqual(numbers("--from", "2026-06-16"), [])
        self.assertEqual(numbers("--from", "2026-06-15", "--to", "2026-06-15"), [1, 2, 3, 4, 5, 6])
        self.assertEqual(numbers("--to", "2026-06-15T11:59:59Z"), [])


if __name__ == "__main__":
    unittest.main()
