#!/usr/bin/env python3
"""Whole commands as a user starts them, on a made-up company: seconds and peak memory of each process.

    bench/commands.py [--size 100000] [--all]

Each command is run twice: at first it may have something to compute and keep, then it answers from that. Beside them
stand what importing numpy and scipy alone costs, and DuckDB over the same tables (Parquet) where the question can be
put to it. `--all` adds what takes minutes on a million people: a review of everybody and a move of everybody.
"""

import argparse
import multiprocessing
import os
import pwd
import subprocess
import sys
import tempfile
import time
from pathlib import Path

NOW = "2026-01-01T00:00:00Z"
COMMAND = str(Path(sys.executable).parent / "kathodos")
READING = (
    ("show", "identity:p0000017"),
    ("list", "identities", "--where", 'department eq "Department 1" and title eq "Title 1"', "--format", "csv"),
    ("reach", "--by", "identity:p0000017", "--summary"),
    ("activity", "--by", "identity:p0000017"),
    ("find", "p0000017"),
    ("compare", "identity:p0000017", "identity:p0000018"),
    ("conflicts", "--by", "identity:p0000017"),
    ("conflicts",),
    ("escalation",),
    ("check",),
    ("changed", "--since", "2025-12-01"),
    ("ending",),
    ("unused",),
    ("tie",),
    ("excess",),
    ("risk", "top"),
)
REVIEW = (
    ("review", "lines", "small", "--undecided"),
    ("review", "status", "small"),
    ("review", "decide", "1-20", "certify", "--review", "small"),
)
CHANGES = (  # words, and how often
    (("change", "give", "role:s0/r00001", "--to", "p0000017", "--into", "one"), 1),
    (("change", "rehearse", "one"), 2),
    (("change", "apply", "one", "--yes"), 1),
    (("change", "undo", "one", "--yes"), 1),
    (("change", "same-as", "p0000017", "--to", "p0000018", "--dry-run"), 2),
    (("people", "suspend", "p0000017", "--dry-run"), 2),
    (("people", "invite", "New One, new.one@company.example", "--dry-run"), 2),
    (("people", "merge", "p0000010", "p0000020", "--dry-run"), 2),
    (("orders", "list"), 2),
    (("mandates", "list"), 2),
)
OPEN = (
    "review",
    "open",
    "small",
    "--where",
    'department eq "Department 1"',
    "--by-manager",
    "--due",
    "2026-02-01",
    "--yes",
)
OPEN_ALL = ("review", "open", "whole", "--where", "id pr", "--by-manager", "--due", "2026-02-01", "--yes")
FLOOR = "import numpy, scipy.sparse"
DUCK = "import duckdb; print(duckdb.sql({!r}).fetchall()[:1])"
IN_SQL = {
    "show": "SELECT * FROM 'identities.parquet' WHERE id = 'p0000017'",
    "list": "SELECT id, name FROM 'identities.parquet' WHERE department = 'Department 1' AND title = 'Title 1'",
    "activity": "SELECT action, resource, count(*), min(time), max(time) FROM 'activity.parquet' "
    "WHERE identity = 'p0000017' GROUP BY ALL",
    "reach": """
        WITH RECURSIVE inside AS (
          SELECT 'identity:p0000017' AS h UNION
          SELECT 'group:' || m.system || '/' || m."group" FROM inside JOIN 'members.parquet' m ON m.member = h),
        given AS (SELECT DISTINCT gives FROM 'grants.parquet' JOIN inside ON holder = h WHERE effect = 'permit'),
        held AS (
          SELECT gives AS r FROM given WHERE starts_with(gives, 'role:') UNION
          SELECT j.junior FROM held JOIN 'role_juniors.parquet' j ON 'role:' || j.system || '/' || j.role = r),
        entries AS (
          SELECT action, resource AS p FROM 'role_permissions.parquet'
          JOIN held ON 'role:' || system || '/' || role = r
          UNION SELECT split_part(gives, ' ', 1), split_part(gives, ' ', 2) FROM given
          WHERE NOT starts_with(gives, 'role:'))
        SELECT action, count(DISTINCT resource) FROM 'resources.parquet', entries
        WHERE resource = rtrim(p, '/*') OR (ends_with(p, '/**') AND starts_with(resource, rtrim(p, '*')))
        GROUP BY action""",
    "tie": "SELECT system, count(*), count(identity) FROM 'accounts.parquet' GROUP BY system",
}


def apart(make, *words):
    """Does something in a process of its own, so that its memory does not count as that of the measured ones."""
    process = multiprocessing.get_context("spawn").Process(target=make, args=words)
    process.start()
    process.join()
    if process.exitcode:
        raise SystemExit(f"{make.__name__} failed")


def filled(people, folder, tables):
    """Makes the workspace, and its tables as Parquet files."""
    import company as made_up

    from kathodos.workspace.workspace import Workspace

    os.environ["KATHODOS_NOW"] = NOW
    company = made_up.Company(people)
    workspace = Workspace.create(folder)
    with (folder / "kathodos.toml").open("a") as file:
        file.write(f'[reviews]\ndeciders = ["{pwd.getpwuid(os.getuid()).pw_name}"]\n')
    made_up.fill(company, workspace)
    made_up.write_rules(company, folder / "rules" / "company.toml")
    tables.mkdir()
    for kind in (
        "identities",
        "accounts",
        "members",
        "role_juniors",
        "role_permissions",
        "resources",
        "grants",
        "activity",
    ):
        workspace.frame(kind).to_parquet(tables / f"{kind}.parquet", index=False)


def changed(step, people, folder, *more):
    """Does one of the changes of bench/company.py."""
    import company as made_up

    from kathodos.workspace.workspace import Workspace

    os.environ["KATHODOS_NOW"] = NOW
    getattr(made_up, step)(made_up.Company(people), Workspace(folder), *more)


def run(words, folder, more, out=subprocess.DEVNULL):
    """Runs a process; gives its seconds, its peak memory in megabytes, and what it said went wrong."""
    environment = {**os.environ, "KATHODOS_NOW": NOW, **more}
    begun = time.perf_counter()
    process = subprocess.Popen(words, cwd=folder, env=environment, stdout=out, stderr=subprocess.PIPE)
    complaint = process.stderr.read().decode()[-300:].strip()  # nothing, where all went well
    _, _, usage = os.wait4(process.pid, 0)
    return time.perf_counter() - begun, usage.ru_maxrss / 1024, complaint


class Bench:
    def __init__(self, people, folder, tables):
        self.people, self.folder, self.tables = people, folder, tables
        self.environment = {}

    def row(self, name, attempt, words, folder=None):
        """Runs one process and prints its row."""
        took, memory, complaint = run(words, folder or self.folder, self.environment)
        print(f"{name:44}{attempt:8}{took:8.2f} s {memory:8,.0f} MB  {complaint}", flush=True)

    def command(self, *words, name=None, attempts=("first", "then")):
        name = name or " ".join(words[:2])
        for attempt in attempts:
            self.row(name, attempt, [COMMAND, *words])
        if words[0] in IN_SQL and len(attempts) > 1:
            self.row("    the same in DuckDB", "", [sys.executable, "-c", DUCK.format(IN_SQL[words[0]])], self.tables)

    def change(self, step, *more):
        apart(changed, step, self.people, self.folder, *more)

    def reading(self):
        self.row("importing numpy and scipy", "", [sys.executable, "-c", FLOOR])
        self.command("reach", "--by", "identity:p0000001", "--summary", name="index made", attempts=("",))
        for words in READING:
            self.command(*words)
        to = str(self.tables / "reach.parquet")
        self.command("reach", "--to", to, name="reach --to FILE.parquet", attempts=("",))

    def reviews(self):
        self.command(*OPEN, attempts=("first",))
        for words in REVIEW:
            self.command(*words)

    def changes(self):
        self.environment = {"KATHODOS_ACTOR": "p0000001"}
        for words, times in CHANGES:
            self.command(*words, attempts=("first", "then")[:times])
        self.environment = {}

    def states(self):
        self.command("baseline", "mark", "before", attempts=("",))
        self.command("baseline", "compare", "before", name="baseline compare, nothing changed")
        self.change("give_more", 100)
        self.command("conflicts", name="conflicts, 100 grants more")
        self.command("excess", name="excess, 100 grants more")
        self.command("risk", "top", name="risk top, 100 grants more")
        self.change("give_more", 900)
        self.command("baseline", "compare", "before", name="baseline compare, 1,000 grants more")

    def ledger(self):
        self.row("sqlite3 PRAGMA integrity_check", "", ["sqlite3", "catalogue.db", "PRAGMA integrity_check"])
        self.command("ledger", "verify", attempts=("",))

    def everybody(self):
        self.change("move_everyone")
        self.command("baseline", "compare", "before", name="baseline compare, everybody moved", attempts=("",))
        self.command(*OPEN_ALL, name="review open, everybody", attempts=("",))
        for words in REVIEW:
            self.command(*("whole" if it == "small" else it for it in words), name=" ".join(words[:2]) + ", everybody")


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=100_000)
    parser.add_argument("--all", action="store_true")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        folder, tables = Path(scratch) / "company", Path(scratch) / "tables"
        begun = time.perf_counter()
        apart(filled, asked.size, folder, tables)
        print(f"A company of {asked.size:,} people, made in {time.perf_counter() - begun:.0f} s", flush=True)
        bench = Bench(asked.size, folder, tables)
        bench.reading()
        bench.reviews()
        bench.changes()
        bench.states()
        bench.ledger()
        if asked.all:
            bench.everybody()


if __name__ == "__main__":
    main()
