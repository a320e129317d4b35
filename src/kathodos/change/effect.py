"""What a change does to everyone: who gains and loses what, which rules are broken and mended, who still administers.

Both states are asked the same questions and what differs is told. Where the edits bear on few, both states are indexes
of these few alone (`engine.compiled.among`), in which everybody reaches exactly what it reaches in the whole.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.differences import ReachDifferences, Side
from kathodos.change.edit_sets import EditSet, texts_of
from kathodos.columns.csr import Bools, Ints, ints, reachable
from kathodos.engine.decide import who_has
from kathodos.findings.conflicts.states import who_breaks
from kathodos.findings.escalation import who_administers
from kathodos.findings.fences import crossings, lacks
from kathodos.model.references import reference_to
from kathodos.rules.reading import Duty, Permission, Rules
from kathodos.rules.targets import PermissionTargets

# Edits of these bear on rules only by what is reached: whom and what the rules are about stays.
_OF_REACH_ALONE = {"grants", "members", "groups", "roles", "role_juniors", "role_permissions", "areas", "mandates"}


@dataclass(frozen=True)
class RuleBroken:
    """A rule that somebody breaks: of which kind, its id, title and severity, who, and by what, in words."""

    kind: str
    rule: str
    title: str
    severity: str
    who: str
    what: str


@dataclass(frozen=True)
class RoleHolding:
    """How many identities and accounts come to hold a role, and how many hold it no longer."""

    role: str
    came: int
    went: int


@dataclass(frozen=True)
class AdministrationLost:
    """Who could administer a system and no longer can, and whether nobody is left who can."""

    system: str
    who: Sequence[str]
    is_last: bool


@dataclass(frozen=True)
class FindingsDiffer:
    """Findings that come or go: kind, whom they are about, what they rest on; and whose risk is another: was, is."""

    made: Sequence[tuple[str, str, str]] = ()
    settled: Sequence[tuple[str, str, str]] = ()
    risks: Sequence[tuple[str, float, float]] = ()


@dataclass(frozen=True)
class Effect:
    """The effect of some edits, from the state `before` to the state `after` them, which may hold only those concerned.

    `author`: the reference of who composed them, where that is an identity; `administered`: how many administer each
    system before; `findings`: what excess and risk come to, where they were looked at.
    """

    before: Basis
    after: Basis
    edits: EditSet
    rules: Rules
    author: str = ""
    findings: FindingsDiffer | None = None
    is_whole: bool = False
    administered: Callable[[], Mapping[str, int]] = dict

    @cached_property
    def differences(self) -> ReachDifferences:
        """Whose reach differs, most first, and by what."""
        before, after = (Side(it.index, it.moment) for it in (self.before, self.after))
        return ReachDifferences(before, after, self.edits.edits if self.is_whole else None)

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

    # Rules

    @cached_property
    def broken(self) -> tuple[list[RuleBroken], list[RuleBroken]]:
        """The rules that are broken only after, and those that were only before: conflicts, fences, needs."""
        only = {*self.differences.askers, *_edited_askers(self.edits)} if self.is_whole else None
        rules = self._rules_concerned
        before, after = (_broken(basis, rules, only) for basis in (self.before, self.after))
        made = [it for key, it in after.items() if key not in before]
        settled = [it for key, it in before.items() if key not in after]
        return made, settled

    @property
    def _rules_concerned(self) -> Rules:
        """The rules that the edits can bear on: those about a combination that somebody gains or loses.

        Where people or resources themselves are edited, rules may be about others than before: all of them.
        """
        touched = self.differences.touched
        if touched is None or not {edit.kind.name for edit in self.edits} <= _OF_REACH_ALONE:
            return self.rules
        targets = PermissionTargets(self.before)

        def bears(permissions: Iterable[Permission]) -> bool:
            return any(_is_touched(targets, it, touched) for it in permissions)

        conflicts = [it for it in self.rules.conflicts if bears(_permissions_of(it.duties))]
        fences = [it for it in self.rules.fences if bears(it.never)]
        needs = [it for it in self.rules.needs if bears(it.permissions)]
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
            before, after = (_holding(basis, role) for basis in (self.before, self.after))
            if self.before.index.holders.numbering == self.after.index.holders.numbering:
                came, went = len(np.setdiff1d(after, before)), len(np.setdiff1d(before, after))
            else:
                names = [_names(basis, some) for basis, some in ((self.before, before), (self.after, after))]
                came, went = len(names[1] - names[0]), len(names[0] - names[1])
            if came or went:
                found.append(RoleHolding(reference_to("role", role), came, went))
        return found

    # Administration

    @cached_property
    def administration_lost(self) -> list[AdministrationLost]:
        """Who can administer which system no longer."""
        losing = {name for name, (_, losing, _, _) in self.differences.by_system.items() if losing}
        before, after = (
            {name: {basis.index.holders.references[it] for it in some.tolist()} for name, some in who.items()}
            for basis, who in ((it, who_administers(it, losing)) for it in (self.before, self.after))
        )
        found = []
        for system, who in before.items():
            gone, come = who - after.get(system, set()), after.get(system, set()) - who
            if gone:
                left = self._administrators.get(system, len(who)) - len(gone) + len(come)
                found.append(AdministrationLost(system, sorted(gone), not left))
        return found

    @cached_property
    def _administrators(self) -> Mapping[str, int]:
        """How many administer each system before, of everybody."""
        return self.administered()

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
        content = json.dumps([edits, counts], ensure_ascii=False, separators=(",", ":"))
        return hashlib.sha256(content.encode("utf-8", "surrogatepass")).hexdigest()


def _permissions_of(duties: Sequence[Duty]) -> Iterator[Permission]:
    for duty in duties:
        yield from (*duty.permissions, *duty.every)


def _is_touched(targets: PermissionTargets, permission: Permission, touched: Bools) -> bool:
    """Whether somebody gains or loses what a permission is about."""
    index = targets.index
    system = index.systems.get(permission.pattern.system)
    if system is None or not len(system.actions):
        return False
    rows = index.action_rows[system.actions] + system.root
    if not any(touched[row : row + system.size].any() for row in rows.tolist()):
        return False
    actions, nodes = targets.of_permission(permission)
    positions = index.tree.position[nodes].astype(np.int64)
    return any(bool(touched[index.action_rows[action] + positions].any()) for action in actions)


def _edited_askers(edits: EditSet) -> Iterator[str]:
    """The identities and accounts whose own records are edited, so that rules may be about them or no longer."""
    for edit in edits:
        if edit.kind.name in ("identities", "accounts"):
            yield reference_to(edit.kind.one, *edit.key)


def _broken(basis: Basis, rules: Rules, only: set[str] | None) -> dict[tuple[str, ...], RuleBroken]:
    """The rules that are broken, each by whom and what; by `only` these (None: everybody)."""
    name, size = basis.index.holders.references, basis.index.holders.first_group
    asked = np.full(size, only is None)
    if only is not None:
        asked[[at for at in map(basis.index.holders.find, only) if at >= 0]] = True
    found: dict[tuple[str, ...], RuleBroken] = {}
    for breach in who_breaks(basis, rules.conflicts):
        rule, some = breach.rule, asked[breach.askers]
        for asker, alike in zip(breach.askers[some].tolist(), breach.alike[some].tolist(), strict=True):
            duties = " and ".join(duty.name for duty in breach.held[alike][0])
            found["conflict", rule.id, name[asker]] = RuleBroken(
                "conflict", rule.id, rule.title, rule.severity, name[asker], duties
            )
    for crossing in (it for it in crossings(basis, rules.fences) if asked[it.asker]):
        fence, action = crossing.fence, basis.index.actions[crossing.action][1]
        what = f"{action} {crossing.permission.pattern}"
        found["fence", fence.id, name[crossing.asker], what] = RuleBroken(
            "fence", fence.id, fence.title, fence.severity, name[crossing.asker], what
        )
    for lack in (it for it in lacks(basis, rules.needs) if asked[it.asker]):
        need = lack.need
        address = basis.index.tree.addresses[int(lack.nodes[0])]
        what = f"{basis.index.actions[lack.action][1]} {address}"
        found["need", need.id, name[lack.asker], str(lack.permission)] = RuleBroken(
            "need", need.id, need.title, need.severity, name[lack.asker], what
        )
    return found


def _names(basis: Basis, askers: Ints) -> set[str]:
    return {basis.index.holders.references[it] for it in askers.tolist()}


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
    mask = who_has(index, np.unique(index.grants.holder[grants]).astype(np.int64), basis.moment)
    askers = index.holders.askers
    return askers[mask[askers]]
