"""Findings of one kind, kept as arrays and put into words only where they are shown."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.decisions import Decisions, decisions_of
from kathodos.analysis.evidence.since import is_proposed
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.analysis.exposure import Exposure
from kathodos.analysis.usage import Usage
from kathodos.columns.csr import Bools, Ints
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.findings.excess.unit_words import UnitWords
from kathodos.model.kinds import DECISIONS
from kathodos.model.severities import SEVERITIES
from kathodos.model.times import NEVER
from kathodos.rules.asked import asked_by
from kathodos.rules.reading import Need
from kathodos.rules.targets import PermissionTargets, meant

CERTAIN = 100
LOOKED_AHEAD = 1 << 15  # findings at most that are looked at together before they are put into words


class Edit(msgspec.Struct, frozen=True):
    """What a remedy would change: end, add or set a record of a kind, with these cells."""

    verb: str
    kind: str
    cells: Mapping[str, str]


class Finding(msgspec.Struct, frozen=True):
    """One finding in words. `confidence` is a percentage; `days`: for how long it has stood, where that is known."""

    kind: str
    severity: str
    subject: str
    rests_on: str
    evidence: str
    confidence: int
    remedy: str
    days: int | None = None
    edits: tuple[Edit, ...] = ()


class FindingText(msgspec.Struct, frozen=True):
    """The part of a finding that is put into words when it is shown."""

    rests_on: str
    evidence: str
    remedy: str
    edits: tuple[Edit, ...] = ()


class FindingColumns(msgspec.Struct, frozen=True):
    """Findings of one kind, one element each.

    `whose`: the identity concerned, or the account that is tied to nobody (-1: none), for filters and for risk.

    `severity` is a position in SEVERITIES, `confidence` a percentage, `days` how long it has stood (-1: unknown).
    `thing`: what of theirs it is about, as `Usage` numbers things (-1: it is about them).
    """

    kind: str
    whose: Ints
    severity: Ints
    confidence: Ints
    days: Ints
    thing: Ints

    def __len__(self) -> int:
        return len(self.whose)


def _nothing(_: Ints) -> None:
    """Nothing is quicker done for many at once."""


class Batch(FindingColumns, frozen=True):
    """Findings that can be put into words: `subject` names who or what one is about, `describe` says the rest.

    `account`: the account concerned, by its number less that of the first, where findings are about accounts.
    `look_ahead`: what is quicker done for many at once, for those that are put into words next.
    """

    subject: Callable[[int], str]
    describe: Callable[[int], FindingText]
    account: Ints | None = None
    look_ahead: Callable[[Ints], None] = _nothing


def batch(
    kind: str,
    whose: Ints,
    subject: Callable[[int], str],
    describe: Callable[[int], FindingText],
    severity: Ints | int,
    confidence: Ints | int = CERTAIN,
    days: Ints | int = -1,
    account: Ints | None = None,
    thing: Ints | int = -1,
    look_ahead: Callable[[Ints], None] = _nothing,
) -> Batch:
    """A batch; what is the same for all is given once."""
    size = len(whose)
    severities, confidences, known, things = (
        np.broadcast_to(np.asarray(it, dtype=np.int64), size) for it in (severity, confidence, days, thing)
    )
    columns = (whose.astype(np.int64), severities, confidences, known, things)
    return Batch(kind, *columns, subject, describe, account, look_ahead)


def nobodys(
    kind: str,
    subjects: Sequence[str],
    text: Sequence[FindingText],
    severity: Sequence[int] | int,
    days: Ints | int = -1,
) -> Batch:
    """A batch of findings that are about no identity, put into words already."""
    whose = np.full(len(subjects), -1, dtype=np.int64)
    severities = np.asarray(severity, dtype=np.int64)
    return batch(kind, whose, subjects.__getitem__, text.__getitem__, severities, CERTAIN, days)


def joined_batches(first: Batch, second: Batch) -> Batch:
    """Two batches of one kind as one."""
    size = len(first)
    whose, severity, confidence, days, thing = (
        np.concatenate([getattr(first, name), getattr(second, name)])
        for name in ("whose", "severity", "confidence", "days", "thing")
    )
    return Batch(
        first.kind,
        whose,
        severity,
        confidence,
        days,
        thing,
        lambda at: first.subject(at) if at < size else second.subject(at - size),
        lambda at: first.describe(at) if at < size else second.describe(at - size),
    )


class ExcessContext(msgspec.Struct, frozen=True, dict=True):
    """What all kinds of excess are found from."""

    basis: Basis
    needs: Sequence[Need] = ()
    thresholds: Thresholds = msgspec.field(default_factory=Thresholds)

    @cached_property
    def exposure(self) -> Exposure:
        return Exposure(self.basis)

    @cached_property
    def usage(self) -> Usage:
        return Usage(self.basis, self.exposure)

    @cached_property
    def targets(self) -> PermissionTargets:
        return PermissionTargets(self.basis)

    @cached_property
    def decisions(self) -> list[tuple[str, Decisions]]:
        """What was decided in each review."""
        records = self.basis.records
        names = map(str, records.column(DECISIONS, "review").compact().values)
        return [(name, decisions_of(records, name)) for name in names]

    @cached_property
    def evidence(self) -> UnitEvidence:
        """What is said about the units."""
        return UnitEvidence(self.basis, self.usage.units, asked_by(self.basis, self.needs), self.usage.watched)

    @cached_property
    def words(self) -> UnitWords:
        return UnitWords(self.evidence)

    @cached_property
    def allowed(self) -> Ints:
        """For how many days each unit may go unused."""
        allowed: Ints = np.array(self.thresholds.unused, dtype=np.int64)[np.maximum(self.usage.top, 0)]
        return allowed

    @cached_property
    def days_usable(self) -> Ints:
        """For how many days each unit could have been used."""
        return self.basis.days_since(np.minimum(self.evidence.time.since, self.basis.moment))

    @cached_property
    def idle(self) -> Bools:
        """The units of which what they name has not been used for longer than is allowed, where that can be judged.

        They count and add something, are of somebody who is there and could have used them for long enough, and uses
        of all their systems are recorded.
        """
        basis, evidence = self.basis, self.evidence
        found = basis.can_act[evidence.units.asker] & (evidence.item >= 0)
        found &= (evidence.time.since < basis.moment) & (self.days_usable > self.allowed)
        found &= basis.days_since(evidence.used_as_named.last) > self.allowed
        found &= ~is_proposed(basis, evidence.units)
        some = found.nonzero()[0]
        found[some] = evidence.add_something(some)
        return found

    @cached_property
    def needed(self) -> Bools:
        """Which units give whoever they belong to something that a need asks for, whether or not others give it too."""
        return any_bit([*self.evidence.needed, *self.evidence.also_needed], len(self.usage.units))

    @cached_property
    def expected(self) -> Bools:
        """Of which units a need asks for something, and needs for all that they name."""
        found = self.needed.copy()
        found[self.evidence.beyond.unit] = False
        return found

    @cached_property
    def spoken(self) -> Bools:
        """Of which units any need speaks: one that is about whoever they belong to, and about a system they bear on."""
        found: Bools = np.zeros(len(self.usage.units), dtype=bool)
        for need in self.needs:
            found[meant(self.basis, need)[self.usage.units.asker] & self.speaking_of(need)[self.usage.things]] = True
        return found

    def speaking_of(self, need: Need) -> Bools:
        """Which things bear on a system that a need speaks of."""
        named = {it.pattern.system for it in need.permissions}
        systems = [at for at, system in enumerate(self.basis.index.systems_in_order) if system.name in named]
        found: Bools = np.any(self.usage.systems_of_things[:, systems], axis=1)
        return found

    # Words that several kinds use

    def holder(self, number: int) -> str:
        """The reference of a holder."""
        return self.basis.index.holders.references[number]

    def unit(self, at: int) -> str:
        """What a unit rests on: a grant or a group."""
        return self.words.name(at)

    def unit_gives(self, at: int) -> str:
        """What a unit gives, in words."""
        units, index = self.usage.units, self.basis.index
        grant = int(units.grant[at])
        if grant >= 0:
            scope = index.scope(grant)
            return index.gives(grant) + (f" on {scope}" if scope else "")
        entitlements = self.exposure.group_entitlements[int(self.usage.groups[at])]
        gives = [index.entitlements.gives_texts[index.entitlements.gives[it]] for it in entitlements[:3].tolist()]
        more = f" and {len(entitlements) - 3} more" if len(entitlements) > 3 else ""
        return f"membership in {self.unit(at)}, which gives {', '.join(gives)}{more}"

    def thing_of_grants(self, grants: Ints) -> Ints:
        """What of whoever holds them grants are: -1 for those of groups and of everyone, which are nobody's alone."""
        index = self.basis.index
        thing = len(index.holders.groups) + index.grants.entitlement[grants].astype(np.int64)
        return np.where(self.owner_of(index.grants.holder[grants].astype(np.int64)) >= 0, thing, -1)

    def end_unit(self, at: int) -> Edit:
        """The edit that takes a unit away."""
        units, index = self.usage.units, self.basis.index
        grant = int(units.grant[at])
        if grant >= 0:
            return self.end_grant(grant)
        system, _, group = index.holders.groups[int(self.usage.groups[at])].partition("/")
        member = self.holder(int(units.holder[at]))
        return Edit("end", "members", {"system": system, "group": group, "member": member})

    def end_alike(self, at: int) -> tuple[Edit, ...]:
        """The edits that take a unit away, and with it all that are the same thing of the same asker."""
        mine = self.words.units_of[int(self.usage.units.asker[at])].astype(np.int64)
        same = mine[self.usage.things[mine] == self.usage.things[at]]
        return tuple(self.end_unit(int(it)) for it in same)

    def end_grant(self, grant: int) -> Edit:
        return Edit("end", "grants", {"grant": self.basis.index.grants.ids[grant]})

    def disable(self, account: int) -> Edit:
        """The edit that disables an account, given by its number less that of the first."""
        system, _, login = self.basis.index.holders.accounts[account].partition("/")
        return Edit("set", "accounts", {"system": system, "login": login, "status": "disabled"})

    def owner_of(self, holders: Ints) -> Ints:
        """Who each holder stands for: itself, the owner of an account, an account of nobody; -1 for others."""
        held = self.basis.index.holders
        return np.concatenate([held.asker_of, np.full(held.size - held.first_group, -1, dtype=np.int64)])[holders]

    def ends_of(self, askers: Ints) -> Ints:
        """The end of each identity; of accounts, and of nobody (-1), there is none."""
        held = self.basis.index.holders
        return np.append(held.ends, NEVER)[np.where((askers >= 0) & (askers < held.people), askers, held.people)]


def first_alike(context: ExcessContext, found: Bools) -> Ints:
    """Of the units that were found those that are the first of the same thing of the same asker."""
    units = found.nonzero()[0]
    code = context.usage.units.asker[units] * max(context.usage.thing_count, 1) + context.usage.things[units]
    first: Ints = units[np.sort(np.unique(code, return_index=True)[1])]
    return first


def any_bit(columns: Sequence[Ints], size: int) -> Bools:
    """In which rows a bit is set in any of some columns of bits."""
    found = np.zeros(size, dtype=bool)
    for column in columns:
        found |= column != 0
    return found


def severity_of(top: Ints) -> Ints:
    """How serious it is by the highest sensitivity: 0 and 1 low, 2 medium, 3 high."""
    return np.array([0, 0, 0, 1, 2], dtype=np.int64)[np.clip(top, -1, 3) + 1]


def finding(of: Batch, at: int) -> Finding:
    """One finding of a batch in words."""
    text, days = of.describe(at), int(of.days[at])
    return Finding(
        of.kind,
        SEVERITIES[int(of.severity[at])],
        of.subject(at),
        text.rests_on,
        text.evidence,
        int(of.confidence[at]),
        text.remedy,
        days if days >= 0 else None,
        text.edits,
    )


def findings(of: Batch, positions: Ints | None = None) -> Iterator[Finding]:
    """The findings of a batch in words: all of them, or those at some positions."""
    positions = np.arange(len(of)) if positions is None else positions
    for first in range(0, len(positions), LOOKED_AHEAD):
        some = positions[first : first + LOOKED_AHEAD]
        of.look_ahead(some)
        for at in some.tolist():
            yield finding(of, at)
