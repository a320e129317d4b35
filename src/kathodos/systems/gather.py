"""The gather: what a source says now against what it said last, brought into the catalogue as one ledger entry."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
import sqlalchemy as sa

from kathodos.access.arrays import ints
from kathodos.catalogue import kinds
from kathodos.catalogue.kinds import GATHERED, PROBLEMS, Kind
from kathodos.catalogue.references import Names
from kathodos.catalogue.store import FOREVER, LEDGER, TABLES, Rows, Store, read_rows, read_source, stored_columns
from kathodos.errors import DataError
from kathodos.ledger.entries import Draft, writing
from kathodos.ledger.keys import Keys
from kathodos.systems.checking import Checked, Scalar, check_table
from kathodos.systems.tables import Folder, Problem, Table

CLOSING_A_REVIEW = "review close"


@dataclass(frozen=True)
class Difference:
    """What a gather made of one kind of record: numbers of rows."""

    kind: Kind
    came: int
    changed: int
    went: int
    same: int
    set_aside: int
    came_back: int


@dataclass(frozen=True)
class Gathered:
    """What a gather did. `entry` is its ledger number, None where nothing was new."""

    source: str
    entry: int | None
    differences: list[Difference]
    problems: list[Problem]


def gather(store: Store, keys: Keys, source: str, folder: Folder, actor: str, reason: str) -> Gathered:
    """Makes the catalogue say what the source says. Raises DataError where the source misses a table it had."""
    with writing(store, keys, "gather", actor, reason) as draft:
        names = _names_of_others(draft.connection, source)
        problems = list(folder.problems)
        present = {kind.name: read_source(draft.connection, kind, source) for kind in GATHERED}
        checked = _check(folder.tables, names, present, problems)
        _note_cycles(checked, problems)
        _miss_no_table(folder.tables, present, source)
        differences = []
        for kind in GATHERED:
            if kind.name in checked:
                taken = _taken_away(draft.connection, kind, source)
                differences.append(_bring(draft, checked[kind.name], present[kind.name], source, taken))
        _keep_problems(draft, problems, source)
        draft.subjects.append(f"source:{source}")
        draft.payload |= {
            "source": source,
            "digest": folder.digest,
            "counts": {
                difference.kind.name: [difference.came, difference.changed, difference.went]
                for difference in differences
            },
        }
        number = None if draft.is_empty else draft.number
    return Gathered(source, number, differences, problems)


def _names_of_others(connection: sa.Connection, source: str) -> Names:
    """What the catalogue holds from other sources, for this one to point at."""
    names = Names()
    for kind in GATHERED:
        if not kind.a_log:
            rows = read_rows(connection, kind)
            keys = rows.record_keys()
            if kind is kinds.RESOURCES:
                names.add_addresses(address for (address,) in keys)
            names.add(kind, (key for key, owner in zip(keys, rows["source"], strict=True) if owner != source))
    return names


def _check(
    tables: Sequence[Table], names: Names, present: dict[str, Rows], problems: list[Problem]
) -> dict[str, Checked]:
    """All tables checked, in the order in which one may point at another; anything may point at an identity."""
    others = {name: set(known) for name, known in names.of.items()}
    people = next((table for table in tables if table.kind is kinds.IDENTITIES), None)
    if people:
        names.add(kinds.IDENTITIES, ((name,) for name in people.cells["id"] if name))
    resources = next((table for table in tables if table.kind is kinds.RESOURCES), None)
    names.add_addresses(cell for cell in resources.cells["resource"] if cell) if resources else None
    names.add_addresses(f"{system}:/" for table in tables for system in table.cells.get("system", ()) if system)
    checked = {}
    for table in tables:
        result = check_table(table, names)
        _set_aside_what_others_bring(result, table.file, others[table.kind.name])
        standing = set(present[table.kind.name].record_keys())
        names.add(table.kind, result.aside & standing)
        for key in result.aside - result.rows.keys() - standing:
            names.set_aside(table.kind, key, f"the row in {table.file}")
        problems += result.problems
        checked[table.kind.name] = result
    return checked


def _set_aside_what_others_bring(result: Checked, file: str, others: set[str]) -> None:
    for key in [key for key in result.rows if "/".join(map(str, key)) in others]:
        line = result.lines[key]
        reason, remedy = "another source already brings this record", "Take it out of one of the two sources."
        named = " ".join(map(str, key))
        result.problems.append(Problem(file, line, result.kind.key[-1], named, reason, remedy))
        result.aside.add(key)
        del result.rows[key]


def _miss_no_table(tables: Sequence[Table], present: dict[str, Rows], source: str) -> None:
    there = {table.kind.name for table in tables}
    for name, rows in present.items():
        if len(rows) and name not in there:
            raise DataError(
                f"The source {source} has no {name}.csv any more, but the catalogue holds {len(rows)} rows of it. "
                "Nothing was changed.",
                "Put the file back; if all of it is meant to go, give the file with its header line only.",
            )


def _bring(draft: Draft, checked: Checked, present: Rows, source: str, taken: set[tuple[Scalar, ...]]) -> Difference:
    """Opens and closes the rows of one kind, so that the catalogue says what the source says."""
    kind = checked.kind
    held = dict(zip(present.record_keys(), zip(present.ids, present.values(), strict=True), strict=True))
    came = [key for key in checked.rows if key not in held]
    changed = [key for key, row in checked.rows.items() if key in held and held[key][1] != row]
    went = [] if kind.a_log else [key for key in held if key not in checked.rows and key not in checked.aside]
    draft.close_rows(kind, sorted(held[key][0] for key in (*changed, *went)))
    draft.open_rows(kind, [checked.rows[key] for key in (*changed, *came)], source)
    aside = sum(problem.outcome == "set aside" for problem in checked.problems)
    same = len(checked.rows) - len(came) - len(changed)
    return Difference(kind, len(came), len(changed), len(went), same, aside, sum(key in taken for key in came))


def _taken_away(connection: sa.Connection, kind: Kind, source: str) -> set[tuple[Scalar, ...]]:
    """The keys of rows that the closing of a review ended."""
    table = TABLES[kind.name]
    columns = [column for column in stored_columns(kind) if column.name.rstrip("_") in kind.key]
    query = sa.select(*columns).join(LEDGER, LEDGER.c.number == table.c.until)
    found = connection.execute(
        query.where(LEDGER.c.kind == CLOSING_A_REVIEW, table.c.source == source, table.c.until != FOREVER)
    )
    return {tuple(row) for row in found}


def _keep_problems(draft: Draft, problems: list[Problem], source: str) -> None:
    """Keeps the problems of this gather in place of those of the last one."""
    present = read_source(draft.connection, PROBLEMS, source)
    rows = {_values(problem) for problem in problems}
    held = dict(zip(present.values(), present.ids, strict=True))
    draft.close_rows(PROBLEMS, sorted(held[row] for row in held.keys() - rows))
    draft.open_rows(PROBLEMS, sorted(rows - held.keys()), source)


def _values(problem: Problem) -> tuple[str | int, ...]:
    clean = replace(problem, value=problem.value.encode("utf-8", "replace").decode())
    return tuple(getattr(clean, column.name) for column in PROBLEMS.columns)


def _note_cycles(checked: dict[str, Checked], problems: list[Problem]) -> None:
    """Notes groups and roles that contain one another; this is legal and answered, but seldom meant."""
    for name, of_edge in (("members", _group_edge), ("role_juniors", _role_edge)):
        if name in checked:
            edges = [(*edge, key) for key in checked[name].rows if (edge := of_edge(key))]
            for cycle, key in _cycles(edges):
                file = f"{name}.csv"
                shown = " > ".join([*cycle[:6], *(["..."] if len(cycle) > 6 else []), cycle[0]])
                reason = f"a cycle: {shown}; all of them come to mean the same"
                remedy = "Take one of these rows out if it is not meant."
                line = checked[name].lines[key]
                problems.append(Problem(file, line, checked[name].kind.key[-1], str(key[-1]), reason, remedy, "noted"))


def _group_edge(key: tuple[Scalar, ...]) -> tuple[str, str] | None:
    system, group, member = map(str, key)
    return (f"{system}/{group}", member.removeprefix("group:")) if member.startswith("group:") else None


def _role_edge(key: tuple[Scalar, ...]) -> tuple[str, str]:
    system, role, junior = map(str, key)
    return f"{system}/{role}", junior.removeprefix("role:")


def _cycles(edges: Iterable[tuple[str, str, tuple[Scalar, ...]]]) -> Iterator[tuple[list[str], tuple[Scalar, ...]]]:
    """Each set of names that lead back to themselves, in the order of one way round, with the key of one such edge."""
    edges = list(edges)
    number: dict[str, int] = {}
    for first, second, _ in edges:
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
    for label in np.unique(component[tops[inside]]):
        mine = inside[component[tops[inside]] == label]
        onward = {int(tops[at]): int(ends[at]) for at in mine.tolist()[::-1]}
        way, at = [], int(tops[mine[0]])
        while at not in way:
            way.append(at)
            at = onward[at]
        yield [names[step] for step in way[way.index(at) :]], edges[int(mine[0])][2]
