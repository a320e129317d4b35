"""The ways in: what somebody needs on the folders, schemas and the like above a resource to get there (step 7)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from kathodos.analysis.role_entries import Entry
from kathodos.columns.csr import Ints, distinct
from kathodos.engine.compiled.index import Index, System
from kathodos.roles.extents import Extents, permitted


def ways_in(index: Index, entries: Sequence[Entry]) -> list[Entry]:
    """The entries that the system's gates want besides, for what some entries permit to be reached.

    Of an address only the resource itself is meant to be reached; of a pattern all that it holds. For these the ways in
    are given on the same pattern as far as that holds them, else one by one.
    """
    found: list[Entry] = []
    for name in dict.fromkeys(entry.system for entry in entries):
        system = index.systems.get(name)
        if system is not None and system.gates:
            found += _of_system(index, system, [it for it in entries if it.system == name])
    return found


def _of_system(index: Index, system: System, entries: Sequence[Entry]) -> list[Entry]:
    found: dict[Entry, None] = {}
    extents = Extents(index, [entry.resource for entry in entries])
    may = permitted(index, system, entries, extents)
    for entry in entries:
        is_wild = "*" in entry.resource
        held = extents.nodes(entry.resource)
        above = ancestors(index, held if is_wild else held[:1])  # the resource itself comes before what is below it
        for kind, position in system.gates:
            if kind not in index.type_names:
                continue
            gated = above[index.types[above] == index.type_names.index(kind)]
            gated = gated[~may[position, gated - system.root]]
            if not len(gated):
                continue
            action = index.actions[int(system.actions[position])][1]
            inside = np.isin(gated, held) & is_wild
            if inside.any():
                found[Entry(entry.resource, action)] = None
            for node in gated[~inside].tolist():
                found[Entry(index.tree.addresses[node], action)] = None
    return list(found)


def ancestors(index: Index, nodes: Ints) -> Ints:
    """All that lies above some resources, each once."""
    found: list[Ints] = []
    fresh = distinct(nodes)
    while len(fresh):
        above = index.tree.parent[fresh].astype(np.int64)
        fresh = distinct(above[above >= 0])
        found.append(fresh)
    return distinct(np.concatenate(found)) if found else nodes
