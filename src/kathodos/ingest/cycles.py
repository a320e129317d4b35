"""Groups and roles that contain one another: legal, answered, and seldom meant."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from kathodos.columns.csr import distinct, ints
from kathodos.columns.dictionary import Scalar, rows_of
from kathodos.formats.raw import NOTED, Problem
from kathodos.ingest.checking import Checked
from kathodos.model.references import name_in


def note_cycles(checked: Mapping[str, Checked], problems: list[Problem]) -> None:
    """Notes groups and roles that contain one another; this is legal and answered, but seldom meant."""
    for name, of_edge in (("members", _group_edge), ("role_juniors", _role_edge)):
        if name in checked:
            keys, lines = checked[name].keys(), checked[name].lines
            leads = [name == "role_juniors" or str(value).startswith("group:") for value in keys[-1].values]
            where = np.array([*leads, False])[keys[-1].codes].nonzero()[0]
            rows = zip(where.tolist(), rows_of(keys, where), strict=True)
            edges = [(*of_edge(key), at, str(key[-1])) for at, key in rows]
            for cycle, at, value in _cycles(edges):
                file = f"{name}.csv"
                shown = " > ".join([*cycle[:6], *(["..."] if len(cycle) > 6 else []), cycle[0]])
                reason = f"a cycle: {shown}; all of them come to mean the same"
                remedy = "Take one of these rows out if it is not meant."
                line = int(lines[at])
                problems.append(Problem(file, line, checked[name].kind.key[-1], value, reason, remedy, NOTED))


def _group_edge(key: tuple[Scalar, ...]) -> tuple[str, str]:
    system, group, member = map(str, key)
    return f"{system}/{group}", name_in("group", member)


def _role_edge(key: tuple[Scalar, ...]) -> tuple[str, str]:
    system, role, junior = map(str, key)
    return f"{system}/{role}", name_in("role", junior)


def _cycles(edges: Sequence[tuple[str, str, int, str]]) -> Iterator[tuple[list[str], int, str]]:
    """Each set of names that lead back to themselves, in the order of one way round, with one such edge's place."""
    number: dict[str, int] = {}
    for first, second, *_ in edges:
        number.setdefault(first, len(number))
        number.setdefault(second, len(number))
    if not edges:
        return
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    tops, ends = ints(number[edge[0]] for edge in edges), ints(number[edge[1]] for edge in edges)
    graph = coo_array((np.ones(len(edges), dtype=bool), (tops, ends)), shape=(len(number), len(number)))
    _, component = connected_components(graph.tocsr(), connection="strong")
    inside = (component[tops] == component[ends]).nonzero()[0]
    names = list(number)
    for label in distinct(component[tops[inside]]):
        mine = inside[component[tops[inside]] == label]
        onward = {int(tops[at]): int(ends[at]) for at in mine.tolist()[::-1]}
        way, at = [], int(tops[mine[0]])
        while at not in way:
            way.append(at)
            at = onward[at]
        yield [names[step] for step in way[way.index(at) :]], *edges[int(mine[0])][2:]
