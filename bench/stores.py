#!/usr/bin/env python3
"""The same workspace in a file and in a PostgreSQL database: seconds of whole commands, and the ratios.

    bench/stores.py [--identities 1000000] [--members 7000000]

Both gather the same CSV tables in the same run; each command is a process of its own. The server is on this machine,
with what it takes to keep a commit through a crash; its memory is said apart from that of the commands.
"""

import argparse
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from gathering import COMMAND, apart, timed, write_files

from tests.servers import Postgres

SAFE = ("fsync=on", "full_page_writes=on", "autovacuum=on", "shared_buffers=512MB", "max_wal_size=8GB")
ASKED = ("reach", "--by", "identity:p0000017", "--format", "csv")
TIMES = 7


def measured(at: Path, cache: Path, whole: bool) -> dict[str, float]:
    """Seconds by what was done; `whole`: also what takes long."""
    variables = {"XDG_CACHE_HOME": str(cache), "KATHODOS_NOW": "2026-01-01T00:00:00Z"}
    found = {"first gather": timed([COMMAND, "gather"], at, **variables)}
    for folder in (at / "catalogue.db.computed", cache / "kathodos"):
        shutil.rmtree(folder, ignore_errors=True)
    found["compile from the store, and answer"] = timed([COMMAND, *ASKED], at, **variables)
    again = [timed([COMMAND, *ASKED], at, **variables) for _ in range(TIMES)]
    found["one question, everything computed"] = statistics.median(it[0] for it in again), *again[0][1:]
    found["a change: baseline mark"] = timed([COMMAND, "baseline", "mark", "one"], at, **variables)
    if whole:
        found["ledger verify"] = timed([COMMAND, "ledger", "verify"], at, **variables)
    return {name: it[0] for name, it in found.items()} | {f"{name} (MiB)": it[1] for name, it in found.items()}


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--identities", type=int, default=1_000_000)
    parser.add_argument("--members", type=int, default=7_000_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        (folder / "tables").mkdir()
        apart(write_files, folder / "tables", asked.identities, asked.members)
        server = Postgres(*SAFE)
        try:
            server.create("bench")
            found = {}
            for name, words in (("a file", ()), ("PostgreSQL", ("--store", server.url("bench")))):
                at = folder / name.replace(" ", "-")
                subprocess.run([COMMAND, "init", at, *words], check=True, capture_output=True, env={**os.environ})
                shutil.rmtree(at / "tables")
                (at / "tables").symlink_to(folder / "tables")
                found[name] = measured(at, folder / "cache", True)
        finally:
            server.close()
    print(f"{asked.identities} people, {asked.members} memberships")
    for what, in_file in found["a file"].items():
        in_database = found["PostgreSQL"][what]
        print(f"{what:45} {in_file:9.2f} {in_database:9.2f}   {in_database / in_file:5.2f} times")
    return 0


if __name__ == "__main__":
    sys.exit(main())
