#!/usr/bin/env python3
"""Sixteen people at once on one store in PostgreSQL: nothing is lost, nothing is done twice, the ledger is as signed.

    bench/soak.py [--minutes 10] [--people 16] [--identities 400]

Each person is a process that runs whole commands of their own: one gathers changing exports, some decide lines of a
review, cover conflicts and take covers back, mark baselines, and ask. The server is on this machine, on loopback. At
the end every command that said it was done has its entry, no entry has none, and how long a decision took is told.
"""

import argparse
import json
import multiprocessing
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from tests.servers import Postgres

COMMAND = Path(sys.executable).parent / "kathodos"
WAIT = 120  # seconds that a command waits for its turn
RULES = """
topic = "Dues"
[[conflict]]
id = "D-1"
title = "Sets tariffs and waives dues"
severity = "high"
[[conflict.duty]]
name = "set"
any = ["edit dues:/tariffs/**"]
[[conflict.duty]]
name = "waive"
any = ["edit dues:/waivers/**"]
"""


def lay_out(folder, people):
    """Tables of a small office in which every tenth person has a conflict; other reasons of grants at each writing."""
    tables = folder / "tables"
    tables.mkdir(exist_ok=True)
    names = [f"p{at:04}" for at in range(people)]
    texts = {
        "systems": "system\ndues\n",
        "actions": "system,action\ndues,edit\n",
        "resources": "resource\ndues:/tariffs/a\ndues:/waivers/a\n",
        "identities": "id,name,department,manager\nhead,Head,Dues,\n"
        + "".join(f"{name},Person {name},Dues,head\n" for name in names),
    }
    for name, text in texts.items():
        (tables / f"{name}.csv").write_text(text)
    write_grants(tables, names, 0)


def write_grants(tables, names, turn):
    rows = [f"t{at},identity:{name},edit dues:/tariffs/**,turn {turn}\n" for at, name in enumerate(names)]
    rows += [f"w{at},identity:{name},edit dues:/waivers/**,\n" for at, name in enumerate(names) if at % 10 == 0]
    file = tables / "grants.csv.new"
    file.write_text("grant,holder,gives,reason\n" + "".join(rows))
    file.replace(tables / "grants.csv")


class Person:
    """One who works: what they did, how it ended, and how long each took."""

    def __init__(self, number, folder, cache, end, people):
        self.number, self.folder, self.end, self.people = number, folder, end, people
        self.random = random.Random(number)
        self.environment = {**os.environ, "XDG_CACHE_HOME": str(cache), "KATHODOS_ACTOR": "head"}
        self.done, self.taken = [], []

    def do(self, kind, *words, may_fail=False):
        began = time.perf_counter()
        ran = subprocess.run(
            [COMMAND, *words, "--reason", f"by {self.number}"] if kind else [COMMAND, *words],
            cwd=self.folder,
            env=self.environment,
            capture_output=True,
            text=True,
        )
        self.taken.append((kind or "ask", time.perf_counter() - began))
        if (ran.returncode not in (0, 1) and not may_fail) or "Traceback" in ran.stderr:
            raise SystemExit(f"{words}: {ran.returncode}\n{ran.stdout}{ran.stderr}")
        if kind and ran.returncode == 0:
            self.done.append((kind, words))
        return ran

    def work(self):
        """Does the same kind of thing until the time is over."""
        turn = 0
        while time.time() < self.end:
            turn += 1
            self.take_turn(turn)
        return self.number, self.done, self.taken

    def take_turn(self, turn):
        if self.number == 0:
            write_grants(self.folder / "tables", [f"p{at:04}" for at in range(self.people)], turn)
            self.do("gather", "gather", "--as", "head")
        elif self.number < 7:
            line = self.random.randrange(1, self.people)
            self.do("review decide", "review", "decide", str(line), self.random.choice(("certify", "revoke")))
        elif self.number < 10:
            conflict = f"D-1/p{self.random.randrange(0, self.people, 10):04}"
            until = ("--control", "C-1", "--until", "2030-01-01")
            self.do("cover", "conflicts", "cover", "--yes", conflict, *until, may_fail=True)
            self.do("uncover", "conflicts", "cover", "--yes", conflict, "--end", may_fail=True)
        elif self.number < 12:
            self.do("baseline mark", "baseline", "mark", f"m{self.number}-{turn}")
        else:
            asked = (("reach", "--by", "p0010"), ("conflicts",), ("review", "status"), ("ledger", "list"))
            self.do("", *self.random.choice(asked), "--format", "json")


def work(*words):
    return Person(*words).work()


def soaked(folder, server, asked):
    """Whether all that was done is there, once."""
    office, cache = folder / "office", folder / "cache"
    run = Person(99, office, cache, 0, asked.identities)
    words = ["init", str(office), "--store", server.url("soak")]
    subprocess.run([COMMAND, *words], check=True, capture_output=True)
    configuration = office / "kathodos.toml"
    text = configuration.read_text().replace("wait = 10 ", f"wait = {WAIT} ")
    configuration.write_text(text.replace("names = [", 'names = ["head", '))
    (office / "rules" / "dues.toml").write_text(RULES)
    lay_out(office, asked.identities)
    run.do("", "gather")
    run.do("", "control", "add", "C-1", "--does", "looks", "--owner", "head", "--every", "P1M", "--reason", "x")
    run.do("", "control", "confirm", "C-1", "--reason", "x")
    run.do("", "review", "open", "all", "--where", "manager pr", "--by-manager", "--due", "2030-01-01", "--yes")
    places = [office]
    for number in range(1, 4):  # other machines
        places.append(folder / f"other{number}")
        joining = ["init", str(places[-1]), "--store", server.url("soak"), "--keys", str(office)]
        subprocess.run([COMMAND, *joining], check=True, capture_output=True)
        shutil.copy(configuration, places[-1])
        shutil.copytree(office / "rules", places[-1] / "rules", dirs_exist_ok=True)
    end = time.time() + 60 * asked.minutes
    with multiprocessing.get_context("spawn").Pool(asked.people) as pool:
        jobs = [
            (at, places[at % len(places)], folder / f"cache{at % len(places)}", end, asked.identities)
            for at in range(asked.people)
        ]
        found = pool.starmap(work, jobs, chunksize=1)
    entries = json.loads(run.do("", "ledger", "list", "--format", "json").stdout)
    by_reason = {}
    for entry in entries:
        by_reason.setdefault((entry["kind"], entry["reason"]), []).append(entry)
    lost = 0
    for number, done, _ in found:
        for kind in {kind for kind, _ in done} - {"gather"}:
            said = sum(one == kind for one, _ in done)
            kept = len(by_reason.get((kind, f"by {number}"), []))
            # who decides as it was decided writes nothing
            lost += kept > said if kind == "review decide" else kept != said
    marks = json.loads(run.do("", "baseline", "list", "--format", "json").stdout)
    names = [mark["baseline"] for mark in marks]
    wanted = {words[2] for _, done, _ in found for kind, words in done if kind == "baseline mark"}
    numbers = [entry["number"] for entry in entries]
    verified = run.do("", "ledger", "verify")
    told(found, entries, verified.stdout.strip().splitlines()[0])
    wrong = [
        f"{lost} kinds of acts of one person whose entries are not what was said" if lost else "",
        "marks are missing or there twice" if sorted(names) != sorted(wanted) else "",
        "numbers of entries are missing or there twice" if numbers != list(range(1, len(numbers) + 1)) else "",
        "" if verified.returncode == 0 else "the ledger is not as signed",
    ]
    return [it for it in wrong if it]


def told(found, entries, verified):
    taken = {}
    for _, _, times in found:
        for kind, seconds in times:
            taken.setdefault(kind, []).append(seconds)
    print(f"{len(found)} people at once: {sum(map(len, taken.values()))} commands, {len(entries)} entries. {verified}")
    for kind, seconds in sorted(taken.items()):
        middle, most = np.percentile(seconds, [50, 95])
        print(f"  {kind:16} {len(seconds):6} times   median {middle:6.2f} s   p95 {most:6.2f} s")


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--minutes", type=float, default=10)
    parser.add_argument("--people", type=int, default=16)
    parser.add_argument("--identities", type=int, default=400)
    asked = parser.parse_args()
    server = Postgres("max_connections=100")
    server.create("soak")
    try:
        with tempfile.TemporaryDirectory() as scratch:
            wrong = soaked(Path(scratch), server, asked)
    finally:
        server.close()
    print("\n".join(wrong) or "Nothing was lost, and nothing is there twice.")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
