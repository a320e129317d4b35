#!/usr/bin/env python3
"""`ledger verify` of a made-up company in a file and in a PostgreSQL database: whole, and after an edit in each kind.

    bench/verifying.py [--size 100000]

Each command is a process of its own. The store is verified, brought up to a version with a column more in two kinds,
another name and one more kind (tests/tomorrow.py), and verified again. Then one row of each kind of record is edited
behind the tool's back: the run ends where one of these is not named, or anything else is.
"""

import argparse
import json
import os
import shutil
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))

from commands import NOW, apart  # noqa: E402  # which lie beside this
from gathering import COMMAND, timed  # noqa: E402

from tests.servers import Postgres  # noqa: E402

ASKED = ("reach", "--by", "identity:p0000017", "--format", "csv")
SAFE = ("fsync=on", "full_page_writes=on", "autovacuum=on", "shared_buffers=512MB", "max_wal_size=8GB")
TOMORROW = [sys.executable, str(ROOT / "tests" / "tomorrow.py")]


def filled(people, folder):
    """Makes the workspace; of each kind of which a company has nothing, three rows."""
    import company as made_up

    from kathodos.ledger.hand import hand_of
    from kathodos.ledger.writing import writing
    from kathodos.model.kinds import KINDS, SETTINGS
    from kathodos.workspace.workspace import Workspace

    os.environ["KATHODOS_NOW"] = NOW
    workspace = Workspace.create(folder)
    made_up.fill(made_up.Company(people), workspace)
    with writing(workspace.store, workspace.keys, "test", hand_of("bench")) as draft:
        for kind in KINDS:
            if not draft.writer.last_row(kind) and kind is not SETTINGS:
                numbers = {column.name for column in kind.columns if column.is_number}
                rows = [tuple(at if name in numbers else f"{name} {at}" for name in kind.names) for at in range(3)]
                draft.open_rows(kind, rows, "bench")


def edits(last_rows):
    """Statements that edit the row in the middle of each kind, by what `ledger verify` has to name."""
    from kathodos.model.kinds import BY_NAME
    from kathodos.store.upgrades.schema import stored_name

    found = {}
    for name, last in last_rows.items():
        column = BY_NAME[name].columns[-1]
        value = 77777 if column.is_number else "'edited'"
        row = (last + 1) // 2
        found[f"{name} row {row}"] = f'UPDATE "{name}" SET "{stored_name(column.name)}" = {value} WHERE "row" = {row}'
    return found


def in_file(file, statements):
    import sqlite3

    with sqlite3.connect(file) as connection:
        for statement in statements:
            connection.execute(statement)


def in_database(server, statements):
    with server.connect("bench") as connection:
        connection.execute("SET session_replication_role = replica")
        tables = connection.execute(
            "SELECT tgrelid::regclass, tgname FROM pg_trigger WHERE NOT tgisinternal"
        ).fetchall()
        for table, name in tables:
            connection.execute(f"ALTER TABLE {table} DISABLE TRIGGER {name}".encode())
        for statement in statements:
            connection.execute(statement.encode())
        for table, name in tables:
            connection.execute(f"ALTER TABLE {table} ENABLE ALWAYS TRIGGER {name}".encode())


def rows_in(folder):
    """The number of the last row of each kind that has one."""
    from kathodos.model.kinds import KINDS
    from kathodos.workspace.workspace import Workspace

    with Workspace(folder).store.reading() as reader:
        last = {kind.name: reader.last_row(kind) for kind in KINDS}
    return {name: number for name, number in last.items() if number}


def told(what, taken):
    print(f"{what:58} {taken[0]:8.1f} s {taken[1]:8,.0f} MiB", flush=True)


def measured(name, folder, alter, variables):
    """Verifies a store whole, brings it up, and verifies it with an edit in each kind: all named, and nothing else."""
    told(f"{name}: ledger verify, as signed", timed([COMMAND, "ledger", "verify"], folder, **variables))
    wanted = edits(rows_in(folder))
    told(f"{name}: store upgrade", timed([*TOMORROW, "store", "upgrade", "--yes"], folder, **variables))
    told(f"{name}: one question afterwards", timed([*TOMORROW, *ASKED], folder, **variables))
    told(f"{name}: ledger verify, brought up", timed([*TOMORROW, "ledger", "verify"], folder, **variables))
    alter(wanted.values())
    taken = timed([*TOMORROW, "ledger", "verify", "--format", "json"], folder, status=1, **variables)
    told(f"{name}: ledger verify, an edit in each of {len(wanted)} kinds", taken)
    named = {it["where"].partition(" (")[0] for it in json.loads(taken[2])["discrepancies"]}
    if named != set(wanted):
        raise SystemExit(f"{name}: not named {set(wanted) - named}; named besides {named - set(wanted)}")


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=100_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "company"
        apart(filled, asked.size, folder)
        variables = {"XDG_CACHE_HOME": str(Path(scratch) / "cache"), "KATHODOS_NOW": NOW}
        print(f"A company of {asked.size:,} people: {sum(rows_in(folder).values()):,} rows", flush=True)
        server = Postgres(*SAFE)
        try:
            server.create("bench")
            words = [COMMAND, "store", "copy", server.url("bench")]
            told("store copy from the file into PostgreSQL, verified", timed(words, folder, **variables))
            other = Path(scratch) / "other"
            shutil.copytree(folder, other, ignore=shutil.ignore_patterns("catalogue.db*"))
            configuration = other / "kathodos.toml"
            configuration.write_text(configuration.read_text().replace("sqlite:///catalogue.db", server.url("bench")))
            os.environ["XDG_CACHE_HOME"] = variables["XDG_CACHE_HOME"]
            measured("a file", folder, lambda it: in_file(folder / "catalogue.db", it), variables)
            measured("PostgreSQL", other, lambda it: in_database(server, it), variables)
        finally:
            server.close()
    return 0


if __name__ == "__main__":
    sys.exit(main())
