#!/usr/bin/env python3
"""A review of everybody on a made-up company: seconds and peak memory of each command as it is started.

    bench/reviewing.py [--size 100000] [--keep FOLDER]

It is opened for everybody, counted, sent out as a packet for each reviewer, a tenth of the answers taken, lines decided
by filter, and the rest closed. `--keep` leaves the workspace in a folder, and goes on from there where there is one.
"""

import argparse
import json
import re
import tempfile
import time
from pathlib import Path

from commands import COMMAND, apart, filled, run

OPEN = (
    "review",
    "open",
    "whole",
    "--where",
    "id pr",
    "--by-manager",
    "--due",
    "2026-02-01",
    "--undecided",
    "certify",
    "--yes",
)
STEPS = (
    ("review", "status", "whole"),
    ("review", "status", "whole"),
    ("review", "overview", "whole"),
    ("review", "overview", "whole", "--by", "evidence"),
    ("review", "lines", "whole", "--where", 'speaks eq "against"'),
    ("review", "packets", "whole", "--out", "packets"),
)
BEHIND = (
    ("review", "status", "whole"),
    ("review", "decide", "--where", 'last_used lt "2025-06-01"', "revoke", "--review", "whole", "--reason", "not used"),
    ("review", "status", "whole"),
    ("review", "close", "whole", "--dry-run"),
    ("review", "close", "whole", "--yes", "--reason", "measured"),
    ("review", "report", "whole", "--out", "report"),
)


def answered(folder, share):
    """Writes an answer file for one in so many packets, which certifies every line of it; how many files and lines."""
    answers = folder / "answers"
    answers.mkdir()
    files, lines = 0, 0
    for at, page in enumerate(sorted((folder / "packets").iterdir())):
        if at % share:
            continue
        text = page.read_text(encoding="utf-8")
        seal, packet = (
            json.loads(re.search(rf'id="{name}">(.*?)</script>', text, re.DOTALL)[1]) for name in ("seal", "packet")
        )
        own = [{"line": line[0], "decision": "certify", "opened": True} for line in packet["lines"]]
        whole = {"form": "kathodos answers 1", "seal": seal, "digest": seal["digest"], "answers": own}
        (answers / f"{page.stem}.json").write_text(json.dumps(whole))
        files, lines = files + 1, lines + len(own)
    return files, lines


class Bench:
    def __init__(self, folder):
        self.folder = folder

    def command(self, *words, name=None):
        took, memory, complaint = run([COMMAND, *words], self.folder, {})
        print(f"{name or ' '.join(words[:2]):44}{took:8.2f} s {memory:8,.0f} MB  {complaint}", flush=True)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=100_000)
    parser.add_argument("--keep", type=Path)
    parser.add_argument("--share", type=int, default=1, help="answers are taken of one in so many packets")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        folder = (asked.keep or Path(scratch)) / "company"
        if not folder.exists():
            folder.parent.mkdir(parents=True, exist_ok=True)
            begun = time.perf_counter()
            apart(filled, asked.size, folder, folder.parent / "tables")
            print(f"A company of {asked.size:,} people, made in {time.perf_counter() - begun:.0f} s", flush=True)
        bench = Bench(folder)
        bench.command("reach", "--by", "identity:p0000001", "--summary", name="index made")
        bench.command(*OPEN, name="review open, everybody")
        for words in STEPS:
            bench.command(*words)
        files, lines = answered(folder, asked.share)
        print(f"{files:,} files with {lines:,} answers", flush=True)
        bench.command("review", "take", "answers")
        for words in BEHIND:
            bench.command(*words)


if __name__ == "__main__":
    main()
