"""Whole commands as a user starts them, on a made-up organisation: seconds and peak memory of each process.

Each command is run twice: at first it may have something to compute and keep, then it answers from that.
Beside them stands what importing numpy and scipy alone costs.
"""

import argparse
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import organisation as made_up

from kathodos.workspace.workspace import Workspace

NOW = "2026-01-01T00:00:00Z"
COMMANDS = (
    ("show", "identity:p0000017"),
    ("list", "identities", "--where", 'department eq "d1" and title eq "t1"', "--format", "csv"),
    ("reach", "--by", "identity:p0000017", "--summary"),
    ("activity", "--by", "identity:p0000017"),
    ("conflicts", "--by", "identity:p0000017"),
    ("conflicts",),
    ("escalation",),
    ("tie",),
    ("baseline", "mark"),
    ("baseline", "compare", "1"),
    ("excess",),
    ("risk", "top"),
    ("review", "open", "small", "--where", 'id sw "p00000"', "--by-manager", "--due", "2026-02-01", "--yes"),
    ("review", "lines", "small", "--undecided"),
    ("review", "status", "small"),
    ("review", "decide", "1-20", "certify", "--review", "small"),
)
FLOOR = "import numpy, scipy.sparse"


def run(words, folder):
    """Runs a process; gives its seconds, its peak memory in megabytes, and what it said went wrong."""
    environment = {**os.environ, "KATHODOS_NOW": NOW, "KATHODOS_ACTOR": "bench"}
    begun = time.perf_counter()
    process = subprocess.Popen(words, cwd=folder, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
    _, _, usage = os.wait4(process.pid, 0)
    took = time.perf_counter() - begun
    said = process.stderr.read().decode()[-300:].strip()  # nothing, where all went well
    return took, usage.ru_maxrss / 1024, said


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=100_000)
    asked = parser.parse_args()
    command = str(Path(sys.executable).parent / "kathodos")
    with tempfile.TemporaryDirectory() as scratch:
        workspace = Workspace.create(Path(scratch) / "organisation")
        organisation = made_up.make(asked.size, alike=False)
        made_up.fill_store(organisation, workspace.store.files[0], with_lives=True)
        made_up.write_rules(organisation, workspace.folder / "rules" / "bench.toml")
        took, memory, _ = run([sys.executable, "-c", FLOOR], scratch)
        print(f"{asked.size:,} identities; importing numpy and scipy: {took:.2f} s, {memory:,.0f} MB", flush=True)
        took, memory, said = run([command, "reach", "--by", "identity:p0000001", "--summary"], workspace.folder)
        print(f"{'columns and index made from the store':52}{took:8.2f} s {memory:8,.0f} MB  {said}", flush=True)
        for words in COMMANDS:
            name = " ".join(words[:2])
            for attempt in ("first", "then"):
                more = [f"mark-{attempt}"] if words == ("baseline", "mark") else []
                if words[:2] == ("review", "open") and attempt == "then":
                    continue
                took, memory, said = run([command, *words, *more], workspace.folder)
                print(f"{name:40}{attempt:12}{took:8.2f} s {memory:8,.0f} MB  {said}", flush=True)


if __name__ == "__main__":
    main()
