"""Reports made without the command: what they count adds up, and what a table leaves out is said."""

import unittest
from unittest import mock

from kathodos.change.files import changes_text
from kathodos.errors import CallError, Status
from kathodos.model.kinds import GRANTS, IDENTITIES
from kathodos.report import conflict_answers, review_status
from kathodos.report.conflicts import ChosenConflicts, chosen_rules
from kathodos.report.excess import ExcessQuestion, excess_counts, excess_list, excess_remedies
from kathodos.report.lists import record_list
from kathodos.report.reach import reach_counts, reach_question, reaching, verdict
from kathodos.workspace.workspace import Workspace
from tests.support import OFFICE, OFFICE_RULES, Prepared, inside, lay_out


class Reports(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", OFFICE, OFFICE_RULES)
        inside("gather", cwd=at)
        return at

    def setUp(self):
        super().setUp()
        clock = mock.patch.dict("os.environ", KATHODOS_NOW="2026-06-15T12:00:00Z")
        clock.start()
        self.addCleanup(clock.stop)
        opened = Workspace.find(self.here).view()
        self.view = opened.__enter__()
        self.addCleanup(opened.__exit__, None, None, None)

    def conflicts(self):
        return ChosenConflicts(self.view, chosen_rules(self.view, None, None))

    def test_conflicts_counted_add_up_whatever_they_are_counted_by(self):
        found = self.conflicts()
        open_ones = int(found.is_open.sum())
        self.assertGreater(open_ones, 0)
        for per in ("person", "severity", "topic", "department"):
            answer = conflict_answers.conflict_counts(found, per, None)
            counted = sum(row[name] or 0 for row in answer.rows for name in ("critical", "high", "medium", "low"))
            self.assertEqual((counted, answer.status), (open_ones, Status.FOUND), per)

    def test_a_long_table_shows_the_first_and_says_how_many_more(self):
        whole = conflict_answers.conflict_counts(self.conflicts(), "person", None)
        cut = conflict_answers.conflict_counts(self.conflicts(), "person", 0)
        self.assertEqual(len(cut.rows), 0)
        self.assertIn(f"{len(whole.rows)} more", cut.hint)
        self.assertNotIn("more:", whole.hint)
        data = list(conflict_answers.conflict_records(self.conflicts()).rows)
        self.assertEqual(len(data), len(self.conflicts().conflicts))

    def test_excess_counted_is_excess_listed(self):
        counted = {row["kind"]: row["findings"] for row in excess_counts(self.view).rows}
        listed = [row["kind"] for row in excess_list(ExcessQuestion(self.view), is_table=False, is_whole=True).rows]
        self.assertEqual({kind: listed.count(kind) for kind in set(listed)}, counted)
        for kind in counted:
            of_kind = excess_list(ExcessQuestion(self.view, [kind]), is_table=False, is_whole=True)
            self.assertEqual(len(list(of_kind.rows)), counted[kind])
        with self.assertRaises(CallError):
            excess_list(ExcessQuestion(self.view, ["no-such-kind"]), is_table=True, is_whole=True)
        answer, blocks = excess_remedies(ExcessQuestion(self.view), "out.toml")
        self.assertEqual(changes_text("", blocks).count("\nkind = "), answer.document["edits"])

    def test_who_reaches_is_counted_as_it_is_listed(self):
        counts = {row["asker"]: row["pairs"] for row in reach_counts(reach_question(self.view, None, None, None)).rows}
        address = "dues:/tariffs/2026"
        question = reach_question(self.view, None, address, None)
        for row in reaching(question).rows:
            self.assertGreaterEqual(counts[row["asker"]], len(row["actions"]))
            for action in ("view", "edit"):
                asked = reach_question(self.view, row["asker"], address, action)
                answer = verdict(asked, is_traced=True, is_csv=False)
                self.assertEqual(answer.status == Status.DONE, action in row["actions"], (row, action))
                self.assertEqual(answer.document["reached"], action in row["actions"])

    def test_a_list_is_what_its_filter_selects(self):
        people = list(record_list(self.view, IDENTITIES, 'id sw "a"', False, is_table=False).rows)
        self.assertEqual({row["id"][0] for row in people}, {"a"})
        with self.assertRaises(CallError):
            record_list(self.view, IDENTITIES, None, True, is_table=False)
        redundant = list(record_list(self.view, GRANTS, None, True, is_table=False).rows)
        self.assertTrue(all(row["because"] for row in redundant))

    def test_without_a_review_there_is_something_to_do(self):
        answer = review_status.review_status(self.view, None, "table")
        self.assertEqual((answer.heading, list(answer.rows)), ("There is no review yet.", []))
        self.assertIn("kathodos review open", answer.hint)

    def test_of_many_reviewers_those_most_behind_are_shown_and_all_are_data(self):
        for name, who in (("early", "ann"), ("late", "bo"), ("whole", "ann")):
            where = "id pr" if name == "whole" else f'id eq "{who}"'
            inside(
                "review", "open", name, "--where", where, "--by-manager", "--due", "2026-07-01", "--yes", cwd=self.here
            )
        inside("review", "decide", "all", "certify", "--review", "early", "--as", "head", cwd=self.here)
        inside("review", "close", "early", "--yes", "--as", "head", cwd=self.here)
        with Workspace.find(self.here).view() as view:
            whole = list(review_status.review_status(view, None, "csv").rows)
            self.assertEqual([row["days_left"] for row in whole if row["state"] == "signed off"], [None])
            self.assertTrue(all(row["days_left"] == 16 for row in whole if row["state"] == "open"))
            with mock.patch.object(review_status, "_MOST_SHOWN", 1):
                cut = review_status.review_status(view, None, "table")
            (shown,) = cut.rows
            self.assertEqual(shown["left"], max(row["left"] for row in whole))
            self.assertIn(f"{len(whole) - 1} more reviewers", cut.hint)
            self.assertIn(f"{sum(row['left'] for row in whole)} lines left", cut.heading)
            self.assertIn("review lines late --undecided", review_status.review_status(view, "late", "table").hint)


if __name__ == "__main__":
    unittest.main()
