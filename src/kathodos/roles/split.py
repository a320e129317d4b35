"""A role taken apart: by system, by area, or so that no part by itself breaks a rule, in as few parts as can be."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.role_entries import DENY, Entry
from kathodos.columns.csr import Ints
from kathodos.engine.compiled.index import Index, System
from kathodos.errors import CallError
from kathodos.findings.conflicts.cure_program import Program
from kathodos.roles.extents import Extents
from kathodos.rules.reading import Conflicting, Permission
from kathodos.rules.targets import PermissionTargets

_SECONDS = 30.0
_Term = tuple[str, str | None, int, int]  # rule, value, duty, which of the things that it asks for


class Split(msgspec.Struct, frozen=True):
    """Parts by name, each with its entries. `fewest`: how few parts there have to be at least; 0 where nothing asks."""

    parts: Mapping[str, Sequence[Entry]]
    fewest: int = 0
    rules: Sequence[str] = msgspec.field(default_factory=tuple)


def by_system(entries: Sequence[Entry]) -> Split:
    """A part for each system that the entries are of."""
    found: dict[str, list[Entry]] = {}
    for entry in entries:
        found.setdefault(entry.system, []).append(entry)
    return Split(found)


def by_area(index: Index, entries: Sequence[Entry], areas: Mapping[str, Ints]) -> Split:
    """A part for each area, given by the resources that it holds; what lies in none, or in several, is the rest."""
    extents = Extents(index, [entry.resource for entry in entries])
    found: dict[str, list[Entry]] = {}
    for entry in entries:
        nodes = extents.nodes(entry.resource)
        within = [name for name, held in areas.items() if len(nodes) and np.isin(nodes, held).all()]
        found.setdefault(within[0] if len(within) == 1 else "rest", []).append(entry)
    return Split(found)


def by_rules(basis: Basis, entries: Sequence[Entry], rules: Sequence[Conflicting]) -> Split:
    """As few parts as can be, of which none by itself holds too many duties of a rule.

    What stands in the way of an entry (a denial, a gate) is not counted on; denials go into every part. Raises
    CallError where the role breaks no rule, or where one entry alone does.
    """
    permits = [it for it in entries if it.effect != DENY]
    denies = [it for it in entries if it.effect == DENY]
    duties = _Bearing(basis, permits, rules)
    if not duties.broken(range(len(permits))):
        raise CallError("The role by itself breaks no rule.", "There is nothing to take apart.")
    for at, entry in enumerate(permits):
        broken = duties.broken([at])
        if broken:
            what = f"The entry {entry.text} by itself breaks {', '.join(broken)}, in whatever part it is."
            raise CallError(what, "Narrow it first.")
    broken_before = duties.broken(range(len(permits)))
    groups = duties.alike()
    greedy = _greedily(duties, groups)
    parts, fewest = _least(duties, groups, greedy)
    named = {str(number): [permits[at] for at in sorted(some)] + denies for number, some in enumerate(parts, 1)}
    return Split(named, fewest, broken_before)


class _Bearing:
    """Which entries bear on which duties of rules, by the value on which they count together."""

    def __init__(self, basis: Basis, entries: Sequence[Entry], rules: Sequence[Conflicting]) -> None:
        self.index = basis.index
        self.count = len(entries)
        self.targets = PermissionTargets(basis)
        self.extents = Extents(basis.index, [entry.resource for entry in entries])
        self.thresholds = {rule.id: rule.threshold for rule in rules}
        self.needs: dict[_Term, set[int]] = {}  # the entries with which one of the things that a duty asks for is had
        self.sizes: dict[tuple[str, int], int] = {}  # how many things a duty asks for
        for rule in rules:
            for number, duty in enumerate(rule.duties):
                asked: list[Sequence[Permission]] = [duty.permissions] if duty.permissions else []
                asked += [(one,) for one in duty.every]
                self.sizes[rule.id, number] = len(asked)
                for position, some in enumerate(asked):
                    self._note(basis, rule, number, position, some, entries)

    def _note(
        self,
        basis: Basis,
        rule: Conflicting,
        duty: int,
        position: int,
        permissions: Sequence[Permission],
        entries: Sequence[Entry],
    ) -> None:
        for permission in permissions:
            actions, nodes = self.targets.of_permission(permission)
            for at, entry in enumerate(entries):
                if entry.system != permission.pattern.system or not self._does(entry, actions):
                    continue
                both = np.intersect1d(nodes, self.extents.nodes(entry.resource))
                for value in self._values(rule.within, both):
                    self.needs.setdefault((rule.id, value, duty, position), set()).add(at)

    def _does(self, entry: Entry, actions: Sequence[int]) -> bool:
        """Whether an entry permits one of some actions of its system."""
        system: System = self.index.systems[entry.system]
        if entry.action == "*":
            return bool(actions)
        number = self.index.action_number.get((entry.system, entry.action))
        if number is None:
            return False
        covered = system.actions[system.covers[int(number - system.actions[0])]]
        return bool(np.isin(actions, covered).any())

    def _values(self, within: str | None, nodes: Ints) -> set[str | None]:
        if not len(nodes):
            return set()
        return set(self.targets.by_value(nodes, within))

    def held(self, entries: Sequence[int] | range) -> dict[tuple[str, str | None], int]:
        """How many duties of each rule are held by whoever has these entries, by value."""
        mine = set(entries)
        had: dict[tuple[str, str | None, int], int] = {}
        for (rule, value, duty, _), some in self.needs.items():
            if some & mine:
                had[rule, value, duty] = had.get((rule, value, duty), 0) + 1
        found: dict[tuple[str, str | None], int] = {}
        for (rule, value, duty), count in had.items():
            if count == self.sizes[rule, duty]:
                found[rule, value] = found.get((rule, value), 0) + 1
        return found

    def broken(self, entries: Sequence[int] | range) -> list[str]:
        """The rules that whoever has these entries breaks."""
        held = self.held(entries)
        return sorted({rule for (rule, _), count in held.items() if count >= self.thresholds[rule]})

    def alike(self) -> list[list[int]]:
        """The entries that bear on the same duties, together; those that bear on none first."""
        bears: dict[int, set[_Term]] = {at: set() for at in range(self.count)}
        for term, some in self.needs.items():
            for at in some:
                bears[at].add(term)
        found: dict[frozenset[_Term], list[int]] = {}
        for at, terms in bears.items():
            found.setdefault(frozenset(terms), []).append(at)
        return sorted(found.values(), key=lambda some: (bool(bears[some[0]]), some))


def _greedily(duties: _Bearing, groups: Sequence[Sequence[int]]) -> list[list[int]]:
    """Each group into the first part that does not break a rule with it."""
    parts: list[list[int]] = []
    for group in groups:
        fit = next((part for part in parts if not duties.broken([*part, *group])), None)
        if fit is None:
            parts.append(list(group))
        else:
            fit.extend(group)
    return parts


def _least(duties: _Bearing, groups: Sequence[Sequence[int]], greedy: list[list[int]]) -> tuple[list[list[int]], int]:
    """The fewest parts, and how few there have to be at least; two are the fewest where one breaks a rule."""
    if len(greedy) <= 2:  # one part is too few, or there would be nothing to take apart
        return greedy, len(greedy)
    most = len(greedy)
    program = Program()
    used = [program.variable(1.0, 0.0, 0) for _ in range(most)]
    place = [[program.variable(0.0, 0.0, 0) for _ in range(most)] for _ in groups]
    group_of = {at: number for number, group in enumerate(groups) for at in group}
    for own in place:
        program.at_least(1.0, [(variable, 1.0) for variable in own])
        for part in range(most):
            program.at_least(0.0, [(used[part], 1.0), (own[part], -1.0)])
    for part in range(1, most):
        program.at_least(0.0, [(used[part - 1], 1.0), (used[part], -1.0)])
    for part in range(most):
        _forbid_breaking(program, duties, group_of, [own[part] for own in place])
    done = program.solved(program.costs, _SECONDS)
    fewest = int(np.ceil(done.bound - 1e-6)) if done.is_found else 2
    if not done.is_found or round(done.objective) >= most:
        return greedy, min(fewest, most)
    parts: list[list[int]] = [[] for _ in range(most)]
    for own, group in zip(place, groups, strict=True):
        parts[int(np.argmax(done.values[own]))].extend(group)
    return [part for part in parts if part], fewest


def _forbid_breaking(program: Program, duties: _Bearing, group_of: Mapping[int, int], inside: Sequence[int]) -> None:
    """In one part no rule has as many duties held as break it. `inside`: the variable of each group in that part."""
    held: dict[tuple[str, str | None], list[int]] = {}
    had: dict[tuple[str, str | None, int], list[int]] = {}
    for (rule, value, duty, _), some in duties.needs.items():
        variable = program.variable(0.0, 0.0, 0)
        for group in sorted({group_of[at] for at in some}):
            program.at_least(0.0, [(variable, 1.0), (inside[group], -1.0)])
        had.setdefault((rule, value, duty), []).append(variable)
    for (rule, value, duty), variables in had.items():
        if len(variables) < duties.sizes[rule, duty]:
            continue  # something that the duty asks for is not had by any entry
        whole = program.variable(0.0, 0.0, 0)
        terms = [(variable, -1.0) for variable in variables]
        program.at_least(1.0 - len(variables), [(whole, 1.0), *terms])
        held.setdefault((rule, value), []).append(whole)
    for (rule, _), wholes in held.items():
        most = duties.thresholds[rule] - 1
        if len(wholes) > most:
            program.at_least(-float(most), [(whole, -1.0) for whole in wholes])
