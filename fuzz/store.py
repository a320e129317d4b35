"""Mutations of a store's database: after each, verify ends in bounded time and memory, and says what is wrong.

    python fuzz/store.py [--count 2000] [--seed N]

A store of a small workspace is altered in many ways at random, as somebody could who may do everything there: values
of any type in any column, rows taken out, put in and changed for others, texts that no reader should trust, bytes of
the file turned over. Then `ledger verify` has to end with "as signed" where what is kept is the same, and else to name
what is wrong; and a question, the list of entries, the list of sources and a gather have to end with an answer or an
error of ours. The numbers of those that once did not are kept in fuzz/corpus/store.txt, and a test runs them again.
"""

import argparse
import contextlib
import io
import os
import random
import resource
import shutil
import sqlite3
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from kathodos.cli.main import main as command  # noqa: E402  # the tests are found from here
from tests import stores  # noqa: E402
from tests.support import write_tables  # noqa: E402

NOW = "2026-06-15T12:00:00Z"
MOST_SECONDS = 20.0
MOST_MEMORY = 3 << 30
CORPUS = Path(__file__).parent / "corpus" / "store.txt"
ASKED = (
    ("ledger", "verify"),
    ("ledger", "list"),
    ("sources", "list"),
    ("reach", "--by", "ann"),
    ("gather",),
    ("conflicts",),
)
VALUES = (
    None,
    0,
    -1,
    1,
    2,
    7,
    2**31,
    2**62,
    2**63 - 1,
    -(2**63),
    1.5,
    1e300,
    float("inf"),
    "",
    "x",
    "1",
    "\udc80",
    b"",
    b"\x00\xff",
    b"\xff" * 40,
    "2026-06-15T12:00:00Z",
    "9999-99-99T99:99:99Z",
    "[]",
    "{}",
    "[" * 100_000,
    '{"a":' * 5000,
    "1e400",
    '{"grants":{"opened":"1-300000000","closed":"","digest":""}}',
    '{"grants":{"opened":"","closed":"1-300000000","digest":""}}',
    '{"grants":{"opened":"1-999999999999999999","closed":"1-999999999999999999","digest":"x"}}',
    '{"grants":{"opened":"' + "1-9," * 5000 + '9","closed":"","digest":""}}',
    '{"settings":{"opened":"1","closed":"1","digest":""}}',
    '{"nothing":{"opened":"1","closed":"","digest":""}}',
    '{"grants":5}',
    "\x1b[31mred",
    "a\x00b",
    "a" * 100_000,
)


def laid_out(folder: Path) -> Path:
    """A workspace with several entries, of which one closes rows, and with a review."""
    office = folder / "office"
    begun("init", str(office), cwd=folder)
    stores.may_act(office)
    people = [{"id": "ann", "name": "Ann", "manager": "bo"}, {"id": "bo", "name": "Bo"}, {"id": "head"}]
    tables = {
        "systems": [{"system": "s"}],
        "identities": people,
        "accounts": [{"system": "s", "login": "a1", "identity": "ann"}],
        "groups": [{"system": "s", "group": "g"}],
        "members": [{"system": "s", "group": "g", "member": "identity:ann"}],
        "roles": [{"system": "s", "role": "r"}],
        "actions": [{"system": "s", "action": "view"}],
        "role_permissions": [{"system": "s", "role": "r", "action": "view", "resource": "s:/**"}],
        "resources": [{"resource": "s:/a"}],
        "grants": [
            {"grant": f"g{at}", "holder": "identity:ann" if at % 2 else "group:s/g", "gives": "role:s/r"}
            for at in range(6)
        ],
    }
    write_tables(office / "tables", tables)
    begun("gather", cwd=office)
    tables["grants"].pop()
    write_tables(office / "tables", tables)
    begun("gather", "--accept-loss", cwd=office)
    begun("baseline", "mark", "one", "--as", "auditor", cwd=office)
    begun("review", "open", "r", "--where", 'id eq "ann"', "--by-manager", "--due", "2026-07-01", "--yes", cwd=office)
    begun("reach", "--by", "ann", cwd=office)
    return office


def begun(*words, cwd):
    """Runs a command that has to be done."""
    status, out, said = run(*words, cwd=cwd)
    if status not in (0, 1):
        raise SystemExit(f"{words} gave {status}: {out}{said}")


def run(*words, cwd):
    """Runs a command in this process: its status, and what it printed and said."""
    out, said, here = io.StringIO(), io.StringIO(), Path.cwd()
    os.chdir(cwd)
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(said):
            try:
                status = command(list(words))
            except SystemExit as error:
                status = error.code
    finally:
        os.chdir(here)
    return status, out.getvalue(), said.getvalue()


class Mutation:
    """One change of a database, made from a number."""

    def __init__(self, seed: int, file: Path) -> None:
        self.random = random.Random(seed)
        with contextlib.closing(sqlite3.connect(file)) as connection:
            tables = [name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            self.columns = {
                table: [name for _, name, *_ in connection.execute(f'PRAGMA table_info("{table}")')] for table in tables
            }
            self.filled = [it for it in tables if connection.execute(f'SELECT count(*) FROM "{it}"').fetchone()[0]]

    def alter(self, file: Path) -> str:
        """Alters the database; what was done, in words. Empty where the database refused it."""
        kind = self.random.choices(("set", "copy", "delete", "structure", "bytes"), (10, 3, 3, 2, 2))[0]
        if kind == "bytes":
            content = bytearray(file.read_bytes())
            places = [self.random.randrange(len(content)) for _ in range(self.random.choice((1, 4, 100)))]
            for place in places:
                content[place] ^= 1 << self.random.randrange(8)
            file.write_bytes(content)
            return f"bytes {places[:4]}"
        statement, values = getattr(self, f"_{kind}")()
        with contextlib.closing(sqlite3.connect(file)) as connection:
            connection.execute("PRAGMA writable_schema = ON")
            try:
                with connection:
                    connection.execute(statement, values)
            except (sqlite3.Error, UnicodeEncodeError):
                return ""
        return f"{statement} {[repr(it)[:60] for it in values]}"

    def _place(self):
        likely = [*self.filled, "ledger", "ledger", "ledger_tree", "ledger_heads"]
        table = self.random.choice(likely)
        return table, self.random.choice(self.columns[table])

    def _set(self):
        table, column = self._place()
        value = self.random.choice(VALUES)
        rowids = f'(SELECT rowid FROM "{table}" ORDER BY rowid LIMIT 1 OFFSET {self.random.randrange(4)})'
        where = "" if self.random.random() < 0.1 else f" WHERE rowid = {rowids}"
        text = "CAST(x'ff80' AS TEXT)" if value == "\udc80" else "?"
        return f'UPDATE OR REPLACE "{table}" SET "{column}" = {text}{where}', () if value == "\udc80" else (value,)

    def _copy(self):
        table, column = self._place()
        columns = ", ".join(f'"{it}"' if it != column else "?" for it in self.columns[table])
        return f'INSERT OR REPLACE INTO "{table}" SELECT {columns} FROM "{table}" LIMIT 2', (
            self.random.choice(VALUES),
        )

    def _delete(self):
        table, _ = self._place()
        where = "" if self.random.random() < 0.2 else f" WHERE rowid % {self.random.choice((2, 3))} = 1"
        return f'DELETE FROM "{table}"{where}', ()

    def _structure(self):
        table, column = self._place()
        return self.random.choice(
            (
                f'CREATE TRIGGER t AFTER INSERT ON "{table}" BEGIN DELETE FROM "{table}"; END',
                f'CREATE VIEW v AS SELECT * FROM "{table}"',
                "CREATE TABLE more (x)",
                f'ALTER TABLE "{table}" ADD COLUMN more TEXT',
                f'CREATE INDEX i ON "{table}" ("{column}")',
                f'DROP TABLE "{table}"',
                f'ALTER TABLE "{table}" RENAME TO gone',
                f'ALTER TABLE "{table}" RENAME COLUMN "{column}" TO gone',
            )
        ), ()


def kept_in(file: Path):
    """All that a database holds, or None where it cannot be read any more."""
    with contextlib.closing(sqlite3.connect(file)) as connection:
        connection.text_factory = bytes
        try:
            made = connection.execute("SELECT type, name, sql FROM sqlite_master ORDER BY 1, 2").fetchall()
            tables = [name.decode() for kind, name, _ in made if kind == b"table"]
            return made, {it: sorted(map(repr, connection.execute(f'SELECT * FROM "{it}"'))) for it in tables}
        except (sqlite3.Error, UnicodeError):  # an error's text that is none
            return None


def tried(seed: int, office: Path, whole: bytes, before) -> str:
    """What is wrong with how the tool takes one mutation; nothing where all is well."""
    for file in office.glob("catalogue.db-*"):
        file.unlink()
    file = office / "catalogue.db"
    file.write_bytes(whole)
    done = Mutation(seed, file).alter(file)
    if not done:
        return ""
    is_same = kept_in(file) == before
    altered = file.read_bytes()
    for words in ASKED:
        file.write_bytes(altered)
        begun = time.perf_counter()
        try:
            status, out, said = run(*words, cwd=office)
        except BaseException as error:  # whatever it is, it is what is looked for
            return f"{done}\n  {' '.join(words)}: {type(error).__name__}: {str(error)[:300]}"
        took = time.perf_counter() - begun
        if took > MOST_SECONDS:
            return f"{done}\n  {' '.join(words)} took {took:.0f} s"
        if words == ("ledger", "verify"):
            wrong = (
                status not in (1, 3) or (status == 3 and not said)
                if not is_same
                else status != 0 and "bytes" not in done
            )
            if wrong:
                is_now = "the same" if is_same else "other"
                return f"{done}\n  verify gave {status} where what is kept is {is_now}: {out[:300]}{said[:300]}"
        elif status not in (0, 1, 2, 3):
            return f"{done}\n  {' '.join(words)} gave {status}"
    return ""


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--count", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=0, help="the number of the first")
    asked = parser.parse_args()
    os.environ |= {"KATHODOS_NOW": NOW, "COLUMNS": "120"}
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    failed = 0
    with tempfile.TemporaryDirectory() as scratch:
        office = laid_out(Path(scratch))
        with contextlib.closing(sqlite3.connect(office / "catalogue.db")) as connection:
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        whole, before = (office / "catalogue.db").read_bytes(), kept_in(office / "catalogue.db")
        computed = office / "catalogue.db.computed"
        shutil.copytree(computed, Path(scratch) / "computed")
        heads = (office / "ledger.heads").read_bytes()
        for seed in range(asked.seed, asked.seed + asked.count):
            shutil.rmtree(computed, ignore_errors=True)
            if seed % 2:
                shutil.copytree(Path(scratch) / "computed", computed)
            (office / "ledger.heads").write_bytes(heads)
            wrong = tried(seed, office, whole, before)
            if wrong:
                failed += 1
                print(f"{seed}: {wrong}", flush=True)
    print(f"{asked.count} mutations, {failed} of them not taken as they should be.")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
