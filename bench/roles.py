#!/usr/bin/env python3
"""Shaping roles as whole commands on a company of a million people, and suggested roles beside two general ways.

    bench/roles.py [--size 1000000] [--people 10000] [--things 2000] [--planted 120] [--whole]

First what each command takes on the company of bench/commands.py, with ten uses of one service a person. Then roles are
planted: people hold some of them, and a part of what they hold is swapped for something else. What is suggested stands
beside a plain greedy cover by what people hold, and beside the largest frequent itemsets of a general library, by the
same measure, on the same grants. `--whole`: suggests for everybody of the company too.
"""

import argparse
import json
import os
import tempfile
import time
from multiprocessing import get_context
from pathlib import Path

import company as made_up
import numpy as np
import pandas as pd
from commands import COMMAND, NOW, apart, run
from scipy.sparse import csr_array

from kathodos.columns.csr import csr_from_lists
from kathodos.columns.dictionary import always, dictionary_column
from kathodos.ledger.hand import hand_of
from kathodos.ledger.writing import writing
from kathodos.model import kinds
from kathodos.roles.mining.cover import Cover, MiningTerms, cover_of
from kathodos.roles.mining.holdings import Kinds, kinds_of
from kathodos.workspace.workspace import Workspace

OF_ROLES = (
    kinds.SYSTEMS,
    kinds.ROLES,
    kinds.ROLE_JUNIORS,
    kinds.ACTIONS,
    kinds.ROLE_PERMISSIONS,
    kinds.RESOURCES,
)
USES_EACH = 10  # of one service, for each person
ITEMSETS_GIVE_UP = 120  # seconds
ITEMSETS_LEAST = 0.005  # share of the people who have to hold an itemset
NOISE = (0.0, 0.05, 0.2)
TOLERANCE = 0.4  # with noise
SHAPING = (
    ("role", "distil", "s1/task", "--by", made_up.SERVICE, "--dry-run"),
    ("role", "distil", "s1/task", "--trace", "uses.csv", "--dry-run"),
    ("role", "companions", "s*/*", "--into", "reads"),
    ("change", "rehearse", "reads"),
    ("role", "combine", "s0/all", "s0/r00*", "--dry-run"),
    ("role", "compare"),
    ("role", "export", "s*/*", "--to", "roles.json"),
    ("role", "grid", "--where", 'department eq "Department 1"', "--roles", "s0/r0*", "--out", "grid.csv"),
    ("chart", "roles", "--out", "roles.png"),
)


def filled(people, folder):
    """Makes the company, and ten uses of one service for each person as a file of activity."""
    uses = USES_EACH * people
    company = made_up.Company(people, uses_of_one=uses, referring=0.2)
    workspace = Workspace.create(folder)
    made_up.fill(company, workspace)
    used = workspace.frame("activity").tail(uses)[["time", "identity", "action", "resource"]]
    used.to_csv(folder / "uses.csv", index=False)


def other_side(people, folder):
    """An installation to which the company's roles are moved: nobody in it, and other entries in each tenth role."""
    company = made_up.Company(people)
    drawn = company.parts
    drawn.entry_action = np.where(drawn.entry_role % 10 == 0, 0, drawn.entry_action)
    workspace = Workspace.create(folder)
    with writing(workspace.store, workspace.keys, "gather", hand_of("bench")) as draft:
        draft.payload["source"] = "company"
        for kind, columns in made_up.kinds_of(company):
            if kind in OF_ROLES:
                made_up.put(draft, kind, columns)


class Bench:
    def __init__(self, folder):
        self.folder = folder

    def row(self, name, *words, **more):
        """Runs a command and prints its row; gives what it wrote."""
        with (self.folder / "printed").open("w") as out:
            took, memory, complaint = run([COMMAND, *words], self.folder, {"KATHODOS_ACTOR": "p0000001"}, out)
        print(f"{name:56}{took:8.2f} s {memory:8,.0f} MB  {complaint}", flush=True)
        return (self.folder / "printed").read_text(encoding="utf-8"), took


def shaping(people, scratch):
    """The commands on the company, and the move of its roles to another installation."""
    folder, other = scratch / "company", scratch / "other"
    began = time.perf_counter()
    apart(filled, people, folder)
    apart(other_side, people, other)
    took = time.perf_counter() - began
    print(
        f"A company of {people:,} people with {USES_EACH * people:,} uses of one service, made in {took:.0f} s",
        flush=True,
    )
    bench = Bench(folder)
    bench.row("index made", "reach", "--by", "identity:p0000001", "--summary")
    bench.row("resources and roles made ready", "role", "compare", "s0/r00001", "s0/r00002")
    for words in SHAPING:
        printed, _ = bench.row(" ".join(words), *words)
        print(f"    {printed.splitlines()[0] if printed else ''}")
    (other / "roles.json").write_bytes((folder / "roles.json").read_bytes())
    there = Bench(other)
    there.row("the other side: index made", "role", "compare", "s0/r00001", "s0/r00002")
    printed, _ = there.row("role plan roles.json", "role", "plan", "roles.json")
    print(f"    {printed.splitlines()[0] if printed else ''}")


# Suggested roles beside others


class Planted:
    """Roles of four to eleven things, of which each person holds one to three; then a share of it is swapped."""

    def __init__(self, people, things, roles, noise):
        random = np.random.default_rng(1)
        self.people, self.things = people, things
        self.roles = [np.sort(random.choice(things, size=random.integers(4, 12), replace=False)) for _ in range(roles)]
        holder = np.repeat(np.arange(people), random.integers(1, 4, size=people))
        given = csr_from_lists(self.roles)
        at, thing = given.of(random.integers(roles, size=len(holder)))
        cells = np.unique(holder[at] * things + thing)
        count = int(noise * len(cells))
        kept = np.delete(cells, random.choice(len(cells), count, replace=False))
        others = random.integers(people, size=count) * things + random.integers(things, size=count)
        cells = np.unique(np.concatenate([kept, others]))
        self.rows, self.columns = cells // things, cells % things

    def kinds(self):
        return kinds_of(self.rows, self.columns, self.people, self.things)[0]

    @property
    def matrix(self):
        ones = np.ones(len(self.rows), dtype=bool)
        return csr_array((ones, (self.rows, self.columns)), shape=(self.people, self.things))

    def fill(self, folder):
        """A workspace in which each thing held is a grant."""
        people, things, row, thing = self.people, self.things, self.rows, self.columns
        names = [f"p{at:07}" for at in range(people)]
        records = {
            kinds.SYSTEMS: {"system": dictionary_column(["s0"])},
            kinds.ACTIONS: {
                "system": always("s0", 1),
                "action": dictionary_column(["use"]),
                "kind": dictionary_column(["read"]),
            },
            kinds.IDENTITIES: {"id": dictionary_column(names), "name": dictionary_column(names)},
            kinds.RESOURCES: {"resource": dictionary_column([f"s0:/t{at:04}" for at in range(things)])},
            kinds.GRANTS: {
                "grant": dictionary_column([f"G{at:08}" for at in range(len(row))]),
                "holder": made_up.column(row, [f"identity:{name}" for name in names]),
                "gives": made_up.column(thing, [f"use s0:/t{at:04}" for at in range(things)]),
            },
        }
        workspace = Workspace.create(folder)
        with writing(workspace.store, workspace.keys, "gather", hand_of("bench")) as draft:
            draft.payload["source"] = "planted"
            for kind, columns in records.items():
                made_up.put(draft, kind, columns)

    def found_again(self, roles):
        """How many of the planted roles are among some, exactly; and how many nearly (four fifths of both)."""
        some = {tuple(sorted(it)) for it in roles}
        exact = sum(tuple(role.tolist()) in some for role in self.roles)
        sets = [set(it) for it in some]
        near = sum(any(_alike(set(role.tolist()), it) >= 0.8 for it in sets) for role in self.roles)
        return exact, near


def _alike(one, other):
    return len(one & other) / len(one | other)


def priced(roles, made, terms) -> Cover:
    """What some roles come to by the measure of suggestions, each given to whom that saves something."""
    return cover_of(made.kinds(), [np.array(sorted(it)) for it in roles], terms)


def greedy(made):
    """Over and over what somebody holds of what is not covered yet, wherever others hold all of it, by most cells."""
    found = []
    held: Kinds = made.kinds()
    matrix = csr_array(held.held, dtype=np.int32)
    uncovered = np.asarray(matrix.todense(), dtype=bool)
    counts = held.counts
    sizes = np.diff(matrix.indptr)
    overlap = csr_array(matrix @ matrix.T)
    fits = csr_array((overlap.data >= sizes[overlap.tocoo().row], overlap.indices, overlap.indptr), shape=overlap.shape)
    fits.eliminate_zeros()
    best = np.full(len(sizes), np.inf)
    while True:
        at = int(np.argmax(best))
        if best[at] <= 0:
            return found
        rows = fits.indices[fits.indptr[at] : fits.indptr[at + 1]]
        things = matrix.indices[matrix.indptr[at] : matrix.indptr[at + 1]]
        part = uncovered[np.ix_(rows, things)]
        gain = float((part.sum(axis=1) * counts[rows]).sum())
        if gain < best[at]:
            best[at] = gain
            continue
        uncovered[np.ix_(rows, things)] = False
        best[at] = 0
        found.append(things.tolist())


def itemsets(made, results):
    """The largest sets of things that enough people hold together."""
    from mlxtend.frequent_patterns import fpmax

    frame = pd.DataFrame.sparse.from_spmatrix(made.matrix, columns=range(made.things))
    found = fpmax(frame, min_support=ITEMSETS_LEAST)
    results.put([sorted(map(int, it)) for it in found["itemsets"] if len(it) > 1])


def beside_others(people, things, planted, scratch):
    """The three ways on the same grants, at several shares of noise."""
    for noise in NOISE:
        made = Planted(people, things, planted, noise)
        folder = scratch / f"planted-{noise}"
        made.fill(folder)
        terms = MiningTerms(tolerance=TOLERANCE if noise else 0.0)
        print(f"{people:,} people, {things:,} things, {planted} planted roles, {noise:.0%} of what they hold swapped:")
        words = ["role", "suggest", "--format", "json", "--tolerate", str(terms.tolerance)]
        printed, took = Bench(folder).row("  role suggest", *words)
        roles = [[int(it.rsplit("/t", 1)[1]) for it in role["gives"]] for role in json.loads(printed)["roles"]]
        told(made, "suggested", roles, terms, took)
        began = time.perf_counter()
        roles = greedy(made)
        told(made, "plain greedy cover", roles, terms, time.perf_counter() - began)
        began = time.perf_counter()
        results = get_context("spawn").Queue()
        process = get_context("spawn").Process(target=itemsets, args=(made, results))
        process.start()
        try:
            roles = results.get(timeout=ITEMSETS_GIVE_UP)
        except Exception:  # it has not come to an end
            print(f"    {'frequent itemsets':24} no answer in {ITEMSETS_GIVE_UP} s")
        else:
            told(made, "frequent itemsets", roles, terms, time.perf_counter() - began)
        process.kill()
        process.join()


def for_everybody(people, scratch):
    """Roles suggested for as many people as the company has, with a role planted for each thousand."""
    folder = scratch / "everybody"
    size = people, people // 200, people // 1000, 0.05
    apart(planted_for, *size, folder)
    printed, _ = Bench(folder).row("role suggest, everybody", "role", "suggest", "--tolerate", str(TOLERANCE))
    print(f"    {printed.splitlines()[0]}")


def planted_for(people, things, roles, noise, folder):
    Planted(people, things, roles, noise).fill(folder)


def told(made, name, roles, terms, took):
    """Prints what some roles are worth."""
    found = priced(roles, made, terms)
    exact, near = made.found_again([it.tolist() for it in found.roles])
    print(
        f"    {name:24} measure {found.cost:10,.0f} (nothing bundled {found.steps[0].cost:10,.0f}), "
        f"{len(found.roles):5} of {len(roles):6,} roles, planted found {exact}, nearly {near}; {took:.1f} s",
        flush=True,
    )


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--size", type=int, default=1_000_000)
    parser.add_argument("--people", type=int, default=10_000)
    parser.add_argument("--things", type=int, default=2_000)
    parser.add_argument("--planted", type=int, default=120)
    parser.add_argument("--whole", action="store_true")
    asked = parser.parse_args()
    os.environ["KATHODOS_NOW"] = NOW
    with tempfile.TemporaryDirectory() as scratch:
        if asked.size:
            shaping(asked.size, Path(scratch))
        if asked.size and asked.whole:
            for_everybody(asked.size, Path(scratch))
        if asked.people:
            beside_others(asked.people, asked.things, asked.planted, Path(scratch))


if __name__ == "__main__":
    main()
