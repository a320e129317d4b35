"""Packets made and taken back: what fits is taken, and everything else refused line by line, with the reason."""

import hashlib
import json
import shutil
import unittest

import openpyxl

from kathodos import thresholds
from tests import stores
from tests.acceptance.test_reviewing import DESK, Desk
from tests.packets import answers_to, held_in, lines_in, saved
from tests.support import OFFICE_RULES, at_once, inside, lay_out, records_inside

LATER = "2026-06-16T12:00:00Z"


class Office(Desk):
    """A review by the head of a small office, and the head's packet."""

    @classmethod
    def prepare(cls, folder):
        at = super().prepare(folder)
        inside("review", "packets", "june", "--out", "packets", "--form", "both", "--as", "auditor", cwd=at)
        return at

    def setUp(self):
        super().setUp()
        self.page = self.here / "packets" / "head.html"

    def take(self, *contents, status=0, now=LATER, more=()):
        files = [saved(self.here / f"answer-{at}.json", it) for at, it in enumerate(contents)]
        said = inside(
            *("review", "take", *files, *more, "--as", "auditor", "--format", "json"),
            cwd=self.here,
            now=now,
            status=status,
        )
        return json.loads(said.stdout)

    def refused(self, *contents, now=LATER):
        return {it["line"]: it["why"] for it in self.take(*contents, status=1, now=now)["refused"]}

    def lines(self):
        return {it["line"]: it for it in records_inside("review", "lines", "june", cwd=self.here)}

    def number(self, whose, gives):
        return next(it["line"] for it in self.lines().values() if (it["identity"], it["gives"]) == (whose, gives))


class Taken(Office, unittest.TestCase):
    def test_what_a_page_shows_is_what_the_lines_say(self):
        shown, kept = lines_in(self.page), self.lines()
        self.assertEqual(set(shown), set(kept))
        for number, line in shown.items():
            self.assertEqual((line["what"], line["out"]), (kept[number]["gives"], kept[number]["stands_out"]))
            self.assertIn(f"({kept[number]['identity']})", line["whom"])
            for permission in kept[number]["contains"]:
                self.assertTrue(any(permission in it for it in line["evidence"]), permission)

    def test_every_kind_of_answer(self):
        setter, waiver = self.number("ann", "role:dues/setter"), self.number("bo", "role:dues/waiver")
        reading, last = self.number("bo", "view dues:/tariffs"), self.number("cy", "role:dues/setter")
        told = self.take(
            answers_to(
                self.page,
                {"line": setter, "decision": "certify", "opened": True, "at": "2026-06-16T08:00:00.123Z"},
                {"line": waiver, "decision": "reduce", "until": "2026-09-30", "reason": "the project is shorter"},
                {
                    "line": reading,
                    "decision": "revoke",
                    "reason": "reads nothing",
                    "say": "Ask Bo.",
                    "at": "1999-01-01",
                },
                {"line": last, "decision": "pass", "to": "Ann Clerk", "reason": "she knows"},
            )
        )
        self.assertEqual([told[it] for it in ("certify", "reduce", "revoke", "pass")], [1, 1, 1, 1])
        lines = self.lines()
        self.assertEqual((lines[setter]["decided_by"], lines[setter]["capacity"]), ("head", "reviewer"))
        self.assertEqual(lines[setter]["decided_at"], "2026-06-16T08:00:00.123Z", "as the page says")
        self.assertEqual(lines[reading]["decided_at"], LATER, "no packet was there in 1999")
        self.assertEqual(lines[waiver]["reduced"], {"until": "2026-09-30"})
        self.assertEqual([(it["said_by"], it["text"]) for it in lines[reading]["remarks"]], [("head", "Ask Bo.")])
        self.assertEqual((lines[last]["reviewer"], lines[last]["decision"]), ("ann", None))
        (entry,) = records_inside("ledger", "list", "--kind", "review take", cwd=self.here)
        self.assertEqual(entry["actor"], "auditor")
        digest = hashlib.sha256((self.here / "answer-0.json").read_bytes()).hexdigest()
        self.assertEqual(entry["payload"]["files"], [[digest, "head", 4]])
        inside("ledger", "verify", cwd=self.here)

    def test_a_part_now_and_the_rest_later_and_nothing_twice(self):
        first, second, *_ = self.lines()
        one, other = ({"line": it, "decision": "certify"} for it in (first, second))
        self.assertEqual(self.take(answers_to(self.page, one))["certify"], 1)
        told = self.take(answers_to(self.page, one, other))
        self.assertEqual((told["certify"], told["repeated"], told["refused"]), (1, 1, []))

    def test_of_a_dry_run_nothing_stays(self):
        first = next(iter(self.lines()))
        told = self.take(answers_to(self.page, {"line": first, "decision": "certify"}), more=["--dry-run"])
        self.assertEqual(told["certify"], 1)
        self.assertIsNone(self.lines()[first]["decision"])

    def test_two_who_take_at_once_lose_nothing(self):
        first, second, *_ = self.lines()
        files = [
            saved(self.here / f"{at}.json", answers_to(self.page, {"line": it, "decision": "certify"}))
            for at, it in enumerate((first, second))
        ]
        for result in at_once(*(("review", "take", it, "--as", "auditor") for it in files), cwd=self.here, now=LATER):
            self.assertEqual(result.returncode, 0, result.stderr)
        self.assertEqual({self.lines()[it]["decision"] for it in (first, second)}, {"certify"})

    def test_lines_that_nobody_opened_are_told(self):
        first, second, *_ = self.lines()
        self.take(
            answers_to(
                self.page,
                {"line": first, "decision": "certify", "opened": False},
                {"line": second, "decision": "certify", "opened": True},
            )
        )
        (told,) = records_inside("review", "status", "june", "--measures", cwd=self.here)
        self.assertEqual((told["who"], told["unopened"], told["opened_known"]), ("head", 1, 2))

    def test_hostile_answers(self):
        first, second, third, *_ = self.lines()
        why = self.refused(
            answers_to(
                self.page,
                {"line": first, "decision": "revoke", "reason": "a\0b"},
                {"line": second, "decision": "certify", "say": "x" * 20_000},
                {"line": third, "decision": "certify", "reason": "\x1b[2J\u202e=cmd|' /C calc'!A0", "at": "never"},
                {"line": 10**9, "decision": "certify"},
                {"line": 0, "decision": "certify"},
            )
        )
        self.assertEqual(set(why), {first, second, 10**9, None})
        self.assertIn("cannot be kept", why[first])
        line = self.lines()[third]
        self.assertEqual((line["decision"], line["decided_at"]), ("certify", LATER))
        shown = inside("review", "lines", "june", "--whose", line["identity"], cwd=self.here).stdout
        self.assertNotIn("\x1b", shown)
        self.assertNotIn("\u202e", shown)
        for odd in (
            {"line": 10**30, "decision": "certify"},
            {"line": 1, "decision": "certify", "more": 1},
            {"line": 1},
        ):
            file = saved(self.here / "odd.json", answers_to(self.page, odd))
            said = inside("review", "take", file, "--as", "auditor", cwd=self.here, now=LATER, status=3)
            self.assertIn("is no file of answers", said.stderr)


@stores.ABOUT_ANSWERS
class Refused(Office, unittest.TestCase):
    def test_a_packet_that_was_altered(self):
        answer, first = {"line": 1, "decision": "certify"}, next(iter(self.lines()))
        content = answers_to(self.page, answer, digest="0" * 64)
        self.assertIn("altered before it was answered", self.refused(content)[None])
        seal = {**json.loads(held_in(self.page, "seal")), "reviewer": "ann"}
        self.assertIn(
            "not answer a packet that was made here", self.refused(answers_to(self.page, answer, seal=seal))[None]
        )
        self.assertIsNone(self.lines()[first]["decision"])

    def test_a_packet_of_another_place_or_time(self):
        other = lay_out(self.folder / "other", DESK, OFFICE_RULES)
        inside("gather", cwd=other)
        words = ("--where", 'id eq "ann"', "--by-manager", "--due", "2026-06-30", "--as", "auditor")
        inside("review", "open", "--yes", "june", *words, cwd=other)
        inside("review", "packets", "--out", "packets", "--as", "auditor", cwd=other)
        foreign = answers_to(other / "packets" / "head.html", {"line": 1, "decision": "certify"})
        self.assertIn("not answer a packet that was made here", self.refused(foreign)[None])

    def test_what_has_changed_since(self):
        setter, waiver = self.number("ann", "role:dues/setter"), self.number("bo", "role:dues/waiver")
        reading, last = self.number("bo", "view dues:/tariffs"), self.number("cy", "role:dues/setter")
        steps = (
            ("decide", setter, "revoke", "--reason", "x"),
            ("pass", waiver, "--to", "ann"),
            ("decide", reading, "certify"),
        )
        for words in steps:
            inside("review", *map(str, words), "--as", "head", cwd=self.here)
        answers = ({"line": it, "decision": "certify"} for it in (setter, waiver, reading, last, 99))
        why = self.refused(answers_to(self.page, *answers))
        self.assertIn("head decided it on", why[setter])
        self.assertIn("it is for ann to decide now, no longer for head", why[waiver])
        self.assertIn("no line 99", why[99])
        self.assertNotIn(reading, why, "it was decided so already")
        self.assertEqual(self.lines()[last]["decision"], "certify", "what fits is taken")
        words = ("--undecided", "certify", "--as", "auditor", "--reason", "x")
        inside("review", "close", "--yes", "june", *words, cwd=self.here, now=LATER)
        late = self.refused(answers_to(self.page, {"line": waiver, "decision": "revoke", "reason": "x"}))
        self.assertIn("it was signed off as certify before the answer came", late[waiver])

    def test_what_cannot_be_so(self):
        setter, waiver = self.number("ann", "role:dues/setter"), self.number("bo", "role:dues/waiver")
        group, last = self.number("ann", "group:directory/inner"), self.number("cy", "role:dues/setter")
        why = self.refused(
            answers_to(
                self.page,
                {"line": setter, "decision": "revoke"},
                {"line": waiver, "decision": "reduce", "until": "2027-09-30", "reason": "longer"},
                {"line": group, "decision": "reduce", "until": "2026-09-30", "reason": "a membership"},
                {"line": last, "decision": "pass", "to": "nobody-there"},
            )
        )
        self.assertIn("to revoke, it has to say why", why[setter])
        self.assertIn("is a membership", why[group])
        self.assertEqual(set(why), {setter, waiver, group, last})
        self.assertFalse(any(it["decision"] for it in self.lines().values()))
        why = self.refused(answers_to(self.page, {"line": last, "decision": "pass", "to": "cy2"}))
        self.assertIn("it is about", why[last])

    def test_certifying_against_the_evidence_takes_a_reason_where_that_is_said(self):
        with (self.here / "kathodos.toml").open("a") as file:
            file.write("\n[reviews]\nneeds_reason = true\n")
        against = [number for number, it in self.lines().items() if it["speaks"] == "against"]
        self.assertGreaterEqual(len(against), 2)
        one, other = against[:2]
        words = ("review", "decide", str(one), "certify", "--as", "head")
        self.assertIn("takes a reason", inside(*words, cwd=self.here, status=2).stderr)
        inside(*words, "--reason", "until the deputy is back", cwd=self.here)
        why = self.refused(answers_to(self.page, {"line": other, "decision": "certify"}))
        self.assertIn("certifying it takes a reason", why[other])
        told = self.take(answers_to(self.page, {"line": other, "decision": "certify", "reason": "needed"}))
        self.assertEqual(told["certify"], 1)

    def test_what_is_answered_twice(self):
        first, second, *_ = self.lines()
        one = answers_to(self.page, {"line": first, "decision": "certify"}, {"line": second, "decision": "certify"})
        other = answers_to(
            self.page,
            {"line": first, "decision": "revoke", "reason": "no"},
            {"line": second, "decision": "certify"},
        )
        self.assertEqual(list(self.refused(one, other)), [first])
        self.assertEqual(self.lines()[first]["decision"], "certify")

    def test_what_is_no_file_of_answers(self):
        for content, told in (
            (b" \n", "bad.json is empty"),
            (self.page.read_bytes(), "is a packet itself"),
            (b"[" * 100_000, "is no file of answers"),
            (b'{"form": "kathodos answers 1"}', "missing"),
            (b"PK\x03\x04rubbish", "no workbook"),
            (b"\xff\xfe\x00", "is no file of answers"),
        ):
            file = self.here / "bad.json"
            file.write_bytes(content)
            said = inside("review", "take", file, "--as", "auditor", cwd=self.here, status=3)
            self.assertIn(told, said.stderr)

    def test_among_several_a_file_that_is_none_is_refused_alone(self):
        first = next(iter(self.lines()))
        good = saved(self.here / "good.json", answers_to(self.page, {"line": first, "decision": "certify"}))
        (self.here / "bad.json").write_bytes(b"nothing")
        seal = {**json.loads(held_in(self.page, "seal")), "review": "other"}
        other = saved(
            self.here / "other.json", answers_to(self.page, {"line": first, "decision": "certify"}, seal=seal)
        )
        said = inside("review", "take", "bad.json", other, good, "--as", "auditor", cwd=self.here, now=LATER, status=1)
        self.assertIn("bad.json is no file of answers", said.stdout)
        self.assertIn("there is no review other here", said.stdout)
        self.assertEqual(self.lines()[first]["decision"], "certify")

    def test_who_may_not(self):
        with (self.here / "kathodos.toml").open("a") as file:
            file.write('\n[[may]]\nacts = ["exchange packets"]\nwho = ["head"]\n')
        words = ("review", "packets", "june", "--out", "others", "--as", "auditor")
        self.assertIn("auditor", inside(*words, cwd=self.here, status=2).stderr)
        self.assertFalse((self.here / "others").exists())
        file = saved(self.here / "a.json", answers_to(self.page, {"line": 1, "decision": "certify"}))
        inside("review", "take", file, "--as", "auditor", cwd=self.here, status=2)
        inside("review", "take", file, "--as", "head", cwd=self.here, now=LATER)

    def test_packets_are_never_written_over(self):
        words = ("review", "packets", "june", "--out", "packets", "--as", "auditor")
        self.assertIn("never written over", inside(*words, cwd=self.here, status=2).stderr)


@stores.ABOUT_ANSWERS
class Workbooks(Office, unittest.TestCase):
    def filled(self, **cells):
        """The workbook with some cells of line 1 filled in, or changed."""
        file = self.here / "filled.xlsx"
        shutil.copy(self.page.with_suffix(".xlsx"), file)
        book = openpyxl.load_workbook(file)
        sheet = book["Lines"]
        names = [cell.value for cell in sheet[1]]
        for name, value in cells.items():
            sheet.cell(2, names.index(name.replace("_", " ")) + 1).value = value
        book.save(file)
        return file

    def take(self, file, status=0):
        words = ("review", "take", file, "--as", "auditor", "--format", "json")
        return json.loads(inside(*words, cwd=self.here, now=LATER, status=status).stdout)

    def test_what_is_shown_cannot_be_typed_over_and_decisions_are_chosen(self):
        sheet = openpyxl.load_workbook(self.page.with_suffix(".xlsx"))["Lines"]
        self.assertTrue(sheet.protection.sheet)
        self.assertTrue(sheet.cell(2, 2).protection.locked)
        self.assertFalse(sheet.cell(2, 6).protection.locked)
        (choices,) = sheet.data_validations.dataValidation
        self.assertEqual(choices.formula1, '"certify,reduce,revoke,pass"')
        kept = lines_in(self.page)
        for row in sheet.iter_rows(min_row=2, values_only=True):
            self.assertEqual((row[1], row[2]), (kept[row[0]]["whom"], kept[row[0]]["what"]))

    def test_filled_in_it_is_taken(self):
        first = next(iter(self.lines()))
        told = self.take(self.filled(decision="Revoke", why="left", comment="Ask Ann."))
        self.assertEqual((told["revoke"], told["refused"]), (1, []))
        line = self.lines()[first]
        self.assertEqual((line["decision"], line["decision_reason"], line["decided_by"]), ("revoke", "left", "head"))
        self.assertEqual(line["remarks"][0]["text"], "Ask Ann.")

    def test_a_line_that_says_something_else_is_refused(self):
        (why,) = self.take(self.filled(decision="certify", what="role:dues/everything"), status=1)["refused"]
        self.assertIn("is not what was sent", why["why"])
        (why,) = self.take(self.filled(decision="keep"), status=1)["refused"]
        self.assertIn("'keep' is no decision", why["why"])

    def test_a_formula_is_never_worked_out(self):
        (why,) = self.take(self.filled(decision="revoke", why="=1+1"), status=1)["refused"]
        self.assertIn("it has to say why", why["why"])


@stores.ABOUT_ANSWERS
class Apart(Office, unittest.TestCase):
    def test_several_processes_write_what_one_writes(self):
        inside(
            "review", "pass", str(self.number("bo", "view dues:/tariffs")), "--to", "cy", "--as", "head", cwd=self.here
        )
        inside("review", "packets", "june", "--out", "one", "--as", "auditor", cwd=self.here)
        several = ("review", "packets", "june", "--out", "several", "--as", "auditor")
        (done,) = at_once(several, cwd=self.here, KATHODOS_THRESHOLDS=thresholds.PROCESSES)
        self.assertEqual(done.returncode, 0, done.stderr)
        one, several = (
            {it.name: it.read_bytes() for it in (self.here / name).iterdir()} for name in ("one", "several")
        )
        self.assertEqual(several, one)
        self.assertEqual(set(one), {"head.html", "cy.html"})
