"""Lines of a review decided in every way: certified, made less, passed on, asked about, taken back."""

import json
import unittest

from tests.support import OFFICE, OFFICE_RULES, Prepared, at_once, carried_out, inside, lay_out, records_inside

PEOPLE = [
    *OFFICE["identities"],
    {"id": "cy", "name": "Cyd Chief", "department": "Dues", "title": "Deputy", "email": "cyd@office.example"},
    {"id": "cy2", "name": "Cyd Chief", "title": "Deputy", "email": "cyd@office.example"},
    {"id": "gone", "name": "Gus Gone", "status": "left"},
]
MORE = [
    {"grant": "g5", "holder": "identity:bo", "gives": "role:dues/waiver", "until": "2026-12-31", "reason": "project"},
    {"grant": "g6", "holder": "identity:cy", "gives": "role:dues/setter", "until": "", "reason": ""},
]
DESK = {**OFFICE, "identities": PEOPLE, "grants": [*OFFICE["grants"], *MORE]}


class Desk(Prepared):
    @classmethod
    def prepare(cls, folder):
        at = lay_out(folder / "desk", DESK, OFFICE_RULES)
        inside("gather", cwd=at)
        where = 'id eq "ann" or id eq "bo" or id eq "cy"'
        words = ("--where", where, "--reviewers", "manager", "head", "--due", "2026-06-30")
        inside("review", "open", "--yes", "june", *words, "--as", "auditor", cwd=at)
        return at

    def step(self, *words, actor="head", status=0):
        return inside("review", *words, "--as", actor, cwd=self.here, status=status)

    def lines(self, *words):
        return {(it["identity"], it["gives"]): it for it in self.rows("review", "lines", "june", *words)}

    def rows(self, *words, **options):
        return records_inside(*words, cwd=self.here, **options)

    def number(self, whose, what):
        return str(self.lines()[whose, what]["line"])


class MadeLess(Desk, unittest.TestCase):
    def test_an_end_becomes_an_order_and_is_confirmed(self):
        line = self.number("bo", "role:dues/waiver")
        self.step("decide", line, "reduce", "--until", "2026-09-30", "--reason", "the project is shorter")
        shown = self.lines()["bo", "role:dues/waiver"]
        self.assertEqual((shown["decision"], shown["reduced"]), ("reduce", {"until": "2026-09-30"}))
        closed = json.loads(self.step("close", "--yes", "--format", "json", actor="auditor").stdout)
        self.assertEqual((closed["reduced"], closed["ended"], closed["lessened"]), ([int(line)], [], ["grant:g5"]))
        self.assertEqual(self.grant("g5")["until"], "2026-12-31", "until the system's side has done it")
        self.assertIn("1 order confirmed", carried_out(self.here))
        self.assertEqual(self.grant("g5")["until"], "2026-09-30")

    def test_a_smaller_right_takes_the_place_of_the_grant(self):
        line = self.number("bo", "role:dues/waiver")
        words = ("reduce", "--to", "view dues:/waivers/2026", "--until", "2026-10-31", "--reason", "reads them")
        self.step("decide", line, *words)
        self.step("close", "--yes", actor="auditor")
        self.assertIn("2 orders confirmed", carried_out(self.here))
        (left,) = (
            it for it in self.rows("list", "grants") if it["holder"] == "identity:bo" and "waivers" in it["gives"]
        )
        self.assertEqual((left["gives"], left["until"]), ("view dues:/waivers/2026", "2026-10-31"))
        where = ("--by", "bo", "--on", "dues:/waivers/2026", "--do")
        self.rows("reach", *where, "view")
        self.rows("reach", *where, "approve", status=1)

    def test_what_is_more_or_as_much_is_refused(self):
        line = self.number("bo", "role:dues/waiver")
        for words, told in (
            (("--to", "role:dues/setter"), "would give 1 of them more"),
            (("--to", "approve dues:/waivers/**"), "as much as they have now"),
            (("--on", "dues:/**"), "as much as they have now"),
            (("--until", "2026-06-01"), "is over"),
            (("--until", "2027-01-01"), "is not made less by an end on 2027-01-01"),
            (("--until", "someday"), "is no day"),
            (("--to", "role:dues/nothing"), "dues/nothing"),
            ((), "Say what is left"),
        ):
            said = self.step("decide", line, "reduce", *words, "--reason", "less", status=2).stderr
            self.assertIn(told, said, words)
        said = self.step("decide", line, "certify", "--until", "2026-10-01", status=2).stderr
        self.assertIn("nothing is reduced", said)
        group = self.number("ann", "group:directory/inner")
        said = self.step("decide", group, "reduce", "--until", "2026-10-01", "--reason", "x", status=2).stderr
        self.assertIn("is a membership", said)
        self.assertEqual({it["decision"] for it in self.rows("review", "lines", "june")}, {None})

    def grant(self, name):
        return next(it for it in self.rows("list", "grants") if it["grant"] == name)


class PassedOn(Desk, unittest.TestCase):
    def test_it_is_another_s_to_decide_and_the_trail_stays(self):
        line = self.number("bo", "role:dues/waiver")
        self.step("pass", line, "--to", "identity:cy", "--reason", "knows the project")
        self.assertEqual([it["line"] for it in self.rows("review", "lines", "june", "--reviewer", "cy")], [int(line)])
        self.assertIn("is for cy to decide", self.step("decide", line, "certify", status=2).stderr)
        self.step("pass", line, "--to", "head", actor="cy")
        self.step("decide", line, "certify")
        trail = [(it["said_by"], it["whom"], it["text"]) for it in self.lines()["bo", "role:dues/waiver"]["remarks"]]
        self.assertEqual(trail, [("head", "cy", "knows the project"), ("cy", "head", None)])
        entries = self.rows("ledger", "list", "--kind", "review remark")
        self.assertEqual([(it["actor"], it["reason"]) for it in entries], [("head", "knows the project"), ("cy", "")])
        self.assertEqual({it["reviewer"]: it["done"] for it in self.rows("review", "status")}, {"head": 1})

    def test_never_to_oneself_under_any_name_nor_to_who_is_gone(self):
        line = self.number("cy", "role:dues/setter")
        for to, told in (
            ("cy", "nobody decides about themselves"),
            ("cy2", "nobody decides about themselves"),
            ("gone", "is left and decides nothing"),
            ("head", "is for head to decide already"),
            ("nobody-at-all", "nobody called"),
        ):
            self.assertIn(told, self.step("pass", line, "--to", to, status=2).stderr)
        self.step("decide", line, "certify")
        self.assertIn("is decided already", self.step("pass", line, "--to", "bo", status=2).stderr)

    def test_many_by_a_filter(self):
        self.step("pass", "--where", 'grant pr and identity ne "cy"', "--to", "cy")
        whose = {(it["identity"], it["gives"]) for it in self.rows("review", "lines", "june", "--reviewer", "cy")}
        expected = {("ann", "role:dues/setter"), ("bo", "view dues:/tariffs"), ("bo", "role:dues/waiver")}
        self.assertEqual(whose, expected)
        passed = self.rows("review", "lines", "june", "--where", 'passed_to eq "cy"')
        self.assertEqual(len(passed), 3)

    def test_two_identities_that_become_one_keep_what_was_passed_on(self):
        line = self.number("bo", "role:dues/waiver")
        self.step("pass", line, "--to", "cy2")
        inside("people", "merge", "cy2", "cy", "--reason", "one person", "--yes", cwd=self.here)
        self.assertEqual(self.lines()["bo", "role:dues/waiver"]["reviewer"], "cy")


class AskedAndAnswered(Desk, unittest.TestCase):
    def test_a_question_waits_for_its_answer_and_both_stay(self):
        line = self.number("ann", "role:dues/setter")
        self.step("ask", line, "--of", "ann", "--say", "Do you still set tariffs?")
        waiting = self.rows("review", "lines", "june", "--where", 'asked eq "ann"')
        self.assertEqual([it["line"] for it in waiting], [int(line)])
        self.assertIn("neither for bo", self.step("answer", line, "--say", "no", actor="bo", status=2).stderr)
        self.step("answer", "all", "--say", "Every March.", actor="ann")
        self.assertEqual(self.rows("review", "lines", "june", "--where", "asked pr"), [])
        said = self.step("answer", "all", "--say", "x", actor="ann", status=2).stderr
        self.assertIn("ann has no line of june to answer", said)
        said = self.step("comment", "all", "--say", "x", actor="ann", status=2).stderr
        self.assertIn("ann has no line of june to comment on", said)
        self.assertIn("is not answered", self.step("answer", line, "--say", "x", status=2).stderr)
        self.step("comment", line, "--say", "fine then")
        said = [(it["sort"], it["said_by"], it["text"]) for it in self.lines()["ann", "role:dues/setter"]["remarks"]]
        expected = [("question", "head", "Do you still set tariffs?"), ("answer", "ann", "Every March.")]
        self.assertEqual(said, [*expected, ("comment", "head", "fine then")])
        self.assertIn("ann answers: Every", inside("review", "lines", "june", cwd=self.here).stdout)

    def test_who_opened_it_is_asked_where_nobody_is_named(self):
        line = self.number("ann", "role:dues/setter")
        self.assertIn("Asked auditor", self.step("ask", line, "--say", "Why is this here?").stdout)
        self.step("answer", "all", "--say", "Everybody of the office is.", actor="auditor")

    def test_nothing_is_said_of_what_is_signed_off(self):
        self.step("decide", "all", "certify")
        self.step("close", "--yes", "--undecided", "certify", actor="auditor")
        for words in (("comment", "1", "--say", "x"), ("ask", "1", "--say", "x"), ("take-back", "1")):
            self.assertIn("signed off", self.step(*words, "--review", "june", status=2).stderr)


class TakenBack(Desk, unittest.TestCase):
    def test_it_is_undecided_again(self):
        line = self.number("ann", "role:dues/setter")
        self.assertIn("no line of june to take back", self.step("take-back", "all", status=2).stderr)
        self.assertIn("Nothing is decided of line", self.step("take-back", line, status=2).stderr)
        self.step("decide", line, "revoke", "--reason", "in haste")
        self.assertIn("is for head to decide", self.step("take-back", line, actor="bo", status=2).stderr)
        self.assertIn("5 left", self.step("take-back", line).stdout)
        self.assertIsNone(self.lines()["ann", "role:dues/setter"]["decision"])
        self.assertIn("0 revoked", self.step("close", "--dry-run", actor="auditor").stdout)
        (entry,) = self.rows("ledger", "list", "--kind", "review take-back")
        self.assertIn("identity:ann", entry["subjects"])


class WhoReviews(Desk, unittest.TestCase):
    def test_a_chain_names_who_decides(self):
        words = ("--where", 'department eq "Dues"', "--due", "2026-06-30", "--as", "auditor")
        inside("review", "open", "--yes", "chain", *words, "--reviewers", "owner", "cy", "head", cwd=self.here)
        found = {it["identity"]: it["reviewer"] for it in self.rows("review", "lines", "chain")}
        self.assertEqual(found, {"ann": "cy", "bo": "cy", "cy": "head"}, "never oneself")
        said = inside("review", "open", "--yes", "x", *words, "--reviewers", "gone", cwd=self.here, status=2).stderr
        self.assertIn("gone is left", said)
        said = inside(
            "review", "open", "--yes", "x", *words, "--reviewers", "owner", "--by-manager", cwd=self.here, status=2
        )
        self.assertIn("not allowed with", said.stderr)


class AtOnce(Desk, unittest.TestCase):
    def test_two_who_decide_at_once_lose_nothing(self):
        own, other = self.number("ann", "role:dues/setter"), self.number("bo", "role:dues/waiver")
        inside("review", "pass", other, "--to", "ann", "--as", "head", "--reason", "knows it", cwd=self.here)
        calls = [
            ("review", "decide", own, "certify", "--as", "head", "--reason", "one"),
            ("review", "decide", other, "revoke", "--as", "ann", "--reason", "other"),
        ]
        for result in at_once(*calls, cwd=self.here):
            self.assertEqual(result.returncode, 0, result.stderr)
        lines = {str(it["line"]): (it["decision"], it["decided_by"]) for it in self.lines().values()}
        self.assertEqual((lines[own], lines[other]), (("certify", "head"), ("revoke", "ann")))
        inside("ledger", "verify", cwd=self.here)


if __name__ == "__main__":
    unittest.main()
