#!/usr/bin/env python3
"""A company in which everybody has something by a request: seconds and peak memory of each command as it is started.

    bench/requesting.py [--size 100000] [--keep FOLDER]

As many requests run as there are people, each granted in two steps and carried out; 10,000 of them end on one day. One
more after another is asked, looked at, granted and given back, the day's ends are tended, and one more is asked.
`--keep` leaves the workspace in a folder, and goes on from there where there is one.
"""

import argparse
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from typing import ClassVar

import numpy as np
from commands import COMMAND, apart, filled, run

from kathodos.columns.dictionary import DictionaryColumn, Numbers, always
from kathodos.columns.strings import string_table
from kathodos.ledger.operations import Operation
from kathodos.ledger.payloads import Act
from kathodos.model.kinds import (
    CHANGE_EDITS,
    CHANGES,
    GRANTS,
    IDENTITIES,
    REQUEST_ITEMS,
    REQUEST_STEPS,
    REQUESTS,
)
from kathodos.workspace.workspace import Workspace

KIT, ENDING, ASKING = "season", 10_000, 4
LAST_DAY, LATER, BEGAN = "2026-01-14", "2026-06-30", "2025-12-01T09:00:00Z"
BEFORE, THEN = "2026-01-10T09:00:00Z", "2026-01-15T09:00:00Z"


@dataclass(frozen=True)
class Run(Operation[int]):
    """Opens what as many running requests are, all at once."""

    act: ClassVar[Act] = Act.ASK
    gives: str
    approver: str

    def compose(self, plan):
        ids = plan.records.column(IDENTITIES, "id")
        names = string_table(map(str, ids.listed()))
        size = len(names)
        own, number = np.arange(size, dtype=np.int32), Numbers(np.arange(1, size + 1))
        until = DictionaryColumn((own >= ENDING).astype(np.int32), [LAST_DAY, LATER])
        texts = {
            "holder": DictionaryColumn(own, string_table(f"identity:{it}" for it in names)),
            "grant": DictionaryColumn(own, string_table(f"rq-{it}" for it in range(size))),
            "record": DictionaryColumn(own, string_table(f'["rq-{it}"]' for it in range(size))),
            "change": DictionaryColumn(own, string_table(f"request-{it}" for it in range(1, size + 1))),
            "origin": DictionaryColumn(own, string_table(f"request:{it}" for it in range(1, size + 1))),
            "whom": DictionaryColumn(own, names),
            "request": DictionaryColumn(own, number),
        }

        def put(kind_of_it, **values):
            columns = [
                values[name] if isinstance(values.get(name), DictionaryColumn) else always(values.get(name), size)
                for name in kind_of_it.names
            ]
            plan.open_columns(kind_of_it, columns, always(None, size))

        put(
            GRANTS, grant=texts["grant"], holder=texts["holder"], gives=self.gives, effect="permit", tier=0, until=until
        )
        put(REQUESTS, request=texts["request"], state="granted", kit=KIT, whom=texts["whom"], asked_by=texts["whom"],
            asked_at=BEGAN, reason="measured", until=until, step=2, lapses=LATER, emergency=0, change=texts["change"],
            told_of_end=BEGAN)  # fmt: skip
        done = {"decision": "grant", "decided_at": BEGAN, "capacity": "approver", "takes": "one", "due": LATER}
        for step in (1, 2):
            put(REQUEST_STEPS, request=texts["request"], step=step, approver=self.approver, decided_by=self.approver,
                **{"as": "named"}, **done)  # fmt: skip
        put(REQUEST_ITEMS, request=texts["request"], item=1, kind="grants", record=texts["record"],
            holder=texts["holder"], gives=self.gives, brought=1)  # fmt: skip
        put(CHANGES, change=texts["change"], state="carried out", origin=texts["origin"], author=texts["whom"],
            made_at=BEGAN, reason="measured", applied_by=self.approver, applied_at=BEGAN)  # fmt: skip
        put(CHANGE_EDITS, change=texts["change"], edit=1, kind="grants", record=texts["record"], after="{}",
            author=texts["whom"])  # fmt: skip
        return size


def people_and_roles(folder):
    """Who approves, some who ask, a role for each of them, and the number of the first request they make."""
    with Workspace(folder).view() as view:
        ids, status = (view.catalogue.column(IDENTITIES, name) for name in ("id", "status"))
        active = status.holding("active").nonzero()[0]
        some = [str(it) for it in ids.listed(active[len(active) // 2 :: 7][:ASKING])]
        number = len(view.stored.rows(REQUESTS)) + 1
        return str(ids.value(1)), some, [f"role:{view.index.roles[at]}" for at in range(1, ASKING + 1)], number


def approvers(folder, number):
    """Who decides a request, in order."""
    from kathodos.request.records import steps_of

    with Workspace(folder).view() as view:
        return [it.approver for it in steps_of(view.stored, [number])[number]]


def asked_of(question, *words):
    """What a function says, from a process of its own, whose memory does not count as that of what is measured."""
    with ProcessPoolExecutor(1, get_context("spawn")) as pool:
        return pool.submit(question, *words).result()


class Bench:
    def __init__(self, folder):
        self.folder = folder

    def command(self, *words, now=BEFORE, name=None):
        took, memory, complaint = run([COMMAND, *words], self.folder, {"KATHODOS_NOW": now})
        print(f"{name or ' '.join(map(str, words[:2])):44}{took:8.2f} s {memory:8,.0f} MB  {complaint}", flush=True)

    def steps(self, number, asker, role, now=BEFORE):
        """One request from being asked to being given back."""
        why = ("--reason", "measured", "--as", asker)
        self.command("request", "ask", role, *why, "--dry-run", now=now, name="request ask --dry-run")
        self.command("request", "ask", role, *why, "--yes", now=now)
        self.command("request", "show", str(number), now=now)
        for name in asked_of(approvers, self.folder, number):
            self.command("request", "grant", str(number), "--yes", "--reason", "measured", "--as", name, now=now)
        self.command("request", "list", "--mine", "--as", asker, now=now, name="request list --mine")
        self.command("request", "held", "--by", asker, now=now)
        self.command("request", "return", str(number), "--yes", "--as", asker, now=now)


def running(size, folder, tables):
    """A company of so many people, a kit, and a running request of it for everybody."""
    filled(size, folder, tables)
    workspace = Workspace(folder)
    with workspace.view() as view:
        people = [str(it) for it in view.catalogue.column(IDENTITIES, "id").listed(np.arange(3))]
        gives = f"role:{view.index.roles[0]}"
    with (folder / "kathodos.toml").open("a", encoding="utf-8") as file:
        file.write(f'\n[requests]\napprove = ["manager", "{people[1]}"]\n')
    (folder / "kits").mkdir()
    (folder / "kits" / f"{KIT}.toml").write_text(
        f'owner = "{people[0]}"\nlasts = "P3M"\n[[gives]]\nrole = "{gives.removeprefix("role:")}"\n'
        f'[[approve]]\nby = ["{people[1]}", "{people[2]}"]\n[emergency]\nhours = 4\nlooked_at_by = ["owner"]\n'
    )
    run([COMMAND, "kit", "read", "--yes", "--reason", "measured"], folder, {"KATHODOS_NOW": BEFORE})
    workspace.carry_out(Run(gives, people[1]), people[0], "measured", accept_clock=True)


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=100_000)
    parser.add_argument("--keep", type=Path)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        folder = (asked.keep or Path(scratch)) / "company"
        if not folder.exists():
            folder.parent.mkdir(parents=True, exist_ok=True)
            begun = time.perf_counter()
            apart(running, asked.size, folder, folder.parent / "tables")
            print(f"{asked.size:,} people with a request each, made in {time.perf_counter() - begun:.0f} s", flush=True)
        bench = Bench(folder)
        approver, askers, roles, number = asked_of(people_and_roles, folder)
        bench.command("reach", "--by", f"identity:{askers[0]}", "--summary", name="index made")
        for _ in range(2):
            bench.command("request", "status")
        for asker, role in zip(askers, roles, strict=True):
            bench.steps(number, asker, role)
            number += 1
        bench.command("request", "list", "--mine-to-decide", "--as", approver, name="request list --mine-to-decide")
        bench.command("request", "tend", "--yes", now=BEFORE, name="request tend, nothing due")
        bench.command("request", "tend", "--dry-run", now=THEN, name="request tend --dry-run, 10,000 ends")
        bench.command("request", "tend", "--yes", now=THEN, name="request tend, 10,000 ends")
        for _ in range(2):
            bench.command("request", "status", now=THEN)
        bench.steps(number, askers[0], roles[0], now=THEN)


if __name__ == "__main__":
    main()
