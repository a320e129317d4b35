#!/usr/bin/env python3
"""How the engine does on organisations of 10 thousand to 1 million identities, against general-purpose tools.

    bench/scale.py [--sizes 10000,100000,1000000] [--only alike|unlike]

Of each size two organisations are made: one in which people of a position share their groups, one in which no two
people are alike. The same questions are put to us, to DuckDB and PostgreSQL (recursive SQL) and to networkx (a graph);
an answer that differs ends the run before any time is printed. Where a peer is too slow for the whole, it gets a part
and its rate is given.
"""

import argparse
import itertools
import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import organisation as made_up
import peers

from kathodos.analysis.basis import Basis
from kathodos.engine import everyone
from kathodos.engine.reach import what_reached_by, who_reaches
from kathodos.engine.redundant import redundant_grants
from kathodos.findings.conflicts.states import who_breaks
from kathodos.model.toml import TomlText
from kathodos.output.parquet import write_pairs
from kathodos.report.reach import NumberedPairs
from kathodos.rules.reading import read_rules
from kathodos.workspace.saved_index import index_at
from kathodos.workspace.workspace import Workspace

AT = 1_767_225_600_000_000  # 2026-01-01
NOW = "2026-01-01T00:00:00Z"
QUESTIONS, RULES = 200, 200
PATIENCE = 20.0  # seconds that a peer gets for one kind of question
PROGRAM = Path(sys.executable).parent / "kathodos"
COMPILE = """
import re, sys, time
from kathodos.workspace.workspace import Workspace
with Workspace.find(sys.argv[1]).view() as view:
    started = time.perf_counter()
    view.index
    took = time.perf_counter() - started
    print(took, int(re.search(r"VmHWM:\\s+(\\d+)", open("/proc/self/status").read())[1]) / 1024)
"""


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sizes", default="10000,100000,1000000")
    parser.add_argument("--only", choices=("alike", "unlike"))
    asked = parser.parse_args()
    sizes = [int(size) for size in asked.sizes.split(",")]
    for kind in ("alike", "unlike") if asked.only is None else (asked.only,):
        found = {}
        for size in sizes:
            with tempfile.TemporaryDirectory() as scratch:
                Path(scratch).chmod(0o755)
                found[size] = Run(size, kind == "alike", Path(scratch)).measure()
        grown(found)
    return 0


class Run:
    """One organisation, and everything measured on it."""

    def __init__(self, size, alike, scratch):
        self.scratch = scratch
        self.organisation = made_up.make(size, alike)
        self.workspace = Workspace.create(scratch / "organisation")
        self.file = self.workspace.store.files[0]
        made_up.fill_store(self.organisation, self.file)
        self.title = f"{size:,} identities, {'alike' if alike else 'no two alike'}"
        self.random = np.random.default_rng(7)
        self.times = {}

    def say(self, what, text):
        print(f"  {what:<46} {text}", flush=True)

    def measure(self):
        organisation = self.organisation
        print(
            f"\n{self.title}: {len(organisation.member):,} memberships, {len(organisation.grant):,} grants", flush=True
        )
        environment = {**os.environ, "KATHODOS_NOW": NOW}
        done = subprocess.run(
            [sys.executable, "-c", COMPILE, str(self.workspace.folder)], capture_output=True, text=True, env=environment
        )
        took, memory = map(float, done.stdout.split())
        self.times["compile"] = took
        self.say("compile from the store", f"{took:.1f} s, {memory:,.0f} MB")
        with self.workspace.view() as view:
            self.index = view.index
            size = self.workspace.store.computed.file("index").stat().st_size
            took = seconds(lambda: index_at(view.histories, None))[0]
            self.say("open the saved index", f"{took * 1e3:.0f} ms, {size / 1e6:,.0f} MB on disk")
        self.frames = peers.tables(organisation, self.index)
        self.questions()
        self.rules()
        self.everything()
        took, found = seconds(lambda: redundant_grants(self.index, AT))
        self.times["redundant"] = took
        self.say("redundant grants, all decided", f"{took:.1f} s: {len(found.grants):,} of {len(self.index.grants):,}")
        self.cold(environment)
        self.change()
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        self.say("(memory of this process, peers included)", f"{peak:,.0f} MB")
        return self.times

    # The questions

    def questions(self):
        """One question at a time with the index open: ours all, the peers' as many as they get through."""
        index, tree = self.index, self.index.tree
        nodes = self.random.integers(len(tree), size=QUESTIONS).tolist()
        actions = self.random.integers(len(made_up.ACTIONS), size=QUESTIONS).tolist()
        self.people = self.random.choice(index.holders.people, size=QUESTIONS, replace=index.holders.people < QUESTIONS)
        who = [(node, self.number(node, action)) for node, action in zip(nodes, actions, strict=True)]
        ours_who, answers = each(lambda node, action: who_reaches(index, node, action, AT).nonzero()[0], who)
        ours_what, reached = each(lambda one: what_reached_by(index, one, AT), [(int(one),) for one in self.people])
        self.times |= {"who": statistics.median(ours_who), "what": statistics.median(ours_what)}
        self.say(
            "who reaches one resource", spread_of(ours_who) + f", {np.mean([len(it) for it in answers]):,.0f} people"
        )
        self.say(
            "what one identity reaches",
            spread_of(ours_what) + f", {np.mean([counted(it) for it in reached]):,.0f} pairs",
        )
        asked = [(action, node, node + 1) for node, action in zip(nodes, actions, strict=True)]
        for peer in self.peers():
            took, theirs = each(peer.who, asked, limit=PATIENCE)
            for mine, yours in zip(answers, theirs, strict=False):
                same(mine.tolist(), np.sort(yours).tolist(), f"{peer.name}: who reaches")
            self.ratio("who reaches one resource", peer, statistics.median(took), statistics.median(ours_who))
            if not isinstance(peer, peers.Graph):
                self.what_of(peer, reached, ours_what)
            peer.close()

    def what_of(self, peer, reached, ours):
        took = []
        for one, mine in zip(self.people[:15].tolist(), reached, strict=False):
            peer.set_sample([one])
            spent, pairs = seconds(peer.what)
            took.append(spent)
            same(pairs, counted(mine), f"{peer.name}: what one reaches")
            if sum(took) > PATIENCE:
                break
        self.ratio("what one identity reaches", peer, statistics.median(took), statistics.median(ours))

    def peers(self):
        yield peers.Duck(self.frames)
        yield peers.Postgres(self.frames, self.scratch / "postgres")
        if len(self.frames["member"]) < 2_000_000:
            yield peers.Graph(self.frames)
        else:
            self.say("  networkx", "left out: a graph of 7 million memberships does not fit beside the others")

    def number(self, node, action):
        system = self.index.system_of(node)
        return self.index.action_number[system.name, made_up.ACTIONS[action]]

    def ratio(self, what, peer, theirs, ours):
        self.say(f"  {peer.name}: {what}", f"{theirs * 1e3:,.1f} ms, {theirs / ours:,.1f} times ours")

    # Rules, everything

    def rules(self):
        """200 rules of two duties each over everyone; the peers are asked for the duties of some of them."""
        index = self.index
        entries = self.organisation.entry
        chosen = entries[self.random.choice(len(entries), size=RULES * 2, replace=len(entries) < RULES * 2)]
        addresses = self.organisation.addresses()
        duties = [(int(action), addresses[node]) for _, action, node, _, _ in chosen.tolist()]
        rules = [_rule(at, duties[2 * at : 2 * at + 2]) for at in range(RULES)]
        parsed = read_rules([TomlText("bench.toml", {"topic": "bench", "conflict": rules}, "")]).conflicts
        with self.workspace.view() as view:
            took, found = seconds(lambda: who_breaks(Basis(view.stored, index, AT), parsed))
        self.times["rules"] = took
        self.say(
            f"{RULES} conflict rules over everyone",
            f"{took:.2f} s, {sum(len(it.askers) for it in found):,} conflicts",
        )
        numbers = {address: at for at, address in enumerate(index.tree.addresses)}
        peer, theirs, count = peers.Duck(self.frames), 0.0, 0
        for at in range(10):
            if theirs > PATIENCE:
                break
            sides = []
            for action, address in duties[2 * at : 2 * at + 2]:
                node = numbers[address]
                spent, holders = seconds(lambda a=action, n=node: peer.who(a, n, int(index.tree.end[n])))
                theirs, count = theirs + spent, count + 1
                sides.append(set(holders.tolist()))
            mine = set(found[at].askers.tolist())
            same(mine, sides[0] & sides[1], "DuckDB: a conflict rule")
        peer.close()
        whole = theirs / count * RULES * 2
        self.say(
            f"  DuckDB: the same (from {count // 2} of the rules)", f"{whole:,.1f} s, {whole / took:,.0f} times ours"
        )

    def everything(self):
        index = self.index
        took, (_, pairs) = seconds(lambda: everyone.count_pairs(index, AT))
        rate = pairs.sum() / took
        self.times["everything"] = took
        self.say(
            "everyone's everything, counted", f"{took:.1f} s: {pairs.sum():,} pairs, {rate / 1e6:,.0f} million a second"
        )
        sample = self.random.choice(index.holders.people, size=min(500, index.holders.people), replace=False)
        peer = peers.Duck(self.frames)
        peer.set_sample(sample)
        spent, theirs = seconds(peer.count)
        same([theirs.get(one, 0) for one in sample.tolist()], pairs[sample].tolist(), "DuckDB: everything")
        their_rate = pairs[sample].sum() / spent
        text = f"{their_rate / 1e6:,.1f} million a second, ours {rate / their_rate:,.0f} times as many"
        self.say(f"  DuckDB: of {len(sample):,} people", text)
        written, spent = seconds(lambda: peer.to_parquet(self.scratch / "theirs.parquet"))[0], 0.0
        their_rate = pairs[sample].sum() / written
        peer.close()
        some = self.stream(20_000_000 if index.holders.people > 10_000 else 10**12)
        text = f"{some / 1e6:,.0f} million a second, DuckDB (of its sample) {their_rate / 1e6:,.1f}"
        self.say("everyone's everything, to Parquet", text)

    def stream(self, most):
        """How many pairs a second go to Parquet, of the first so many."""
        index = self.index

        def blocks():
            done = 0
            for block in everyone.stream_pairs(index, AT):
                yield block
                done += len(block[0])
                if done > most:
                    return

        who = [f"identity:{name}" for name in index.holders.identities]
        pairs = NumberedPairs(blocks(), who, [name for _, name in index.actions], list(index.tree.addresses))
        next(everyone.stream_pairs(index, AT))
        started = time.perf_counter()
        count = write_pairs(self.scratch / "ours.parquet", pairs)
        return count / (time.perf_counter() - started)

    # As a command; after a change

    def cold(self, environment):
        """A whole process with a question, against the import of numpy and scipy."""
        name, address = self.index.holders.identities[int(self.people[0])], self.index.tree.addresses[1234]
        words = [PROGRAM, "reach", "--by", name, "--on", address, "--do", "view"]
        floor = [sys.executable, "-c", "import numpy, scipy.sparse"]
        took = {"floor": [], "ours": []}
        for _ in range(7):
            for which, command in (("floor", floor), ("ours", words)):
                spent, done = seconds(
                    lambda command=command: subprocess.run(
                        command, cwd=self.workspace.folder, env=environment, capture_output=True
                    )
                )
                assert done.returncode in (0, 1), done.stderr
                took[which].append(spent)
        floor, ours = (statistics.median(took[which]) for which in ("floor", "ours"))
        self.times["cold"] = ours
        self.say(
            "a question as a whole process", f"{ours:.2f} s, {ours / floor:.2f} times the import of numpy and scipy"
        )

    def change(self):
        """100 grants more in the store, and the next question."""
        organisation = self.organisation
        for entry, kind in ((2, "to groups, of roles"), (3, "to people, of new permissions")):
            people = self.random.choice(organisation.identities, size=100)
            groups = self.random.integers(
                organisation.identities, organisation.identities + organisation.groups, size=100
            )
            nodes = self.random.integers(made_up.SYSTEMS, len(organisation.parent), size=100)
            roles = self.random.integers(organisation.roles, size=100)
            none, some = np.full(100, -1), np.zeros(100, dtype=int)
            columns = (groups, roles, none, none, some) if entry == 2 else (people, none, some, nodes, some)
            made_up.give_more(organisation, self.file, np.stack(columns, axis=1), entry)
            with self.workspace.view() as view:
                took, changed = seconds(lambda view=view: view.index)
                spent, _ = seconds(lambda changed=changed: what_reached_by(changed, int(self.people[0]), AT))
            self.times[f"change {entry}"] = took + spent
            self.say(f"100 grants {kind}, and the next answer", f"{took + spent:.2f} s, the new index saved")


def _rule(at, duties):
    sides = [
        {"name": f"side {side}", "any": [f"{made_up.ACTIONS[action]} {address.rstrip('/')}/**"]}
        for side, (action, address) in enumerate(duties)
    ]
    return {"id": f"R-{at}", "title": "bench", "severity": "low", "duty": sides}


def each(answer, questions, limit=60.0):
    """The time of each question, and the answers, as far as the limit in seconds goes."""
    took, answers = [], []
    for question in questions:
        spent, found = seconds(lambda question=question: answer(*question))
        took.append(spent)
        answers.append(found)
        if sum(took) > limit:
            break
    return took, answers


def seconds(work):
    started = time.perf_counter()
    found = work()
    return time.perf_counter() - started, found


def spread_of(took):
    ordered = sorted(took)
    return f"median {ordered[len(ordered) // 2] * 1e3:.2f} ms, p95 {ordered[int(len(ordered) * 0.95)] * 1e3:.2f} ms"


def counted(reached):
    return sum(found.count for found in reached)


def same(mine, theirs, what):
    if mine != theirs:
        raise SystemExit(f"The answers differ, so nothing is measured: {what}\n{mine}\n{theirs}"[:2000])


def grown(found):
    """How much longer each thing takes from one size to the next: with ten times the identities, 10 is linear."""
    sizes = sorted(found)
    for small, large in itertools.pairwise(sizes):
        ratios = ", ".join(f"{what} {found[large][what] / found[small][what]:.1f}" for what in found[large])
        print(f"\nFrom {small:,} to {large:,} identities ({large / small:g} times): {ratios}", flush=True)


if __name__ == "__main__":
    sys.exit(main())
