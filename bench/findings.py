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

import findings_in_sql as in_sql
import numpy as np
import organisation as made_up
import peers

from kathodos.analysis.basis import Basis
from kathodos.engine.reach import who_reaches_something
from kathodos.findings.conflicts.cure import cure
from kathodos.findings.conflicts.states import find_conflicts, no_conflicts, who_breaks
from kathodos.findings.excess.batches import ExcessContext
from kathodos.findings.excess.kinds import KINDS, find_excess
from kathodos.findings.excess.roles import NEAR_ROLES
from kathodos.findings.excess.use import DORMANT
from kathodos.findings.risk.judging import Judged, Risk
from kathodos.model.toml import TomlText
from kathodos.rules.reading import read_rules
from kathodos.workspace.workspace import Workspace

AT = 1_767_225_600_000_000  # 2026-01-01
RULES, NEEDS, SAMPLED = 200, 20, 12
WIDEST = 300  # resources on a side of a rule that SQL is asked about
SAVE = """
import sys
from kathodos.workspace.workspace import Workspace
with Workspace.find(sys.argv[1]).view() as view:
    view.index
"""


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=1_000_000)
    parser.add_argument("--conflicts", type=int, default=10_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as scratch:
        organisation = made_up.make(asked.size, alike=False)
        workspace = Workspace.create(Path(scratch) / "organisation")
        made_up.fill_store(organisation, workspace.store.files[0], with_lives=True)
        subprocess.run([sys.executable, "-c", SAVE, str(workspace.folder)], check=True)
        print(f"\n{asked.size:,} identities, no two alike", flush=True)
        with workspace.view(at="2026-01-01") as view:
            Run(organisation, view, asked.conflicts).measure()


def judged(context, batches):
    return Judged(context, no_conflicts([]), np.zeros(0, dtype=bool), excess=batches)


class Run:
    def __init__(self, organisation, view, conflicts):
        self.organisation = organisation
        self.index, self.records = view.index, view.stored
        self.conflicts = conflicts
        self.addresses = organisation.addresses()
        self.random = np.random.default_rng(7)

    def basis(self):
        return Basis(self.records, self.index, AT)

    def measure(self):
        rules = self.rules()
        took, found = seconds(lambda: who_breaks(self.basis(), rules))
        self.say(f"{RULES} rules over everyone", f"{took:.2f} s, {sum(len(it.askers) for it in found):,} conflicts")
        context = ExcessContext(self.basis(), self.needs())
        batches = self.excess(context)
        found_so_far = judged(context, batches)
        took, scores = seconds(lambda: Risk(found_so_far).identities().totals)
        self.say("risk for everyone, excess given", f"{took:.1f} s, highest {scores.max():.1f}")
        took, _ = seconds(lambda: Risk(judged(ExcessContext(self.basis()), ())).identities().totals)
        self.say("risk for everyone, columns read anew", f"{took:.1f} s")
        self.cures(rules, found)
        self.duck(context, batches, rules)

    def say(self, what, text):
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"  {what:<42} {text:<40} {peak:8,.0f} MB so far", flush=True)

    def rules(self):
        entries = self.organisation.entry
        chosen = entries[self.random.choice(len(entries), size=RULES * 2, replace=len(entries) < RULES * 2)].tolist()
        duties = [f"{made_up.ACTIONS[action]} {self.addresses[node].rstrip('/')}/**" for _, action, node, *_ in chosen]
        tables = [
            {
                "id": f"R-{at}",
                "severity": "low",
                "duty": [{"name": f"side {side}", "any": [duties[2 * at + side]]} for side in (0, 1)],
            }
            for at in range(RULES)
        ]
        return read_rules([TomlText("bench.toml", {"topic": "bench", "conflict": tables}, "")]).conflicts

    def needs(self):
        tables = [
            {"id": f"N-{at}", "who": f'department eq "Department {at}"', "must": [f"view {self.addresses[100 + at]}"]}
            for at in range(NEEDS)
        ]
        return read_rules([TomlText("bench.toml", {"topic": "bench", "need": tables}, "")]).needs

    def excess(self, context):
        started, batches, spent = time.perf_counter(), [], {}
        last = started
        for batch in find_excess(context):
            batches.append(batch)
            spent[batch.kind], last = time.perf_counter() - last, time.perf_counter()
        whole = time.perf_counter() - started
        self.say("all kinds of excess together", f"{whole:.1f} s, {sum(map(len, batches)):,} findings")
        for name, took in sorted(spent.items(), key=lambda it: -it[1])[:8]:
            self.say(f"  {name}", f"{took:.1f} s")
        return batches

    def cures(self, rules, found):
        """As many conflicts as were asked for, of the rules that fewest break."""
        few = sorted(found, key=lambda it: len(it.askers))
        basis, chosen = self.basis(), []
        for breach in few:
            if 0 < len(breach.askers) <= self.conflicts and len(chosen) < self.conflicts:
                chosen += find_conflicts(basis, [breach.rule])
        chosen = chosen[: self.conflicts]
        took, cures = seconds(lambda: cure(basis, chosen, (), 90))
        count = len(cures.withdrawals())
        text = f"{took:.1f} s, {count:,} withdrawals, at most {cures.gap:.2%} above the least"
        self.say(f"the cure of {len(chosen):,} conflicts", text)

    def duck(self, context, batches, rules):
        """The same, or a part of it, in SQL: with what is read from the store and the closures of groups and roles
        there before, for both."""
        basis, index = context.basis, self.index
        asked = in_sql.Asked(peers.tables(self.organisation, index), in_sql.more_tables(context, batches))
        for name, query in (
            (NEAR_ROLES, in_sql.NEAR_ROLES),
            (DORMANT, in_sql.DORMANT),
        ):
            (kind,) = (it for it in KINDS if it.name == name)
            self.beside(
                f"all of {name}",
                lambda kind=kind: len(kind.find(ExcessContext(basis, context.needs))),
                lambda query=query: asked.count(query),
            )
        self.risk_beside(context, batches, asked)
        tree = index.tree
        sizes = tree.end - np.arange(len(tree))
        some = [it for it in rules if all(sizes[self.node(duty)] <= WIDEST for duty in it.duties)][:SAMPLED]
        self.beside(
            f"{len(some)} rules, up to {WIDEST} resources a side",
            lambda: [it.askers.tolist() for it in who_breaks(basis, some)],
            lambda: [self.breaking(asked, rule) for rule in some],
        )
        sensitive = (basis.sensitivity == 3).nonzero()[0]
        nodes = self.random.choice(sensitive, size=min(SAMPLED, len(sensitive)), replace=False)
        self.beside(
            f"who reaches {SAMPLED} sensitive resources",
            lambda: [self.reaching(basis, node) for node in nodes.tolist()],
            lambda: [self.active(asked.who(0, node, node + 1)).tolist() for node in nodes.tolist()],
        )
        cut = ((tree.region == np.arange(len(tree))) & (tree.parent >= 0)).nonzero()[0]
        cut = self.random.choice(cut, size=min(SAMPLED, len(cut)), replace=False)
        self.beside(
            f"{SAMPLED} detached ones, less their parents",
            lambda: [
                sorted(set(self.reaching(basis, node)) - set(self.reaching(basis, parent)))
                for node, parent in zip(cut.tolist(), tree.parent[cut].tolist(), strict=True)
            ],
            lambda: [
                np.setdiff1d(*(self.active(asked.who(0, it, it + 1)) for it in (node, parent))).tolist()
                for node, parent in zip(cut.tolist(), tree.parent[cut].tolist(), strict=True)
            ],
        )
        asked.close()

    def beside(self, what, ours, theirs):
        """The times of both; the answers have to be the same."""
        (mine, answer), (other, found) = seconds(ours), seconds(theirs)
        if answer != found:
            raise SystemExit(f"{what}: the answers differ, so nothing is measured.")
        self.say(what, f"{mine:.2f} s; DuckDB {other / mine:.1f} times as long")

    def risk_beside(self, context, batches, asked):
        """Breadth, excess and dormancy in both, before they are rounded."""
        mine, points = seconds(lambda: self.parts_of_risk(ExcessContext(context.basis), batches))
        other, found = seconds(asked.risk)
        if not np.allclose(points, found, atol=1e-9):
            raise SystemExit("Risk: the answers differ, so nothing is measured.")
        self.say("breadth, excess and dormancy in risk", f"{mine:.2f} s; DuckDB {other / mine:.1f} times as long")

    def parts_of_risk(self, context, batches):
        risk = Risk(judged(context, batches))
        wide = context.usage.systems_of[: context.basis.people].sum(axis=1)
        idle = np.zeros(context.basis.people)
        owner = self.index.holders.owner
        np.maximum.at(idle, owner[owner >= 0], risk.idle_days[owner >= 0])
        return np.stack([wide, risk.excess_of[0] * 15, np.minimum(idle / 365, 1) * 5], axis=1)

    def node(self, duty):
        return self.index.tree.node(duty.permissions[0].pattern.target)

    def breaking(self, asked, rule):
        """The active people who break a rule of two sides, in SQL."""
        sides = []
        for duty in rule.duties:
            node = self.node(duty)
            action = made_up.ACTIONS.index(duty.permissions[0].action)
            sides.append(self.active(asked.who(action, node, int(self.index.tree.end[node]))))
        return np.intersect1d(*sides).tolist()

    def reaching(self, basis, node):
        found = who_reaches_something(self.index, np.array([node]), AT)[: basis.people]
        return (found & self.index.holders.is_active).nonzero()[0].tolist()

    def active(self, people):
        return np.sort(people[self.index.holders.is_active[people]])


def seconds(work):
    started = time.perf_counter()
    found = work()
    return time.perf_counter() - started, found


if __name__ == "__main__":
    main()
