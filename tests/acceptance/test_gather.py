"""What a gather makes of several sources, and of sources that disagree."""

import unittest

from tests.support import Scratch, lay_out, records, run, write_tables

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

    def test_a_record_that_another_source_brings_is_set_aside(self):
        write_tables(self.at / "more", {"identities": [{"id": "ann", "name": "Another Ann"}]})
        run("gather", cwd=self.at)
        (problem,) = records("gather", "more", "--problems", cwd=self.at)
        self.assertEqual((problem["line"], problem["value"]), (2, "ann"))
        self.assertEqual([row["name"] for row in records("list", "identities", cwd=self.at)], ["Ann", "Bo"])


class RowsThatBecomeBad(Scratch, unittest.TestCase):
    def test_a_record_whose_row_is_set_aside_stays_as_it_was(self):
        at = lay_out(self.folder / "office", PEOPLE)
        run("gather", cwd=at)
        write_tables(
            at / "tables", {"identities": [{"id": "ann", "starts": "2026-02-30"}, {"id": "bo", "name": "Bob"}]}
        )
        rows = {row["kind"]: row for row in records("gather", cwd=at)}
        self.assertEqual([rows["identities"][key] for key in ("changed", "went", "set_aside")], [1, 0, 1])
        self.assertEqual([row["name"] for row in records("list", "identities", cwd=at)], ["Ann", "Bob"])

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
