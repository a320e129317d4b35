"""What a gather makes of several sources, and of sources that disagree."""

import json
import unittest

from tests.support import Scratch, lay_out, write_tables
from tests.support import inside as run
from tests.support import records_inside as records

SECOND = """
[[source]]
name = "more"
kind = "tables"
path = "more"
"""
PEOPLE = {
    "systems": [{"system": "s"}],
    "identities": [{"id": "ann", "name": "Ann"}, {"id": "bo", "name": "Bo"}],
}


class SeveralSources(Scratch, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.at = lay_out(self.folder / "office", PEOPLE, mapping=SECOND)

    def test_one_source_may_point_at_what_another_brings_and_ends_only_its_own(self):
        more = {
            "accounts": [{"system": "s", "login": "a1", "identity": "ann"}],
            "grants": [{"holder": "a1", "gives": "view s:/x"}, {"holder": "bo", "gives": "view s:/x"}],
        }
        write_tables(self.at / "more", more)
        self.assertEqual(sum(row["came"] for row in records("gather", cwd=self.at)), 6)
        self.assertEqual(
            {row["holder"] for row in records("list", "grants", cwd=self.at)}, {"account:s/a1", "identity:bo"}
        )
        write_tables(self.at / "more", {**more, "grants": more["grants"][:1]})
        rows = records("gather", "more", cwd=self.at)
        self.assertEqual({row["kind"]: row["went"] for row in rows}, {"accounts": 0, "grants": 1})
        self.assertEqual(len(records("list", "identities", cwd=self.at)), 2)

    def test_two_sources_may_speak_of_one_record_and_an_order_says_which_wins(self):
        write_tables(self.at / "more", {"identities": [{"id": "ann", "name": "Ann Other", "email": "ann@s.example"}]})
        run("gather", cwd=self.at)

        def ann():
            return next(row for row in records("list", "identities", cwd=self.at) if row["id"] == "ann")

        self.assertEqual((ann()["name"], ann()["email"]), ("Ann", "ann@s.example"))
        told = json.loads(run("show", "ann", "--format", "json", cwd=self.at).stdout)
        self.assertEqual(
            {(row["source"], row["attribute"], row["value"], row["wins"]) for row in told["sources"]},
            {
                ("files", "name", "Ann", True),
                ("more", "name", "Ann Other", False),
                ("more", "email", "ann@s.example", True),
            },
        )
        self.assertEqual(records("gather", cwd=self.at)[-1]["same"], 1)
        with (self.at / "kathodos.toml").open("a") as file:
            file.write('[precedence.identities]\nname = ["more", "files"]\n')
        run("gather", cwd=self.at)
        self.assertEqual(ann()["name"], "Ann Other")
        write_tables(self.at / "more", {"identities": [{"id": "cy"}]})
        run("gather", cwd=self.at)
        self.assertEqual((ann()["name"], ann()["email"]), ("Ann", None))
        write_tables(self.at / "tables", {"identities": PEOPLE["identities"][1:]})
        run("gather", cwd=self.at)
        self.assertEqual([row["id"] for row in records("list", "identities", cwd=self.at)], ["bo", "cy"])
        self.assertIn("As signed", run("ledger", "verify", cwd=self.at).stdout)

    def test_what_only_the_second_source_still_says_is_its_own(self):
        write_tables(self.at / "more", {"identities": [{"id": "ann", "name": "Ann Other"}, {"id": "bo"}]})
        run("gather", cwd=self.at)
        write_tables(self.at / "tables", {"identities": [{"id": "bo", "name": "Bo"}]})
        rows = {(row["source"], row["kind"]): row for row in records("gather", cwd=self.at)}
        self.assertEqual([rows["files", "identities"][key] for key in ("changed", "went", "same")], [1, 0, 1])
        self.assertEqual([row["name"] for row in records("list", "identities", cwd=self.at)], ["Bo", "Ann Other"])
        write_tables(self.at / "more", {"identities": [{"id": "bo"}]})
        run("gather", cwd=self.at)
        self.assertEqual([row["id"] for row in records("list", "identities", cwd=self.at)], ["bo"])


class Guarded(Scratch, unittest.TestCase):
    def test_half_a_file_is_stopped_until_somebody_confirms(self):
        people = [{"id": f"p{number}"} for number in range(40)]
        at = lay_out(self.folder / "office", {"identities": people})
        run("gather", cwd=at)
        write_tables(at / "tables", {"identities": people[:20]})
        told = run("gather", cwd=at, status=3)
        self.assertIn("20 of 40 identities of the source files would go, more than 25%", told.stderr)
        self.assertIn("--accept-loss", told.stderr)
        self.assertEqual(len(records("list", "identities", cwd=at)), 40)
        rows = records("gather", "--dry-run", cwd=at)
        self.assertEqual({(row["what"], row["record"]) for row in rows}, {("goes", f"p{at}") for at in range(20, 40)})
        self.assertEqual(len(records("list", "identities", cwd=at)), 40)
        run("gather", "--accept-loss", cwd=at)
        self.assertEqual(len(records("list", "identities", cwd=at)), 20)

    def test_a_table_that_is_missing_goes_only_where_that_is_confirmed(self):
        at = lay_out(self.folder / "office", {**PEOPLE, "groups": [{"system": "s", "group": "g"}]})
        run("gather", cwd=at)
        (at / "tables" / "groups.csv").unlink()
        self.assertIn("has no groups any more", run("gather", cwd=at, status=3).stderr)
        self.assertEqual(len(records("list", "groups", cwd=at)), 1)
        rows = {row["kind"]: row["went"] for row in records("gather", "--accept-loss", cwd=at)}
        self.assertEqual((rows["groups"], rows["identities"]), (1, 0))
        self.assertEqual(records("list", "groups", cwd=at), [])

    def test_a_dry_run_shows_every_difference_and_changes_nothing(self):
        at = lay_out(self.folder / "office", PEOPLE)
        run("gather", cwd=at)
        write_tables(at / "tables", {"identities": [{"id": "ann", "name": "Anne"}, {"id": "cy"}]})
        rows = records("gather", "--dry-run", cwd=at)
        self.assertEqual(
            {(row["record"], row["what"], row["column"], row["before"], row["after"]) for row in rows},
            {
                ("cy", "comes", "", None, None),
                ("bo", "goes", "", None, None),
                ("ann", "changes", "name", "Ann", "Anne"),
            },
        )
        self.assertEqual([row["name"] for row in records("list", "identities", cwd=at)], ["Ann", "Bo"])
        self.assertEqual(run("ledger", "list", "--format", "json", cwd=at).stdout.count('"gather"'), 1)


class RowsThatBecomeBad(Scratch, unittest.TestCase):
    def test_a_record_whose_row_is_set_aside_stays_as_it_was(self):
        groups = [{"system": "s", "group": "a", "title": "A", "filter": "id pr"}, {"system": "s", "group": "b"}]
        at = lay_out(self.folder / "office", {**PEOPLE, "groups": groups})
        run("gather", cwd=at)
        write_tables(
            at / "tables",
            {"groups": [{**groups[0], "title": "Z", "filter": "id like"}, {**groups[1], "title": "B"}]},
        )
        rows = {row["kind"]: row for row in records("gather", cwd=at)}
        self.assertEqual([rows["groups"][key] for key in ("changed", "went", "set_aside")], [1, 0, 1])
        self.assertEqual([row["title"] for row in records("list", "groups", cwd=at)], ["A", "B"])

    def test_a_bad_cell_that_may_lack_keeps_what_was_there_and_the_rest_of_its_row_counts(self):
        people = [{"id": "ann", "starts": "2026-01-01", "name": "Ann"}, {"id": "bo", "name": "Bo"}]
        at = lay_out(self.folder / "office", {**PEOPLE, "identities": people})
        run("gather", cwd=at)
        people = [{**people[0], "starts": "2026-02-30", "name": "Anne"}, {**people[1], "starts": "never"}]
        write_tables(at / "tables", {"identities": people})
        self.assertIn("2 cells left out", run("gather", cwd=at).stdout)
        found = [(row["name"], row["starts"]) for row in records("list", "identities", cwd=at)]
        self.assertEqual(set(found), {("Anne", "2026-01-01"), ("Bo", None)})

    def test_the_same_event_twice_counts_twice_and_events_do_not_end(self):
        events = [{"time": "2026-01-01", "identity": "ann", "action": "view", "resource": "s:/x"}] * 2
        at = lay_out(self.folder / "office", {**PEOPLE, "activity": events})
        run("gather", cwd=at)
        self.assertEqual([row["count"] for row in records("list", "activity", cwd=at)], [2])
        write_tables(at / "tables", {"activity": [{**events[0], "time": "2026-01-02"}]})
        run("gather", cwd=at)
        self.assertEqual(len(records("list", "activity", cwd=at)), 2)


if __name__ == "__main__":
    unittest.main()
