"""What is kept of findings answers as finding anew would, for as long as it holds and no longer."""

import shutil
import unittest
from unittest import mock

from kathodos.workspace.results import unchanged_between
from kathodos.workspace.workspace import Workspace
from tests import stores
from tests.support import NOW, OFFICE, OFFICE_RULES, Prepared, inside, lay_out, records_inside

QUESTIONS = (
    ("conflicts",),
    ("conflicts", "--latent"),
    ("escalation",),
    ("tie",),
    ("risk", "top"),
    ("risk", "top", "--of", "accounts"),
    ("risk", "top", "--of", "roles"),
    ("risk", "show", "ann"),
    ("excess",),
)


class Kept(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        grants = [{**row, "from": "2026-06-15T12:00:00Z"} if row["grant"] == "g1" else row for row in OFFICE["grants"]]
        mandates = [{"holder": "identity:bo", "roles": "dues/*"}]
        at = lay_out(folder / "office", {**OFFICE, "grants": grants, "mandates": mandates}, OFFICE_RULES)
        inside("gather", cwd=at)
        return at

    def asked(self, *words, now=NOW):
        return inside(*words, "--format", "jsonl", cwd=self.here, status=None, now=now).stdout

    def anew(self, *words, now=NOW):
        """The answer without anything kept."""
        shutil.rmtree(stores.computed(self.here), ignore_errors=True)
        return self.asked(*words, now=now)

    def test_the_second_answer_is_the_first(self):
        for words in QUESTIONS:
            first = self.anew(*words)
            self.assertTrue(first or words == ("conflicts",))
            self.assertEqual(self.asked(*words), first, words)

    def test_nothing_is_found_again_while_it_holds(self):
        self.asked("risk", "top")
        with mock.patch("kathodos.workspace.findings.Findings._conflicts_made", side_effect=AssertionError):
            self.assertTrue(self.asked("risk", "top"))
            with self.assertRaises(AssertionError):
                self.asked("risk", "top", now="2026-06-16T00:00:00Z")

    def test_it_holds_no_longer_than_until_something_begins_or_a_day_is_over(self):
        moments = ("2026-06-15T11:59:59Z", "2026-06-15T12:00:00Z", "2026-06-15T23:59:59Z", "2026-06-16T00:00:00Z")
        for words in (("conflicts",), ("excess",), ("risk", "top")):
            kept = [self.asked(*words, now=moment) for moment in moments]
            self.assertEqual([self.anew(*words, now=moment) for moment in moments], kept, words)
        found = [len(self.asked("conflicts", now=moment).splitlines()) for moment in moments]
        self.assertEqual(found, [0, 1, 1, 1])

    def test_the_interval_in_which_it_holds_ends_where_a_grant_begins(self):
        day, hour = 86_400_000_000, 3_600_000_000
        with Workspace.find(self.here).view(at="2026-06-15T10:00:00Z") as view:
            first, until = unchanged_between(view)
            self.assertEqual((view.moment % day, until % day), (10 * hour, 12 * hour))
            self.assertLessEqual(first, view.moment)

    def test_rules_settings_and_controls_are_part_of_it(self):
        self.asked("risk", "top", now="2026-06-15T13:00:00Z")
        for name, text in (
            ("rules/rules.toml", OFFICE_RULES.replace('severity = "high"', 'severity = "low"')),
            ("kathodos.toml", (self.here / "kathodos.toml").read_text() + "[findings]\ndormant = 1\n"),
        ):
            (self.here / name).write_text(text)
            for words in (("risk", "top"), ("excess",), ("conflicts",)):
                kept = self.asked(*words, now="2026-06-15T13:00:00Z")
                self.assertEqual(self.anew(*words, now="2026-06-15T13:00:00Z"), kept, (name, words))

    def test_a_change_of_the_catalogue_is_seen(self):
        now = "2026-06-15T13:00:00Z"
        self.assertEqual(len(records_inside("conflicts", cwd=self.here, status=1, now=now)), 1)
        table = self.here / "tables" / "grants.csv"
        rows = table.read_text().splitlines(keepends=True)
        table.write_text("".join(row for row in rows if "g1" not in row.split(",")))
        inside("gather", "--accept-loss", cwd=self.here, now=now)
        self.assertEqual(records_inside("conflicts", cwd=self.here, now=now), [])
        self.assertEqual(len(records_inside("conflicts", "--as-of", "1", "--at", now, cwd=self.here, status=1)), 1)

    def test_what_is_only_assumed_is_not_kept(self):
        (self.here / "what-if.toml").write_text('[[end]]\nkind = "grants"\ngrant = "g1"\n')
        now = "2026-06-15T13:00:00Z"
        self.assertEqual(records_inside("conflicts", "--assume", "what-if.toml", cwd=self.here, now=now), [])
        self.assertEqual(len(records_inside("conflicts", cwd=self.here, status=1, now=now)), 1)

    def test_one_that_is_damaged_is_made_anew(self):
        first = self.asked("risk", "top")
        for file in stores.computed(self.here).glob("result-*"):
            whole = bytearray(file.read_bytes())
            whole[len(whole) // 3] ^= 1
            file.write_bytes(whole)
        self.assertEqual(self.asked("risk", "top"), first)

    def test_only_so_many_are_kept(self):
        with mock.patch("kathodos.workspace.results._MOST", 3):
            for hour in range(6):
                self.asked("tie", now=f"2026-07-{10 + hour}T00:00:00Z")
        self.assertEqual(len(list(stores.computed(self.here).glob("result-*"))), 3)


if __name__ == "__main__":
    unittest.main()
