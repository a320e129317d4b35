#!/usr/bin/env python3
"""Changes rehearsed, applied and taken back on a company of a million people, and beside DuckDB what changes.

    bench/changing.py [--size 1000000] [--beside 10000]

First what each takes with the index open, on the company of bench/commands.py. Then, on organisations in which no two
people are alike, what people gain and lose by a change is counted by us and by DuckDB, as the difference of its two
closures, of which it is told whom to look at; another answer ends the run.
"""

import argparse
import multiprocessing
import os
import resource
import tempfile
import time
from contextlib import contextmanager
from pathlib import Path

import company as made_up
import numpy as np
import organisation
import pandas as pd
import peers

from kathodos.change.applying import ApplyChange, Rehearsed
from kathodos.change.composition import Desk
from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.change.giving import Giving, give
from kathodos.change.restoring import EVERYTHING, Part, restoring
from kathodos.model.kinds import ROLE_PERMISSIONS
from kathodos.model.times import now
from kathodos.workspace.rehearsing import rehearse
from kathodos.workspace.workspace import Workspace

NOW = "2026-01-01T00:00:00Z"
ACTOR = "p0000001"  # somebody of the company
FEW = (1, 100, 10_000)
RESTORED = 100_000


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=1_000_000)
    parser.add_argument("--beside", type=int, default=10_000)
    asked = parser.parse_args()
    os.environ["KATHODOS_NOW"] = NOW
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch) / "company"
        for step in (filled, alone, restored):  # each in a process of its own, so that memory is its own
            process = multiprocessing.get_context("spawn").Process(target=step, args=(asked.size, folder))
            process.start()
            process.join()
            if process.exitcode:
                raise SystemExit(f"{step.__name__} failed")
        Beside(asked.beside, Path(scratch) / "organisation").measure()
    return 0


@contextmanager
def timed(what):
    begun = time.perf_counter()
    note = []
    yield note
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    print(f"  {what:<52}{time.perf_counter() - begun:8.2f} s {memory:8,.0f} MB  {' '.join(note)}", flush=True)


def filled(people, folder):
    """Makes the company."""
    begun = time.perf_counter()
    made_up.fill(made_up.Company(people), Workspace.create(folder))
    print(f"A company of {people:,} people, made in {time.perf_counter() - begun:.0f} s", flush=True)


def told(effect):
    """Everything that is told of a rehearsal, worked out."""
    _ = effect.differences.by_system, effect.by_role, effect.broken, effect.stops, effect.digest
    return f"{effect.gaining:,} gain {effect.gained:,}, {effect.losing:,} lose {effect.lost:,}"


def alone(_people, folder):
    """Rehearsals and applying, with the index open."""
    workspace = Workspace.find(folder)
    with timed("index made"), workspace.view() as view:
        _ = view.index
    with workspace.view() as view:
        with timed("index opened"):
            _ = view.index
        there = view.basis.is_there.nonzero()[0]
        some = np.random.default_rng(1).choice(there, min(max(FEW), len(there)), replace=False)
        names = [view.index.holders.references[at] for at in some.tolist()]
        first = give(Desk(view.stored, now(), "bench"), Giving(["role:s0/r00001"], names[-1:])).edits
        with timed("a first grant rehearsed: the index read and checked"):
            _ = told(rehearse(view, first))
        for count in FEW:
            with timed(f"grants to {count:,} people composed"):
                edits = give(Desk(view.stored, now(), "bench"), Giving(["role:s0/r00001"], names[:count])).edits
            with timed(f"grants to {count:,} people rehearsed") as note:
                effect = rehearse(view, edits)
                note.append(told(effect))
        with timed("a role of everybody rehearsed") as note:
            wide = rehearse(view, one_more(view))
            note.append(told(wide))
        with timed("proof over all pairs that nothing changes") as note:
            note.append(told(rehearse(view, nothing(view))))
        before = view.point.entry
    with timed("10,000 edits applied"):
        rehearsed = Rehearsed(before, effect.digest, effect.gained, effect.lost)
        workspace.carry_out(ApplyChange("ten-thousand", rehearsed, edits=edits), ACTOR)


def one_more(view):
    """One more permission in a role that everybody of the company has."""
    address = view.index.tree.addresses[len(view.index.tree) // 2]
    return EditSet([edit_of(ROLE_PERMISSIONS, None, permission(of_everybody(view), "approve", address))])


def nothing(view):
    """A permission put into a role that everybody has, which another one of the role implies."""
    role, held = of_everybody(view), view.frame("role_permissions")
    is_wider = (
        (held["role"] == role) & (held["effect"] == "permit") & held["action"].isin(["manage", "edit", "approve"])
    )
    is_wider &= ~held["resource"].isin(held["resource"][(held["role"] == role) & (held["action"] == "view")])
    pattern = held["resource"][is_wider].iloc[0]
    return EditSet([edit_of(ROLE_PERMISSIONS, None, permission(role, "view", pattern))])


def of_everybody(view):
    """A role that the group of all staff holds."""
    grants = view.frame("grants")
    return grants["gives"][grants["holder"] == "group:s0/staff"].iloc[0].removeprefix("role:s0/")


def permission(role, action, pattern):
    return {"system": "s0", "role": role, "action": action, "resource": pattern, "effect": "permit"}


def restored(people, folder):
    """Everything put back after a hundred thousand records were changed."""
    company, workspace = made_up.Company(people), Workspace.find(folder)
    with workspace.view() as view:
        _ = view.index
        before = view.point.entry
    made_up.give_more(company, workspace, RESTORED)
    with workspace.view() as view, workspace.view(str(before)) as then:
        with timed("index after 100,000 grants more"):
            _ = view.index
        with timed("everything put back: composed") as note:
            edits = restoring(view.stored, then.stored, Part(EVERYTHING))
            note.append(f"{len(edits):,} edits")
        with timed("everything put back: rehearsed") as note:
            effect = rehearse(view, edits)
            note.append(told(effect))
        rehearsed = Rehearsed(view.point.entry, effect.digest, effect.gained, effect.lost)
    with timed("everything put back: applied") as note:
        done = workspace.carry_out(ApplyChange("back", rehearsed, edits=edits), ACTOR).result
        note.append(f"{len(done.carried.ordered):,} ordered, {len(done.carried.edited):,} edited")


class Beside:
    """The same changes of an organisation counted by us and by DuckDB."""

    def __init__(self, people, folder):
        self.organisation = organisation.make(people, alike=False)
        self.workspace = Workspace.create(folder)
        organisation.fill_store(self.organisation, self.workspace.store.files[0])

    def measure(self):
        print(f"An organisation of {self.organisation.identities:,} people, no two alike, beside DuckDB", flush=True)
        with self.workspace.view() as view:
            self.view, self.frames = view, peers.tables(self.organisation, view.index)
            for count in FEW[:2]:
                holders = np.random.default_rng(2).choice(self.organisation.identities, count, replace=False)
                self.compare(f"grants to {count:,} people", holders, [(int(it), 3, -1, -1, False) for it in holders])
            everybody = np.arange(self.organisation.identities)
            self.compare("a role given to everybody", everybody, [(-1, 3, -1, -1, False)])

    def compare(self, what, people, grants):
        """Counts what these people gain by grants of roles."""
        names = [self.organisation.name(holder) for holder, *_ in grants]
        edits = give(Desk(self.view.stored, now(), "bench"), Giving(["role:s0/r00003"], names)).edits
        begun = time.perf_counter()
        effect = rehearse(self.view, edits)
        gained = effect.differences.gained
        mine = {it: int(n) for it, n in zip(effect.differences.askers, gained, strict=True) if n}
        took = time.perf_counter() - begun
        theirs, beside = self.in_duck(people, grants)
        if mine != theirs:
            raise SystemExit(f"{what}: DuckDB counts otherwise")
        print(f"  {what:<52}{took:8.2f} s   DuckDB {beside:8.2f} s, {beside / took:,.1f} times as long", flush=True)

    def in_duck(self, people, grants):
        """What each of these gains, as the difference of the closures; only the questions are timed."""
        duck = peers.Duck(self.frames)
        more = self.frames["grt"].iloc[:0]
        more = pd.concat([self.frames["grt"], pd.DataFrame(grants, columns=more.columns).astype(more.dtypes)])
        duck.connection.register("frame", more)
        duck.connection.execute("CREATE TABLE grt_after AS SELECT * FROM frame")
        duck.set_sample(people)
        begun = time.perf_counter()
        after = peers.WHAT.replace("grt g", "grt_after g")
        query = f"SELECT asker, count(*) AS pairs FROM (({after}) EXCEPT ({peers.WHAT})) d GROUP BY asker"
        found = duck.connection.execute(query).fetchnumpy()
        took = time.perf_counter() - begun
        duck.close()
        names = map(self.organisation.name, found["asker"].tolist())
        return dict(zip(names, found["pairs"].tolist(), strict=True)), took


if __name__ == "__main__":
    raise SystemExit(main())
