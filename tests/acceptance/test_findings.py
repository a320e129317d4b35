"""Conflicts covered and cured, rules checked and tried, fences as a gate, excess turned into a change, risk, charts."""

import json
import tomllib
import unittest

from tests.support import OFFICE, OFFICE_RULES, Prepared, inside, lay_out, records, records_inside, run

FENCE = """
[[fence]]
id = "F-1"
title = "Clerks waive nothing"
severity = "critical"
remedy = "Leave waivers to the head."
who = 'title eq "Clerk"'
never = ["approve dues:/waivers/**"]
"""
CONTROLS = """
[[control]]
id = "C-1"
owner = "head"
does = "looks at every waiver"
period = "P7D"
"""
LATER = "2026-06-30T08:00:00Z"


class Findings(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        here = lay_out(folder / "office", OFFICE, OFFICE_RULES + FENCE)
        (here / "controls.toml").write_text(CONTROLS)
        run("gather", cwd=here)
        return here

    def describe(self, *words, **options):
        return inside(*words, cwd=self.here, **options)

    def rows(self, *words, **options):
        return records_inside(*words, cwd=self.here, **options)

    def conflict(self, **options):
        (row,) = self.rows("conflicts", **options)
        return row

    def cover(self, *words, status=0, who="hanna@office.example", until="2026-06-25", **options):
        base = ("conflicts", "cover", "--yes", "D-1/ann", "--as", who, "--reason", "no second clerk")
        until = ("--control", "C-1", "--until", until) if "--end" not in words else ()
        return run(*base, *until, *words, cwd=self.here, status=status, **options)

    def test_a_cover_is_the_owner_s_to_give_and_runs_out_by_itself(self):
        self.assertEqual(self.conflict(status=1)["cover"], None)
        self.assertIn("not the owner of C-1; that is head", self.cover(who="ann", status=2).stderr)
        self.assertIn("is over already", self.cover(until="2026-06-14", status=2).stderr)
        self.assertIn("is no date", self.cover(until="soon", status=2).stderr)
        wrong = run("conflicts", "cover", "D-1/bo", "--control", "C-1", "--until", "2026-12-01", "--reason", "x",
                    "--yes", "--as", "head", cwd=self.here, status=2)  # fmt: skip
        self.assertIn("no conflict D-1/bo", wrong.stderr)
        self.assertIn("Would cover", self.cover("--dry-run").stdout)
        self.cover()
        row = self.conflict(status=0)
        self.assertEqual((row["cover"], row["cover_state"]), ("C-1", "holds"))
        self.assertIn("0 open conflicts of 0 people; 1 more is covered", run("conflicts", cwd=self.here).stdout)
        self.assertEqual(self.conflict(status=1, now=LATER)["cover_state"], "ran out")
        (cover,) = records("conflicts", "covers", cwd=self.here, now=LATER)
        self.assertEqual(
            (cover["conflict"], cover["state"], cover["covered_by"], cover["reason"]),
            ("D-1/ann", "ran out", "head", "no second clerk"),
        )
        (entry,) = records("ledger", "list", "--kind", "cover", cwd=self.here)
        self.assertIn("identity:ann", entry["subjects"])
        run("ledger", "verify", cwd=self.here)

    def test_a_control_that_is_not_confirmed_is_late_and_a_finding(self):
        self.cover()
        self.describe("control", "confirm", "C-1", "--as", "ann", "--reason", "x", status=2)
        (control,) = self.rows("control", "list")
        self.assertEqual((control["state"], control["due"]), ("in time", "2026-06-22"))
        (control,) = self.rows("control", "list", status=1, now="2026-06-23T00:00:00Z")
        self.assertEqual(control["state"], "late")
        (late,) = self.rows("excess", "--kind", "late-control", status=1, now="2026-06-23T00:00:00Z")
        self.assertEqual((late["subject"], late["severity"]), ("control:C-1", "high"))
        self.describe(
            "control",
            "confirm",
            "C-1",
            "--as",
            "head",
            "--reason",
            "4 looked at",
            now="2026-06-22T09:00:00Z",
        )
        self.rows("control", "list", now="2026-06-23T00:00:00Z")

    def test_a_control_can_be_added_and_a_cover_ended_before_its_time(self):
        add = ("control", "add", "C-2", "--owner", "head", "--every", "P1M", "--does", "looks")
        self.assertIn("is no duration", self.describe(*add[:6], "monthly", *add[7:], status=3).stderr)
        self.describe(*add)
        self.assertIn("There is a control C-2", self.describe(*add, status=2).stderr)
        self.cover()
        self.cover("--end")
        self.assertEqual(self.conflict(status=1)["cover_state"], "ended")
        self.assertIn("No cover holds", self.cover("--end", status=2).stderr)

    def test_conflicts_by_every_measure(self):
        for per, name in (("severity", "high"), ("topic", "Dues"), ("department", "Dues")):
            self.assertRegex(self.describe("conflicts", "--per", per, status=1).stdout, rf"(?m)^{name}\b.*D-1")
        beside = self.describe("conflicts", "--rule", "D-1", status=1).stdout
        self.assertRegex(beside, r"Set +Waive")
        self.assertIn("edit dues:/tariffs/2026", beside)
        self.assertEqual(self.rows("conflicts", "--where", 'id eq "bo"'), [])
        self.assertIn("no conflict rule D-9", self.describe("conflicts", "--rule", "D-9", status=2).stderr)

    def test_the_cure_is_a_change_file_under_which_the_conflict_is_gone(self):
        found = json.loads(self.describe("conflicts", "cure", "--change", "cure.toml", "--format", "json").stdout)
        self.assertEqual((len(found["withdrawals"]), found["gap"], found["still_standing"]), (1, 0.0, 0))
        self.assertEqual(len(found["cures"][0]["as_small"]), 3)
        self.assertEqual(self.rows("conflicts", "--assume", "cure.toml"), [])
        self.assertIn(
            "never written over", self.describe("conflicts", "cure", "--change", "cure.toml", status=2).stderr
        )
        kept = [("--protect", it) for it in ("grant:g1", "grant:g2", "group:directory/outer", "identity:ann")]
        protected = self.describe("conflicts", "cure", "--whose", "ann", *sum(kept, ()), status=1).stdout
        self.assertIn("Nothing that may be withdrawn clears D-1/ann", protected)
        self.assertIn("Nearest: g", self.describe("conflicts", "cure", "--protect", "grant:gg", status=2).stderr)

    def test_check_is_a_gate(self):
        rows = self.rows("check", status=1)
        found = {(row["rule"], row["finding"], row["identity"]) for row in rows}
        self.assertEqual(found, {("F-1", "crossed", "ann"), ("N-1", "lacking", "bo")})
        lack = next(row for row in rows if row["finding"] == "lacking")
        self.assertEqual(lack["missing"], "edit dues:/tariffs in role:dues/setter")
        shown = self.describe("check", "--by", "ann", status=1).stdout
        self.assertIn("reaches approve dues:/waivers and 2 more", shown)
        self.assertIn("what to do: Leave waivers to the head.", shown)
        (self.here / "mend.toml").write_text(
            '[[end]]\nkind = "grants"\ngrant = "g2"\n[[add]]\nkind = "grants"\nholder = "identity:bo"\n'
            'gives = "role:dues/setter"\n'
        )
        self.describe("check", "--assume", "mend.toml")

    def test_rules_are_listed_shown_checked_tried_and_started(self):
        self.assertIn("3 rules in 1 topic", self.describe("rules", "list").stdout)
        self.assertIn(
            "broken by whoever holds 2 of 2 duties, on the same site",
            self.describe("rules", "show", "D-1").stdout,
        )
        self.describe("rules", "check")
        draft = self.here / "draft.toml"
        draft.write_text('topic = "Draft"\n[[fence]]\nid = "X"\nwho = "id pr"\nnever = ["edit dues:/tariffs"]\n')
        (self.here / "empty.toml").write_text("")
        self.assertIn(
            "empty.toml, line 1: the key 'topic' is missing",
            self.describe("rules", "try", "empty.toml", status=3).stderr,
        )
        (hit,) = self.rows("rules", "try", "draft.toml", status=1)
        self.assertEqual((hit["rule"], hit["identity"], hit["state"]), ("X", "ann", "crossed"))
        self.assertEqual(len(self.rows("rules", "list")), 3, "a draft is not in force")
        self.describe("rules", "start", "--topic", "payables", "--topic", "billing", "--yes")
        listed = self.rows("rules", "list")
        self.assertIn("waits", next(row for row in listed if row["id"] == "AP-1")["state"])
        duties = self.here / "rules" / "duties.toml"
        duties.write_text(
            duties.read_text().replace('"waive charges" = []', '"waive charges" = ["aprove dues:/waivers/**"]')
        )
        self.assertIn("dues has no action aprove", self.describe("rules", "check", status=1).stdout)
        again = self.describe("rules", "start", "--topic", "payables", "--yes").stdout
        self.assertIn("is there already, and was left as it is", again)

    def test_excess_becomes_a_change_and_takes_filters(self):
        self.assertIn("an enabled account that nobody owns", self.describe("excess", status=1).stdout)
        (orphan,) = self.rows("excess", "--kind", "orphan-account", "--change", "o.toml") or [None]
        self.assertEqual(orphan["edits"], 1)
        self.assertIn('status = "disabled"', (self.here / "o.toml").read_text())
        self.assertEqual(self.rows("excess", "--kind", "orphan-account", "--assume", "o.toml"), [])
        where = 'subject sw "identity:" and department eq "dues" and severity eq "low"'
        for row in self.rows("excess", "--where", where, status=None):
            self.assertEqual((row["subject"][:9], row["severity"]), ("identity:", "low"))
        self.assertIn("Nearest:", self.describe("excess", "--kind", "orphans", status=2).stderr)
        into = ("--into", "tidy", "--reason", "tidying")
        self.describe("excess", "--kind", "orphan-account", *into)
        self.describe("conflicts", "cure", *into)
        (tidy,) = self.rows("change", "show", "tidy")
        self.assertTrue(tidy["edits"])
        self.assertTrue(all(edit["why"] for edit in tidy["edits"]), tidy["edits"])
        made, after = (
            self.rows("change", "rehearse", "tidy")[0],
            self.rows("conflicts", "--assume", "tidy", status=None),
        )
        self.assertTrue(made["rules_mended"])
        self.assertEqual(after, [])
        nothing = self.describe("excess", "--kind", "came-back", "--change", "n.toml").stdout
        self.assertIn("n.toml was not written", nothing)
        self.assertFalse((self.here / "n.toml").exists())

    def test_excess_about_one_thing_is_about_that_alone_and_fits_a_narrow_window(self):
        every = self.rows("excess", status=1)
        for name in {row["subject"] for row in every if row["subject"].startswith(("account:", "role:", "group:"))}:
            mine = self.rows("excess", "--by", name, status=1)
            self.assertEqual(mine, [row for row in every if row["subject"] == name], name)
        graves = [("critical", "high", "medium", "low").index(row["severity"]) for row in every]
        self.assertEqual(graves, sorted(graves))
        narrow = self.describe("excess", "--kind", "orphan-account", status=1, COLUMNS="60").stdout
        self.assertIn("Evidence", narrow)
        self.assertLessEqual(max(map(len, narrow.splitlines())), 60)

    def test_thresholds_and_weights_are_read_and_refused_in_words(self):
        file = self.here / "kathodos.toml"
        before = file.read_text()
        file.write_text(f"{before}\n[findings]\ndormant = 5\n[risk]\nconflicts = 25\nbreadth = 10\n")
        (part,) = (it for it in self.rows("risk", "show", "ann")[0]["parts"] if it["part"] == "conflicts")
        self.assertEqual(part["of"], 25)
        for text, expected in (
            ("[findings]\ndormant = true", "expected dormant = a whole number"),
            ("[findings]\nunused = [1, 2]", "unused"),
            ("[risk]\nconflicts = 40", "these are 110"),
            ("[risk]\nluck = 1", "no key 'luck'"),
        ):
            file.write_text(f"{before}\n{text}\n")
            self.assertIn(expected, self.describe("risk", "top", status=3).stderr)

    def test_risk_and_charts(self):
        top = self.rows("risk", "top")
        self.assertEqual(top[0]["subject"], "identity:ann")
        above = self.rows("list", "identities", "--where", f"risk ge {top[0]['risk']}")
        self.assertEqual([row["id"] for row in above], ["ann"])
        for of in ("accounts", "roles", "resources", "systems"):
            name = self.rows("risk", "top", "--of", of)[0]["subject"]
            (shown,) = self.rows("risk", "show", name)
            self.assertEqual(shown["subject"], name)
        self.describe("baseline", "mark", "first", "--reason", "x")
        self.assertEqual([row["point"] for row in self.rows("risk", "trend")], ["first", "now"])
        self.assertIn("no identity zoe", self.describe("risk", "trend", "--by", "zoe", status=2).stderr)
        said = self.describe("chart", "risk", "--out", "r.png").stdout
        self.assertIn("the highest is Ann Clerk", said)
        self.assertTrue((self.here / "r.png").read_bytes().startswith(b"\x89PNG"))
        self.assertIn("--replace", self.describe("chart", "risk", "--out", "r.png", status=2).stderr)
        self.assertIn(".svg", self.describe("chart", "risk", "--out", "r.pdf", status=2).stderr)

    def test_controls_that_are_wrong_are_refused_with_their_file(self):
        for text, expected in (
            (CONTROLS.replace("P7D", "weekly"), "controls.toml, line 2: the control C-1: 'weekly' is no duration"),
            (CONTROLS.replace("owner", "ovner"), "there is no key 'ovner' here"),
            ("[contrl]\n", "there is no key 'contrl' here"),
            ("control = 5\n", "line 1: expected control = a list, or [[control]] with two brackets"),
            ("control = [5]\n", "controls.toml, line 1"),
            ("[[control]]\nid = 5\n", "controls.toml, line 2"),
            (CONTROLS.replace('"P7D"', '"P7D"\nuntil = "soon"'), "the control C-1: write a date"),
        ):
            (self.here / "controls.toml").write_text(text)
            self.assertIn(expected, self.describe("control", "list", status=3).stderr)
        self.assertEqual(tomllib.loads(CONTROLS)["control"][0]["id"], "C-1")


if __name__ == "__main__":
    unittest.main()
