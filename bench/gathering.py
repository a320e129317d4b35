"""How long a gather takes, against `sqlite3 .import` of the same rows as the floor; and what share is waiting.

    bench/gathering.py [--identities 1000000] [--members 7000000]

The floor, the first gather and the gathers after it run one after another on the same files, in the same run; each is a
process of its own, and its peak memory is the kernel's figure. Directory and service: a slapd and the stand-in.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import multiprocessing
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np

from kathodos.demo import services
from kathodos.ledger.origin import system_user
from kathodos.standin.scim import Standin

COMMAND = Path(sys.executable).parent / "kathodos"


def timed(words: Sequence[object], folder: Path, status: int = 0, **variables: str) -> tuple[float, float, str]:
    """Seconds, peak memory in MiB, and what a process printed that has to end with a status."""
    began = time.perf_counter()
    environment = {**os.environ, **variables}
    process = subprocess.Popen(list(map(str, words)), cwd=folder, env=environment, stdout=subprocess.PIPE, text=True)
    printed = process.stdout.read() if process.stdout else ""
    _, ended, usage = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(ended) != status:
        raise SystemExit(f"{words} failed:\n{printed}")
    return time.perf_counter() - began, usage.ru_maxrss / 1024, printed


def write_files(folder: Path, people: int, members: int) -> None:
    """Identities with eleven columns, and memberships of 20 thousand groups, no two alike."""
    seeded = np.random.default_rng(1)
    (folder / "systems.csv").write_text("system\ndirectory\n")
    groups = max(people // 50, 10)
    with (folder / "groups.csv").open("w") as file:
        file.write("system,group\n")
        file.writelines(f"directory,g{number:05d}\n" for number in range(groups))
    with (folder / "identities.csv").open("w") as file:
        file.write("id,name,kind,status,email,department,title,manager,location,employment,starts\n")
        file.writelines(
            f"p{at:07d},Person {at},person,active,person.{at}@example.org,Department {at % 400},Title {at % 97},"
            f"p{at // 20:07d},Site {at % 30},staff,20{at % 20 + 5:02d}-0{at % 9 + 1}-1{at % 10}\n"
            for at in range(people)
        )
    pairs = seeded.choice(groups * people, size=members, replace=False) if members < 10_000 else None
    if pairs is None:
        drawn = seeded.integers(0, groups * people, size=int(members * 1.1))
        pairs = np.unique(drawn)[:members]
        seeded.shuffle(pairs)
    with (folder / "members.csv").open("w") as file:
        file.write("system,group,member\n")
        for part in np.array_split(pairs, max(members // 100_000, 1)):
            file.writelines(f"directory,g{at // people:05d},identity:p{at % people:07d}\n" for at in part.tolist())


def to_parquet(tables: Path) -> None:
    import pyarrow.csv
    import pyarrow.parquet

    for file in tables.glob("*.csv"):
        pyarrow.parquet.write_table(pyarrow.csv.read_csv(file), file.with_suffix(".parquet"))
        file.unlink()


def apart(make: Callable[..., None], *words: object) -> None:
    """Makes files in a process of its own, so that its memory does not count as that of those measured afterwards."""
    process = multiprocessing.get_context("spawn").Process(target=make, args=words)
    process.start()
    process.join()
    if process.exitcode:
        raise SystemExit(f"{make.__name__} failed")


def workspace(folder: Path, configuration: str = "") -> Path:
    subprocess.run([COMMAND, "init", folder], check=True, capture_output=True)
    if configuration:
        actors = f"[actors]\nnames = [{json.dumps(system_user())}]\n"
        (folder / "kathodos.toml").write_text(f"{configuration}\n{actors}")
    return folder


def tables(scratch: Path, people: int, members: int) -> None:
    """The floor, and gathers from CSV and Parquet."""
    csv = workspace(scratch / "csv") / "tables"
    apart(write_files, csv, people, members)
    into = [f".import {name}.csv {name}" for name in ("identities", "members", "groups")]
    floor, memory, _ = timed(["sqlite3", scratch / "floor.db", ".mode csv", *into], csv)
    print(f"{'sqlite3 .import (the floor)':38} {floor:7.1f} s {memory:7.0f} MiB")

    def gather(what: str, at: Path) -> None:
        seconds, peak, _ = timed([COMMAND, "gather"], at)
        print(f"{what:38} {seconds:7.1f} s {peak:7.0f} MiB  {seconds / floor:5.1f} times the floor")

    gather("first gather from CSV", csv.parent)
    gather("again, nothing changed", csv.parent)
    with (csv / "identities.csv").open("a") as file:
        file.write("new,Somebody new,person,active,,,,,,,\n")
    gather("again, one person more", csv.parent)
    parquet = workspace(scratch / "parquet") / "tables"
    shutil.rmtree(parquet)
    shutil.copytree(csv, parquet)
    shutil.rmtree(csv.parent)
    apart(to_parquet, parquet)
    gather("first gather from Parquet", parquet.parent)


@contextlib.contextmanager
def serving(users: int) -> Iterator[str]:
    data = {"Users": [{"id": str(at), "userName": f"u{at}", "active": True} for at in range(users)]}
    server = Standin(0, data)
    threading.Thread(target=server.serve_forever, args=(0.05,), daemon=True).start()
    try:
        yield server.url
    finally:
        server.shutdown()


def waiting(scratch: Path, people: int) -> None:
    """A service and a directory: seconds, and the share of them spent waiting for the server."""

    def check(name: str, configuration: str, **variables: str) -> None:
        at = workspace(scratch / name, f'[[source]]\nname = "{name}"\nkind = "{name}"\n{configuration}')
        _, peak, printed = timed([COMMAND, "sources", "check", "--format", "jsonl"], at, **variables)
        row = json.loads(printed.splitlines()[0])
        what = f"{people} users by {name.upper()}"
        print(f"{what:38} {row['seconds']:7.1f} s {peak:7.0f} MiB  {row['waiting']} of it waiting for the server")

    with serving(people) as url:
        check("scim", f'url = "{url}"\n')
    if services.slapd():
        ldif = scratch / "all.ldif"
        with ldif.open("w") as file:
            file.write(
                f"dn: {services.SUFFIX}\nobjectClass: dcObject\nobjectClass: organization\no: t\ndc: tarnholm\n\n"
            )
            for at in range(people):
                name = f"dn: uid=u{at},{services.SUFFIX}\nobjectClass: inetOrgPerson\n"
                file.write(f"{name}uid: u{at}\ncn: User {at}\nsn: {at}\nmail: u{at}@example.org\n\n")
        with services.directory(scratch / "slapd", ldif) as url:
            bind = f'bind = {{ as = "{services.READER}", password_from = "env:SECRET" }}\n'
            check("ldap", f'url = "{url}"\nbase = "{services.SUFFIX}"\n{bind}', SECRET=services.PASSWORD)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--identities", type=int, default=1_000_000)
    parser.add_argument("--members", type=int, default=7_000_000)
    parser.add_argument("--users", type=int, default=20_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        tables(Path(scratch), asked.identities, asked.members)
        waiting(Path(scratch), asked.users)
    return 0


if __name__ == "__main__":
    sys.exit(main())
