"""A store in PostgreSQL: what is written is read again, history stays, and whatever breaks leaves before or after."""

import contextlib
import json
import os
import random
import shutil
import signal
import subprocess
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from kathodos import thresholds
from kathodos.columns.dictionary import dictionary_column
from kathodos.errors import DataError
from kathodos.model.kinds import AREAS, GRANTS
from kathodos.store import postgres
from kathodos.store.blocks import FIRST, FOREVER, LAST, Block, joined_blocks
from kathodos.store.opening import open_store
from kathodos.store.upgrades import NEWEST, schema
from kathodos.workspace.workspace import Workspace
from tests import landed, stores
from tests.servers import AS_SERVER, SERVERS_USER, Cutting, Postgres
from tests.support import COMMAND, NOW, OFFICE, Scratch, inside, lay_out, records_inside, searching, write_tables

TEXTS = st.none() | st.text(st.characters(exclude_categories=["Cs"], exclude_characters="\0"), max_size=6)


class Databases(Scratch):
    """A database of its own for each test."""

    def setUp(self):
        super().setUp()
        stores.cache()
        self.name = stores.new_database()
        self.server = stores.server()
        self.server.create(self.name)
        self.url = self.server.url(self.name)

    def lay_out(self, name="office", url=None):
        """A workspace whose store is in the database."""
        folder = self.folder / name
        inside("init", folder, "--store", url or self.url, cwd=self.folder)
        write_tables(folder / "tables", OFFICE)
        return folder

    def use(self, folder, url):
        """Lets a workspace work with its store at another URL."""
        configuration = folder / "kathodos.toml"
        text = configuration.read_text()
        configuration.write_text(text.replace(stores.url_of(folder), url))

    def ask(self, query, database=None):
        with self.server.connect(database or self.name) as connection:
            cursor = connection.execute(query.encode())
            return cursor.fetchall() if cursor.description else None


def block_of(first, rows):
    """A block of made-up rows of grants: texts and numbers, of which anything may be absent."""
    numbers = np.arange(first, first + len(rows))
    columns = [dictionary_column(column) for column in zip(*rows, strict=True)]
    return Block(numbers, np.full(len(rows), 3), np.full(len(rows), FOREVER), numbers * 7, columns[0], columns[1:])


def told(block):
    return [list(values) for part in block.lists(1000) for values in zip(*part, strict=True)]


@stores.ABOUT_DATABASES
class Rows(Databases, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.store = open_store(self.url, self.folder, 5)
        self.store.create()

    @searching(60)
    @given(st.data())
    def test_what_is_written_is_read_again_by_few_and_by_many(self, data):
        values = [st.integers(-(2**62), 2**62) | st.none() if it else TEXTS for it in postgres._are_numbers(GRANTS)]
        rows = data.draw(st.lists(st.tuples(TEXTS, *values), min_size=1, max_size=9))
        few = data.draw(st.sampled_from((0, 2000)))
        with (
            mock.patch.object(thresholds, "FEW_READ", few),
            contextlib.suppress(InterruptedError),
            self.store.write() as writer,
        ):
            first, block = writer.next_row(GRANTS), block_of(writer.next_row(GRANTS), rows)
            writer.put_rows(GRANTS, block)
            (found,) = writer.blocks(GRANTS)
            self.assertEqual(told(found), told(block))
            for one in range(len(rows)):
                (found,) = writer.blocks(GRANTS, first + one, first + one)
                self.assertEqual(told(found), told(block)[one : one + 1])
            raise InterruptedError  # nothing is kept

    def test_in_answers_of_any_size_and_wherever_rows_are_missing(self):
        rows = [("s", f"a{at}", "x" * (at % 5), None, None) for at in range(40)]
        with self.store.write() as writer:
            writer.put_rows(AREAS, block_of(1, rows[:20]))
            writer.put_rows(AREAS, block_of(50, rows[20:]))
        every, real = told(block_of(1, rows[:20])) + told(block_of(50, rows[20:])), postgres._PostgresReader._block

        def too_large(reader, kind, first, last, most):
            return None if most > 8 else real(reader, kind, first, last, most)

        with self.store.reading() as reader:
            for most, block in ((7, real), (20, real), (64, too_large)):
                with (
                    mock.patch.object(thresholds, "BLOCK", most),
                    mock.patch.object(thresholds, "POSTGRES_FITTING", 4),
                    mock.patch.object(postgres._PostgresReader, "_block", block),
                ):
                    parts = list(reader.blocks(AREAS, FIRST, LAST))
                    self.assertGreater(len(parts), 1)
                    self.assertEqual(told(joined_blocks(parts)), every)
                    self.assertEqual([it.rows.tolist() for it in reader.blocks(AREAS, 21, 49)], [])

    def test_a_row_that_is_closed_twice_or_not_there_is_an_error_and_nothing_is_kept(self):
        with self.store.write() as writer:
            writer.put_rows(AREAS, block_of(1, [("s", "a", "x", None, None)]))
        for numbers in ([1, 2], [7]):
            said = "1 of the rows of areas that were to be ended are not there"
            with self.assertRaisesRegex(DataError, said), self.store.write() as writer:
                writer.close_rows(AREAS, 5, numbers)
        with self.store.write() as writer:
            writer.close_rows(AREAS, 5, [1])
        with self.assertRaisesRegex(DataError, "keeps its history"), self.store.write() as writer:
            writer.close_rows(AREAS, 6, [1])
        with self.store.reading() as reader:
            (found,) = reader.blocks(AREAS)
        self.assertEqual(found.until.tolist(), [5])

    def test_what_failed_and_was_passed_over_is_not_kept_and_told(self):
        import psycopg

        with self.assertRaisesRegex(DataError, "has not kept the change"), self.store.write() as writer:
            writer.put_rows(AREAS, block_of(1, [("s", "a", "x", None, None)]))
            with contextlib.suppress(psycopg.Error):
                writer._do("SELECT 1/0")
        with self.store.reading() as reader:
            self.assertEqual(list(reader.blocks(AREAS)), [])

    def test_half_a_character_and_a_nul_are_refused_in_one_line(self):
        for few in (0, 2000):
            for text, said in (("\ud800", "half a character"), ("a\0b", "cannot keep a text")):
                refused = self.assertRaisesRegex(DataError, said)
                with mock.patch.object(thresholds, "FEW_READ", few), refused, self.store.write() as writer:
                    writer.put_rows(AREAS, block_of(1, [("s", text, "x", None, None)]))
        with self.store.reading() as reader:
            self.assertEqual(list(reader.blocks(AREAS)), [])

    def test_a_reader_sees_one_state_and_two_writers_wait_for_each_other(self):
        with self.store.reading() as reader:
            self.assertEqual(list(reader.blocks(AREAS)), [])
            with self.store.write() as writer:
                writer.put_rows(AREAS, block_of(1, [("s", "a", "x", None, None)]))
                quick = open_store(self.url, self.folder, 0)
                with self.assertRaisesRegex(DataError, "writing for more than 0 s"), quick.write():
                    pass
            self.assertEqual(list(reader.blocks(AREAS)), [])


class WithRoles(Databases):
    """A database with the three roles that `store setup` prints."""

    def setup(self):
        file = self.folder / "setup.sql"
        file.write_text(self.sql)
        words = ["--host", self.server.folder, "--port", self.server.port, "--username", "postgres"]
        words += ["--dbname", self.name, "--set", "ON_ERROR_STOP=1", "--quiet", "--file", file]
        subprocess.run([self.server.programs / "psql", *map(str, words)], check=True, capture_output=True)

    def login(self, name):
        return f"{self.name}_{name}"

    def url_of(self, name):
        return self.server.url(self.name, self.login(name))

    def checked(self, name, status=0):
        url = self.url_of(name) if name else self.url
        words = ("store", "setup", "--check", "--store", url, "--format", "json")
        return json.loads(inside(*words, cwd=self.folder, status=status).stdout)


@stores.ABOUT_DATABASES
class SetUp(WithRoles, unittest.TestCase):
    def setUp(self):
        super().setUp()
        self.roles = [f"{self.name}_{word}" for word in ("owner", "working", "reading")]
        names = [word for pair in zip(("--owner", "--working", "--reading"), self.roles, strict=True) for word in pair]
        self.sql = inside("store", "setup", "--store", self.url, *names, cwd=self.folder).stdout
        self.setup()
        for login, role in (("lund", self.roles[1]), ("audrey", self.roles[2])):
            self.ask(f'CREATE ROLE "{self.login(login)}" LOGIN IN ROLE "{role}"')

    def test_who_works_gathers_and_closes_and_can_change_nothing_else(self):
        self.setup()  # again, nothing is lost
        office = self.lay_out(url=self.url_of("lund"))
        inside("gather", cwd=office)
        with (office / "tables" / "grants.csv").open("w") as file:
            file.write("grant,holder,gives,until,reason\n")
        inside("gather", "--accept-loss", cwd=office)
        inside("ledger", "verify", cwd=office)
        self.assertEqual(records_inside("list", "grants", cwd=office), [])
        import psycopg

        changes = (
            "UPDATE grants SET gives = 'x'",
            'UPDATE grants SET "until" = 4611686018427387904',
            'UPDATE grants SET "until" = 9 WHERE since = 1',
            'UPDATE roles SET "until" = 1',
            "DELETE FROM grants",
            "TRUNCATE grants",
            "UPDATE ledger SET actor = 'x'",
            "DELETE FROM ledger_heads",
            "UPDATE ledger_tree SET hash = ''",
            "ALTER TABLE grants DISABLE TRIGGER ALL",
            "DROP TABLE grants",
            "CREATE TABLE mine (a int)",
        )
        for user in (self.login("lund"), "postgres"):
            for change in changes[: None if user != "postgres" else 9]:
                with self.server.connect(self.name, user) as connection, self.assertRaises(psycopg.Error, msg=change):
                    connection.execute("SET session_replication_role = replica" if user == "postgres" else "SELECT 1")
                    connection.execute(change)
        inside("ledger", "verify", cwd=office)

    def test_an_auditor_reads_and_verifies_and_cannot_write(self):
        office = self.lay_out(url=self.url_of("lund"))
        inside("gather", cwd=office)
        (self.folder / "keys").mkdir()
        shutil.copy(office / "ledger.pub", self.folder / "keys")
        words = ("init", "audit", "--store", self.url_of("audrey"), "--keys", "keys")
        self.assertIn("here one can look, not change", inside(*words, cwd=self.folder).stdout)
        audit = self.folder / "audit"
        self.assertEqual(len(records_inside("list", "grants", cwd=audit)), 4)
        inside("ledger", "verify", cwd=audit)
        self.assertIn("ledger.key cannot be read", inside("baseline", "mark", "x", cwd=audit, status=3).stderr)
        shutil.copy(office / "ledger.key", audit)
        said = inside("baseline", "mark", "x", cwd=audit, status=3).stderr
        self.assertIn("refuses this to the login (permission denied for table", said)
        self.assertEqual(len(said.splitlines()), 2)

    def test_what_is_printed_is_for_psql_whatever_the_window_and_asks_for_a_database(self):
        narrow = inside("store", "setup", "--store", self.url, cwd=self.folder, COLUMNS="40").stdout
        self.assertEqual(narrow, inside("store", "setup", "--store", self.url, cwd=self.folder, COLUMNS="300").stdout)
        self.assertTrue(all(line.startswith("--") for line in narrow.splitlines()[:4]))
        for words, said in (
            (("--store", "sqlite:///x.db"), "is a file: there is nothing to set up"),
            (("--store", "nonsense"), "kind that is not supported"),
            (("--store", "postgresql+psycopg://a:secret@h/d", "--check"), "holds a password"),
        ):
            told = inside("store", "setup", *words, cwd=self.folder, status=2).stderr
            self.assertIn(said, told)
            self.assertNotIn("secret", told)

    def test_what_is_in_force_is_checked_one_by_one(self):
        found = self.checked("lund")
        self.assertTrue(found["in_force"], found)
        self.assertTrue(self.checked("audrey")["in_force"])
        wrong = [it["what"] for it in self.checked(None, 1)["checks"] if not it["holds"]]
        self.assertTrue({"The login is no administrator of the server."} < set(wrong))
        lund, owner, working, _ = (f'"{it}"' for it in (self.login("lund"), *self.roles))
        for made, undone, said in (
            ("ALTER TABLE grants DISABLE TRIGGER USER", self.on("grants"), "grants: the trigger"),
            (f"GRANT DELETE ON roles TO {working}", f"REVOKE DELETE ON roles FROM {working}", "delete of roles"),
            (
                f"GRANT UPDATE (gives) ON grants TO {lund}",
                f"REVOKE UPDATE (gives) ON grants FROM {lund}",
                "grants.gives",
            ),
            (f"GRANT {owner} TO {lund}", f"REVOKE {owner} FROM {lund}", "accounts"),
            ("GRANT SELECT ON ledger TO PUBLIC", "REVOKE SELECT ON ledger FROM PUBLIC", "select of ledger"),
            ("GRANT CREATE ON SCHEMA public TO PUBLIC", "REVOKE CREATE ON SCHEMA public FROM PUBLIC", "create in"),
            (f"REVOKE INSERT ON ledger FROM {working}", f"GRANT INSERT ON ledger TO {working}", "some tables only"),
        ):
            with self.subTest(made=made):
                self.ask(made)
                failed = [it["found"] for it in self.checked("lund", 1)["checks"] if not it["holds"]]
                self.assertTrue(any(said in it for it in failed), failed)
                for one in undone.split(";"):
                    self.ask(one)
        self.assertTrue(self.checked("lund")["in_force"])

    def on(self, table):
        names = ("kathodos_is_changed", "kathodos_is_taken_away")
        return ";".join(f"ALTER TABLE {table} ENABLE ALWAYS TRIGGER {name}" for name in names)

    def test_a_trigger_taken_off_is_found_by_verify(self):
        office = self.lay_out(url=self.url_of("lund"))
        inside("gather", cwd=office)
        self.ask("CREATE EXTENSION amcheck")
        inside("ledger", "verify", cwd=office)
        self.ask("DROP TRIGGER kathodos_is_changed ON grants")
        self.assertIn("grants: the trigger", inside("ledger", "verify", cwd=office, status=1).stdout)

    def test_the_login_is_who_acts_where_that_is_asked_for(self):
        office = self.lay_out(url=self.url_of("lund"))
        stores.may_act(office, self.login("lund"), "head")
        stores.prove(office, "database")
        inside("gather", cwd=office)
        said = inside("baseline", "mark", "x", "--as", "head", cwd=office, status=2).stderr
        self.assertIn(f"head is not the login {self.login('lund')}", said)
        inside("baseline", "mark", "x", cwd=office, KATHODOS_ACTOR=self.login("lund"))
        entries = records_inside("ledger", "list", cwd=office)
        self.assertEqual({it["actor"] for it in entries}, {self.login("lund")})
        self.assertEqual({it["origin"]["login"] for it in entries}, {self.login("lund")})
        self.assertEqual({it["origin"]["address"] for it in entries}, {"127.0.0.1"})
        self.assertEqual({it["origin"]["application"] for it in entries}, {"kathodos"})
        shown = inside("ledger", "list", cwd=office, COLUMNS="200").stdout
        self.assertIn(f"{self.login('lund')} from 127.0.0.1", shown)
        files = lay_out(self.folder / "files", OFFICE)
        stores.prove(files, "database")
        self.assertIn("knows of no logins", inside("gather", cwd=files, status=3).stderr)


@stores.ABOUT_DATABASES
class BroughtUp(WithRoles, unittest.TestCase):
    """A database that the first version made and set up, worked with by this one."""

    def setUp(self):
        super().setUp()
        self.roles = [f"{self.name}_{word}" for word in ("owner", "working", "reading")]
        names = [word for pair in zip(("--owner", "--working", "--reading"), self.roles, strict=True) for word in pair]
        self.sql = inside("store", "setup", "--store", self.url, *names, cwd=self.folder).stdout
        owner, working, reading = (f'"{it}"' for it in self.roles)
        self.ask((landed.HERE / "0.1" / "postgres.sql").read_bytes().decode())
        for role in (owner, working, reading):
            self.ask(f"CREATE ROLE {role}")
        for name, table in schema(1).tables.items():
            self.ask(f'ALTER TABLE "{name}" OWNER TO {owner}')
            self.ask(f'GRANT SELECT, INSERT ON "{name}" TO {working}; GRANT SELECT ON "{name}" TO {reading}')
            if table.is_record:
                self.ask(f'GRANT UPDATE ("until") ON "{name}" TO {working}')
        every = f"{owner}, {working}, {reading}"
        self.ask(f"GRANT USAGE ON SCHEMA public TO {every}; GRANT CREATE ON SCHEMA public TO {owner}")
        self.ask(f"REVOKE ALL ON DATABASE {self.name} FROM PUBLIC; GRANT CONNECT ON DATABASE {self.name} TO {every}")
        for login, role in (("lund", working), ("audrey", reading), ("olga", f"{owner}, {working}")):
            self.ask(f'CREATE ROLE "{self.login(login)}" LOGIN IN ROLE {role}')
        self.office = self.folder / "office"
        shutil.copytree(landed.HERE / "0.1", self.office)
        (self.office / "catalogue.db").unlink()
        file = self.office / "kathodos.toml"
        file.write_text(
            file.read_text(encoding="utf-8").replace("sqlite:///catalogue.db", self.url_of("lund")), "utf-8"
        )

    def do(self, *words, status=0):
        return inside(*words, "--as", "r.lund", cwd=self.office, status=status, now=landed.NOW, COLUMNS="200")

    def verified(self):
        return inside("ledger", "verify", cwd=self.office, now=landed.NOW, COLUMNS="200").stdout

    def test_who_works_with_it_may_not_bring_it_up_and_who_owns_it_may(self):
        said = self.do("store", "upgrade", "--yes", status=3).stderr
        self.assertIn("does not own the tables", said)
        self.assertIn("kathodos store setup", said)
        self.assertIn("is of version 1", self.verified())
        self.assertIn(f"writes version {NEWEST}", self.do("baseline", "mark", "x", status=3).stderr)
        self.use(self.office, self.url_of("olga"))
        self.assertIn("Entry 35 of the ledger says so", self.do("store", "upgrade", "--yes").stdout)
        self.use(self.office, self.url_of("lund"))
        self.do("baseline", "mark", "x")
        self.use(self.office, self.url_of("audrey"))
        self.assertIn("As signed: 36 entries", self.verified())
        self.assertTrue(self.checked("lund")["in_force"], self.checked("lund"))

    def test_an_administrator_brings_it_up_and_the_next_entry_says_so(self):
        self.setup()
        self.assertIn(
            f"was brought up to version {NEWEST} in its database, which the next entry will say", self.verified()
        )
        self.setup()  # again, nothing is lost
        self.assertTrue(self.checked("lund")["in_force"], self.checked("lund"))
        self.assertEqual(len(records_inside("list", "grants", cwd=self.office, now=landed.NOW)), 8)
        self.do("baseline", "mark", "x")
        entries = records_inside("ledger", "list", cwd=self.office, now=landed.NOW)[-2:]
        self.assertEqual([it["kind"] for it in entries], ["store upgrade", "baseline mark"])
        self.assertEqual(entries[0]["payload"], {"version_before": 1, "version_after": NEWEST})
        self.assertIn("As signed: 36 entries", self.verified())
        self.assertIn("There is nothing to do", self.do("store", "upgrade").stdout)


@stores.ABOUT_DATABASES
class Moving(Databases, unittest.TestCase):
    def test_there_and_back_nothing_is_another(self):
        first = lay_out(self.folder / "office", OFFICE)
        inside("gather", cwd=first)
        inside("baseline", "mark", "one", cwd=first)
        with (first / "tables" / "grants.csv").open("a") as file:
            file.write('g9,identity:bo,role:dues/setter,,it\'s "new" é\n')
        inside("gather", cwd=first)
        before = self.everything(first)
        self.assertIn("The copy is as signed", inside("store", "copy", self.url, cwd=first).stdout)
        self.assertEqual(stores.url_of(first), None)
        self.assertIn("holds all 3 entries already", inside("store", "copy", self.url, cwd=first).stdout)
        other = stores.new_database()
        self.server.create(other)
        text = (first / "kathodos.toml").read_text()
        inside("store", "copy", self.server.url(other), "--move", cwd=first)
        self.assertEqual(stores.url_of(first), self.server.url(other))
        self.assertEqual(text.count("\n"), (first / "kathodos.toml").read_text().count("\n"))
        self.assertEqual(self.everything(first), before)
        inside("baseline", "mark", "two", cwd=first)
        said = inside("store", "copy", self.url, cwd=first, status=2).stderr
        self.assertIn("is not empty: it holds 3 entries", said)
        inside("store", "copy", "sqlite:///back.db", "--move", cwd=first)
        self.assertEqual(self.everything(first)[:-1], [*before[:-2], *self.everything(first)[-2:-1]])
        inside("ledger", "verify", cwd=first)
        self.assertEqual(len(records_inside("ledger", "list", cwd=first)), 4)
        self.assertIn("already", inside("store", "copy", "sqlite:///back.db", cwd=first, status=2).stderr)

    def everything(self, folder):
        """What is kept, and what is answered of it now and earlier."""
        asked = (("list", "grants"), ("reach",), ("reach", "--as-of", "one"), ("list", "members"), ("ledger", "list"))
        return [*(records_inside(*words, cwd=folder) for words in asked), self.head(folder)]

    def head(self, folder):
        return json.loads(inside("ledger", "head", "--format", "json", cwd=folder).stdout)

    def test_killed_on_the_way_the_other_is_empty_or_whole(self):
        office = lay_out(self.folder / "office", OFFICE)
        with (office / "tables" / "identities.csv").open("a") as file:
            file.writelines(f"x{at},Somebody {at},,,,\n" for at in range(15_000))
        inside("gather", cwd=office)
        began = time.monotonic()
        spare = stores.new_database()
        self.server.create(spare)
        inside("store", "copy", self.server.url(spare), cwd=office)
        whole, outcomes = time.monotonic() - began, set()
        for turn in range(6):
            words = [COMMAND, "store", "copy", self.url, "--move"]
            process = subprocess.Popen(
                words, cwd=office, env={**os.environ, "KATHODOS_NOW": NOW}, stdout=subprocess.DEVNULL
            )
            time.sleep(whole * (0.1 + turn / 8))
            process.send_signal(signal.SIGKILL)
            process.wait()
            time.sleep(0.2)
            (there,) = self.ask("SELECT to_regclass('ledger') IS NOT NULL")[0]
            count = self.ask("SELECT count(*) FROM identities")[0][0] if there else 0
            self.assertEqual((self.ask("SELECT count(*) FROM ledger")[0][0] if there else 0) == 1, count > 0)
            self.assertIn(count, (0, 15_003))
            outcomes.add(count)
            self.assertEqual(len(records_inside("list", "identities", cwd=office)), 15_003)
            inside("ledger", "verify", cwd=office)
            if count:
                break
        self.assertIn(0, outcomes)

    def test_two_people_on_two_machines_get_the_same(self):
        here = self.lay_out()
        inside("gather", cwd=here)
        self.assertIn("--keys", inside("init", "there", "--store", self.url, cwd=self.folder, status=2).stderr)
        self.assertFalse((self.folder / "there" / "ledger.key").exists())
        stranger = lay_out(self.folder / "stranger", OFFICE)
        words = ("init", "there", "--store", self.url, "--keys")
        self.assertIn("holds no workspace", inside("init", "no", "--keys", here, cwd=self.folder, status=2).stderr)
        self.assertEqual(sorted(it.name for it in (self.folder / "no").iterdir()), ["rules", "tables"])
        for url in ("nonsense", "postgresql+psycopg://a:secret@h/d"):
            told = inside("init", "no", "--store", url, cwd=self.folder, status=2).stderr
            self.assertNotIn("secret", told)
            self.assertIn("url", told)
        self.assertIn("URL is empty", inside("store", "copy", "", cwd=here, status=2).stderr)
        self.assertIn("other keys", inside(*words, stranger, cwd=self.folder, status=2).stderr)
        self.assertIn("Joined", inside(*words, here, cwd=self.folder).stdout)
        there = self.folder / "there"
        self.assertEqual((there / "ledger.heads").read_text(), (here / "ledger.heads").read_text())
        caches = [{"XDG_CACHE_HOME": str(self.folder / name)} for name in ("one", "two")]
        inside("baseline", "mark", "from-there", cwd=there, **caches[1])
        inside("baseline", "mark", "from-here", cwd=here, **caches[0])
        for words in (("reach",), ("conflicts",), ("ledger", "list"), ("ledger", "head"), ("excess",)):
            found = [
                inside(*words, "--format", "json", cwd=folder, status=None, **cache).stdout
                for folder, cache in zip((here, there), caches, strict=True)
            ]
            self.assertEqual(*found)
        for folder, cache in zip((here, there), caches, strict=True):
            kept = list((Path(cache["XDG_CACHE_HOME"]) / "kathodos").glob("*/computed/index"))
            self.assertEqual(len(kept), 1)
            self.assertEqual(kept[0].parent.stat().st_mode & 0o777, 0o700)
            self.assertEqual((kept[0].parent.parent / "computed.key").stat().st_mode & 0o777, 0o600)
            kept[0].write_bytes(kept[0].read_bytes()[:-9] + b"x" * 9)
            self.assertEqual(inside("reach", "--format", "json", cwd=folder, **cache).returncode, 0)
            inside("ledger", "verify", cwd=folder, **cache)
        self.assertEqual(
            *((folder / "ledger.heads").read_text().splitlines()[-1] for folder in (here, there)),
            "verify notes the head that it has seen, whoever has signed it",
        )
        self.assertFalse(list(here.rglob("*.computed")))


@stores.ABOUT_DATABASES
class Broken(Databases, unittest.TestCase):
    def test_a_connection_lost_at_any_byte_leaves_before_or_after(self):
        office = self.lay_out()
        inside("gather", cwd=office)
        whole = Cutting(self.server.port, 2**62)
        self.addCleanup(whole.server.close)
        self.use(office, self.server.url(self.name, port=whole.port))
        inside("baseline", "mark", "whole", cwd=office, status=None)
        length = whole.passed
        self.assertGreater(length, 500)
        outcomes = []
        length += length // 20  # at first more than is sent, however long the later names and answers are
        for turn, after in enumerate(range(length, 0, -max(length // 40, 1))):
            way = Cutting(self.server.port, after, again=turn % 2 == 1)
            self.addCleanup(way.server.close)
            self.use(office, self.server.url(self.name, port=way.port, words="?connect_timeout=5&sslmode=disable"))
            before = self.marks()
            done = inside("baseline", "mark", f"b{turn}", cwd=office, status=None)
            time.sleep(0.02)
            came = self.marks() - before
            self.assertIn(done.returncode, (0, 3), done.stderr)
            self.assertLessEqual(len(done.stderr.splitlines()), 2, done.stderr)
            if done.returncode == 0:
                self.assertEqual(came, {f"b{turn}"})
            elif "Nothing was changed" in done.stderr:
                self.assertEqual(came, set(), done.stderr)
            outcomes.append((done.returncode, done.stderr.partition(" has not answered")[0][-30:], bool(came)))
        self.use(office, self.url)
        inside("ledger", "verify", cwd=office)
        self.assertTrue({0, 3} <= {code for code, *_ in outcomes}, outcomes)

    def test_a_connection_lost_while_rows_are_sent_leaves_before_or_after(self):
        office = self.lay_out()
        inside("gather", cwd=office)
        with (office / "tables" / "identities.csv").open("a") as file:
            file.writelines(f"x{at},Somebody {at},,,,\n" for at in range(4000))
        seeded, outcomes = random.Random(5), set()  # where it breaks, and how many were there then
        for turn in range(8):
            way = Cutting(self.server.port, seeded.randrange(1, 500_000), again=turn % 2 == 1, of_answers=False)
            self.addCleanup(way.server.close)
            self.use(office, self.server.url(self.name, port=way.port, words="?sslmode=disable"))
            done = inside("gather", cwd=office, status=None)
            time.sleep(0.02)
            ((count,),) = self.ask('SELECT count(*) FROM identities WHERE "until" > 4611686018427387903')
            self.assertIn(done.returncode, (0, 3), done.stderr)
            self.assertIn(count, (4003,) if done.returncode == 0 else (3, 4003), done.stderr)
            outcomes.add(int(count))
            if count == 4003:
                break
        self.assertIn(3, outcomes)
        self.use(office, self.url)
        inside("ledger", "verify", cwd=office)

    def marks(self):
        with contextlib.suppress(Exception):
            return {name for (name,) in self.ask("SELECT baseline FROM baselines")}
        return set()

    def test_what_became_of_a_change_is_asked_where_the_answer_was_lost(self):
        office = self.lay_out()
        inside("gather", cwd=office)
        store = Workspace.find(office).store
        real = store._was_kept
        import psycopg

        class Losing:
            """A connection of which the answer to COMMIT, and before that perhaps the statement, is lost."""

            def __init__(self, connection, is_sent):
                self.connection, self.is_sent = connection, is_sent

            def execute(self, statement, *more, **words):
                if statement == "COMMIT":
                    if self.is_sent:
                        self.connection.execute(statement)
                    else:
                        self.connection.close()
                    raise psycopg.OperationalError("server closed the connection unexpectedly")
                return self.connection.execute(statement, *more, **words)

            def __getattr__(self, name):
                return getattr(self.connection, name)

        for is_sent, is_back, said in (
            (True, True, None),
            (False, True, "broke off the connection"),
            (True, False, "has not answered since"),
        ):
            connected = store.connected

            @contextlib.contextmanager
            def losing(is_sent=is_sent, connected=connected):
                with connected() as connection:
                    yield Losing(connection, is_sent)

            def asking(writer, is_back=is_back, connected=connected):
                store.connected = connected
                if not is_back:
                    store.connected = mock.Mock(side_effect=psycopg.OperationalError("no"))
                return real(writer)

            number = len(self.ask("SELECT number FROM ledger")) + 1
            with mock.patch.object(store, "connected", losing), mock.patch.object(store, "_was_kept", asking):
                expected = self.assertRaisesRegex(DataError, said) if said else contextlib.nullcontext()
                with expected, store.write() as writer:
                    entry = (number, NOW, "a", "{}", "k", "[]", "", "{}", "{}", "{}", "", bytes([number]))
                    writer.put_entry(entry)
            self.assertEqual(len(self.ask("SELECT number FROM ledger")), number if is_sent else number - 1)

    def test_a_server_that_is_restarted_in_the_middle(self):
        own = Postgres()
        self.addCleanup(own.close)
        own.create("w")
        office = self.lay_out(url=own.url("w"))
        inside("gather", cwd=office)
        store = Workspace.find(office).store
        with self.assertRaisesRegex(DataError, "(broke off|was shut down|does not answer)"), store.write() as writer:
            own.stop("immediate")
            writer.close_rows(GRANTS, 2, [1])
        self.assertIn("does not answer", inside("list", "grants", cwd=office, status=3).stderr)
        own.start()
        with self.assertRaisesRegex(DataError, "(broke off|was shut down)"), store.reading() as reader:
            own.stop("fast")
            list(reader.blocks(GRANTS))
        own.start()
        self.assertEqual(len(records_inside("list", "grants", cwd=office)), 4)
        inside("baseline", "mark", "after", cwd=office)
        inside("ledger", "verify", cwd=office)

    def test_a_full_disk_there(self):
        small = self.folder / "small"
        small.mkdir()
        words = ["mount", "-t", "tmpfs", "-o", f"size=12m,mode=0700,uid={SERVERS_USER}", "none", small]
        if not AS_SERVER or subprocess.run(words, capture_output=True).returncode:
            self.skipTest("needs to be root, and to mount")
        self.addCleanup(subprocess.run, ["umount", "--lazy", small], check=True)
        own = Postgres()
        self.addCleanup(own.close)
        own.create("w")
        office = self.lay_out(url=own.url("w"))
        inside("gather", cwd=office)
        self.folder.chmod(0o755)
        with own.connect("w") as connection:
            connection.execute(f"CREATE TABLESPACE small LOCATION '{small}'")
            connection.execute("ALTER TABLE identities SET TABLESPACE small")
        with (office / "tables" / "identities.csv").open("a") as file:
            file.writelines(f"x{at},{'n' * 900},,,,\n" for at in range(20_000))
        said = inside("gather", cwd=office, status=3).stderr
        self.assertIn("has no room left on its disk", said)
        self.assertIn("Nothing was changed", said)
        self.assertEqual(len(records_inside("list", "identities", cwd=office)), 3)
        inside("ledger", "verify", cwd=office)

    def test_a_password_is_taken_where_it_lies_and_never_shown(self):
        own = Postgres()
        self.addCleanup(own.close)
        own.create("w")
        secret = "s3cret of the tests"
        with own.connect("w") as connection:
            connection.execute(f"CREATE ROLE lund LOGIN SUPERUSER PASSWORD '{secret}'")
        access = own.data / "pg_hba.conf"
        access.write_text("local all all trust\nhost all lund all scram-sha-256\nhost all all all trust\n")
        with own.connect("w") as connection:
            connection.execute("SELECT pg_reload_conf()")
        office = self.lay_out(url=own.url("w"))
        inside("gather", cwd=office)
        self.use(office, own.url("w", "lund"))
        passwords = self.folder / "passwords"
        passwords.write_text(f"127.0.0.1:{own.port}:w:lund:{secret}\n")
        passwords.chmod(0o600)
        service = self.folder / "services"
        service.write_text(f"[audit]\nhost=127.0.0.1\nport={own.port}\ndbname=w\nuser=lund\npassword={secret}\n")
        listing = ("list", "grants")
        for variables, status in (
            ({}, 3),
            ({"PGPASSWORD": "wrong one"}, 3),
            ({"PGPASSWORD": secret}, 0),
            ({"PGPASSFILE": str(passwords)}, 0),
        ):
            done = inside(*listing, cwd=office, status=status, **variables)
            self.assertNotIn("wrong one", done.stdout + done.stderr)
            self.assertNotIn(secret, done.stdout + done.stderr)
            if status:
                self.assertIn("refuses the login", done.stderr)
        self.use(office, "postgresql+psycopg://?service=audit")
        inside(*listing, cwd=office, PGSERVICEFILE=str(service))
        self.assertIn("service", inside(*listing, cwd=office, status=3).stderr)
        self.use(office, f"postgresql+psycopg://lund:{secret.replace(' ', '%20')}@127.0.0.1:{own.port}/w")
        said = inside(*listing, cwd=office, status=3).stderr
        self.assertIn("holds a password", said)
        self.assertNotIn("s3cret", said)
        self.use(office, own.url("w", "lund", words="?sslpassword=s3cret"))
        self.assertIn("holds a password", inside(*listing, cwd=office, status=3).stderr)
        entry = inside("ledger", "list", "--format", "json", cwd=office, status=3)
        self.assertNotIn("s3cret", entry.stdout + entry.stderr)

    def test_what_cannot_be_used_is_told_in_two_lines(self):
        self.server.create(f"{self.name}l", "ENCODING 'LATIN1' LC_COLLATE 'C' LC_CTYPE 'C' TEMPLATE template0")
        office = self.lay_out()
        for url, words, said in (
            (self.server.url("none_such"), ("list", "grants"), "is not there"),
            (self.server.url(self.name, "nobody"), ("list", "grants"), "refuses the login"),
            (self.server.url(self.name, port=1), ("list", "grants"), "does not answer"),
            (self.server.url(self.name, words="?sslmode=require"), ("list", "grants"), "TLS"),
            (self.server.url("postgres"), ("list", "grants"), "holds no catalogue"),
            (self.server.url("postgres"), ("gather",), "holds no catalogue"),
            ("postgresql+psycopg://a@h/d?colour=red", ("list", "grants"), "no address of a database"),
            ("postgresql://a@h/d", ("list", "grants"), "kind that is not supported"),
        ):
            with self.subTest(url=url):
                self.use(office, url)
                told = inside(*words, cwd=office, status=3).stderr
                self.assertIn(said, told)
                self.assertEqual(len(told.splitlines()), 2, told)
                self.use_back(office, url)
        told = inside("init", "new", "--store", self.server.url(f"{self.name}l"), cwd=self.folder, status=3).stderr
        self.assertIn("encoding LATIN1", told)
        self.assertFalse((self.folder / "new" / "ledger.key").exists())
        with mock.patch.object(postgres, "_OLDEST", 990000):
            self.assertIn("too old", inside("list", "grants", cwd=office, status=3).stderr)
        self.ask("ALTER TABLE ledger DROP COLUMN origin")
        inside("gather", cwd=office, status=3)
        self.assertIn("is not as its version has it", inside("ledger", "list", cwd=office, status=3).stderr)

    def use_back(self, folder, url):
        configuration = folder / "kathodos.toml"
        configuration.write_text(configuration.read_text().replace(url, self.url))


if __name__ == "__main__":
    unittest.main()
