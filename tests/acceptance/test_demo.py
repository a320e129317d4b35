"""The demo: the whole round, deterministic, and every story planted in its data comes out."""

import csv
import io
import json
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from kathodos.demo import make_data
from tests import demos, stores
from tests.support import inside, records, records_inside, run
from tools import docs

NOW = "2026-06-15T10:00:00Z"
LATER = "2026-07-07T09:00:00Z"  # after the demo's last entry
DATA = Path(make_data.__file__).parent / "data"


@stores.ABOUT_ANSWERS
class TheDemo(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.scratch = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.scratch.cleanup)
        cls.folder = Path(cls.scratch.name)
        cls.printed = demos.printed()
        cls.workspace = demos.copied(cls.folder)
        cls.found = []

    def ask(self, *words, status=0, state="before-review"):
        """What a question gives about the catalogue as it was before the demo's own review."""
        as_of = ("--as-of", state) if state else ()
        return records_inside(*words, *as_of, cwd=self.workspace, status=status, now=NOW)

    def excess(self, kind):
        """The findings of one kind before the demo's own review, as (subject, what it rests on, evidence)."""
        if not self.found:
            self.found.extend(self.ask("excess", status=1))
        return [(row["subject"], row["rests_on"], row["evidence"]) for row in self.found if row["kind"] == kind]

    def one(self, where):
        (row,) = self.ask("list", "identities", "--where", where)
        return row["id"]

    @stores.ONLY_IN_A_FILE
    def test_it_is_deterministic_and_repeatable_by_hand(self):
        keys = re.compile(r"\b[0-9a-f]{32}\b")  # each workspace makes its own
        again = "from kathodos.cli.main import main; from kathodos.demo.story import *; "
        again += "lay_out(Path('again')); tell_the_round(Path('again'), main)"
        words, options = (sys.executable, "-c", again), {"capture_output": True, "encoding": "utf-8", "check": True}
        said = subprocess.run(words, cwd=self.folder, env=docs.surroundings(), **options).stdout
        self.assertGreater(len(said), 10_000)
        self.assertIn(keys.sub("KEY", said), keys.sub("KEY", self.printed))
        commands = re.findall(r"^\$ kathodos (.*)$", self.printed, re.MULTILINE)
        self.assertGreater(len(commands), 20)
        self.assertIn("As signed", run("ledger", "verify", cwd=self.workspace, now=NOW).stdout)

    @stores.ONLY_IN_A_FILE
    def test_it_replaces_only_an_earlier_demo(self):
        self.assertIn("--fresh", run("demo", "tarnholm", cwd=self.folder, status=2).stderr)
        other = self.folder / "precious"
        other.mkdir()
        (other / "thesis.txt").write_text("years of work")
        run("demo", "precious", "--fresh", cwd=self.folder, status=2)
        self.assertTrue((other / "thesis.txt").exists())

    def test_the_risk_of_an_account_of_nobody_counts_in_filters(self):
        words = ("--where", 'risk ge 36 and kind eq "account"', "--by-manager", "--due", "2026-07-15", "--dry-run")
        done = inside("review", "open", "--yes", "x", *words, "--as", "r.lund", cwd=self.workspace, now=NOW)
        self.assertIn("Would open x: 1 line about 1 account of nobody", done.stdout)

    @stores.ONLY_IN_A_FILE
    def test_no_answer_is_wider_than_its_window(self):
        for words in (
            *(("review", "status"), ("review", "removals"), ("review", "lines", "june"), ("changed",), ("unused",)),
            *(("ending", "--within", "P1Y"), ("unused", "dues"), ("find", "engen"), ("compare", "p0063", "p0067")),
            *(("compare", "role:dues/clerk", "role:dues/manager"), ("compare", "dues:/northmole", "dues:/eelmouth")),
            *(("conflicts",), ("conflicts", "covers"), ("conflicts", "cure"), ("control", "list"), ("risk", "top")),
            *(
                ("returned",),
                ("tie", "--duplicates"),
                ("baseline", "compare", "before-review"),
                ("ledger", "show", "6"),
            ),
            *(("reach", "--by", "p0063", "--summary"), ("activity", "--by", "p0063"), ("excess", "--all"), ("check",)),
        ):
            done = inside(*words, cwd=self.workspace, status=None, now=NOW, COLUMNS="40")
            self.assertIn(done.returncode, (0, 1), (words, done.stderr))
            self.assertLessEqual(max(map(len, done.stdout.splitlines())), 40, (words, done.stdout))

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
        outcomes = [row["outcome"] for row in problems]
        self.assertEqual((outcomes.count("set aside"), outcomes.count("cell left out")), (5, 1))

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
        self.assertEqual((found["cover"], found["cover_state"]), ("DG-4", "ran out"))
        (cover,) = self.ask("conflicts", "covers")
        self.assertEqual((cover["until"], cover["covered_by"], cover["state"]), ("2026-04-30", "p0001", "ran out"))
        covered = records("conflicts", "--topic", "Dangerous goods", "--as-of", "2026-04-30", cwd=self.workspace)
        self.assertEqual(covered[0]["cover_state"], "holds", "on its last day it was no open conflict")

    def test_story_3_a_fitter_who_left_still_reaches_the_controllers_and_used_them(self):
        fitter = self.one('status eq "left"')
        (account,) = self.ask("list", "accounts", "--where", f'identity eq "{fitter}"')
        self.assertEqual(account["status"], "enabled")
        (answer,) = self.ask("reach", "--by", fitter, "--on", "workshop:/controllers/crane-4", "--do", "configure")
        self.assertEqual(answer["chains"][0]["holders"][1], account["ref"])
        where = f'account eq "{account["ref"].removeprefix("account:")}" and time gt "2026-04-11"'
        (use,) = self.ask("list", "activity", "--where", where)
        self.assertEqual((use["action"], use["resource"]), ("configure", "workshop:/controllers/crane-4"))
        subject, _, evidence = self.excess("leaver-account")[0]
        self.assertEqual(subject, account["ref"])
        self.assertIn("left on 2026-04-10 and was used once after that, last on 2026-05-02: configure", evidence)

    def test_story_4_a_pilot_who_moved_kept_everything(self):
        mover = self.one('previous_department eq "Pilotage"')
        self.assertEqual(
            self.ask("list", "identities", "--where", f'id eq "{mover}"')[0]["department"], "Harbour master's office"
        )
        for action, resource in (("edit", "pilots:/roster"), ("view", "pilots:/licences")):
            self.ask("reach", "--by", mover, "--on", resource, "--do", action)
        peers = {row["identity"] for row in self.ask("reach", "--on", "pilots:/roster", "--do", "edit")}
        self.assertEqual(peers, {mover})
        kept = {(subject, rests) for subject, rests, _ in self.excess("former-position")}
        self.assertEqual(kept, {(f"identity:{mover}", "group:directory/pilots")}, "nobody else there edits the roster")

    def test_story_5_a_guard_may_export_footage_that_all_peers_only_view(self):
        ((subject, rests, evidence),) = self.excess("export-beyond-peers")
        self.assertEqual((subject, rests), ("identity:p0124", "grant:G-0060"))
        self.assertIn("0 of 28 others of Gates and security and Gate guard may, 28 of them may look", evidence)

    def test_story_6_everyone_gets_into_a_folder_that_was_cut_off(self):
        (folder,) = self.ask("list", "resources", "--where", 'resource eq "archive:/board/minutes"')
        self.assertTrue(folder["detached"])
        self.assertGreater(len(self.ask("reach", "--on", "archive:/board/minutes", "--do", "read")), 250)
        self.assertLess(len(self.ask("reach", "--on", "archive:/board", "--do", "read")), 5)
        (answer,) = self.ask("reach", "--by", "p0110", "--on", "archive:/board/minutes", "--do", "read")
        self.assertEqual(answer["chains"][0]["holders"], ["identity:p0110", "everyone"])
        ((subject, _, evidence),) = self.excess("detached-wider")
        self.assertEqual(subject, "archive:/board/minutes")
        self.assertIn("most by read archive:/board/minutes to everyone", evidence)

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
        why = {subject: evidence for subject, _, evidence in self.excess("redundant")}
        self.assertIn("group:directory/dues-office gives the same", why["identity:p0072"])

    def test_story_7_a_grant_that_adds_nothing(self):
        (grant,) = self.ask("list", "grants", "--where", 'holder eq "identity:p0072" and gives eq "role:dues/clerk"')
        other = self.folder / "without"
        stores.copied(self.workspace, other)
        stores.may_act(other)
        grants = other / "tables" / "grants.csv"
        lines = [line for line in grants.read_text().splitlines(True) if not line.startswith(f"{grant['grant']},")]
        run("gather", cwd=other, now=LATER)
        run("baseline", "mark", "with", cwd=other, now=LATER)
        grants.write_text("".join(lines))
        run("gather", cwd=other, now=LATER)
        compared = run("baseline", "compare", "with", "--format", "json", cwd=other, status=1, now=LATER)
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
        self.assertEqual([subject for subject, _, _ in self.excess("orphan-account")], [account["ref"]])
        ((subject, _, evidence),) = self.excess("duplicate-identity")
        self.assertEqual(subject, f"identity:{twin['id']}")
        self.assertIn(f"identity:{other}", evidence)

    def test_story_9_the_agent_holds_what_it_never_used_and_lacks_what_it_needs(self):
        found = [row for row in self.ask("check", "--by", "m006", status=1) if row["identity"] == "m006"]
        lack, surplus = found
        self.assertEqual((lack["rule"], lack["action"], lack["resources"]), ("AGENT-1", "view", 3))
        self.assertTrue(lack["resource"].endswith("/tariffs"))
        self.assertEqual((surplus["finding"], surplus["resource"]), ("surplus", "berths:/"))
        self.assertIn("allocate", surplus["action"])
        self.assertEqual(surplus["unused"], surplus["pairs"])

    def test_story_11_a_contractor_whose_time_is_over_and_one_grant_without_an_end(self):
        where = 'ends lt "2026-06-15" and status eq "active" and employment eq "contractor"'
        contractor = self.one(where)
        (answer,) = self.ask("reach", "--by", contractor, "--on", "gates:/eelmouth/passes", "--do", "view", status=1)
        self.assertIn("ended 2026-06-01", answer["obstacles"][0]["text"])
        (open_ended,) = self.ask("reach", "--by", contractor, "--on", "gates:/eelmouth/visitors", "--do", "issue")
        (grant,) = self.ask("list", "grants", "--where", f'grant eq "{open_ended["chains"][0]["grant"]}"')
        self.assertIsNone(grant["until"])
        told = {subject: (rests, evidence) for subject, rests, evidence in self.excess("open-ended")}
        self.assertEqual(told[f"identity:{contractor}"][0], grant["ref"])
        self.assertIn("ended on 2026-05-31; its account is enabled", told[f"identity:{contractor}"][1])

    def test_story_12_a_manager_certified_120_lines_in_under_a_minute(self):
        ((subject, rests, evidence),) = self.excess("hasty-review")
        self.assertEqual((subject, rests), ("identity:p0107", "review:annual-2025"))
        self.assertGreaterEqual(int(re.search(r"certified (\d+) lines", evidence)[1]), 120)

    def test_story_13_access_that_was_revoked_last_year_is_back(self):
        ((subject, rests, evidence),) = self.excess("came-back")
        self.assertEqual((subject, rests), ("identity:p0163", "grant:G-0068"))
        self.assertIn("taken away on 2025-11-10 (review of 2025), there again since 2026-06-15", evidence)

    def test_story_14_one_of_eleven_reaches_the_medical_notes_through_a_folder_above(self):
        (crossed,) = self.ask("check", "--rule", "PILOT-9", status=1)
        self.assertEqual(len(self.ask("list", "identities", "--where", 'title eq "People adviser"')), 11)
        self.assertEqual(crossed["identity"], "p0206")
        self.assertEqual(crossed["chains"][0]["target"], "pilots:/health")
        self.assertEqual(crossed["resource"], "pilots:/health/fitness/medical-notes")

    def test_the_first_page_of_what_is_wrong_holds_only_what_was_planted(self):
        self.excess("unused")
        grave = {(row["kind"], row["subject"]) for row in self.found if row["severity"] in ("critical", "high")}
        self.assertEqual(
            grave,
            {
                ("leaver-account", "account:workshop/gkvamme62"),
                ("leaver-account", "account:gates/jbirkevold41"),
                ("open-ended", "identity:p0162"),
                ("open-ended", "identity:p0241"),
                ("came-back", "identity:p0163"),
                ("wildcard-administration", "group:directory/administrators"),
                ("surplus", "identity:m006"),
                ("wide-mandate", "identity:p0007"),
                ("sensitive-field", "identity:p0206"),
                ("sensitive-field", "account:dues/cashdesk2"),
                ("never-used", "identity:p0206"),
                ("never-used", "account:dues/cashdesk2"),
            },
        )

    def test_every_format_says_the_same_and_a_table_fits_its_window(self):
        asked = {
            ("list", "roles"): ("ref", "role:dues/clerk"),
            ("show", "p0063"): ("ref", "identity:p0063"),
            ("conflicts",): ("conflict", "PERMIT-1"),
            ("excess", "--all"): ("subject", "role:dues/manager"),
            ("reach", "--by", "p0063"): ("resource", "dues:/northmole/invoices"),
            ("ledger", "list"): ("number", "r.lund"),
        }
        for words, (key, told) in asked.items():
            data = {
                form: inside(*words, "--format", form, cwd=self.workspace, status=None, now=NOW).stdout
                for form in ("csv", "json", "jsonl")
            }
            document = json.loads(data["json"])
            listed = document if isinstance(document, list) else [document]
            self.assertEqual([json.loads(line) for line in data["jsonl"].splitlines()], listed, words)
            rows = list(csv.DictReader(io.StringIO(data["csv"])))
            self.assertEqual([row[key] for row in rows], [str(row[key]) for row in listed], words)
            for columns in ("60", "100", "200"):
                shown = inside(*words, cwd=self.workspace, status=None, now=NOW, COLUMNS=columns).stdout
                self.assertLessEqual(max(map(len, shown.splitlines())), int(columns), words)
                self.assertIn(told, shown, words)

    def test_every_kind_is_listed_and_one_of_each_is_shown(self):
        from kathodos.model.kinds import KINDS

        beside = {"role_parts": "shaping", "kits": "asking", "kit_entries": "asking", "requests": "asking"}
        beside |= {"request_steps": "asking", "request_items": "asking"}
        for kind in KINDS:
            where = self.workspace / beside.get(kind.name, "")
            found = records_inside("list", kind.name, cwd=where, now=NOW)
            # Only where sources overlap; controls stand in a file; nobody of the story is asked back.
            if kind.name in ("claims", "ties", "controls", "request_remarks"):
                continue
            self.assertTrue(found, kind.name)
            (shown,) = records_inside("show", found[0]["ref"], cwd=where, now=NOW)
            listed = {name: value for name, value in found[0].items() if name != "ordered" or value}
            self.assertEqual({**shown, "related": 0}, {**shown, **listed, "related": 0}, kind.name)


if __name__ == "__main__":
    unittest.main()
