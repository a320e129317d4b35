#!/usr/bin/env python3
"""What finding takes on a large organisation: rules, every kind of excess, risk for everyone, cures of many conflicts.

    bench/findings.py [--size 1000000] [--conflicts 10000]

The organisation is that of bench/organisation.py in which no two people are alike, with positions, accounts, sign-ins,
sensitivities and a use for each person. Where DuckDB can be put the same question, or a part of it, its time is given
beside ours; an answer that differs ends the run.
"""

import argparse
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import organisation as made_up
import pandas as pd
import peers

from kathodos.access.reach import who_reaches_something
from kathodos.catalogue.records import Stored
from kathodos.findings.conflicts import find_conflicts, who_breaks
from kathodos.findings.cure import cure
from kathodos.findings.excess.batches import Ground
from kathodos.findings.excess.kinds import find_excess
from kathodos.findings.facts import Facts
from kathodos.findings.risk import Judged, Risk
from kathodos.findings.rules import read_rules
from kathodos.saved_index import view_at
from kathodos.workspace import Workspace

AT = 1_767_225_600_000_000  # 2026-01-01
RULES, NEEDS, SENSITIVE = 200, 20, 12
SAVE = """
import sys
from kathodos.saved_index import view_at
from kathodos.workspace import Workspace
workspace = Workspace.find(sys.argv[1])
with workspace.store.connect() as connection:
    view_at(workspace.store, connection)
"""


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=1_000_000)
    parser.add_argument("--conflicts", type=int, default=10_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        organisation = made_up.make(asked.size, alike=False)
        workspace = Workspace.create(Path(scratch) / "organisation")
        made_up.fill_store(organisation, workspace.store.file, with_lives=True)
        subprocess.run([sys.executable, "-c", SAVE, str(workspace.folder)], check=True)
        print(f"\n{asked.size:,} identities, no two alike", flush=True)
        with workspace.store.connect() as connection:
            Run(organisation, workspace, connection, asked.conflicts).measure()


class Run:
    def __init__(self, organisation, workspace, connection, conflicts):
        self.organisation = organisation
        self.index = view_at(workspace.store, connection).index
        self.records = Stored(connection)
        self.conflicts = conflicts
        self.addresses = organisation.addresses()
        self.random = np.random.default_rng(7)

    def facts(self):
        return Facts(self.records, self.index, AT)

    def measure(self):
        rules = self.rules()
        took, found = seconds(lambda: who_breaks(self.facts(), rules))
        self.say(f"{RULES} rules over everyone", f"{took:.2f} s, {sum(len(it.identities) for it in found):,} conflicts")
        ground = Ground(self.facts(), self.needs())
        batches = self.excess(ground)
        judged = Judged(ground, excess=batches)
        took, scores = seconds(lambda: Risk(judged).identities().totals)
        self.say("risk for everyone, excess given", f"{took:.1f} s, highest {scores.max():.1f}")
        took, _ = seconds(lambda: Risk(Judged(Ground(self.facts()))).identities().totals)
        self.say("risk for everyone, columns read anew", f"{took:.1f} s")
        self.cures(rules, found)
        self.duck(ground)

    def say(self, what, text):
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"  {what:<42} {text:<40} {peak:8,.0f} MB so far", flush=True)

    def rules(self):
        lines = self.organisation.line
        chosen = lines[self.random.choice(len(lines), size=RULES * 2, replace=False)].tolist()
        duties = [f"{made_up.ACTIONS[action]} {self.addresses[node].rstrip('/')}/**" for _, action, node, *_ in chosen]
        tables = [
            {
                "id": f"R-{at}",
                "severity": "low",
                "duty": [{"name": f"side {side}", "any": [duties[2 * at + side]]} for side in (0, 1)],
            }
            for at in range(RULES)
        ]
        return read_rules([("bench.toml", {"topic": "bench", "conflict": tables}, "")]).conflicts

    def needs(self):
        tables = [
            {"id": f"N-{at}", "who": f'department eq "Department {at}"', "must": [f"view {self.addresses[100 + at]}"]}
            for at in range(NEEDS)
        ]
        return read_rules([("bench.toml", {"topic": "bench", "need": tables}, "")]).needs

    def excess(self, ground):
        started, batches, spent = time.perf_counter(), [], {}
        last = started
        for batch in find_excess(ground):
            batches.append(batch)
            spent[batch.kind], last = time.perf_counter() - last, time.perf_counter()
        whole = time.perf_counter() - started
        self.say("all kinds of excess together", f"{whole:.1f} s, {sum(map(len, batches)):,} findings")
        for name, took in sorted(spent.items(), key=lambda it: -it[1])[:8]:
            self.say(f"  {name}", f"{took:.1f} s")
        return batches

    def cures(self, rules, found):
        """As many conflicts as were asked for, of the rules that fewest break."""
        few = sorted(found, key=lambda it: len(it.identities))
        facts, chosen = self.facts(), []
        for breach in few:
            if 0 < len(breach.identities) <= self.conflicts and len(chosen) < self.conflicts:
                chosen += find_conflicts(facts, [breach.rule])
        chosen = chosen[: self.conflicts]
        took, cures = seconds(lambda: cure(facts, chosen, (), 90))
        count = len(cures.withdrawals())
        text = f"{took:.1f} s, {count:,} withdrawals, at most {cures.gap:.2%} above the least"
        self.say(f"the cure of {len(chosen):,} conflicts", text)

    def duck(self, ground):
        """The same, or a part of it, in SQL."""
        duck = peers.Duck(peers.tables(self.organisation, self.index))
        facts, index = ground.facts, self.index
        position = facts.peers
        duck.connection.register("position", pd.DataFrame({"i": np.arange(len(position)), "p": position}))
        theirs, (count,) = seconds(
            lambda: duck.connection.execute(
                "SELECT count(*) FROM (SELECT p, g FROM member JOIN position ON m = i WHERE p >= 0 GROUP BY p, g)"
            ).fetchone()
        )
        ours, mine = seconds(lambda: self.pairs_held(position))
        same(count, mine)
        self.say("members of each group by peer group", f"{ours:.1f} s; DuckDB {theirs / ours:.1f} times as long")
        nodes = (facts.sensitivity == 3).nonzero()[0]
        chosen = self.random.choice(nodes, size=min(SENSITIVE, len(nodes)), replace=False).tolist()
        ours, theirs = 0.0, 0.0
        for node in chosen:
            took, found = seconds(lambda node=node: who_reaches_something(index, np.array([node]), AT))
            spent, other = seconds(lambda node=node: duck.who(0, node, node + 1))
            other = np.sort(other[index.holders.is_active[other]])
            same(other.tolist(), (found[: facts.people] & index.holders.is_active).nonzero()[0].tolist())
            ours, theirs = ours + took, theirs + spent
        self.say(
            "who reaches a sensitive resource",
            f"{1e3 * ours / len(chosen):.1f} ms; DuckDB {theirs / ours:.0f} times as long",
        )
        duck.close()

    def pairs_held(self, position):
        """How many different pairs of peer group and group there are among direct members."""
        holders = self.index.holders
        end = int(holders.edges.starts[holders.people])
        person = holders.edges.rows()[:end]
        group = holders.edges.items[:end].astype(np.int64) - holders.first_group
        known = position[person] >= 0
        codes = np.sort(position[person[known]] * len(holders.groups) + group[known])
        return int((codes[1:] != codes[:-1]).sum() + min(len(codes), 1))


def seconds(work):
    started = time.perf_counter()
    found = work()
    return time.perf_counter() - started, found


def same(mine, theirs):
    if mine != theirs:
        raise SystemExit("The answers differ, so nothing is measured.")


if __name__ == "__main__":
    main()
