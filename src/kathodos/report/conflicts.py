"""Conflicts that a question is about, and what is said of them: as data, by person or rule, and with their covers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
from msgspec.structs import asdict

from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.errors import CallError, DataError
from kathodos.findings.conflicts.covers import HOLDS, RAN_OUT, Cover
from kathodos.findings.conflicts.roles import RoleConflict, marked
from kathodos.findings.conflicts.states import Conflict, Conflicts, State, conflicts_of_one
from kathodos.model.severities import GRAVEST_FIRST, SEVERITIES
from kathodos.model.suggestions import nearest
from kathodos.model.words import plural
from kathodos.rules.targets import PermissionTargets
from kathodos.store.attributes import filter_of

if TYPE_CHECKING:
    from kathodos.rules.reading import Conflicting
    from kathodos.workspace.view import Asked, View


class Counted(msgspec.Struct, frozen=True):
    """Conflicts counted: the first rows, of how many, and which of the counts are anywhere above zero."""

    rows: list[dict[str, Any]]
    total: int
    counts: set[str]


class ChosenConflicts(msgspec.Struct, dict=True):
    """The conflicts of a view by some of its rules, of the people that a filter selects; on demand the latent ones."""

    view: View
    rules: Sequence[Conflicting]
    where: str | None = None
    with_latent: bool = False

    @cached_property
    def targets(self) -> PermissionTargets:
        """What the permissions of rules stand for."""
        return PermissionTargets(self.view.basis)

    @cached_property
    def conflicts(self) -> Conflicts:
        """All of them, as arrays."""
        found = self.view.findings.conflicts
        if self.with_latent:
            found = found.followed_by(self.view.findings.latent)
        names = {rule.id for rule in self.rules}
        chosen = np.array([rule.id in names for rule in found.rules], dtype=bool)[found.rule]
        return found.taken(chosen & self.askers[found.asker])

    @cached_property
    def askers(self) -> Bools:
        """Which identities and accounts are asked about."""
        basis = self.view.basis
        if self.where is None:
            return np.ones(basis.size, dtype=bool)
        return basis.selected(filter_of(self.where, basis.filtered, "identity"))

    @cached_property
    def covered(self) -> Bools:
        """Which of them a cover holds."""
        return self.view.findings.covered(self.conflicts)

    @cached_property
    def is_open(self) -> Bools:
        """Which of them count: held or used, and not covered."""
        return ~self.conflicts.is_latent & ~self.covered

    @cached_property
    def faults(self) -> list[RoleConflict]:
        """The roles that break one of the rules by themselves."""
        names = {rule.id for rule in self.rules}
        return [fault for fault in self.view.findings.faults if fault.rule.id in names]

    def each(self, positions: Ints | None = None) -> Iterator[Conflict]:
        """Some of them in full (all: none said), each with the roles that alone give it."""
        return marked(self.view.basis, self.conflicts.each(self.view.basis, positions), self.faults)

    def of(self, asker: int) -> list[Conflict]:
        """The conflicts of one identity or account in full; nobody else is looked at."""
        if self.with_latent:
            return list(self.each((self.conflicts.asker == asker).nonzero()[0]))
        if not self.askers[asker]:
            return []
        found = conflicts_of_one(self.view.basis, self.rules, asker)
        return list(marked(self.view.basis, found, self.view.findings.faults_of(asker, [it.rule for it in found])))

    # Covers

    @cached_property
    def _standing(self) -> dict[tuple[str, str], Cover]:
        return self.view.register.standing(self.view.moment)

    def cover(self, conflict: Conflict) -> tuple[Cover, str] | None:
        """The newest cover of a conflict, and what has become of it."""
        cover = self._standing.get((conflict.rule.id, self.view.index.holders.asker_name(conflict.asker)))
        return (cover, self.view.register.state(cover, self.view.moment)) if cover else None

    def is_covered(self, conflict: Conflict) -> bool:
        """Whether a cover holds."""
        cover = self.cover(conflict)
        return cover is not None and cover[1] == HOLDS

    def cover_text(self, conflict: Conflict) -> str:
        """In words: under which control, and until when."""
        cover, state = self.cover(conflict) or (None, "")
        if cover is None:
            return ""
        if state == HOLDS:
            return f"covered by {cover.control} until {cover.until}"
        return f"the cover by {cover.control} {state}" + (f" on {cover.until}" if state == RAN_OUT else "")

    # As rows

    def record(self, conflict: Conflict) -> dict[str, Any]:
        """A conflict as data."""
        cover, index, asked = self.cover(conflict), self.view.index, self._asked(conflict.asker)
        return {
            "conflict": conflict.name(index),
            "rule": conflict.rule.id,
            "severity": conflict.rule.severity,
            "topic": conflict.rule.topic,
            "identity": asked.identity,
            "account": asked.account,
            "department": asked.department,
            "duties": [duty.name for duty in conflict.duties],
            "state": conflict.state,
            "records": list(conflict.records),
            "uses": [asdict(use) for use in conflict.uses],
            "roles": list(conflict.roles),
            "cover": cover[0].control if cover else None,
            "cover_state": cover[1] if cover else None,
        }

    def counted(self, per: str, most: int | None) -> Counted:
        """Counts by person, severity, topic or department, the gravest first."""
        own, covered, is_open = self.conflicts, self.covered, self.is_open
        keys, group = np.unique(self._keys(own, per), return_inverse=True)
        severity = own.severity()
        which = {str(name): is_open & (severity == SEVERITIES.index(name)) for name in GRAVEST_FIRST}
        which |= {"exercised": is_open & own.is_exercised, "by_role": is_open & own.by_role}
        which |= {"covered": covered, "latent": own.is_latent}
        counts = {name: np.bincount(group[mask], minlength=len(keys)) for name, mask in which.items()}
        order = np.lexsort([-count for count in reversed(counts.values())])[:most] if len(keys) else group
        place = np.full(len(keys), -1, dtype=np.int64)
        place[order] = np.arange(len(order))
        broken: list[set[str]] = [set() for _ in order]
        shown = place[group] >= 0
        pairs = np.unique(np.stack([place[group[shown]], own.rule[shown]]), axis=1)
        for at, rule in pairs.T.tolist():
            broken[at].add(own.rules[rule].id)
        numbers = {name: [number or None for number in count[order].tolist()] for name, count in counts.items()}
        named = [dict(zip(numbers, it, strict=True)) for it in zip(*numbers.values(), strict=True)]
        rows = [
            {**one, **count, "rules": sorted(rules)}
            for one, count, rules in zip(self._named(keys[order], per), named, broken, strict=True)
        ]
        return Counted(rows, len(keys), {name for name, count in counts.items() if count.any()})

    def _keys(self, own: Conflicts, per: str) -> Ints:
        """A number for what each conflict is counted by."""
        if per == "person":
            return own.asker
        if per == "severity":
            return len(SEVERITIES) - 1 - own.severity()
        if per == "topic":
            return np.array([self._topics.index(rule.topic) for rule in own.rules], dtype=np.int64)[own.rule]
        return self._department.codes[own.asker].astype(np.int64)

    @cached_property
    def _department(self) -> DictionaryColumn:
        return self.view.basis.asker("department")

    @cached_property
    def _topics(self) -> list[str]:
        return sorted({rule.topic for rule in self.conflicts.rules})

    def _named(self, keys: Ints, per: str) -> list[dict[str, Any]]:
        """What each number stands for."""
        if per == "person":
            asked = self.view.asked(keys)
            some = (asked[at] for at in keys.tolist())
            return [{"who": it.id, "name": it.name, "department": it.department} for it in some]
        return [{per: self._name(key, per)} for key in keys.tolist()]

    def _name(self, key: int, per: str) -> str | None:
        if per == "severity":
            return str(GRAVEST_FIRST[key])
        if per == "topic":
            return self._topics[key]
        return str(self._department.values[key]) if key >= 0 else None

    def heading(self) -> str:
        """How many count, of whom, how many of them one role alone gives, and how many are covered."""
        count = int(self.is_open.sum())
        askers = distinct(self.conflicts.asker[self.is_open])
        people = int((askers < self.view.basis.people).sum())
        of = [plural(people, "person", "people")] if people or not len(askers) else []
        of += [plural(len(askers) - people, "account") + " of nobody"] if len(askers) > people else []
        by_role = int((self.is_open & self.conflicts.by_role).sum())
        covered = int(self.covered.sum())
        text = f"{plural(count, 'open conflict')} of {' and '.join(of)}"
        text += f", {by_role} of them given by one role alone" if by_role else ""
        return text + (f"; {covered} more {'is' if covered == 1 else 'are'} covered" if covered else "")

    def fault_lines(self) -> list[str]:
        """The roles that break a rule by themselves, each once."""
        return [
            f"The role {self.view.index.roles[fault.role]} alone breaks {fault.rule.id} ({fault.rule.title}, "
            f"{fault.rule.severity}), so that everyone who gets it is in conflict. {_having(len(fault.askers))} now."
            for fault in self.faults
        ]

    def _asked(self, asker: int) -> Asked:
        return self.view.asked([asker])[asker]


def _having(askers: int) -> str:
    return f"{plural(askers, 'holder has', 'holders have')} it" if askers else "Nobody has it"


def counts(conflict: Conflict) -> bool:
    """Whether a conflict is more than one that could come about."""
    return conflict.state != State.LATENT


def chosen_rules(view: View, topic: str | None, name: str | None) -> list[Conflicting]:
    """The conflict rules of a topic, or of one name. Raises CallError with the nearest."""
    rules = view.rules
    if not rules.conflicts:
        remedy = "Write one, or lay out the library with `kathodos rules start`; the manual shows how."
        raise DataError("There is no conflict rule in rules/*.toml.", remedy)
    chosen = [rule for rule in rules.conflicts if topic is None or rule.topic.casefold() == topic.casefold()]
    if not chosen:
        raise CallError(f"No rule is of the topic {topic}.", nearest(str(topic), rules.topics()))
    if name is not None:
        chosen = [rule for rule in chosen if rule.id == name]
        if not chosen:
            raise CallError(f"There is no conflict rule {name}.", nearest(str(name), [it.id for it in rules.conflicts]))
    return chosen
