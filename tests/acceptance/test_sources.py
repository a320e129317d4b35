"""Sources as their user meets them: listed, checked, sampled, proposed, and one of several that fails."""

import json
import unittest

from tests.support import OFFICE, Prepared, lay_out
from tests.support import inside as run
from tests.support import records_inside as records

MORE = """
[[source]]
name = "gone"
kind = "ldif"
path = "gone.ldif"
[[source]]
name = "log"
kind = "activity"
path = "doors.log"
[source.log]
constants = { action = "edit", resource = "dues:/tariffs" }
build = { identity = "{d@1.who}" }
"""
LOG = '<134>1 2026-06-0{day}T08:00:00Z gate door - - [d@1 who="bo"] opened\n'


class Sources(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", OFFICE, mapping=MORE)
        (at / "doors.log").write_text("".join(LOG.format(day=day) for day in (1, 2, 3)))
        run("gather", "files", cwd=at)
        return at

    def test_a_source_that_fails_does_not_keep_the_others_waiting(self):
        done = run("gather", cwd=self.here, status=3)
        self.assertIn("gone.ldif cannot be read", done.stderr)
        self.assertIn("Not gathered: gone.", done.stderr)
        self.assertRegex(done.stdout, "log +activity +3 ")
        self.assertEqual(next(row["count"] for row in records("activity", "--by", "bo", cwd=self.here)), 3)
        self.assertIn("gone.ldif", run("gather", "gone", cwd=self.here, status=3).stderr)
        (self.here / "gone.ldif").write_text("dn: uid=z,o=x\nobjectClass: person\nuid: z\n")
        self.assertNotIn("Not gathered", run("gather", cwd=self.here).stderr)

    def test_they_are_listed_with_their_last_entry_and_no_secret(self):
        rows = {row["source"]: row for row in records("sources", "list", cwd=self.here)}
        self.assertEqual((rows["files"]["entry"], rows["gone"]["entry"]), (1, None))
        self.assertEqual(
            [rows[name]["place"] for name in ("files", "gone", "log")], ["tables", "gone.ldif", "doors.log"]
        )
        self.assertIn("no source nobody", run("sources", "list", "nobody", cwd=self.here, status=2).stderr)

    def test_a_check_reads_all_and_changes_nothing(self):
        done = run("sources", "check", "--format", "json", cwd=self.here, status=3)
        self.assertIn("gone: ", done.stderr)
        read = {(row["source"], row["kind"]): row["read"] for row in json.loads(done.stdout)}
        self.assertEqual((read["files", "identities"], read["log", "activity"]), (len(OFFICE["identities"]), 3))
        self.assertEqual(records("sources", "list", "log", cwd=self.here)[0]["entry"], None)
        self.assertIn("2 of 3 sources can be read", run("sources", "check", cwd=self.here, status=3).stdout)

    def test_a_sample_shows_cells_with_their_lines(self):
        said = json.loads(run("sources", "sample", "log", "--lines", "2", "--format", "json", cwd=self.here).stdout)
        self.assertEqual([row["line"] for row in said["records"]], [1, 2])
        self.assertEqual(said["records"][1]["cells"]["time"], "2026-06-02T08:00:00Z")
        self.assertEqual(said["records"][1]["cells"]["identity"], "bo")
        for words, told in (
            (["--kind", "grnts"], "Nearest: grants"),
            (["--lines", "0"], "0 is no number of lines"),
            (["nobody"], "no source nobody"),
        ):
            self.assertIn(told, run("sources", "sample", *words, cwd=self.here, status=2).stderr)

    def test_a_proposal_is_refused_where_there_is_nothing_to_look_at(self):
        (self.here / "empty.jsonl").write_text("")
        self.assertIn("no row", run("sources", "propose", "empty.jsonl", cwd=self.here, status=3).stderr)
        self.assertIn("is no file", run("sources", "propose", "tables", cwd=self.here, status=2).stderr)
        told = run("sources", "propose", "doors.log", cwd=self.here).stdout
        self.assertIn("[source.log]", told)
        for name in ("action", "resource"):
            self.assertIn(f"no column looks like {name}; name it in columns", told)

    def test_in_a_narrow_window_names_stay_whole(self):
        told = (
            run("tie", cwd=self.here, COLUMNS="60").stdout + run("sources", "list", cwd=self.here, COLUMNS="60").stdout
        )
        self.assertLessEqual(max(map(len, told.splitlines())), 60)
        self.assertIn("doors.log", told)
        self.assertIn("its source", told)

    def test_wrong_names_are_told(self):
        run("gather", "log", cwd=self.here)
        for words, told in (
            (["activity", "--on", "dues:/tarifs"], "There is no resource dues:/tarifs"),
            (["activity", "--on", "tariffs"], "is no resource"),
            (["activity", "--since", "never"], "--since never is no moment"),
            (["activity", "--by", "boo"], "Nearest: bo"),
            (["tie", "--undo"], "Say which account"),
            (["tie", "ann1", "bo", "--open"], "take no account"),
            (["gather", "--dry-run", "--problems"], "not allowed with"),
            (["returned", "--settle", "7", "--reason", "x"], "no open record 7"),
        ):
            self.assertIn(told, run(*words, cwd=self.here, status=2).stderr)
        found = records("activity", "--on", "dues:/tariffs", "--by", "bo", cwd=self.here)
        self.assertEqual([(row["count"], row["last"]) for row in found], [(3, "2026-06-03T08:00:00Z")])
        since = records("activity", "--on", "dues:/", "--by", "bo", "--since", "2026-06-02", cwd=self.here)
        self.assertEqual([(row["count"], row["first"]) for row in since], [(2, "2026-06-02T08:00:00Z")])


if __name__ == "__main__":
    unittest.main()
