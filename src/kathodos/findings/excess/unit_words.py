"""What is said about units, in words."""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.evidence.units import ActionUses, UnitEvidence
from kathodos.columns.csr import CSRList, Ints, csr_from_pairs
from kathodos.columns.ordered import insertion_points
from kathodos.model.references import reference_to
from kathodos.model.times import day_text
from kathodos.model.words import plural

_MOST_ACTIONS = 4


class UnitWords(msgspec.Struct, frozen=True, dict=True):
    """The words for each of some units."""

    evidence: UnitEvidence

    def name(self, unit: int) -> str:
        """What a unit rests on: a grant or a group."""
        units, index = self.evidence.units, self.evidence.index
        grant = int(units.grant[unit])
        if grant >= 0:
            return reference_to("grant", index.grants.ids[grant])
        return index.holders.references[int(units.group[unit])]

    def use(self, unit: int) -> str:
        """How what a unit names was used, action by action, and what else of its content was."""
        index, evidence = self.evidence.index, self.evidence
        used, _, actions = evidence.names
        named = actions[int(insertion_points(used, evidence.thing[unit]))].tolist()
        told = {int(of): at for of, at in self._uses(evidence.by_action, self._by_action, unit)}
        own = {int(of) for of, _ in self._uses(evidence.credited_by_action, self._credited, unit)}
        is_one = len({index.actions[it][0] for it in [*named, *told]}) < 2

        def name(action: int) -> str:
            system, said = index.actions[action]
            return said if is_one else f"{said} in {system}"

        never = [name(it) for it in named if it not in told]
        parts = [f"{', '.join(never[:_MOST_ACTIONS])} never"] if 0 < len(never) <= _MOST_ACTIONS else []
        parts += [f"{plural(len(never), 'action')} never"] if len(never) > _MOST_ACTIONS else []
        by_all = evidence.by_action
        for action, at in sorted(told.items(), key=lambda it: -int(by_all.last[it[1]]))[:_MOST_ACTIONS]:
            times = plural(int(by_all.times[at]), "time")
            also = "" if action in own else f", which {self.also_given_by(unit, action)} gives too"
            parts.append(f"{name(action)} {times}, last on {day_text(int(by_all.last[at]))}{also}")
        more = len(told) - _MOST_ACTIONS
        parts += [f"{plural(more, 'other action')} as well"] if more > 0 else []
        return "; ".join(parts)

    @cached_property
    def units_of(self) -> CSRList:
        """The units of each asker."""
        asker = self.evidence.units.asker
        return csr_from_pairs(asker, np.arange(len(asker)), self.evidence.basis.size)

    @cached_property
    def _by_action(self) -> CSRList:
        return self._rows(self.evidence.by_action)

    @cached_property
    def _credited(self) -> CSRList:
        return self._rows(self.evidence.credited_by_action)

    def _rows(self, uses: ActionUses) -> CSRList:
        return csr_from_pairs(uses.unit, np.arange(len(uses.unit)), len(self.evidence.units))

    @staticmethod
    def _uses(uses: ActionUses, rows: CSRList, unit: int) -> list[tuple[int, int]]:
        return [(int(uses.action[at]), int(at)) for at in rows[unit].tolist()]

    def also_given_by(self, unit: int, action: int) -> str:
        """What else gives what a unit was used for by an action: another unit of theirs, or what comes to many."""
        evidence = self.evidence
        for other in self.units_of[int(evidence.units.asker[unit])].tolist():
            if other != unit and action in (of for of, _ in self._uses(evidence.by_action, self._by_action, other)):
                return self.name(other)
        return "what everyone has, or a group by its filter"

    def beyond(self, unit: int, resources: Ints | None = None) -> str:
        """What a unit allows that nobody asked for: "allocate on 16 resources"; empty where that is nothing.

        `resources`: on how many, of all rows of what units allow beyond, where that was counted before.
        """
        index, beyond = self.evidence.index, self.evidence.beyond
        rows = self._beyond[unit].astype(np.int64)
        told, parts = rows[:_MOST_ACTIONS], []
        counts = self.evidence.beyond_resources(told) if resources is None else resources[told]
        for at, count in zip(told.tolist(), counts.tolist(), strict=True):
            parts.append(f"{index.actions[int(beyond.action[at])][1]} on {plural(count, 'resource')}")
        more = len(rows) - len(parts)
        return " and ".join([", ".join(parts), f"{plural(more, 'action')} more"] if more else parts)

    @cached_property
    def _beyond(self) -> CSRList:
        beyond = self.evidence.beyond
        return csr_from_pairs(beyond.unit, np.arange(len(beyond.unit)), len(self.evidence.units))
