"""A store of every version that was given out is opened, asked, verified, brought up, written to; and so its files."""

import json
import os
import subprocess
import sys
import unittest
from pathlib import Path

from kathodos.store.upgrades import NEWEST, schema
from kathodos.store.upgrades.schema import NUMBER, stored_name
from kathodos.version import __version__
from tests import landed, stores
from tests.support import SEARCH, Scratch, at_once, inside, records_inside

TOMORROW = Path(__file__).resolve().parent.parent / "tomorrow.py"
UPGRADE = ("store", "upgrade", "--yes", "--as", "r.lund", "--reason", "the new one from today on")
WRITES = (
    ("review", "take", "answers-summer.json", "--as", "r.lund"),
    ("request", "take", "answers-requests.json", "--as", "r.lund"),
    ("baseline", "mark", "after", "--as", "r.lund"),
    ("change", "drop", "idea", "--as", "head"),
    ("gather", "--as", "r.lund"),
    ("control", "confirm", "C-2", "--as", "head", "--reason", "asked him"),
    ("people", "suspend", "cy", "--as", "head", "--yes"),
)
QUESTIONS = (
    *(("reach", "--by", who) for who in ("ann", "bo", "account:dues/shared")),
    ("reach", "--by", "ann", "--on", "dues:/board", "--do", "view", "--trace"),
    *(("conflicts",), ("conflicts", "covers"), ("check",), ("excess",), ("escalation",), ("risk", "top"), ("unused",)),
    *(("review", "lines", "spring"), ("review", "status"), ("review", "removals"), ("request", "show", "1")),
    *(("request", "held"), ("change", "show", "change-1"), ("orders", "list", "--state", "all"), ("mandates", "list")),
    *(("tie",), ("activity", "--by", "ann"), ("returned",), ("baseline", "list"), ("people", "list")),
    *(("ending", "--within", "P1Y"), ("changed", "--since", "2026-06-01"), ("rules", "list"), ("control", "list")),
    *(("show", "ann"), ("compare", "ann", "bo"), ("kit", "show", "quay-summer"), ("reach", "--by", "bo", "--assume")),
)


def asked(words):
    """A question with what it lacks."""
    return (*words, "what-if.toml") if words[-1] == "--assume" else words


class Landed(Scratch):
    def do(self, *words, status=0, now=landed.NOW):
        return inside(*words, cwd=self.here, status=status, now=now, KATHODOS_ACTOR="head", COLUMNS="200")

    def lay_out(self, version):
        self.here = landed.laid_out(version, self.folder / version)

    def verified(self, *words):
        """What `ledger verify` says of a store that has to be as signed."""
        (found,) = records_inside("ledger", "verify", *words, cwd=self.here, now=landed.NOW)
        self.assertEqual(found["discrepancies"], [])
        return found

    def answers(self):
        """What every question answers, its status included."""
        said = {}
        for words in QUESTIONS:
            done = self.do(*asked(words), "--format", "jsonl", status=None)
            self.assertIn(done.returncode, (0, 1), (words, done.stderr))
            said[words] = done.returncode, done.stdout
        return said

    def pairs(self, who):
        rows = records_inside("reach", "--by", who, cwd=self.here, now=landed.NOW)
        return sorted(f"{it['action']} {it['resource']}" for it in rows)


class EveryVersion(Landed, unittest.TestCase):
    def test_is_kept_beside_the_tests(self):
        self.assertIn("0.1", landed.VERSIONS)
        newest = ".".join(__version__.split(".")[:2])
        self.assertIn(newest, landed.VERSIONS, "make it once: tools/landed.py tests/landed/VERSION")

    def test_opened_asked_verified_brought_up_and_written_to(self):
        for version in landed.VERSIONS:
            with self.subTest(version):
                self.lay_out(version)
                known = landed.known(version)
                before = self.verified()
                self.assertEqual({who: self.pairs(who) for who in known["reach"]}, known["reach"])
                counts = {
                    kind: len(records_inside("list", kind, cwd=self.here, now=landed.NOW)) for kind in known["counts"]
                }
                self.assertEqual(counts, known["counts"])
                said = self.answers()
                self.brought_up(before)
                self.assertEqual(self.answers(), said, "what is asked is answered as before")
                self.verified("--head", "head.json")  # what an auditor kept then
                with (self.here / "tables" / "identities.csv").open("a", encoding="utf-8") as file:
                    file.write("dee,Dee New,Dues,Clerk,head,,active,north\n")
                for words in WRITES:
                    self.do(*words)
                self.assertGreaterEqual(self.verified()["entries"], before["entries"] + len(WRITES))
                said_so = records_inside("ledger", "list", cwd=self.here, now=landed.NOW)[-1]["origin"]
                self.assertEqual((said_so["program"], said_so["store"]), (__version__, str(NEWEST)))

    def brought_up(self, before):
        """Brings the store up, if it is of an earlier version, and looks at what is said of it, before and after."""
        (would,) = records_inside("store", "upgrade", "--dry-run", cwd=self.here, now=landed.NOW)
        self.assertEqual(self.verified()["entries"], before["entries"], "a dry run writes nothing")
        if would["before"] == NEWEST:
            return
        refused = self.do("baseline", "mark", "x", "--as", "r.lund", status=3).stderr
        self.assertIn(f"is of version {would['before']}, and this kathodos writes version {NEWEST}", refused)
        self.assertIn("kathodos store upgrade", refused)
        self.assertIn("nobody can be asked", self.do("store", "upgrade", "--as", "r.lund", status=2).stderr)
        self.assertEqual(self.verified()["entries"], before["entries"], "nothing is done unasked")
        said = self.do(*UPGRADE).stdout
        self.assertIn(f"from version {would['before']} to version {NEWEST}", said)
        entry = records_inside("ledger", "list", cwd=self.here, now=landed.NOW)[-1]
        self.assertEqual((entry["kind"], entry["reason"]), ("store upgrade", "the new one from today on"))
        self.assertEqual(entry["payload"], {"version_before": would["before"], "version_after": NEWEST})
        self.assertEqual(self.verified()["rows"], before["rows"])
        self.assertIn("There is nothing to do", self.do("store", "upgrade").stdout)

    def test_a_backup_put_back_after_the_upgrade_is_brought_up_again(self):
        self.lay_out("0.1")
        backup = stores.copied(self.here, self.folder / "backup")
        self.do(*UPGRADE)
        newer = self.folder / "newer.json"
        newer.write_text(self.do("ledger", "head", "--format", "jsonl").stdout)
        self.here = backup
        self.verified("--head", "head.json")
        self.do(*UPGRADE, now="2026-07-01T09:00:00Z")
        self.verified("--head", "head.json")
        found = self.do("ledger", "verify", "--head", str(newer), status=1).stdout
        self.assertIn("NOT as signed", found, "what was entered in between is missed by whoever kept its head")

    def test_a_copy_of_an_old_store_is_as_old_and_is_brought_up_like_it(self):
        self.lay_out("0.1")
        url = stores.new_url() or "sqlite:///copy.db"
        self.assertIn("The copy is as signed", self.do("store", "copy", url, "--move").stdout)
        before = self.verified()
        self.assertIn("is of version 1", self.do("ledger", "verify").stdout)
        self.do(*UPGRADE)
        self.assertEqual(self.verified()["rows"], before["rows"])
        again = stores.new_url() or "sqlite:///again.db"
        self.assertIn("The copy is as signed", self.do("store", "copy", again, "--move").stdout)
        self.do("baseline", "mark", "x", "--as", "r.lund")
        self.verified()

    def test_what_was_edited_before_the_upgrade_or_after_is_named(self):
        for is_after in (False, True):
            with self.subTest(is_after=is_after):
                self.here = landed.laid_out("0.1", self.folder / f"edited-{is_after}")
                if is_after:
                    self.do(*UPGRADE)
                stores.altered(self.here, "UPDATE decisions SET reason = 'no' WHERE row = 1")
                found = self.do("ledger", "verify", status=1).stdout
                self.assertIn("decisions row 1", found)
                self.assertIn("1 discrepancy", found)
                if not is_after:
                    self.do(*UPGRADE)  # it does not hide what was edited
                    self.assertIn("decisions row 1", self.do("ledger", "verify", status=1).stdout)

    def test_what_was_edited_is_named_in_each_kind(self):
        self.lay_out("0.1")
        edits = {}
        for kind, table in schema(1).tables.items():
            if table.is_record:
                column = next(it for it in reversed(table.columns) if it.name != "attributes")
                value, name = ("77" if column.form == NUMBER else "'edited'"), stored_name(column.name)
                edits[f"{kind} row 1"] = f'UPDATE "{kind}" SET "{name}" = {value} WHERE "row" = 1'
        stores.altered(self.here, *edits.values())
        (found,) = records_inside("ledger", "verify", cwd=self.here, status=1, now=landed.NOW)
        self.assertEqual({it["where"].partition(" (")[0] for it in found["discrepancies"]}, set(edits))

    def test_what_a_store_says_of_its_versions_is_held_against_its_entries(self):
        self.lay_out("0.1")
        self.do(*UPGRADE)
        for statement in ("UPDATE ledger_versions SET entry = 1", "DELETE FROM ledger_versions"):
            here = stores.copied(self.here, self.folder / f"forged-{statement[:6]}")
            stores.altered(here, statement)
            found = inside("ledger", "verify", cwd=here, now=landed.NOW, status=1).stdout
            self.assertRegex(found, "the versions of the store +are not what its entries say")

    def test_a_version_that_cannot_be_is_told_and_hides_nothing(self):
        self.lay_out("0.2")
        for at, value in enumerate(("0", "-7")):
            here = stores.copied(self.here, self.folder / f"impossible-{at}")
            stores.altered(here, f"UPDATE ledger_versions SET version = {value}")
            said = inside("reach", "--by", "ann", cwd=here, now=landed.NOW, status=3).stderr
            self.assertIn("of a version that cannot be", " ".join(said.split()))
        for at, origin in enumerate(('{"store":"99"}', '{"store":"0"}', "no JSON")):
            here = stores.copied(self.here, self.folder / f"forged-{at}")
            edits = (
                f"UPDATE ledger SET origin = '{origin}' WHERE number = 9",
                "UPDATE grants SET tier = 5 WHERE row = 1",
            )
            stores.altered(here, *edits)
            (found,) = records_inside("ledger", "verify", cwd=here, now=landed.NOW, status=1)
            where = {it["where"].partition(" (")[0] for it in found["discrepancies"]}
            self.assertLessEqual({"entry 9", "grants row 1"}, where)
            if at < 2:  # of an entry that cannot be read at all nobody knows what it brought
                self.assertEqual(where, {"entry 9", "grants row 1"})


class FilesThatOutliveAVersion(Landed, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.lay_out("0.1")
        self.do(*UPGRADE)

    def test_settings_rules_kits_and_declared_reviews_are_read(self):
        self.assertEqual(self.do("rules", "check", status=None).returncode, 0)
        self.assertEqual({it["id"] for it in records_inside("rules", "list", cwd=self.here)}, {"D-1", "D-2", "D-3"})
        self.assertIn("twice-a-year", self.do("review", "due").stdout)
        self.assertIn("quay-summer", self.do("kit", "read", "--as", "r.lund", "--dry-run").stdout)
        self.assertIn("C-1", self.do("control", "list").stdout)
        self.assertIn("dues:/tariffs", self.do("reach", "--by", "bo", "--assume", "what-if.toml").stdout)

    def test_an_exchange_file_is_taken_in(self):
        plan = [json.loads(it) for it in self.do("role", "plan", "roles.json", "--format", "jsonl").stdout.splitlines()]
        self.assertEqual([it["there"] for it in plan[0]["roles"]], ["dues/reader", "dues/setter"])

    def test_answers_to_its_packets_are_taken(self):
        self.assertIn("1 certified", self.do("review", "take", "answers-summer.json", "--as", "r.lund").stdout)
        self.do("request", "take", "answers-requests.json", "--as", "r.lund")
        (third,) = [it for it in records_inside("request", "list", cwd=self.here, now=landed.NOW) if it["request"] == 3]
        self.assertNotEqual(third["state"], "open")

    def test_a_report_is_proven_and_what_was_altered_in_it_is_found(self):
        said = self.do("review", "report", "spring", "--check", "report-spring").stdout
        self.assertIn("It holds", said)
        self.assertIn("made by kathodos 0.1", said)
        table = self.here / "report-spring" / "lines.csv"
        table.write_text(table.read_text(encoding="utf-8").replace(",revoke,", ",certify,"), encoding="utf-8")
        found = self.do("review", "report", "spring", "--check", "report-spring", status=1).stdout
        self.assertIn("lines.csv is not what the proof says", found)
        self.assertIn("is not what was decided", found)

    def test_one_that_only_a_later_version_knows_is_refused_in_one_line(self):
        exchange = json.loads((self.here / "roles.json").read_text())
        exchange["content"]["format"] = "kathodos-roles/2"
        answers = json.loads((self.here / "answers-summer.json").read_text())
        answers["form"] = "kathodos answers 7"
        (self.here / "later.json").write_text(json.dumps(exchange))
        (self.here / "answers.json").write_text(json.dumps(answers))
        (self.here / "later.toml").write_text('kathodos = "9.1"\n[[add]]\nkind = "grants"\nby = "somebody"\n')
        for words, said in (
            (("role", "plan", "later.json"), "is an exchange file of form 2; kathodos"),
            (("review", "take", "answers.json", "--as", "r.lund"), "is a file of answers of form 7; kathodos"),
            (("reach", "--by", "bo", "--assume", "later.toml"), "later.toml is written for kathodos 9.1, and this is"),
        ):
            told = self.do(*words, status=None)
            self.assertIn(said, told.stderr + told.stdout, words)
            self.assertLessEqual(len(told.stderr.splitlines()), 2)
        rules = self.here / "rules" / "dues.toml"
        rules.write_text(f'kathodos = "9.1"\n{rules.read_text()}')
        self.assertIn("written for kathodos 9.1", self.do("conflicts", status=3).stderr)
        rules.write_text(rules.read_text().replace('"9.1"', '"0.1"'))
        self.do("conflicts", status=None)
        rules.write_text(rules.read_text().replace('"0.1"', '"soon"'))
        self.assertIn("is no version", self.do("conflicts", status=3).stderr)
        configuration = self.here / "kathodos.toml"
        configuration.write_text(f'kathodos = "9.1"\n{configuration.read_text()}')
        self.assertIn("kathodos.toml is written for kathodos 9.1", self.do("reach", "--by", "bo", status=3).stderr)


class Tomorrow(Landed, unittest.TestCase):
    """A version with columns in the middle, at the end and under another name, and one more kind of record."""

    def tomorrow(self, *words, status=0, **variables):
        done = subprocess.run(
            [sys.executable, str(TOMORROW), *words],
            cwd=self.here,
            env={**os.environ, "KATHODOS_NOW": landed.NOW, "COLUMNS": "200", **variables},
            capture_output=True,
            encoding="utf-8",
        )
        if status is not None:
            self.assertEqual(done.returncode, status, (words, done.stdout, done.stderr))
        self.assertNotIn("Traceback", done.stderr)
        return done

    def table(self, kind):
        return [json.loads(it) for it in self.tomorrow("list", kind, "--format", "jsonl").stdout.splitlines()]

    def as_signed(self):
        (found,) = map(json.loads, self.tomorrow("ledger", "verify", "--format", "jsonl").stdout.splitlines())
        self.assertEqual(found["discrepancies"], [])
        return found

    def test_reads_verifies_brings_up_and_writes_what_was_written_before(self):
        self.lay_out("0.1")
        before = self.as_signed()
        self.assertEqual(
            {it["weight"] for it in self.table("grants")}, {7}, "what came later stands for what was before"
        )
        self.assertEqual(self.table("badges"), [])
        self.do(*UPGRADE)  # first to this version
        self.do("baseline", "mark", "between", "--as", "r.lund")
        self.tomorrow(*UPGRADE)
        self.assertEqual(self.as_signed()["rows"], before["rows"] + 1)
        grants = self.here / "tables" / "grants.csv"
        grants.write_text(grants.read_text().replace("g4,", "g4x,"))
        people = self.here / "tables" / "identities.csv"
        header, *rows = people.read_text().splitlines()
        people.write_text("\n".join([f"{header},phone", *(f"{row},{at}" for at, row in enumerate(rows))]) + "\n")
        self.tomorrow("gather", "--as", "r.lund")
        self.assertEqual(
            {it["weight"] for it in self.table("grants")}, {1}, "what a table does not say is as usual now"
        )
        self.assertEqual({it["id"]: it["phone"] for it in self.table("identities")}["ann"], "1")
        before = self.tomorrow("list", "grants", "--as-of", "first", "--format", "jsonl").stdout
        self.assertEqual({json.loads(it)["weight"] for it in before.splitlines()}, {7})
        self.assertTrue(all("asserted" in it for it in self.table("ties")))
        self.as_signed()
        self.refused_today()

    def refused_today(self):
        """The version of today refuses what the later one has brought up, whatever is asked."""
        for words in (("reach", "--by", "ann"), ("ledger", "verify"), ("gather", "--as", "r.lund"), UPGRADE):
            said = self.do(*words, status=3).stderr
            self.assertIn(f"is of version {NEWEST + 1}; kathodos {__version__} knows versions up to {NEWEST}", said)
            self.assertIn("Work with kathodos 9.9.0 or later", said)
            self.assertLessEqual(len(said.splitlines()), 3)

    def test_names_what_is_edited_in_columns_old_and_new(self):
        self.lay_out("0.1")
        self.tomorrow(*UPGRADE)
        for at, (statement, row) in enumerate(
            (
                ("UPDATE grants SET reason = 'x' WHERE row = 1", "grants row 1"),
                ("UPDATE grants SET weight = 8 WHERE row = 1", "grants row 1"),
                ("UPDATE identities SET phone = '112' WHERE row = 2", "identities row 2"),
                ("UPDATE ties SET asserted = 'x' WHERE row = 1", "ties row 1"),
            )
        ):
            whole = self.here
            self.here = stores.copied(whole, self.folder / f"edited-{at}")
            stores.altered(self.here, statement)
            self.assertIn(row, self.tomorrow("ledger", "verify", status=1).stdout, statement)
            self.here = whole

    def test_killed_at_any_statement_it_is_before_or_after(self):
        self.lay_out("0.1")
        before, killed, step = self.verified(), 0, 1 if SEARCH else 4
        while self.tomorrow(*UPGRADE, status=None, KATHODOS_DIES_AT=str(killed + 1)).returncode:
            said = self.do("ledger", "verify", "--format", "json", status=None)
            if said.returncode:
                break  # it was kept already, and the version of today does not read it
            self.assertEqual(json.loads(said.stdout), before, f"killed at statement {killed + 1}: nothing was done")
            killed += step
        self.assertGreater(killed, 10)
        self.assertEqual(self.as_signed()["entries"], before["entries"] + 1)

    def test_one_that_was_killed_is_brought_up_the_next_time(self):
        self.lay_out("0.1")
        self.assertLess(self.tomorrow(*UPGRADE, status=None, KATHODOS_DIES_AT="6").returncode, 0)
        self.tomorrow(*UPGRADE)
        self.assertEqual(self.as_signed()["entries"], 35)

    def test_of_two_at_once_one_brings_it_up_and_the_other_finds_it_done(self):
        self.lay_out("0.1")
        done = at_once(*[UPGRADE] * 4, cwd=self.here, now=landed.NOW)
        self.assertEqual([it.returncode for it in done], [0] * 4, [it.stderr for it in done])
        self.assertEqual(sum("was brought up" in it.stdout for it in done), 1, [it.stdout for it in done])
        self.assertEqual(self.verified()["entries"], 35)


if __name__ == "__main__":
    unittest.main()
