"""Bad input gets one or two clear lines and the right status, and loses nothing."""

import os
import shutil
import subprocess
import time
import unittest

from kathodos.workspace.workspace import Workspace
from tests import stores
from tests.support import COMMAND, NOW, OFFICE, OFFICE_RULES, Prepared, Scratch, inside, lay_out, records, run

AS_NOBODY = ("setpriv", "--reuid=65534", "--clear-groups")


def can_be_another_user():
    """Whether the command can be run as a user who owns nothing."""
    if os.geteuid() != 0 or not shutil.which("setpriv"):
        return False
    return subprocess.run([*AS_NOBODY, COMMAND, "--version"], capture_output=True).returncode == 0


class BadInput(Prepared, unittest.TestCase):
    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", OFFICE, OFFICE_RULES)
        run("gather", cwd=office)
        return office

    def setUp(self):
        super().setUp()
        self.office = self.here

    def assert_refused(self, words, status, *expected, cwd=None, **variables):
        done = inside(*words, cwd=cwd or self.office, status=status, **variables)
        self.assertLessEqual(len(done.stderr.splitlines()), 2, done.stderr)
        for text in expected:
            self.assertIn(text, done.stderr)

    def test_calls_that_are_wrong(self):
        twin = {**OFFICE, "accounts": [*OFFICE["accounts"], {"system": "directory", "login": "ann1", "identity": "bo"}]}
        other = lay_out(self.folder / "other", twin)
        run("gather", cwd=other)
        self.assert_refused(["show", "ann1"], 2, "account:directory/ann1 or account:dues/ann1", "in full", cwd=other)
        for words, expected in (
            (["show", "annn"], ["There is no", "Nearest: ann"]),
            (["reach", "--by", "boo"], ["There is no identity or account boo", "Nearest: bo"]),
            (["reach", "--on", "dues:/tarifs"], ["There is no resource", "dues:/tariffs"]),
            (["reach", "--on", "tariffs"], ["system:/segment"]),
            (["reach", "--on", "dues:/tariffs", "--do", "edti"], ["no action edti", "edit"]),
            (["reach", "--by", ""], ["--by is empty", "Name it"]),
            (["conflicts", "--where", " "], ["--where is empty"]),
            (["conflicts", "cure", "--whose", ""], ["--whose is empty"]),
            (["check", "--by", ""], ["--by is empty"]),
            (["excess", "--by", "role:dues/none"], ["There is no role dues/none", "dues/setter"]),
            (["excess", "--by", "grant:g1"], ["There is no identity or account grant:g1"]),
            (["excess", "--by", "dues:/none"], ["There is no resource dues:/none"]),
            (
                ["conflicts", "cover", "--yes", "D-1", "--control", "C", "--until", "2026-12-01", "--reason", "x"],
                ["D-1 names no conflict", "PERMIT-1/p0096"],
            ),
            (["control", "add", " ", "--owner", "head", "--every", "P1D", "--does", "x"], ["is empty"]),
            (["reach", "--trace"], ["--trace needs --by and --on"]),
            (["reach", "--by", "ann", "--at", "noon"], ["--at noon", "2026-03-01"]),
            (["reach", "--by", "ann", "--as-of", "99"], ["no entry 99", "last is 1"]),
            (["list", "identities", "--where", "titel pr"], ["attribute 'titel'", "title"]),
            (["list", "identities", "--where", "title"], ["does not parse", "eq"]),
            (["list", "people"], ["there is no people", "--help"]),
            (["conflicts", "--topic", "Due"], ["topic Due", "Dues"]),
            (["gather", "nowhere"], ["no source nowhere", "files"]),
            (["review", "lines"], ["No review is open"]),
            (
                ["review", "open", "--yes", "r", "--where", 'id eq "zoe"', "--by-manager", "--due", "2026-07-01"],
                ["Nobody"],
            ),
            (["baseline", "mark", "2026-01-01"], ["number or a date"]),
            (["init", "."], ["is a workspace already"]),
        ):
            self.assert_refused(words, 2, *expected)

    def test_no_workspace_says_how_to_make_one(self):
        self.assert_refused(["list", "roles"], 2, "kathodos init DIR", "--workspace", cwd=self.folder)
        inside = self.office / "tables"
        self.assertIn("2 roles", run("list", "roles", cwd=inside).stdout)
        self.assertIn("2 roles", run("--workspace", self.office, "list", "roles", cwd=self.folder).stdout)
        self.assertIn("2 roles", run("list", "roles", cwd=self.folder, KATHODOS_WORKSPACE=str(self.office)).stdout)

    def test_broken_configuration_and_rules_name_file_and_line(self):
        configuration = self.office / "kathodos.toml"
        text = configuration.read_text()
        configuration.write_text(text + "\nx = = 1\n")
        self.assert_refused(["list", "roles"], 3, "kathodos.toml, line ", "column 5")
        configuration.write_text(text.replace('kind = "tables"', 'kind = "tablets"'))
        self.assert_refused(["gather"], 3, "kathodos.toml, the source files", "kind = one of tables", "'tablets'")
        configuration.write_text(text)
        rules = self.office / "rules" / "more.toml"
        for content, expected in (
            ("topic = 1", ["rules/more.toml, line 1", "topic"]),
            ('topic = "T"\n[[conflict]]\nid = "Z"\nseverity = "huge"\n', ["line 4", "'huge'", "critical"]),
            ('topic = "T"\n[[conflict]]\nid = "D-1"\n', ["threshold"]),
            ('topic = "T"\n[[need]]\nid = "N"\nwho = "title"\nmust = ["view dues:/a"]\n', ["line 4", "the filter who"]),
            ('topic = "T"\n[[need]]\nid = "N"\nwho = "title pr"\nmust = ["view dues"]\n', ["line 5", "'view dues'"]),
        ):
            rules.write_text(content)
            self.assert_refused(["conflicts"], 3, *expected)

    @stores.ONLY_IN_A_FILE
    def test_a_store_that_cannot_be_used(self):
        store = self.office / "catalogue.db"
        good = store.read_bytes()
        store.write_bytes(b"no database at all, only some text that is long enough" * 9)
        self.assert_refused(["list", "roles"], 3, "catalogue.db", "Put it back from a copy")
        store.unlink()
        self.assert_refused(["gather"], 3, "is not there")
        self.assertFalse(store.exists())
        store.write_bytes(good)
        (self.office / "ledger.key").rename(self.office / "key")
        self.assert_refused(["baseline", "mark", "x"], 3, "ledger.key", "Nothing was changed")
        (self.office / "key").rename(self.office / "ledger.key")
        run("ledger", "verify", cwd=self.office)

    def test_a_store_that_somebody_else_is_writing_to(self):
        configuration = self.office / "kathodos.toml"
        configuration.write_text(configuration.read_text().replace("wait = 10 ", "wait = 1 "))
        with Workspace.find(self.office).store.write():
            said = "for more than 1 s" if stores.ON_POSTGRES else "locked"
            self.assert_refused(["baseline", "mark", "x"], 3, said, "ry again")
            self.assertIn("2 roles", run("list", "roles", cwd=self.office).stdout)
        run("baseline", "mark", "x", cwd=self.office)

    @stores.ONLY_IN_A_FILE
    def test_a_disk_that_is_full_loses_nothing(self):
        import csv

        with (self.office / "tables" / "identities.csv").open("a", newline="") as file:
            csv.writer(file).writerows([[f"x{number}", "n" * 200, "", "", "", ""] for number in range(9000)])
        limited = f"ulimit -f 800; exec {COMMAND} gather"
        done = subprocess.run(
            ["bash", "-c", limited],
            cwd=self.office,
            env={**os.environ, "KATHODOS_NOW": NOW},
            capture_output=True,
            text=True,
        )
        self.assertEqual(done.returncode, 3, done.stderr)
        self.assertIn("Nothing was changed", done.stderr)
        run("ledger", "verify", cwd=self.office)
        self.assertEqual(len(records("list", "identities", cwd=self.office)), 3)

    @unittest.skipUnless(can_be_another_user(), "needs to be root, and an interpreter that others may run")
    def test_a_folder_that_may_only_be_read(self):
        for path in (self.folder, *self.folder.rglob("*")):
            path.chmod(0o755 if path.is_dir() else 0o644)
        for words, status, expected in (
            (["list", "roles"], 0, "2 roles"),
            (["baseline", "mark", "x"], 3, "may not be written"),
            (["init", "new"], 3, "cannot be written"),
        ):
            done = subprocess.run([*AS_NOBODY, COMMAND, *words], cwd=self.office, capture_output=True, text=True)
            self.assertEqual(done.returncode, status, done.stderr)
            self.assertIn(expected, done.stdout + done.stderr)

    def test_tables_that_are_missing_or_broken_change_nothing(self):
        tables = self.office / "tables"
        (tables / "grants.csv").rename(self.folder / "grants.csv")
        self.assert_refused(["gather"], 3, "no grants any more", "header only")
        shutil.copy(self.folder / "grants.csv", tables / "grants.csv")
        (tables / "roles.csv").write_text("sysem,role\ndues,setter\n")
        self.assert_refused(["gather"], 3, "roles.csv, line 1: the column system is missing")
        shutil.rmtree(tables)
        self.assert_refused(["gather"], 3, "is not there", "kathodos.toml")
        self.assertEqual(len(records("ledger", "list", cwd=self.office)), 1)

    def test_problems_are_kept_and_listed(self):
        with (self.office / "tables" / "grants.csv").open("a") as file:
            file.write("g9,identity:zoe,role:dues/setter,,\ng10,identity:bo,role:dues/setter,2026-02-30,\n")
        with (self.office / "tables" / "members.csv").open("a") as file:
            file.write("directory,inner,group:directory/outer\n")
        self.assertIn("1 line set aside, 1 cell left out, 1 thing noted", run("gather", cwd=self.office).stdout)
        found = records("gather", "--problems", cwd=self.office)
        self.assertEqual(
            [(row["file"], row["line"], row["column"], row["value"], row["outcome"]) for row in found],
            [
                ("grants.csv", 6, "holder", "identity:zoe", "set aside"),
                ("grants.csv", 7, "until", "2026-02-30", "cell left out"),
                ("members.csv", 3, "member", "group:directory/inner", "noted"),
            ],
        )
        self.assertIn("cycle: directory/outer > directory/inner", found[2]["reason"])
        self.assertIn("Nothing has changed", run("gather", cwd=self.office).stdout)

    def test_a_pipe_that_closes_early_is_no_error(self):
        command = f"{COMMAND} reach --format jsonl | head -n 1; exit ${{PIPESTATUS[0]}}"
        done = subprocess.run(["bash", "-c", command], cwd=self.office, capture_output=True, text=True)
        self.assertEqual((done.returncode, done.stderr), (0, ""))

    def test_a_command_waits_for_a_short_write(self):
        with Workspace.find(self.office).store.write():
            words = [COMMAND, "baseline", "mark", "late"]
            waiting = subprocess.Popen(words, cwd=self.office, stdout=subprocess.DEVNULL)
            time.sleep(1.5)
            self.assertIsNone(waiting.poll())
        self.assertEqual(waiting.wait(), 0)


@stores.ABOUT_ANSWERS
class StrangeCalls(Prepared, unittest.TestCase):
    """What nobody means, told in a line or two, whatever it is."""

    @classmethod
    def prepare(cls, folder):
        office = lay_out(folder / "office", OFFICE)
        run("gather", cwd=office)
        return office

    def refused(self, *words, status=3):
        said = inside(*words, cwd=self.here, status=status).stderr
        self.assertLessEqual(len(said.splitlines()), 2, said)
        return said

    def test_numbers_without_end(self):
        self.assertIn("of so large a number", self.refused("list", "grants", "--as-of", "9" * 5000, status=2))
        self.assertIn("no entry 99", self.refused("list", "grants", "--as-of", "99", status=2))
        add = ("control", "add", "C-9", "--owner", "head", "--does", "x", "--every", "P9999999999Y")
        self.assertIn("is no duration", self.refused(*add))

    def test_a_path_is_a_path(self):
        for name in ("role:", "dues:a%", "file:b"):
            inside("reach", "--to", name, cwd=self.here)
            self.assertEqual((self.here / name).read_bytes()[:4], b"PAR1")

    def test_files_that_stand_in_themselves_too_deep(self):
        text = f"a = {'[' * 3000}{']' * 3000}\n"
        (self.here / "rules" / "deep.toml").write_text(text)
        self.assertIn("too deep", self.refused("conflicts"))
        (self.here / "rules" / "deep.toml").write_text(f"a = {'{a=' * 3000}1{'}' * 3000}\n")
        self.assertIn("too deep", self.refused("conflicts"))
        (self.here / "assumed.toml").write_text(text)
        self.assertIn("too deep", self.refused("reach", "--assume", "assumed.toml"))

    def test_tables_that_are_none(self):
        import zipfile

        import pyarrow as pa
        import pyarrow.parquet as pq

        source = '[[source]]\nname = "files"\nkind = "tables"\npath = "tables"\n'
        for line, expected in (
            ('delimiter = "\\n"', "one character each"),
            ('quote = "\\r"', "one character each"),
            ('encoding = "idna"', "no encoding"),
            ('encoding = "undefined"', "no encoding"),
        ):
            stores.configured(self.here, f"{source}[source.tables.identities]\n{line}\n")
            self.assertIn(expected, self.refused("gather"))
        stores.configured(self.here, source)
        kind = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"
        types, parts = "http://schemas.openxmlformats.org/package/2006/content-types", "xl/workbook.xml"
        related = "http://schemas.openxmlformats.org/package/2006/relationships"
        what = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument"
        main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
        (self.here / "tables" / "roles.csv").unlink()
        with zipfile.ZipFile(self.here / "tables" / "roles.xlsx", "w") as book:
            content = f'<Types xmlns="{types}"><Override PartName="/{parts}" ContentType="{kind}"/></Types>'
            book.writestr("[Content_Types].xml", content)
            book.writestr(parts, f'<workbook xmlns="{main}"><sheets/></workbook>')
            relation = f'<Relationship Id="r" Type="{what}" Target="{parts}"/>'
            book.writestr("_rels/.rels", f'<Relationships xmlns="{related}">{relation}</Relationships>')
        self.assertIn("has no sheet", self.refused("gather"))
        (self.here / "tables" / "roles.xlsx").unlink()
        late = pa.table({"system": ["dues"], "role": ["r"], "when": pa.array([2**62], pa.timestamp("us"))})
        pq.write_table(late, self.here / "tables" / "roles.parquet")
        self.assertIn("roles.parquet", self.refused("gather"))

    @stores.ONLY_IN_A_FILE
    def test_a_store_that_is_a_folder(self):
        for url in ("sqlite:////", "sqlite:///.", "sqlite:///tables"):
            (self.here / "kathodos.toml").write_text(f'[store]\nurl = "{url}"\n')
            self.assertIn("is a folder", self.refused("list", "roles"))

    def test_escapes_in_a_call_are_written_out(self):
        for words in (("list", "systems", "--\x1b[31mx"), ("non\x1b[31msense",), ("reach", "--format", "\x1b[31mx")):
            self.assertNotIn("\x1b", self.refused(*words, status=2))

    def test_a_file_for_which_there_is_no_room_is_not_left_half(self):
        from kathodos.errors import DataError
        from kathodos.output.files import write_new

        limit = "import resource; resource.setrlimit(resource.RLIMIT_FSIZE, (4096, 4096))"
        script = f"{limit}; from kathodos.output.files import write_new; write_new('c.toml', 'x' * 9999)"
        done = subprocess.run(
            [
                COMMAND.parent / "python",
                "-c",
                f"import signal; signal.signal(signal.SIGXFSZ, signal.SIG_IGN); {script}",
            ],
            cwd=self.here,
            capture_output=True,
            text=True,
        )
        self.assertIn("c.toml cannot be written", done.stderr)
        self.assertFalse((self.here / "c.toml").exists())
        write_new(str(self.here / "c.toml"), "y")
        with self.assertRaises(DataError):
            write_new(str(self.here / "no" / "c.toml"), "y")

    def test_streams_that_are_closed_or_full(self):
        for streams, status in ((">&-", 0), ("2>&-", 0), ("<&- >&- 2>&-", 0), ("> /dev/full", 3)):
            command = f"{COMMAND} list roles {streams}"
            done = subprocess.run(["bash", "-c", command], cwd=self.here, capture_output=True, text=True)
            self.assertEqual(done.returncode, status, (streams, done.stderr))
            self.assertLessEqual(len(done.stderr.splitlines()), 1 if status else 0, done.stderr)
            self.assertNotIn("Traceback", done.stderr)


@stores.ABOUT_ANSWERS
class HostileNames(Scratch, unittest.TestCase):
    def test_formulas_escapes_and_direction_marks_in_names_are_harmless(self):
        nasty = "=HYPERLINK(1)\x1b[31m\u202egnp"
        people = [
            {"id": "p1", "name": nasty},
            {"id": "+2", "name": "@SUM(A1)"},
            {"id": "-3", "name": "\x9b2J\x07"},
            {"id": "../../etc/passwd", "name": "$(reboot)`x`"},
        ]
        at = lay_out(self.folder / "office", {"systems": [{"system": "s"}], "identities": people})
        run("gather", cwd=at)
        for form in ("table", "csv", "json", "jsonl"):
            shown = inside("list", "identities", "--format", form, cwd=at).stdout
            self.assertFalse(set(shown) & set("\x1b\x9b\x07\u202e"), form)
        self.assertEqual(records("list", "identities", cwd=at)[0]["name"], nasty)
        import csv
        import io

        cells = list(csv.DictReader(io.StringIO(run("list", "identities", "--format", "csv", cwd=at).stdout)))
        self.assertEqual([row["id"] for row in cells], ["p1", "'+2", "'-3", "../../etc/passwd"])
        self.assertTrue(cells[0]["name"].startswith("'=HYPERLINK(1)\\x1b[31m\\u202e"))
        self.assertIn("\\x1b[31m", run("show", "p1", cwd=at).stdout)
        refused = inside("show", "\x1b[31mzoe", cwd=at, status=2).stderr
        self.assertIn("\\x1b[31mzoe", refused)


if __name__ == "__main__":
    unittest.main()
