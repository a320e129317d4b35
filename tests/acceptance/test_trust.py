"""What somebody could hide who has the folder in hand: settings, the clock, the tree, the heads, computed files."""

import json
import shutil
import subprocess
import unittest

from kathodos.workspace.workspace import Workspace
from tests import stores
from tests.support import OFFICE, OFFICE_RULES, Prepared, Scratch, inside, lay_out, records_inside


class Trust(Prepared):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", OFFICE, OFFICE_RULES)
        inside("gather", cwd=office)
        for name in ("one", "two", "three"):
            inside("baseline", "mark", name, "--as", "auditor", cwd=office)
        inside("reach", "--by", "ann", cwd=office)
        return office

    def verified(self, *words, status=1):
        return json.loads(inside("ledger", "verify", *words, "--format", "json", cwd=self.here, status=status).stdout)

    def found(self, *words):
        return {(it["where"], it["what"]): it["kind"] for it in self.verified(*words)["discrepancies"]}

    def assert_found(self, found, where, what, kind="altered"):
        self.assertTrue(
            any(where in place and what in wrong and kind == by for (place, wrong), by in found.items()), found
        )

    def mark(self, name, status=0, **options):
        return inside("baseline", "mark", name, "--as", "auditor", cwd=self.here, status=status, **options)


class TheSettings(Trust, unittest.TestCase):
    def settings(self):
        return records_inside("ledger", "list", "--kind", "settings", cwd=self.here)

    def test_what_is_in_force_is_part_of_every_entry_and_a_change_has_an_entry_of_its_own(self):
        first = records_inside("ledger", "list", cwd=self.here)
        self.assertEqual(len({json.dumps(it["settings"]) for it in first}), 1)
        self.assertEqual(set(first[0]["settings"]), {"configuration", "rules", "controls"})
        rules = self.here / "rules" / "rules.toml"
        rules.write_text(rules.read_text().replace('severity = "high"', 'severity = "low"'))
        self.assertEqual(self.settings(), [])
        self.assertIn("Changed since the last entry, which the next one will say: rules/rules.toml", self.notes())
        self.mark("four")
        (change,) = self.settings()
        self.assertEqual(
            (change["number"], change["actor"], list(change["payload"]["files"])), (5, "auditor", ["rules/rules.toml"])
        )
        self.assertIn('-severity = "high"\n+severity = "low"', change["payload"]["difference"])
        digests = [it["settings"]["rules"] for it in records_inside("ledger", "list", cwd=self.here)]
        self.assertEqual([len(set(digests[:4])), len(set(digests[4:]))], [1, 1])
        self.assertNotEqual(digests[0], digests[5])
        shown = inside("ledger", "list", "--kind", "settings", cwd=self.here).stdout
        self.assertIn('  +severity = "low"', shown)
        self.assertEqual(self.verified(status=0)["discrepancies"], [])

    def notes(self):
        return "\n".join(self.verified(status=0)["notes"])

    def test_a_rule_or_control_taken_away_a_guard_changed_and_a_file_added_are_all_told(self):
        (self.here / "controls.toml").write_text("")
        self.mark("a")
        (self.here / "controls.toml").unlink()
        (self.here / "rules" / "rules.toml").unlink()
        (self.here / "rules" / "other.toml").write_text("# nothing\n")
        text = (self.here / "kathodos.toml").read_text()
        (self.here / "kathodos.toml").write_text(text.replace('path = "tables"', 'path = "tables"\nguard = 1.0'))
        self.mark("b")
        first, second = self.settings()
        self.assertEqual(list(first["payload"]["files"]), ["controls.toml"])
        self.assertEqual(
            list(second["payload"]["files"]), ["controls.toml", "kathodos.toml", "rules/other.toml", "rules/rules.toml"]
        )
        self.assertEqual(second["payload"]["files"]["rules/rules.toml"][1], "")
        self.assertIn("+guard = 1.0", second["payload"]["difference"])
        kept = records_inside("list", "settings", "--as-of", "4", cwd=self.here)
        self.assertEqual({it["file"] for it in kept}, {"kathodos.toml", "rules/rules.toml"})
        self.assertEqual(next(it["text"] for it in kept if it["file"] == "rules/rules.toml"), OFFICE_RULES)

    def test_where_the_store_is_is_nobodys_rule_and_cannot_hide_one(self):
        file = self.here / "kathodos.toml"
        text = file.read_text()
        file.write_text(text.replace("wait = 10", "wait = 11"))
        self.mark("a")
        self.assertEqual(self.settings(), [])
        from kathodos.workspace.configuration import in_force

        note = 'note = """\n[store]\nurl = 1\n"""\n'
        self.assertEqual(in_force(note + text), note + text, "what only looks like a section is left in")
        self.assertIn(note, in_force(text + note))

    def test_findings_say_by_which_rules(self):
        digest = records_inside("ledger", "list", cwd=self.here)[0]["settings"]["rules"]
        for words in (("conflicts",), ("check",), ("excess",), ("escalation",), ("risk", "top")):
            done = inside(*words, "--format", "jsonl", cwd=self.here, status=None)
            rows = [json.loads(line) for line in done.stdout.splitlines()]
            self.assertTrue(all(row["rules_digest"] == digest for row in rows), words)
            table = inside(*words, cwd=self.here, status=None).stdout
            self.assertIn(f"By the rules with the digest {digest[:16]}.", table, words)

    def test_files_of_any_bytes_are_kept(self):
        (self.here / "rules" / "odd.toml").write_bytes(b'# \xff\xfe "quoted"\x00\n')
        self.mark("a")
        (change,) = self.settings()
        self.assertIn("+# %FF%FE", change["payload"]["difference"])


class TheClock(Trust, unittest.TestCase):
    def test_a_clock_set_back_is_refused_unless_accepted_with_a_reason_and_told_by_verify(self):
        early = "2026-06-14T12:00:00Z"
        self.assertIn("It is 2026-06-14T12:00:00Z by this clock", self.mark("a", status=2, now=early).stderr)
        words = ("baseline", "mark", "a", "--as", "auditor", "--accept-clock")
        self.assertIn("needs a reason", inside(*words, cwd=self.here, status=2, now=early).stderr)
        inside(*words, "--reason", "it was ahead before", cwd=self.here, now=early)
        notes = self.verified(status=0)["notes"]
        self.assertIn("Entry 5 bears the time 2026-06-14T12:00:00Z, before entry 4", notes[0])
        self.assertIn("it was ahead before", notes[0])

    def test_two_clocks_that_differ_a_little_are_none(self):
        self.mark("a", now="2026-06-15T11:57:00Z")
        self.mark("b")
        times = [it["time"] for it in records_inside("ledger", "list", cwd=self.here)]
        self.assertEqual(times[-2:], ["2026-06-15T12:00:00Z"] * 2, "no entry before the last")
        self.assertNotIn("bears the time", "".join(self.verified(status=0)["notes"]))

    def test_a_clock_that_was_far_ahead_is_noticed_by_the_next_entry(self):
        self.mark("a", now="2031-01-01T00:00:00Z")
        self.mark("b", status=2)

    @unittest.skipIf(not stores.ON_POSTGRES, "a file has no clock of its own")
    def test_a_machines_clock_is_held_against_the_databases(self):
        from datetime import UTC, datetime, timedelta
        from unittest import mock

        from kathodos.model import times

        with mock.patch.object(times, "machine_now", lambda: datetime.now(UTC) + timedelta(days=400)):
            self.assertIn("by the database's", self.mark("a", status=2, now=None).stderr)
        self.mark("a", now=None)


class TheLedger(Trust, unittest.TestCase):
    def test_a_changed_or_missing_node_is_found_and_nothing_is_written_behind_it(self):
        for statement, said in (
            ("UPDATE ledger_tree SET hash = x'00' WHERE level = 1 AND position = 0", "nodes were changed or put in"),
            ("UPDATE ledger_tree SET hash = x'00' WHERE level = 2 AND position = 0", "nodes were changed or put in"),
            ("DELETE FROM ledger_tree WHERE level = 2", "1 of its nodes were taken away"),
            ("INSERT INTO ledger_tree VALUES (5, 1, x'aa')", "nodes were changed or put in: 1 of level 5"),
        ):
            stores.altered(self.here, statement)
            self.assert_found(self.found(), "the ledger's tree", said)
            if "level = 2" in statement:  # of which the next root is made
                told = self.mark("x", status=3).stderr
                self.assertRegex(told, "(not as it was signed|has no node)")
            stores.replaced(self.here, self.prepared)

    def test_the_last_entry_taken_away_with_all_its_traces_is_found_by_what_was_computed_and_by_an_anchor(self):
        self.anchored()
        self.mark("four")
        inside("list", "baselines", cwd=self.here)
        heads = (self.here / "ledger.heads").read_text().splitlines(True)
        inside("baseline", "mark", "five", "--as", "auditor", cwd=self.here)
        inside("list", "baselines", cwd=self.here)
        newest = records_inside("ledger", "list", cwd=self.here)[-1]["number"]
        stores.altered(
            self.here,
            *(f"DELETE FROM ledger WHERE number = {newest}", f"DELETE FROM ledger_heads WHERE size = {newest}"),
            *(f"DELETE FROM baselines WHERE since = {newest}", *self.nodes_of(newest)),
        )
        (self.here / "ledger.heads").write_text("".join(heads))
        self.assert_found(self.found(), f"entry {newest}", "was dropped: the anchor")

    def nodes_of(self, number):
        """What takes away the nodes of the tree that an entry completed."""
        level, position = 0, number - 1
        yield f"DELETE FROM ledger_tree WHERE level = 0 AND position = {position}"
        while position % 2:
            level, position = level + 1, position // 2
            yield f"DELETE FROM ledger_tree WHERE level = {level} AND position = {position}"

    def anchored(self, place="../anchor.heads"):
        file = self.here / "kathodos.toml"
        file.write_text(f'{file.read_text()}\n[ledger]\nanchor = "{place}"\n')
        self.mark("anchored")

    def test_an_emptied_or_junk_file_of_heads(self):
        file = self.here / "ledger.heads"
        whole = file.read_text()
        file.write_text("")
        self.assert_found(self.found(), "ledger.heads", "holds no head any more")
        file.write_text("hello\n" + whole)
        self.assert_found(self.found(), "ledger.heads, line 1", "was never written")
        file.write_text(whole[:-40])
        self.assert_found(self.found(), "ledger.heads, line 4", "was cut short, as by a crash", "damaged")
        for junk in (
            '{"size": 1e400}',
            "[" * 100_000,
            '{"root": 5}',
            "\udcff",
            '{"root":"zz","signature":"","size":1,"time":""}',
        ):
            file.write_bytes((whole + junk + "\n").encode("utf-8", "surrogateescape"))
            self.assert_found(self.found(), "ledger.heads, line 5", "was never written")
        file.unlink()
        self.assert_found(self.found(), "ledger.heads", "is missing")

    def test_all_tables_emptied(self):
        tables = [name for (name,) in self.tables()]
        stores.altered(self.here, *(f'DELETE FROM "{name}"' for name in tables))
        self.assert_found(self.found(), "entries 1-4", "were dropped")

    def tables(self):
        from kathodos.store.upgrades import NEWEST, schema

        return [(name,) for name in schema(NEWEST).tables]

    def test_what_does_not_belong_into_the_database(self):
        function = ""
        if stores.ON_POSTGRES:
            function = "CREATE FUNCTION t() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'"
        trigger = (
            "CREATE TRIGGER t AFTER INSERT ON grants EXECUTE FUNCTION t()"
            if stores.ON_POSTGRES
            else "CREATE TRIGGER t AFTER INSERT ON grants BEGIN DELETE FROM problems; END"
        )
        for statements, said in (
            ([function, trigger], "the trigger t"),
            (["CREATE TABLE more (x int)"], "the table more was not made by this tool"),
            (["CREATE VIEW seen AS SELECT * FROM grants"], "the view seen was not made by this tool"),
            (["ALTER TABLE grants ADD COLUMN more text"], "grants"),
            (["ALTER TABLE problems RENAME TO gone", "CREATE VIEW problems AS SELECT * FROM gone"], "problems"),
        ):
            stores.altered(self.here, *filter(None, statements))
            done = inside("ledger", "verify", "--format", "json", cwd=self.here, status=None)
            self.assertEqual(done.returncode, 1, done.stderr)
            found = {(it["where"], it["what"]): it["kind"] for it in json.loads(done.stdout)["discrepancies"]}
            self.assert_found(found, "the database", said)
            stores.replaced(self.here, self.prepared)

    def test_everything_signed_again_with_a_new_key_is_found_by_an_anchor_alone(self):
        self.anchored()
        other = lay_out(self.folder / "other", OFFICE)
        for name in ("ledger.key", "ledger.pub"):
            (self.here / name).write_bytes((other / name).read_bytes())
        self.sign_again(Workspace.find(self.here))
        self.assert_found(self.found(), "the anchor", "another key signs now")
        text = (self.here / "kathodos.toml").read_text()
        (self.here / "kathodos.toml").write_text(text.replace('anchor = "../anchor.heads"', ""))
        self.assertEqual(self.verified(status=0)["discrepancies"], [], "the folder alone cannot show it")
        self.assert_found(self.found("--anchor", "../anchor.heads"), "the anchor", "another key signs now")

    def sign_again(self, workspace):
        from kathodos.ledger.entries import read_heads
        from kathodos.ledger.keys import Head

        key = workspace.keys.private()
        with workspace.store.reading() as reader:
            heads = [Head(it.size, it.time, it.root, key.sign(it.statement())) for it in read_heads(reader)]
        stores.altered(
            self.here,
            *(f"UPDATE ledger_heads SET signature = x'{it.signature.hex()}' WHERE size = {it.size}" for it in heads),
        )
        (self.here / "ledger.heads").write_text("".join(f"{it.line()}\n" for it in heads))

    def test_a_row_that_was_tampered_with_is_not_answered_from(self):
        shutil.rmtree(stores.computed(self.here))
        stores.altered(self.here, "UPDATE grants SET holder = 'identity:bo' WHERE row = 1")
        for words in (("reach", "--by", "bo"), ("list", "grants"), ("conflicts",)):
            said = inside(*words, cwd=self.here, status=3).stderr
            self.assertIn("Row 1 of grants in the store is not what was written there", said)

    def test_a_row_brought_back_ended_taken_out_or_put_in_is_not_answered_from(self):
        for statement, said in (
            ("UPDATE grants SET until = 2 WHERE row = 1", "begins or ends where no entry"),
            ("UPDATE grants SET since = 2 WHERE row = 1", "begins or ends where no entry"),
            ("DELETE FROM grants WHERE row = 1", "holds 3 rows of grants, and entries of the ledger have brought 4"),
        ):
            shutil.rmtree(stores.computed(self.here), ignore_errors=True)
            stores.altered(self.here, statement)
            self.assertIn(said, inside("reach", "--by", "ann", cwd=self.here, status=3).stderr)
            stores.replaced(self.here, self.prepared)

    def test_the_signing_key_is_enough_to_write(self):
        (self.here / "ledger.pub").unlink()
        self.mark("four")

    def test_what_was_computed_from_entries_that_are_gone_is_told(self):
        inside("reach", "--by", "bo", cwd=self.here)
        stores.altered(self.here, "UPDATE ledger SET leaf_hash = x'00' WHERE number = 1")
        self.assert_found(self.found(), "entry 1", "of another history than this")


@stores.ABOUT_ANSWERS
class Anchors(Scratch, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.office = lay_out(self.folder / "office", OFFICE)

    def anchor(self, place):
        file = self.office / "kathodos.toml"
        file.write_text(f'{file.read_text()}\n[ledger]\nanchor = "{place}"\n')

    def mark(self, name, status=0):
        return inside("baseline", "mark", name, "--as", "auditor", cwd=self.office, status=status)

    def heads(self):
        return [json.loads(it)["size"] for it in (self.folder / "kept").read_text().splitlines()]

    def test_a_file_receives_each_head_and_what_it_missed(self):
        inside("gather", cwd=self.office)
        self.mark("a")
        self.anchor("../kept")
        self.mark("b")
        self.assertEqual(self.heads(), [1, 2, 3, 4], "with those from before, and of the change of the settings")
        (self.folder / "kept").rename(self.folder / "away")
        found = json.loads(inside("ledger", "verify", "--format", "json", cwd=self.office, status=1).stdout)
        self.assertIn("it is not there", found["discrepancies"][0]["what"])
        (self.folder / "kept").mkdir()
        said = self.mark("c", status=3).stderr
        self.assertIn("The anchor", said)
        (self.folder / "kept").rmdir()
        (self.folder / "away").rename(self.folder / "kept")
        self.mark("c")
        self.assertEqual(self.heads(), [1, 2, 3, 4, 5])
        inside("ledger", "verify", cwd=self.office)

    def test_a_git_repository_keeps_what_is_taken_out_of_its_file(self):
        repository = self.folder / "repository"
        subprocess.run(["git", "init", "--quiet", str(repository)], check=True)
        self.anchor("../repository")
        inside("gather", cwd=self.office)
        self.mark("a")
        (file,) = repository.glob("*.heads")
        self.assertEqual(len(file.read_text().splitlines()), 2)
        count = subprocess.run(
            ["git", "-C", str(repository), "rev-list", "--count", "HEAD"], capture_output=True, text=True, check=True
        ).stdout
        self.assertEqual(count.strip(), "2")
        inside("ledger", "verify", cwd=self.office)
        file.write_text(file.read_text().splitlines(True)[0])
        subprocess.run(
            ["git", "-C", str(repository), "-c", "user.name=x", "-c", "user.email=x@x", "commit", "-qam", "less"],
            check=True,
        )
        from kathodos.ledger.anchors import open_anchor

        anchor = open_anchor(str(repository), self.office, Workspace.find(self.office).keys.fingerprint())
        self.assertEqual([it.size for it in anchor.heads()], [1, 2], "what was once committed counts")

    @stores.ONLY_WITH_A_SERVER
    def test_a_table_in_a_database_to_which_heads_are_only_added(self):
        name = stores.new_database()
        stores.server().create(name)
        self.anchor(stores.server().url(name))
        inside("gather", cwd=self.office)
        self.mark("a")
        with stores.server().connect(name) as connection:
            rows = connection.execute("SELECT size, workspace FROM kathodos_heads ORDER BY number").fetchall()
        self.assertEqual([size for size, _ in rows], [1, 2])
        inside("ledger", "verify", cwd=self.office)
        with stores.server().connect(name) as connection:
            connection.execute("UPDATE kathodos_heads SET root = decode('00', 'hex') WHERE size = 2")
        found = json.loads(inside("ledger", "verify", "--format", "json", cwd=self.office, status=1).stdout)
        self.assertIn("another key signs now", found["discrepancies"][0]["what"])


if __name__ == "__main__":
    unittest.main()
