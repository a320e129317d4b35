"""What somebody kept from a former position: what is usual there, and not where the person is now."""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.analysis.evidence.usual import Reaching, counted, others_in
from kathodos.columns.csr import Ints, csr_from_pairs, distinct
from kathodos.columns.dictionary import DictionaryColumn, positions_among
from kathodos.findings.excess.batches import Batch, ExcessContext, FindingText, batch, first_alike, severity_of
from kathodos.model.kinds import IDENTITIES
from kathodos.store.records import Stored

FORMER_POSITION = "former-position"
_LEAST_BEFORE, _MOST_NOW = 2, 10  # at least a half of the former department, at most a tenth of the present one


def former_position(context: ExcessContext) -> Batch:
    """Units all of whose names half of a former department reach, and hardly a tenth of the present one."""
    kept = Kept(context.evidence, context.thresholds.former)
    row_of = np.full(len(context.usage.units), -1, dtype=np.int64)
    row_of[kept.unit[::-1]] = np.arange(len(kept.unit))[::-1]
    found = first_alike(context, row_of >= 0)

    def describe(at: int) -> FindingText:
        unit = int(found[at])
        row = int(row_of[unit])
        evidence = f"{context.unit_gives(unit)}, kept from {kept.department_of(row)}: {kept.told(row)}"
        remedy = "Take it away, or have it asked for anew."
        return FindingText(context.unit(unit), evidence, remedy, context.end_alike(unit))

    severity = np.maximum(severity_of(context.usage.top[found]), 1)
    whose = context.usage.identity[found]
    thing = context.usage.things[found]
    return batch(FORMER_POSITION, whose, lambda at: context.holder(int(whose[at])), describe, severity, 90, thing=thing)


class Kept(msgspec.Struct, frozen=True, dict=True):
    """The units that people kept from a former department. `former`: the attribute that tells a previous one."""

    evidence: UnitEvidence
    former: str

    @property
    def basis(self) -> Basis:
        return self.evidence.basis

    @cached_property
    def department(self) -> DictionaryColumn:
        return self.basis.identity("department")

    @cached_property
    def _candidates(self) -> tuple[Ints, Ints]:
        """Units of people who were in other departments before, each with such a department."""
        basis, asker = self.basis, self.evidence.units.asker
        people, former = _movers(basis, self.former, self.department)
        of_person = csr_from_pairs(people, former, basis.size)
        mine = ((of_person.sizes()[asker] > 0) & (self.evidence.item >= 0)).nonzero()[0]
        at, department = of_person.of(asker[mine])
        return mine[at], department.astype(np.int64)

    @cached_property
    def _counted(self) -> tuple[Ints, Ints, Ints, Ints, Ints, Ints]:
        """The units that were kept, and from which department; how many of how many have it there, and how many of how
        many others where the person is now."""
        basis, (unit, former) = self.basis, self._candidates
        if not len(unit):
            return (unit,) * 6
        is_counted = counted(basis) & basis.is_person
        codes = self.department.codes.astype(np.int64)
        person = self.evidence.units.asker[unit]
        numbers, names = self.evidence.name_sets
        sets, which = np.unique(numbers[unit], return_inverse=True)
        people = (is_counted & (codes >= 0)).nonzero()[0]
        reaching = Reaching(self.evidence.things, names.picked(sets))
        had = reaching.counted(people, codes[people], former, which)
        has, there_now = np.zeros(len(unit), dtype=np.int64), codes[person] >= 0
        has[there_now] = reaching.counted(people, codes[people], codes[person[there_now]], which[there_now])
        has -= there_now & is_counted[person]  # who has a unit that counts reaches what it names
        sizes = np.bincount(codes[people], minlength=len(self.department.values) + 1)
        there, here = sizes[former], others_in(codes, is_counted, person)
        kept = (_LEAST_BEFORE * had >= there) & (_MOST_NOW * has <= here) & (there > 0)
        return unit[kept], former[kept], had[kept], there[kept], has[kept], here[kept]

    @property
    def unit(self) -> Ints:
        """The units that were kept; one that was kept from two departments stands here twice."""
        return self._counted[0]

    def department_of(self, row: int) -> str:
        """The department that a unit was kept from."""
        return str(self.department.values[int(self._counted[1][row])])

    def told(self, row: int) -> str:
        """How many of either department have it."""
        _, _, had, there, has, here = (int(it[row]) for it in self._counted)
        person = int(self.evidence.units.asker[self.unit[row]])
        present = self.department.value(person)
        now = f"and {has} of {here} others in {present}" if here else "and nobody else is where they are now"
        return f"{had} of {there} have it there, {now}"


def _movers(basis: Basis, former: str, department: DictionaryColumn) -> tuple[Ints, Ints]:
    """The people who were in other departments before, and in which: pairs of a person and a code of a department."""
    there = basis.is_person & basis.is_there
    stated = basis.identity(former)
    number = np.append(positions_among(stated.values, department.values), -1)
    person = (stated.codes >= 0).nonzero()[0]
    pairs = [(person, number[stated.codes[person]])]
    if basis.history is not None:
        pairs.append(_earlier_departments(basis, basis.history, department))
    people, before = (np.concatenate([pair[side] for pair in pairs]).astype(np.int64) for side in (0, 1))
    width = len(department.values) + 1
    codes = distinct((people * width + before)[(before >= 0) & there[people] & (before != department.codes[people])])
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
