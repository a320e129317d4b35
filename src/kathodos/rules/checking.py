"""Rules checked against the catalogue: what can never match, duties that one and the same access gives, duplicates."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Ints
from kathodos.model.suggestions import nearest
from kathodos.rules.reading import Conflicting, Duty, Fence, Need, Permission, Rule, Rules
from kathodos.rules.targets import PermissionTargets

FAULT, NOTE = "fault", "note"


class Remark(msgspec.Struct, frozen=True):
    """What is wrong with a rule (a fault), or worth knowing about it (a note), and what to do."""

    rule: str
    file: str
    kind: str
    what: str
    remedy: str


def check_rules(basis: Basis, rules: Rules) -> list[Remark]:
    """Everything that there is to say about the rules, by rule."""
    checker = _Checker(basis)
    found = [remark for rule in rules.every() for remark in checker.of(rule)]
    found += checker.duplicates(rules.conflicts)
    found += checker.unused(rules)
    return found


class _Checker:
    def __init__(self, basis: Basis) -> None:
        self.basis = basis
        self.index = basis.index
        self.targets = PermissionTargets(basis)

    def of(self, rule: Rule) -> Iterator[Remark]:
        """The remarks on one rule."""
        for what, remedy in self._filters(rule):
            yield Remark(rule.id, rule.file, FAULT, what, remedy)
        if isinstance(rule, Conflicting):
            yield from self._conflict(rule)
        else:
            permissions = rule.never if isinstance(rule, Fence) else rule.permissions if isinstance(rule, Need) else ()
            for permission in permissions:
                for what, remedy in self._permission(permission):
                    yield Remark(rule.id, rule.file, FAULT, what, remedy)

    def _conflict(self, rule: Conflicting) -> Iterator[Remark]:
        for duty in rule.duties:
            if not duty.is_mapped:
                what = f"the duty {duty.name!r} stands for nothing here, so that the rule cannot be broken by it"
                yield Remark(
                    rule.id, rule.file, NOTE, what, "Say in rules/duties.toml what gives it, if anything does."
                )
            for permission in (*duty.permissions, *duty.every):
                for what, remedy in self._permission(permission):
                    yield Remark(rule.id, rule.file, FAULT, f"{what} (duty {duty.name!r})", remedy)
        if rule.within and not self.basis.node(rule.within).values:
            what = f"no resource has the attribute {rule.within!r} of within, so that the rule can never be broken"
            yield Remark(rule.id, rule.file, FAULT, what, nearest(rule.within, self.basis.resource_attributes()))
        for first, second in itertools.combinations(rule.duties, 2):
            if shared := self._overlap(first, second):
                what = f"the duties {first.name!r} and {second.name!r} overlap: {shared}"
                remedy = "Whoever has that is in conflict by one permission; make the duties exclude each other."
                yield Remark(rule.id, rule.file, FAULT, what, remedy)

    def _filters(self, rule: Rule) -> Iterator[tuple[str, str]]:
        """What is wrong with the filters over identities that a rule has."""
        named = [("except", rule.excepted)] + ([("who", rule.who)] if isinstance(rule, Fence | Need) else [])
        known = self.basis.filtered
        for key, node in named:
            for name in sorted(node.attributes()) if node is not None else ():
                if not known.has(name):
                    yield f"no identity has the attribute {name!r} of {key}", nearest(name, sorted(known.known()))
                    break
            else:
                if node is not None and key == "who" and not self.basis.selected(node).any():
                    yield f"{key} selects nobody", "Correct the filter, or take the rule away."

    def _permission(self, permission: Permission) -> Iterator[tuple[str, str]]:
        """Why a permission can never match."""
        index, system = self.index, permission.pattern.system
        if system not in index.systems:
            yield f"there is no system {system}", nearest(system, list(index.systems))
            return
        names = [index.actions[number][1] for number in index.systems[system].actions.tolist()]
        if permission.action != "*" and permission.action not in names:
            yield f"{system} has no action {permission.action}", nearest(permission.action, names)
        if not len(self.targets.of_permission(permission)[1]):
            near = self._near(permission)
            yield f"no resource answers to {permission.pattern}", near

    def _near(self, permission: Permission) -> str:
        """The addresses of the system that are nearest to a pattern."""
        system = self.index.systems[permission.pattern.system]
        addresses = self.index.tree.addresses
        some = [addresses[node] for node in range(system.root, min(system.end, system.root + 5000))]
        return nearest(str(permission.pattern), some)

    def _overlap(self, first: Duty, second: Duty) -> str:
        """A permission of one duty that gives the other as well; empty where there is none."""
        for one, other in ((first, second), (second, first)):
            if one.every or other.every:
                continue
            for given, wanted in itertools.product(one.permissions, other.permissions):
                if given.pattern.system == wanted.pattern.system and self._gives(given, wanted):
                    return f"{given} gives {wanted}" if str(given) != str(wanted) else f"both are {given}"
        return ""

    def _gives(self, given: Permission, wanted: Permission) -> bool:
        """Whether whoever reaches the first somewhere reaches the second.

        That is so where every resource of the first is one of the second, and every action of it implies one of it.
        """
        actions, nodes = self.targets.of_permission(given)
        others, where = self.targets.of_permission(wanted)
        if not len(nodes) or not actions or not np.isin(nodes, where).all():
            return False
        system = self.index.systems[given.pattern.system]
        first = int(system.actions[0])
        return all(any(system.covers[a - first, b - first] for b in others) for a in actions)

    def duplicates(self, rules: Sequence[Conflicting]) -> Iterator[Remark]:
        """Rules that keep the same duties apart as an earlier one."""
        seen: dict[object, str] = {}
        for rule in rules:
            if all(duty.is_mapped for duty in rule.duties):
                duties = frozenset(frozenset(self._cells(duty)) for duty in rule.duties)
                key = (duties, rule.threshold, rule.within, rule.excepted)
                if key in seen:
                    what = f"it keeps the same duties apart as {seen[key]}"
                    yield Remark(rule.id, rule.file, FAULT, what, "Take one of the two away.")
                seen.setdefault(key, rule.id)

    def _cells(self, duty: Duty) -> Iterator[tuple[str, int, bytes]]:
        """What a duty means: each action with its nodes, whether one or all of them are asked for."""
        for name, permissions in (("any", duty.permissions), ("all", duty.every)):
            for permission in permissions:
                actions, nodes = self.targets.of_permission(permission)
                yield from ((name, action, _bytes(nodes)) for action in actions)

    def unused(self, rules: Rules) -> Iterator[Remark]:
        """Generic duties that no rule names."""
        named = {duty.name for rule in rules.conflicts for duty in rule.duties}
        for name in sorted(set(rules.duties) - named):
            yield Remark(
                name, "duties.toml", NOTE, f"no rule names the duty {name!r}", "Take it away, or write a rule."
            )


def _bytes(nodes: Ints) -> bytes:
    return np.sort(nodes).tobytes()
