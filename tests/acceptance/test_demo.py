"""The demo: the whole round, deterministic, and every story planted in its data comes out."""

import json
import re
import shutil
import tempfile
import unittest
from pathlib import Path

from kathodos.demo import make_data
from tests.support import COMMAND, records, run

NOW = "2026-06-15T10:00:00Z"
DATA = Path(make_data.__file__).parent / "data"


class TheDemo(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.scratch.cleanup)
        cls.folder = Path(cls.scratch.name)
        cls.printed = run("demo", "tarnholm", cwd=cls.folder)
        cls.workspace = cls.folder / "tarnholm"

    def ask(self, *words, status=0, state="before-review"):
        """What a question gives about the catalogue as it was before the demo's own review."""
        as_of = ("--as-of", state) if state else ()
        return records(*words, *as_of, cwd=self.workspace, status=status, now=NOW)

    def one(self, where):
        (row,) = self.ask("list", "identities", "--where", where)
        return row["id"]

    def test_it_is_deterministic_and_repeatable_by_hand(self):
        other = self.folder / "again"
        other.mkdir()
        again = run("demo", "tarnholm", cwd=other)
        self.assertEqual(again.stdout, self.printed.stdout)
        commands = re.findall(r"^\$ kathodos (.*)$", self.printed.stdout, re.MULTILINE)
        self.assertGreater(len(commands), 20)
        self.assertIn("As signed", run("ledger", "verify", cwd=self.workspace, now=NOW).stdout)

    def test_it_replaces_only_an_earlier_demo(self):
        self.assertIn("--fresh", run("demo", "tarnholm", cwd=self.folder, status=2).stderr)
        other = self.folder / "precious"
        other.mkdir()
        (other / "thesis.txt").write_text("years of work")
        run("demo", "precious", "--fresh", cwd=self.folder, status=2)
        self.assertTrue((other / "thesis.txt").exists())

    def test_the_data_is_what_its_script_makes(self):
        with tempfile.TemporaryDirectory() as scratch:
            make_data.write(Path(scratch))
            for file in sorted((DATA / "tables").iterdir()):
                self.assertEqual((Path(scratch) / file.name).read_bytes(), file.read_bytes(), file.name)

    def test_odd_headers_mixed_dates_and_bad_rows(self):
        text = (DATA / "tables" / "staff_export.csv").read_text(encoding="utf-8")
        self.assertTrue(text.startswith("Staff No,Full name"))
        self.assertRegex(text, r",\d{2}\.\d{2}\.\d{4},")
        self.assertRegex(text, r",\d{4}-\d{2}-\d{2},")
        problems = records("gather", "--problems", cwd=self.workspace, now=NOW)
        self.assertEqual(sum(row["outcome"] == "set aside" for row in problems), 6)

    def test_story_1_tariffs_and_waivers_on_the_same_invoice_and_a_colleague_on_two_sites(self):
        found = {row["identity"]: row for row in self.ask("conflicts", "--topic", "Harbour dues", status=1)}
        self.assertEqual(list(found), ["p0063"])
        self.assertEqual(found["p0063"]["state"], "exercised on the same record")
        (detail,) = self.ask("conflicts", "--by", "p0063", status=1)
        self.assertEqual(detail["records"], ["INV-26-0007"])
        waiving = detail["behind"][1]["chains"][0]["holders"]
        self.assertEqual(waiving[1:], ["group:directory/waiver-desk-northmole", "group:directory/waiver-panel"])
        self.ask("reach", "--by", "p0067", "--on", "dues:/eelmouth/tariffs", "--do", "edit")
        self.ask("reach", "--by", "p0067", "--on", "dues:/northmole/waivers", "--do", "approve")
        self.ask("reach", "--by", "p0067", "--on", "dues:/northmole/tariffs", "--do", "edit", status=1)

    def test_story_2_issues_and_inspects_under_a_control_that_has_run_out(self):
        (found,) = self.ask("conflicts", "--topic", "Dangerous goods", status=1)
        self.assertEqual((found["rule"], found["identity"], found["state"]), ("PERMIT-1", "p0096", "exercised"))
        (grant,) = self.ask("list", "grants", "--where", 'holder eq "identity:p0096"')
        self.assertIn("under control DG-4", grant["reason"])
        self.assertIn("until 2026-04-30", grant["reason"])

    def test_story_3_a_fitter_who_left_still_reaches_the_controllers_and_used_them(self):
        fitter = self.one('status eq "left"')
        (account,) = self.ask("list", "accounts", "--where", f'identity eq "{fitter}"')
        self.assertEqual(account["status"], "enabled")
        (answer,) = self.ask("reach", "--by", fitter, "--on", "workshop:/controllers/crane-4", "--do", "configure")
        self.assertEqual(answer["chains"][0]["holders"][1], account["ref"])
        where = f'account eq "{account["ref"].removeprefix("account:")}" and time gt "2026-04-11"'
        (use,) = self.ask("list", "activity", "--where", where)
        self.assertEqual((use["action"], use["resource"]), ("configure", "workshop:/controllers/crane-4"))

    def test_story_4_a_pilot_who_moved_kept_everything(self):
        mover = self.one('previous_department eq "Pilotage"')
        self.assertEqual(
            self.ask("list", "identities", "--where", f'id eq "{mover}"')[0]["department"], "Harbour master's office"
        )
        for action, resource in (("edit", "pilots:/roster"), ("view", "pilots:/licences")):
            self.ask("reach", "--by", mover, "--on", resource, "--do", action)
        peers = {row["identity"] for row in self.ask("reach", "--on", "pilots:/roster", "--do", "edit")}
        self.assertEqual(peers, {mover})

    def test_story_6_everyone_gets_into_a_folder_that_was_cut_off(self):
        (folder,) = self.ask("list", "resources", "--where", 'resource eq "archive:/board/minutes"')
        self.assertTrue(folder["detached"])
        self.assertGreater(len(self.ask("reach", "--on", "archive:/board/minutes", "--do", "read")), 250)
        self.assertLess(len(self.ask("reach", "--on", "archive:/board", "--do", "read")), 5)
        (answer,) = self.ask("reach", "--by", "p0110", "--on", "archive:/board/minutes", "--do", "read")
        self.assertEqual(answer["chains"][0]["holders"], ["identity:p0110", "everyone"])

    def test_story_8_an_office_manager_is_two_steps_from_everything(self):
        (whole,) = self.ask("reach", "--by", "p0007", "--potential", status=1)
        self.assertGreaterEqual({gain["system"] for gain in whole["gained"]}, {"dues", "permits", "gates", "workshop"})
        payments = ("--on", "dues:/northmole/payments", "--do", "view")
        (way,) = self.ask("reach", "--by", "p0007", "--potential", *payments, status=1)
        self.assertEqual([step["round"] for step in way["steps"]], [1, 2])
        self.assertTrue(way["steps"][0]["step"].startswith("gives itself role:directory/"))
        self.assertTrue(way["steps"][1]["by"].startswith("edit-"))
        (other,) = self.ask("reach", "--by", "p0110", "--potential")
        self.assertEqual(other, {"steps": [], "gained": []})

    def test_story_7_the_grant_is_listed_as_redundant(self):
        (found,) = self.ask("list", "grants", "--redundant", "--where", 'holder eq "identity:p0072"')
        self.assertEqual((found["gives"], found["because"]), ("role:dues/clerk", "others give the same"))

    def test_story_7_a_grant_that_adds_nothing(self):
        (grant,) = self.ask("list", "grants", "--where", 'holder eq "identity:p0072" and gives eq "role:dues/clerk"')
        other = self.folder / "without"
        shutil.copytree(self.workspace, other)
        grants = other / "tables" / "grants.csv"
        lines = [line for line in grants.read_text().splitlines(True) if not line.startswith(f"{grant['grant']},")]
        run("gather", cwd=other, now=NOW)
        run("baseline", "mark", "with", cwd=other, now=NOW)
        grants.write_text("".join(lines))
        run("gather", cwd=other, now=NOW)
        compared = run("baseline", "compare", "with", "--format", "json", cwd=other, status=1, now=NOW)
        found = json.loads(compared.stdout)
        self.assertEqual(found["kinds"], [{"kind": "grants", "came": 0, "changed": 0, "went": 1}])
        self.assertEqual(found["people"], [])

    def test_story_10_an_account_that_nobody_owns_and_two_identities_of_one_person(self):
        (account,) = self.ask("list", "accounts", "--where", "not (identity pr)")
        self.assertEqual(account["ref"], "account:dues/cashdesk2")
        paying = self.ask("reach", "--on", "dues:/eelmouth/payments/2026", "--do", "pay")
        self.assertIn(
            {"account": "dues/cashdesk2", "action": "pay", "resource": "dues:/eelmouth/payments/2026"}, paying
        )
        (twin,) = self.ask("list", "identities", "--where", 'name co ","')
        last, first = twin["name"].split(", ")
        other = self.one(f'name eq "{first} {last}"')
        self.assertNotEqual(other, twin["id"])

    def test_story_11_a_contractor_whose_time_is_over_and_one_grant_without_an_end(self):
        where = 'ends lt "2026-06-15" and status eq "active" and employment eq "contractor"'
        contractor = self.one(where)
        (answer,) = self.ask("reach", "--by", contractor, "--on", "gates:/eelmouth/passes", "--do", "view", status=1)
        self.assertIn("ended 2026-06-01", answer["obstacles"][0]["text"])
        (open_ended,) = self.ask("reach", "--by", contractor, "--on", "gates:/eelmouth/visitors", "--do", "issue")
        (grant,) = self.ask("list", "grants", "--where", f'grant eq "{open_ended["chains"][0]["grant"]}"')
        self.assertIsNone(grant["until"])

    def test_read_commands_answer_in_every_format_and_width(self):
        for words in (
            ("list", "roles"),
            ("show", "p0063"),
            ("conflicts",),
            ("reach", "--by", "p0063"),
            ("ledger", "list"),
        ):
            for form in ("table", "csv", "json", "jsonl"):
                self.assertTrue(run(*words, "--format", form, cwd=self.workspace, status=None, now=NOW).stdout, words)
            for columns in ("60", "100", "200"):
                shown = run(*words, cwd=self.workspace, status=None, now=NOW, COLUMNS=columns).stdout
                self.assertLessEqual(max(map(len, shown.splitlines())), int(columns), words)

    def test_every_kind_is_listed_and_one_of_each_is_shown(self):
        from kathodos.catalogue.kinds import KINDS

        for kind in KINDS:
            found = records("list", kind.name, cwd=self.workspace, now=NOW)
            if kind.name in ("claims", "returned", "ties"):  # only where sources overlap or something came back
                continue
            self.assertTrue(found, kind.name)
            shown = json.loads(run("show", found[0]["ref"], "--format", "json", cwd=self.workspace, now=NOW).stdout)
            self.assertEqual({**shown, "related": 0}, {**shown, **found[0], "related": 0}, kind.name)


class Help(unittest.TestCase):
    def test_every_command_has_help_with_an_example(self):
        import subprocess

        for words in (
            *(
                [name]
                for name in (
                    "init",
                    "gather",
                    "reach",
                    "conflicts",
                    "list",
                    "show",
                    "demo",
                    "review",
                    "baseline",
                    "ledger",
                )
            ),
            *(["review", step] for step in ("open", "lines", "decide", "status", "close")),
            *(["baseline", step] for step in ("mark", "list", "compare")),
            *(["ledger", step] for step in ("list", "verify", "head")),
        ):
            done = subprocess.run([COMMAND, *words, "--help"], capture_output=True, text=True)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertIn("example:", done.stdout)
            self.assertIn(f"kathodos {' '.join(words)}"[:16], done.stdout)


if __name__ == "__main__":
    unittest.main()
