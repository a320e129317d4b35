"""The whole round, by the installed command, in a folder of its own."""

import json
import unittest

from kathodos import thresholds
from tests.reference import Reference
from tests.support import NOW, OFFICE, OFFICE_RULES, Scratch, carried_out, lay_out
from tests.support import inside as run
from tests.support import records_inside as records


class TheWholeRound(Scratch, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.office = lay_out(self.folder / "office", OFFICE, OFFICE_RULES)

    def test_from_exported_files_to_a_signed_off_review_with_proof(self):
        at = self.office
        first = records("gather", cwd=at)
        self.assertEqual({row["kind"]: row["came"] for row in first}["grants"], 4)
        run("baseline", "mark", "before", cwd=at)

        (found,) = records("conflicts", cwd=at, status=1)
        self.assertEqual(
            {key: found[key] for key in ("conflict", "severity", "identity", "duties", "state", "records")},
            {
                "conflict": "D-1/ann",
                "severity": "high",
                "identity": "ann",
                "duties": ["set", "waive"],
                "state": "exercised on the same record",
                "records": ["7"],
            },
        )

        where = ("--where", 'title eq "Clerk"', "--by-manager", "--due", "2026-06-30")
        run("review", "open", "--yes", "june", *where, "--as", "auditor", cwd=at)
        lines = {(line["identity"], line["gives"]): line for line in records("review", "lines", "june", cwd=at)}
        self.assertEqual(
            set(lines),
            {("ann", "role:dues/setter"), ("ann", "group:directory/inner"), ("bo", "view dues:/tariffs")},
        )
        setter = lines["ann", "role:dues/setter"]
        self.assertEqual(setter["reviewer"], "head")
        self.assertEqual(setter["needed_by"], ["N-1"])
        self.assertEqual(setter["conflicts"], ["D-1"])
        self.assertEqual((setter["peers_having"], setter["peers_counted"]), (0, 1))
        of_all = (0, 2) if thresholds.PEOPLE_REVIEWED else (None, None)
        self.assertEqual((setter["everyone_having"], setter["everyone_counted"]), of_all)
        self.assertEqual(setter["last_used"], "2026-05-01")
        self.assertEqual(setter["contains"], ["edit dues:/tariffs"])
        nested = lines["ann", "group:directory/inner"]
        self.assertIn("group:directory/outer", nested["how"])
        self.assertEqual(nested["contains"], ["approve dues:/waivers/**"])
        self.assertEqual(nested["conflicts"], ["D-1"])
        self.assertEqual(lines["bo", "view dues:/tariffs"]["until"], "2026-06-15")

        own = run("review", "decide", setter["line"], "certify", "--as", "ann1", cwd=at, status=2)
        self.assertIn("nobody decides about themselves", own.stderr)
        run("review", "decide", nested["line"], "revoke", "--as", "head", "--reason", "sets the tariffs", cwd=at)
        run("review", "decide", setter["line"], "certify", "--as", "head", cwd=at)
        status = records("review", "status", "june", cwd=at)[0]
        self.assertEqual((status["done"], status["left"], status["days_left"]), (2, 1, 15))

        closed = json.loads(run("review", "close", "--yes", "--as", "auditor", "--format", "json", cwd=at).stdout)
        self.assertEqual(closed["ended"], ["identity:ann in group:directory/inner"])
        self.assertEqual(len(closed["left_open"]), 1)
        self.assertEqual(records("review", "status", "june", cwd=at)[0]["state"], "open")
        run("reach", "--by", "ann", "--on", "dues:/waivers/2026", "--do", "approve", cwd=at)  # until it is done
        ordered = ("--assume", "orders")
        run("reach", "--by", "ann", "--on", "dues:/waivers/2026", "--do", "approve", *ordered, cwd=at, status=1)
        self.assertIn("1 order confirmed", carried_out(at))
        run("reach", "--by", "ann", "--on", "dues:/waivers/2026", "--do", "approve", cwd=at, status=1)
        run("reach", "--by", "ann", "--on", "dues:/tariffs/2026", "--do", "edit", cwd=at)
        self.assertEqual(records("conflicts", cwd=at), [])

        run("review", "close", "--yes", "june", "--undecided", "revoke", "--as", "auditor", cwd=at)
        self.assertEqual(records("review", "status", "june", cwd=at)[0]["state"], "signed off")
        self.assertIn("1 order confirmed", carried_out(at))
        run("reach", "--by", "bo", "--on", "dues:/tariffs", "--do", "view", cwd=at, status=1)
        again = run("review", "decide", "1", "certify", "--review", "june", "--as", "head", cwd=at, status=2)
        self.assertIn("signed off", again.stderr)

        compared = json.loads(run("baseline", "compare", "before", "--format", "json", cwd=at, status=1).stdout)
        self.assertEqual(
            {row["kind"]: (row["came"], row["changed"], row["went"]) for row in compared["kinds"]},
            {"members": (0, 0, 1), "grants": (0, 0, 1)},
        )
        self.assertEqual({row["who"] for row in compared["people"]}, {"identity:ann", "identity:bo"})
        run("reach", "--by", "ann", "--on", "dues:/waivers/2026", "--do", "approve", "--as-of", "before", cwd=at)

        decisions = records("ledger", "list", "--kind", "review decide", "--subject", "identity:ann", cwd=at)
        self.assertEqual(next((entry["actor"], entry["reason"]) for entry in decisions), ("head", "sets the tariffs"))
        verified = json.loads(run("ledger", "verify", "--format", "json", cwd=at).stdout)
        self.assertTrue(verified["intact"])

    def test_everyones_everything_equals_the_plain_reference(self):
        from datetime import datetime

        run("gather", cwd=self.office)
        found = {
            (f"{kind}:{row[kind]}", row["action"], row["resource"])
            for row in records("reach", cwd=self.office)
            for kind in row.keys() & {"identity", "account"}
        }
        self.assertEqual(found, Reference(OFFICE).everything(datetime.fromisoformat(NOW)))

    def test_every_open_part_is_enumerated_the_same(self):
        run("gather", cwd=self.office)
        everything = records("reach", cwd=self.office)
        self.assertEqual(
            records("reach", "--by", "ann", cwd=self.office), [it for it in everything if it.get("identity") == "ann"]
        )
        on = records("reach", "--on", "dues:/waivers/2025", cwd=self.office)
        self.assertCountEqual(on, [it for it in everything if it["resource"] == "dues:/waivers/2025"])
        self.assertIn({"account": "dues/nobody", "action": "view", "resource": "dues:/waivers/2025"}, on)
        do = records("reach", "--do", "edit", cwd=self.office)
        self.assertCountEqual(do, [it for it in everything if it["action"] == "edit"])

    def test_a_yes_shows_its_chain_and_a_no_what_is_missing(self):
        run("gather", cwd=self.office)
        ask = ("reach", "--on", "dues:/waivers/2026", "--do", "approve", "--trace")
        yes = run(*ask, "--by", "ann", cwd=self.office).stdout
        steps = ["is a member of group:directory/inner", "which is a member of group:directory/outer",
                 "which has been given role:dues/waiver", "approve dues:/waivers/**"]  # fmt: skip
        self.assertEqual([step for step in steps if step in yes], steps)
        no = run(*ask, "--by", "bo", cwd=self.office, status=1).stdout
        self.assertIn("approve dues:/waivers/** in role:dues/waiver", no)
        late = ("reach", "--by", "bo", "--on", "dues:/tariffs", "--do", "view")
        run(*late, "--at", "2026-06-15T23:59:59Z", cwd=self.office)
        self.assertIn("ended 2026-06-16", run(*late, "--at", "2026-06-16", "--trace", cwd=self.office, status=1).stdout)

    def test_a_second_gather_says_what_came_changed_and_went(self):
        run("gather", cwd=self.office)
        size = len(records("ledger", "list", cwd=self.office))
        self.assertIn("Nothing has changed", run("gather", cwd=self.office).stdout)
        self.assertEqual(len(records("ledger", "list", cwd=self.office)), size)
        path = self.office / "tables" / "identities.csv"
        text = path.read_text().replace("Bo Clerk", "Bo Cox") + "cy,Cy New,Dues,Clerk,,head\n"
        path.write_text("".join(line for line in text.splitlines(True) if not line.startswith("ann,")))
        rows = {row["kind"]: row for row in records("gather", cwd=self.office)}
        self.assertEqual([rows["identities"][key] for key in ("came", "changed", "went")], [1, 1, 1])
        # What pointed at the one who went is set aside and stands as it was, until the files agree.
        self.assertEqual(rows["grants"]["set_aside"], 1)
        self.assertEqual(rows["grants"]["went"], 0)
        run("reach", "--by", "ann", cwd=self.office, status=2)
        run("reach", "--by", "ann", "--as-of", size, cwd=self.office)

    def test_what_a_review_revoked_and_a_gather_brings_back_is_said(self):
        run("gather", cwd=self.office)
        run(
            "review",
            "open",
            "--yes",
            "r",
            "--where",
            'id eq "bo"',
            "--by-manager",
            "--due",
            "2026-07-01",
            cwd=self.office,
        )
        run("review", "decide", "1", "revoke", "--reason", "no need", "--as", "head", cwd=self.office)
        run("review", "close", "--yes", "--as", "auditor", cwd=self.office)
        before = {file: file.read_bytes() for file in (self.office / "tables").iterdir()}
        carried_out(self.office)
        for file, content in before.items():
            file.write_bytes(content)
        rows = {row["kind"]: row for row in records("gather", cwd=self.office)}
        self.assertEqual((rows["grants"]["came"], rows["grants"]["came_back"]), (1, 1))

    def test_a_notebook_uses_the_same_workspace(self):
        run("gather", cwd=self.office)
        import kathodos

        workspace = kathodos.Workspace.find(self.office)
        self.assertEqual(workspace.frame("identities")["id"].tolist(), ["head", "ann", "bo"])
        reached = workspace.reach(by="identity:ann", at=NOW)
        self.assertEqual(set(reached["action"]), {"edit", "view", "approve"})
        with self.assertRaisesRegex(kathodos.CallError, "There is no identity or account zzz"):
            workspace.reach(by="zzz")
        with workspace.view() as view:
            self.assertEqual(view.frame("identities", 'id eq "ann"')["id"].tolist(), ["ann"])
            self.assertRegex(str(view.frame("grants")["until"].dtype), "^datetime64.*UTC")
            self.assertEqual(len(view.findings.conflicts), 1)


if __name__ == "__main__":
    unittest.main()
