"""What came of a review: counted while it goes on, and afterwards as files that stay what they were, with the proof."""

import csv
import json
import shutil
import unittest

import openpyxl

from tests import stores
from tests.acceptance.test_reviewing import DESK, Desk
from tests.support import inside, records_inside, write_tables

FILES = ["lines.csv", "report.html", "report.pdf", "report.xlsx"]


class Closed(Desk):
    @classmethod
    def prepare(cls, folder):
        at = super().prepare(folder)
        inside("review", "decide", "1", "revoke", "--reason", "<b>left</b>", "--as", "head", cwd=at)
        inside("review", "decide", "2", "certify", "--as", "head", cwd=at)
        return at

    def setUp(self):
        super().setUp()
        self.lines = records_inside("review", "lines", "june", cwd=self.here)

    def close(self):
        words = ("--undecided", "certify", "--as", "auditor", "--reason", "nobody answered")
        inside("review", "close", "--yes", "june", *words, cwd=self.here)

    def report(self, *words, status=0):
        said = inside("review", "report", "june", *words, "--format", "json", cwd=self.here, status=status)
        return json.loads(said.stdout) if said.stdout else said.stderr


class Files(Closed, unittest.TestCase):
    def test_a_report_is_the_same_bytes_years_later(self):
        self.close()
        told = self.report("--out", "first")
        self.assertEqual(sorted(told["files"]), FILES)
        renamed = [{**it, "name": f"{it['name']} II", "title": "Other"} for it in DESK["identities"]]
        write_tables(self.here / "tables", {**DESK, "identities": renamed, "grants": DESK["grants"][2:]})
        inside("gather", "--accept-loss", cwd=self.here, now="2029-06-15T12:00:00Z")
        again = inside("review", "report", "june", "--out", "second", cwd=self.here, now="2031-06-15T12:00:00Z")
        self.assertIn("lines.csv", again.stdout)
        for name in [*FILES, "proof.json"]:
            first, second = ((self.here / folder / name).read_bytes() for folder in ("first", "second"))
            self.assertEqual(first, second, name)


@stores.ABOUT_ANSWERS
class Contents(Closed, unittest.TestCase):
    def test_it_says_every_line_with_its_evidence_as_they_were_frozen(self):
        self.close()
        kept = {it["line"]: it for it in records_inside("review", "lines", "june", cwd=self.here)}
        self.report("--out", "out")
        with (self.here / "out" / "lines.csv").open(encoding="utf-8") as file:
            rows = list(csv.DictReader(file))
        self.assertEqual([int(row["line"]) for row in rows], sorted(kept))
        sheet = openpyxl.load_workbook(self.here / "out" / "report.xlsx")["Lines"]
        cells = {row[0]: row for row in sheet.iter_rows(min_row=2, values_only=True)}
        page = (self.here / "out" / "report.html").read_text(encoding="utf-8")
        for row in rows:
            line = kept[int(row["line"])]
            self.assertEqual(
                (row["what"], row["decision"], row["by"]), (line["gives"], line["decision"], line["decided_by"])
            )
            self.assertIn(line["gives"], page)
            self.assertEqual(cells[line["line"]][2], line["gives"])
            for permission in line["contains"]:
                self.assertIn(permission, row["evidence"])
        self.assertIn("&lt;b&gt;left&lt;/b&gt;", page)
        self.assertNotIn("<b>left", page)
        self.assertTrue((self.here / "out" / "report.pdf").read_bytes().startswith(b"%PDF"))

    def test_whoever_holds_it_can_have_it_checked(self):
        self.close()
        self.report("--out", "out")
        self.assertEqual(self.report("--check", "out")["wrong"], [])
        for name, told in (("lines.csv", "is not what the proof says"), ("report.html", "is not what is made anew")):
            folder = self.here / f"altered-{name}"
            shutil.copytree(self.here / "out", folder)
            (folder / name).write_bytes((folder / name).read_bytes() + b" ")
            found = self.report("--check", folder, status=1)
            self.assertTrue(any(name in it and told in it for it in found["wrong"]), found)
        proof = json.loads((self.here / "out" / "proof.json").read_text())
        decided = next(it for it in proof["entries"] if it["entry"]["kind"] == "review decide")
        for change, told in (
            ({"entry": {**decided["entry"], "actor": "somebody"}}, "is not one of those that the head stands for"),
            ({"path": decided["path"][:-1]}, "is not one of those that the head stands for"),
        ):
            entries = [{**it, **change} if it is decided else it for it in proof["entries"]]
            folder = self.here / "forged"
            shutil.rmtree(folder, ignore_errors=True)
            shutil.copytree(self.here / "out", folder)
            (folder / "proof.json").write_text(json.dumps({**proof, "entries": entries}))
            found = self.report("--check", folder, status=1)
            self.assertTrue(any(told in it for it in found["wrong"]), found)
            self.assertTrue(any("signature of this workspace" in it for it in found["wrong"]), found)
        (self.here / "forged" / "proof.json").write_text("{")
        self.assertIn("is no proof", self.report("--check", self.here / "forged", status=3))

    def test_only_what_is_signed_off_has_a_result(self):
        self.assertIn("june is not signed off yet", self.report("--out", "out", status=2))
        self.assertFalse((self.here / "out").exists())
        self.close()
        self.report("--out", "out")
        self.assertIn("never written over", self.report("--out", "out", status=2))
        said = inside("review", "report", "may", "--out", "other", cwd=self.here, status=2)
        self.assertIn("no review may", said.stderr)


@stores.ABOUT_ANSWERS
class Counted(Closed, unittest.TestCase):
    def overview(self, by):
        rows = records_inside("review", "overview", "june", "--by", by, cwd=self.here)
        return {it["name"]: it for it in rows}

    def test_by_reviewer_department_system_and_evidence_as_going_through_the_lines_gives(self):
        rows = self.overview("reviewer")
        for name, row in rows.items():
            own = [it for it in self.lines if it["reviewer"] == name]
            counts = tuple(sum(it["decision"] == word for it in own) for word in ("certify", "revoke", None))
            self.assertEqual((row["lines"], row["certified"], row["revoked"], row["left"]), (len(own), *counts))
        self.assertEqual(sum(it["lines"] for it in rows.values()), len(self.lines))
        self.assertEqual(self.overview("department")["Dues"]["lines"], len(self.lines))
        systems = self.overview("system")
        dues = [it for it in self.lines if "dues" in json.dumps([it["gives"], it["brings"], it["contains"]])]
        self.assertEqual(systems["dues"]["lines"], len(dues))
        evidence = self.overview("evidence")
        for word in ("against", "for"):
            own = [it for it in self.lines if it["speaks"] == word]
            self.assertEqual(evidence.get(f"speaks {word}", {"lines": 0})["lines"], len(own))
        against = [it for it in self.lines if it["speaks"] == "against" and it["decision"]]
        share = sum(it["decision"] == "revoke" for it in against) / len(against) if against else None
        self.assertEqual(evidence["speaks against"]["share"] if "speaks against" in evidence else None, share)

    def test_the_picture_says_what_is_seen(self):
        said = inside("chart", "review", "june", "--out", "june.svg", cwd=self.here).stdout
        self.assertIn(f"june: 2 of {len(self.lines)} lines decided; 1 taken away or made less, most in Dues (1)", said)
        self.assertIn("<svg", (self.here / "june.svg").read_text())
