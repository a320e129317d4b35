"""What a change does to everyone: who gains and loses what, which rules are broken and mended, who still administers.

Both states are asked the same questions and what differs is told. Where the edits bear on few, both states are indexes
of these few alone (`engine.compiled.among`), in which everybody reaches exactly what it reaches in the whole.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property

import msgspec
import numpy as np
from msgspec.structs import replace

from kathodos.analysis.basis import Basis
from kathodos.analysis.differences import ReachDifferences, Side
from kathodos.change.edit_sets import EditSet, texts_of
from kathodos.columns.csr import Bools, Ints, csr_from_lists, distinct, ints, reachable
from kathodos.columns.strings import string_table
from kathodos.engine.decide import who_has
from kathodos.findings.conflicts.states import who_breaks
from kathodos.findings.escalation import who_administers
from kathodos.findings.fences import crossings, lacks
from kathodos.model.json_text import json_text
from kathodos.model.references import reference_to
from kathodos.rules.reading import Conflicting, Duty, Fence, Need, Permission, Rule, Rules
from kathodos.rules.targets import PermissionTargets

# Edits of these bear on rules only by what is reached: whom and what the rules are about stays.
_OF_REACH_ALONE = {"grants", "members", "groups", "roles", "role_juniors", "role_permissions", "areas", "mandates"}
_OF_PEOPLE = {"identities", "accounts"}


class RuleBroken(msgspec.Struct, frozen=True):
    """A rule that somebody breaks: of which kind, its id, title and severity, who, and by what, in words."""

    kind: str
    rule: str
    title: str
    severity: str
    who: str
    what: str


class RoleHolding(msgspec.Struct, frozen=True):
    """How many identities and accounts come to hold a role, and how many hold it no longer."""

    role: str
    came: int
    went: int


class AdministrationLost(msgspec.Struct, frozen=True):
    """Who could administer a system and no longer can, and whether nobody is left who can."""

    system: str
    who: Sequence[str]
    is_last: bool


class FindingsDiffer(msgspec.Struct, frozen=True):
    """Findings that come or go: kind, whom they are about, what they rest on; and whose risk is another: was, is."""

    made: Sequence[tuple[str, str, str]] = ()
    settled: Sequence[tuple[str, str, str]] = ()
    risks: Sequence[tuple[str, float, float]] = ()


def _nobody_else(_system: str, _gone: Sequence[str]) -> bool:
    return False


class Effect(msgspec.Struct, frozen=True, dict=True):
    """The effect of some edits, from the state `before` to the state `after` them, which may hold only those concerned.

    `author`: the reference of who composed them, where that is an identity; `administers`: whether somebody beside some
    administers a system, of those who are in neither state; `look_at_findings`: what excess and risk come to, where
    they are to be looked at.
    """

    before: Basis
    after: Basis
    edits: EditSet
    rules: Rules
    author: str = ""
    is_whole: bool = False
    look_at_findings: Callable[[], FindingsDiffer] | None = None
    administers: Callable[[str, Sequence[str]], bool] = _nobody_else

    @cached_property
    def differences(self) -> ReachDifferences:
        """Whose reach differs, most first, and by what."""
        before, after = (Side(it.index, it.moment) for it in (self.before, self.after))
        return ReachDifferences(before, after, self.edits.edits if self.is_whole else None)

    @property
    def _states(self) -> tuple[Basis, Basis]:
        return self.before, self.after

    @cached_property
    def _joint(self) -> tuple[Ints, Ints]:
        """The number in both states of each identity and account of each."""
        return self.differences.joint_numbers(0), self.differences.joint_numbers(1)

    @property
    def gained(self) -> int:
        """How many combinations of somebody, an action and a resource come."""
        return int(self.differences.gained.sum())

    @property
    def lost(self) -> int:
        """How many combinations go."""
        return int(self.differences.lost.sum())

    @property
    def gaining(self) -> int:
        """How many people gain something."""
        return int((self.differences.gained > 0).sum())

    @property
    def losing(self) -> int:
        """How many people lose something."""
        return int((self.differences.lost > 0).sum())

    @property
    def changes_nothing(self) -> bool:
        """Whether nobody's reach is another: looked at over all pairs of those whom the edits bear on."""
        return not self.gained and not self.lost

    @cached_property
    def findings(self) -> FindingsDiffer | None:
        """What excess and risk come to; None where they are not looked at."""
        return self.look_at_findings() if self.look_at_findings is not None else None

    # Rules

    @cached_property
    def broken(self) -> tuple[list[RuleBroken], list[RuleBroken]]:
        """The rules that are broken only after, and those that were only before: conflicts, fences, needs."""
        rules, edited = self._rules_concerned, string_table(_edited_askers(self.edits))
        sides = []
        for at, basis in enumerate(self._states):
            holders = basis.index.holders
            asked = np.full(holders.first_group, not self.is_whole)
            looked_at = (self.differences.numbers_in(at), self.differences.moved_in(at))
            own = np.concatenate([holders.numbers_of(edited), *looked_at])
            asked[own[own >= 0]] = True
            sides.append(_Broken(basis, rules, asked, self._joint[at]))
        return sides[1].beyond(sides[0]), sides[0].beyond(sides[1])

    @property
    def _rules_concerned(self) -> Rules:
        """The rules that the edits can bear on: those about a combination that somebody gains or loses.

        Where people are edited, rules with a filter over them may be about others than before: these too. Where
        resources themselves are edited, or accounts become somebody's or nobody's: all rules.
        """
        touched, kinds = self.differences.touched, {edit.kind.name for edit in self.edits}
        if touched is None or self.differences.has_moved or not kinds <= _OF_REACH_ALONE | _OF_PEOPLE:
            return self.rules
        is_about_people = bool(kinds & _OF_PEOPLE)
        named = {it for rule in self.rules.every() for it in _permissions_in(rule)}
        touching = _touching(list(named), self.before, touched)

        def bears(permissions: Iterable[Permission]) -> bool:
            return not touching.isdisjoint(permissions)

        conflicts = [
            it
            for it in self.rules.conflicts
            if (is_about_people and it.excepted is not None) or bears(_permissions_of(it.duties))
        ]
        fences = [it for it in self.rules.fences if is_about_people or bears(it.never)]
        needs = [it for it in self.rules.needs if is_about_people or bears(it.permissions)]
        return replace(self.rules, conflicts=conflicts, fences=fences, needs=needs)

    @property
    def conflicts_made(self) -> list[RuleBroken]:
        """The conflicts that come."""
        return [it for it in self.broken[0] if it.kind == "conflict"]

    # Roles

    @cached_property
    def by_role(self) -> list[RoleHolding]:
        """Of each role that the edits name, how many hold it."""
        found = []
        for role in _roles_named(self.edits):
            before, after = (self._joint[at][_holding(basis, role)] for at, basis in enumerate(self._states))
            came, went = int((~np.isin(after, before)).sum()), int((~np.isin(before, after)).sum())
            if came or went:
                found.append(RoleHolding(reference_to("role", role), came, went))
        return found

    # Administration

    @cached_property
    def administration_lost(self) -> list[AdministrationLost]:
        """Who can administer which system no longer."""
        losing = {name for name, (_, losing, _, _) in self.differences.by_system.items() if losing}
        before, after = (who_administers(basis, losing) for basis in self._states)
        found = []
        for system, who in before.items():
            was, is_then = self._joint[0][who], self._joint[1][after.get(system, ints([]))]
            gone = who[~np.isin(was, is_then)]
            if len(gone):
                references = self.before.index.holders.references
                names = sorted(references[it] for it in gone.tolist())
                is_left = len(is_then) > 0 or self.administers(system, names)
                found.append(AdministrationLost(system, names, not is_left))
        return found

    @cached_property
    def author_gains(self) -> list[str]:
        """What the author reaches afterwards and did not before."""
        if self.author not in self.differences.askers:
            return []
        return self.differences.texts(self.differences.askers.index(self.author))[0]

    @cached_property
    def stops(self) -> list[str]:
        """What a change does that is only done where somebody says why: it locks a system or its author out."""
        found = []
        for lost in self.administration_lost:
            if lost.is_last:
                found.append(f"Nobody could administer {lost.system} any more.")
            elif self.author in lost.who:
                found.append(f"{self.author}, who composed it, could administer {lost.system} no longer to undo it.")
        return found

    # Its digest

    @cached_property
    def digest(self) -> str:
        """SHA-256 over the edits and what each person gains and loses, as the ledger keeps it."""
        it = self.differences
        counts = sorted(zip(it.askers, it.gained.tolist(), it.lost.tolist(), strict=True))
        edits = [texts_of(edit) for edit in self.edits]
        content = json_text([edits, counts])
        return hashlib.sha256(content.encode("utf-8", "surrogatepass")).hexdigest()


def _permissions_of(duties: Sequence[Duty]) -> Iterator[Permission]:
    for duty in duties:
        yield from (*duty.permissions, *duty.every)


def _permissions_in(rule: Rule) -> Iterable[Permission]:
    """All that a rule is about."""
    if isinstance(rule, Conflicting):
        return _permissions_of(rule.duties)
    return rule.never if isinstance(rule, Fence) else rule.permissions if isinstance(rule, Need) else ()


def _touching(permissions: Sequence[Permission], basis: Basis, touched: Bools) -> set[Permission]:
    """Those permissions that are about something that somebody gains or loses, given all such pairs."""
    index, targets, at = basis.index, PermissionTargets(basis), touched.nonzero()[0]
    known: dict[tuple[str, str], list[int]] = {}  # the rows of the actions of which somebody gains or loses something
    for number, (system, name) in enumerate(index.actions):
        first_row = int(index.action_rows[number])
        here = first_row + index.systems[system].root
        if np.searchsorted(at, here) < np.searchsorted(at, here + index.systems[system].size):
            known.setdefault((system, name), []).append(first_row)
            known.setdefault((system, "*"), []).append(first_row)
    some = [it for it in permissions if (it.pattern.system, it.action) in known]
    which, first, end = targets.places_of(some)
    rows = csr_from_lists(known[it.pattern.system, it.action] for it in some)
    origin, row = rows.of(which)
    is_touched = np.searchsorted(at, row + first[origin]) < np.searchsorted(at, row + end[origin])
    return {some[number] for number in distinct(which[origin[is_touched]]).tolist()}


def _edited_askers(edits: EditSet) -> Iterator[str]:
    """The identities and accounts whose own records are edited, so that rules may be about them or no longer."""
    for edit in edits:
        if edit.kind.name in _OF_PEOPLE:
            yield reference_to(edit.kind.one, *edit.key)


class _Broken:
    """The rules that some askers of a state break. `joint`: the number of each asker in both states."""

    def __init__(self, basis: Basis, rules: Rules, asked: Bools, joint: Ints) -> None:
        self._name, self._joint, self._asked = basis.index.holders.references, joint, asked
        self._breaches = {breach.rule.id: breach for breach in who_breaks(basis, rules.conflicts)}
        self._others = dict(self._of_reach(basis, rules))

    def beyond(self, other: _Broken) -> list[RuleBroken]:
        """What is broken here and not in another state."""
        found: list[RuleBroken] = []
        for rule, breach in self._breaches.items():
            own = self._joint[breach.askers]
            is_alone = self._asked[breach.askers] & ~np.isin(own, other.breaking(rule))
            duties = [" and ".join(duty.name for duty in held[0]) for held in breach.held]
            for asker, alike in zip(breach.askers[is_alone].tolist(), breach.alike[is_alone].tolist(), strict=True):
                found.append(_broken_by("conflict", breach.rule, self._name[asker], duties[alike]))
        return [*found, *(it for key, it in self._others.items() if key not in other._others)]

    def breaking(self, rule: str) -> Ints:
        """Who is looked at and breaks a conflict's rule, by their numbers in both states."""
        breach = self._breaches.get(rule)
        return ints([]) if breach is None else self._joint[breach.askers[self._asked[breach.askers]]]

    def _of_reach(self, basis: Basis, rules: Rules) -> Iterator[tuple[tuple[str, ...], RuleBroken]]:
        """Fences that are crossed and needs that are lacked, each by whom and what."""
        index, name = basis.index, self._name
        for crossing in (it for it in crossings(basis, rules.fences) if self._asked[it.asker]):
            what = f"{index.actions[crossing.action][1]} {crossing.permission.pattern}"
            found = _broken_by("fence", crossing.fence, name[crossing.asker], what)
            yield ("fence", found.rule, found.who, what), found
        for lack in (it for it in lacks(basis, rules.needs) if self._asked[it.asker]):
            what = f"{index.actions[lack.action][1]} {index.tree.addresses[int(lack.nodes[0])]}"
            found = _broken_by("need", lack.need, name[lack.asker], what)
            yield ("need", found.rule, found.who, str(lack.permission)), found


def _broken_by(kind: str, rule: Conflicting | Fence | Need, who: str, what: str) -> RuleBroken:
    return RuleBroken(kind, rule.id, rule.title, rule.severity, who, what)


def _roles_named(edits: EditSet) -> list[str]:
    """The roles that edits give, take or alter, as `system/name`."""
    found: dict[str, None] = {}
    for edit in edits:
        record = edit.record
        gives = str(record.get("gives") or "")
        if gives.startswith("role:"):
            found[gives.partition(":")[2]] = None
        elif edit.kind.name in ("roles", "role_juniors", "role_permissions"):
            found[f"{record['system']}/{record['role']}"] = None
    return list(found)


def _holding(basis: Basis, role: str) -> Ints:
    """Who holds a role, by number, by a grant in force, itself or by way of a senior role."""
    index, number = basis.index, basis.index.roles.find(role)
    if number < 0:
        return ints([])
    giving = np.zeros(len(index.roles) + 1, dtype=bool)
    giving[reachable(index.seniors, ints([number]))] = True
    giving[-1] = False
    entitlements = (giving[index.entitlements.role] & (index.entitlements.role >= 0)).nonzero()[0]
    grants = index.entitlement_grants.all_of(entitlements).astype(np.int64)
    grants = grants[basis.live[grants] & ~index.grants.denies[grants]]
    mask = who_has(index, distinct(index.grants.holder[grants]).astype(np.int64), basis.moment)
    askers = index.holders.askers
    return askers[mask[askers]]
