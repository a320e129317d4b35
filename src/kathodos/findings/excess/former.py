"""What somebody kept from a former position: permissions that the peers there hold, and those of the new one do not."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.holding import Holding, Things
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_distinct, csr_from_pairs, distinct
from kathodos.columns.dictionary import DictionaryColumn, Scalar, positions_among
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import ANY_ACTION
from kathodos.engine.reach import who_reaches_any
from kathodos.findings.excess.batches import Batch, ExcessContext, FindingText, batch, severity_of
from kathodos.model.kinds import IDENTITIES
from kathodos.store.records import Stored

FORMER_POSITION = "former-position"
_MOST_NAMED = 3
_LEAST_BEFORE, _MOST_NOW = 2, 10  # at least a half of the former department, at most a tenth of the present one


def former_position(context: ExcessContext) -> Batch:
    """Units with a permission that half of the former department reach, and hardly a tenth of the present one.

    It is asked for each permission, whatever unit gives it to the others.
    """
    kept = _Kept(context)
    units, of, entries = kept.found

    def describe(at: int) -> FindingText:
        unit, mover = int(units[at]), int(of[at])
        told = [kept.told(mover, entry) for entry in entries[at][:_MOST_NAMED].tolist()]
        told += [f"{len(entries[at]) - _MOST_NAMED} more alike"] if len(entries[at]) > _MOST_NAMED else []
        evidence = f"{context.unit_gives(unit)}, kept from {kept.department_of(mover)}: {'; '.join(told)}"
        remedy = "Take it away, or have it asked for anew."
        return FindingText(context.unit(unit), evidence, remedy, (context.end_unit(unit),))

    severity = np.maximum(severity_of(context.usage.top[units]), 1)
    whose = kept.people[of]
    return batch(FORMER_POSITION, whose, lambda at: context.holder(int(whose[at])), describe, severity, 90)


def former_departments(context: ExcessContext) -> tuple[Ints, Ints, Sequence[Scalar]]:
    """The people who were in other departments before: their numbers, a code for each department, and the names."""
    kept = _Kept(context)
    return (*kept.movers, kept.department.values)


class _Kept(msgspec.Struct, frozen=True, dict=True):
    """Who moved, and what each of them kept."""

    context: ExcessContext

    @cached_property
    def department(self) -> DictionaryColumn:
        return self.context.basis.identity("department")

    @cached_property
    def there(self) -> Bools:
        """The people who count: who have not left."""
        return self.context.basis.is_person & self.context.basis.is_there

    @cached_property
    def movers(self) -> tuple[Ints, Ints]:
        """Who was in another department before, and the code of that department."""
        return _movers(self.context, self.department, self.there)

    @property
    def people(self) -> Ints:
        return self.movers[0]

    @cached_property
    def sizes(self) -> Ints:
        """How many people each department has, and behind them those without one."""
        return np.bincount(self.codes[self.there], minlength=len(self.department.values) + 1)

    @cached_property
    def codes(self) -> Ints:
        """The department of each identity; the last stands for none."""
        codes = self.department.codes.astype(np.int64)
        return np.where(codes >= 0, codes, len(self.department.values))

    @cached_property
    def parts(self) -> CSRList:
        """The permissions, as scoped entries, of each thing that can be held."""
        usage, index = self.context.usage, self.context.basis.index
        held = index.entitlements.scoped.items
        permits = ~index.entries.denies[index.scoped_entry[held]] & (index.scoped_intervals.sizes()[held] > 0)
        own = csr_from_pairs(index.entitlements.scoped.rows()[permits], held[permits], len(index.entitlements))
        groups = self.context.exposure.group_entitlements
        origin, entry = own.of(groups.items.astype(np.int64))
        rows = np.concatenate([groups.rows()[origin], len(groups) + own.rows().astype(np.int64)])
        items = np.concatenate([entry, own.items]).astype(np.int64)
        return csr_from_distinct(rows, items, usage.thing_count, max(len(index.scoped_entry), 1))

    @cached_property
    def candidates(self) -> tuple[Ints, Ints, Ints]:
        """Units of movers with permissions that may be kept: the unit, the mover's position, the permission."""
        usage, basis = self.context.usage, self.context.basis
        people, former = self.movers
        owned = (usage.identity >= 0).nonzero()[0]
        mover, unit = csr_from_pairs(usage.identity[owned], owned, basis.people).of(people)
        at, entry = self.parts.of(usage.things[unit])
        mover, unit, entry = mover[at], unit[at].astype(np.int64), entry.astype(np.int64)
        index = basis.index
        entitlements = index.grants.entitlement.astype(np.int64) + len(index.holders.groups)
        counts = basis.live & ~index.grants.denies
        things = Things(index, basis.moment, entitlements, counts, usage.thing_count)
        holding = Holding(things, np.where(self.there & (self.department.codes >= 0), self.department.codes, -1))
        present = self.department.codes[people[mover]].astype(np.int64)
        has = holding.counted_by_part(present, entry, self.parts, self.parts_width)
        at_most = self._holding_in(former[mover], entry)
        may_be = self._is_kept(mover, at_most, np.maximum(has - 1, 0))  # the mover is one of them
        return unit[may_be], mover[may_be], entry[may_be]

    def _holding_in(self, department: Ints, entry: Ints) -> Ints:
        """How many people of departments were given anything in the systems of permissions: no fewer reach one."""
        index = self.context.basis.index
        interval = index.scoped_intervals.items[index.scoped_intervals.starts[entry]].astype(np.int64)
        system = insertion_points(index.system_roots, index.intervals.first[interval], side="right") - 1
        holding = self.context.usage.systems_of[: self.context.basis.people] & self.there[:, None]
        counts = np.stack([np.bincount(self.codes[it], minlength=len(self.sizes)) for it in holding.T], axis=1)
        found: Ints = counts[department, system]
        return found

    @property
    def parts_width(self) -> int:
        return max(len(self.context.basis.index.scoped_entry), 1)

    def _is_kept(self, mover: Ints, had: Ints, has: Ints) -> Bools:
        """Whether so many of the former and of the present department make a permission one that was kept."""
        people, former = self.movers
        of_former, of_present = self.sizes[former[mover]], self.sizes[self.codes[people[mover]]] - 1
        found: Bools = (_LEAST_BEFORE * had >= of_former) & (_MOST_NOW * has <= of_present) & (of_former > 0)
        return found

    @cached_property
    def reached(self) -> dict[tuple[int, int], tuple[int, int]]:
        """For each permission and mover how many of the former department reach it, and others of the present one."""
        people, former = self.movers
        _, movers, entries = self.candidates
        found = {}
        for entry in distinct(entries).tolist():
            mask = self._reaching(entry) & self.there
            counts = np.bincount(self.codes[mask], minlength=len(self.sizes))
            for mover in distinct(movers[entries == entry]).tolist():
                person = int(people[mover])
                itself = int(mask[person])
                found[entry, mover] = int(counts[former[mover]]), int(counts[self.codes[person]]) - itself
        return found

    def _reaching(self, entry: int) -> Bools:
        """Which identities reach a permission somewhere; of `*` all actions."""
        index, moment = self.context.basis.index, self.context.basis.moment
        nodes = self._nodes(entry)
        named = int(index.entries.action[index.scoped_entry[entry]])
        actions = index.system_of(int(nodes[0])).actions.tolist() if named == ANY_ACTION else [named]
        masks = [who_reaches_any(index, nodes, action, moment)[: self.context.basis.people] for action in actions]
        found: Bools = np.logical_and.reduce(masks)
        return found

    def _nodes(self, entry: int) -> Ints:
        """The resources that a permission is about."""
        index = self.context.basis.index
        intervals = index.scoped_intervals[entry].astype(np.int64)
        first, end = index.intervals.first[intervals], index.intervals.end[intervals]
        places = [np.arange(one, other) for one, other in zip(first.tolist(), end.tolist(), strict=True)]
        return np.sort(index.tree.node_at[distinct(np.concatenate(places))]).astype(np.int64)

    @cached_property
    def found(self) -> tuple[Ints, Ints, list[Ints]]:
        """The units that were kept, the position of each mover, and the permissions by which."""
        units, movers, entries = self.candidates
        if not len(units):
            return units, movers, []
        pairs = list(zip(entries.tolist(), movers.tolist(), strict=True))
        had, has = (np.array([self.reached[it][side] for it in pairs], dtype=np.int64) for side in (0, 1))
        kept = self._is_kept(movers, had, has)
        units, movers, entries = units[kept], movers[kept], entries[kept]
        width = max(len(self.people), 1)
        codes, inverse = np.unique(units * width + movers, return_inverse=True)
        by_unit = csr_from_pairs(inverse.astype(np.int64), entries, len(codes))
        return codes // width, codes % width, [by_unit[at].astype(np.int64) for at in range(len(codes))]

    # In words

    def department_of(self, mover: int) -> str:
        """The department that somebody left."""
        return str(self.department.values[int(self.movers[1][mover])])

    def told(self, mover: int, entry: int) -> str:
        """A permission, and how many of either department reach it."""
        index, person = self.context.basis.index, int(self.people[mover])
        had, has = self.reached[entry, mover]
        of_former, of_present = self.sizes[self.movers[1][mover]], self.sizes[self.codes[person]] - 1
        permission = index.entries[int(index.scoped_entry[entry])]
        present = self.department.value(person) or "no department"
        return (
            f"{permission.action} {permission.pattern} is reached by {had} of {of_former} there "
            f"and by {has} of {of_present} others in {present}"
        )


def _movers(context: ExcessContext, department: DictionaryColumn, there: Bools) -> tuple[Ints, Ints]:
    """The people who were in other departments before, and in which: pairs of a person and a code of a department."""
    basis = context.basis
    stated = basis.identity(context.thresholds.former)
    number = np.append(positions_among(stated.values, department.values), -1)
    person = (stated.codes >= 0).nonzero()[0]
    pairs = [(person, number[stated.codes[person]])]
    if basis.history is not None:
        pairs.append(_earlier_departments(basis, basis.history, department))
    people, former = (np.concatenate([pair[side] for pair in pairs]).astype(np.int64) for side in (0, 1))
    width = len(department.values) + 1
    codes = distinct((people * width + former)[(former >= 0) & there[people] & (former != department.codes[people])])
    return codes // width, codes % width


def _earlier_departments(basis: Basis, stored: Stored, department: DictionaryColumn) -> tuple[Ints, Ints]:
    """The departments of people in earlier states: their numbers, and the codes of the departments."""
    history = stored.history(IDENTITIES)
    newest = stored.histories.newest.entry if stored.point is None else stored.point
    ended = (history.until <= newest).nonzero()[0]
    ids, held = history.column("id").taken(ended).compact(), history.column("department").taken(ended)
    person = np.append(basis.index.holders.identities.positions_of(list(map(str, ids.values))), -1)[ids.codes]
    code = np.append(positions_among(held.values, department.values), -1)[held.codes]
    known = (person >= 0) & (code >= 0)
    return person[known], code[known]
