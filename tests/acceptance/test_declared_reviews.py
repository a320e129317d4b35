"""Reviews that are declared once, and come again."""

import unittest

from tests import stores
from tests.support import OFFICE, Prepared, inside, lay_out, records_inside

QUARTERLY = """
where = 'title eq "Clerk"'
reviewers = ["owner", "manager"]
due = "P10D"
every = "P3M"
"""


@stores.ABOUT_ANSWERS
class DeclaredReviews(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "office", OFFICE)
        inside("gather", cwd=at)
        return at

    def setUp(self):
        super().setUp()
        (self.here / "reviews").mkdir()
        self.declare("clerks", QUARTERLY)

    def declare(self, name, text):
        (self.here / "reviews" / f"{name}.toml").write_text(text)

    def due(self, now):
        rows = records_inside("review", "due", cwd=self.here, now=now)
        return {row["declared"]: (row["state"], row["next"], row["last"]) for row in rows}

    def step(self, *words, now, status=0):
        agreed = ["--yes"] if words[0] in ("open", "close") else []
        return inside("review", *words, *agreed, "--as", "x", cwd=self.here, now=now, status=status)

    def test_it_is_opened_by_its_name_and_comes_again(self):
        self.declare("once", "where = 'id eq \"ann\"'\n")
        june, september, october = (f"2026-{month}T09:00:00Z" for month in ("06-20", "09-19", "10-01"))
        self.assertEqual(self.due(june)["clerks"], ("to be opened", "now", None))
        self.assertIn("Opened clerks-2026-06-20: 2 lines", self.step("open", "clerks", now=june).stdout)
        lines = records_inside("review", "lines", "clerks-2026-06-20", cwd=self.here)
        self.assertEqual({it["reviewer"] for it in lines}, {"head"})
        (status,) = records_inside("review", "status", "clerks-2026-06-20", cwd=self.here, now=june)
        self.assertEqual(status["due"], "2026-06-30")
        self.assertEqual(self.due(june)["clerks"], ("open", "2026-09-20", "clerks-2026-06-20"))
        self.step("close", "clerks-2026-06-20", "--undecided", "certify", now=june)
        self.assertEqual(self.due(september)["clerks"][0], "waits")
        self.assertEqual(self.due(october)["clerks"][0], "to be opened")
        self.assertIn("2 to be opened", inside("review", "due", cwd=self.here, now=october).stdout)
        self.step("open", "once", "--due", "2026-10-05", now=october)
        self.step("close", "once", "--undecided", "certify", now=october)
        self.assertEqual(self.due(october)["once"], ("done", None, "once"))
        self.assertIn("There is a review once already", self.step("open", "once", now=october, status=2).stderr)

    def test_one_that_comes_after_another_waits_for_it(self):
        self.declare("people", "about = 'identity-data'\nwhere = 'id eq \"ann\"'\nreviewers = ['head']\n")
        self.declare("rights", "where = 'id eq \"ann\"'\nafter = 'people'\n")
        june = "2026-06-20T09:00:00Z"
        self.assertEqual(self.due(june)["rights"][0], "waits for people")
        self.assertIn("people comes before rights", self.step("open", "rights", now=june, status=2).stderr)
        self.step("open", "people", now=june)
        self.assertEqual(self.due(june)["rights"][0], "waits for people")
        self.step("close", "people", "--undecided", "certify", now=june)
        self.assertEqual(self.due(june)["rights"][0], "to be opened")
        self.step("open", "rights", now=june)

    def test_what_is_wrong_is_told_with_its_line(self):
        for text, told in (
            ("only = 'line'\nwhere = 'title pr'\n", "line 1: only is no filter over lines"),
            ("about = 'rooms'\nwhere = 'title pr'\n", "line 1: about"),
            ("where = 'title'\n", "line 1: where is no filter over people"),
            ("where = 'title pr'\ndue = 'soon'\n", "line 2: 'soon' is no duration"),
            ("where = 'title pr'\nweekly = true\n", "line 2: there is no key 'weekly'"),
            ("where = 'title pr'\nafter = 'nothing'\n", "line 2: after names nothing"),
            ("due = 'P1D'\n", "where is missing"),
        ):
            self.declare("clerks", text)
            self.assertIn(told, self.step("open", "clerks", now=None, status=3).stderr)

    def test_a_call_that_says_too_little(self):
        self.assertIn("reviews/clerk.toml", self.step("open", "clerk", now=None, status=2).stderr)
        self.assertIn("clerks", self.step("open", "clerk", now=None, status=2).stderr)
        words = ("open", "x", "--where", "title pr")
        self.assertIn("--due DATE is missing", self.step(*words, "--by-manager", now=None, status=2).stderr)
        about = ("open", "x", "--about", "identity-data", "--due", "2026-12-01")
        self.assertIn("--where FILTER is missing", self.step(*about, now=None, status=2).stderr)

    def test_a_declaration_is_a_setting_whose_change_is_on_record(self):
        self.step("open", "clerks", now="2026-06-20T09:00:00Z")
        self.declare("clerks", QUARTERLY.replace("P10D", "P20D"))
        inside("baseline", "mark", "now", cwd=self.here, now="2026-06-21T09:00:00Z")
        settings = records_inside("ledger", "list", "--kind", "settings", cwd=self.here)
        self.assertIn("reviews/clerks.toml", str(settings[-1]))


if __name__ == "__main__":
    unittest.main()
