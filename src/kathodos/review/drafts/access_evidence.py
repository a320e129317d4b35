"""What stands beside the lines of a review, so that whoever decides knows what they are about: of all lines at once.

What is true of a thing whoever holds it - a group, or what grants give - is said once for each thing; what is true of
one holder stands with the line, and comes from the evidence of units.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property
from itertools import pairwise

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.analysis.evidence.asked import bits_where
from kathodos.analysis.evidence.held import Units, carried_grants
from kathodos.analysis.evidence.things import Things
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.analysis.evidence.usual import Peers, Usual, counted
from kathodos.change.edit_sets import key_text
from kathodos.change.standing import standings
from kathodos.columns.csr import Bools, CSRList, Ints, among, csr_from_distinct, csr_from_pairs, distinct, ints
from kathodos.columns.dictionary import DictionaryColumn, Numbers, dense, dictionary_column, nothing, tabled
from kathodos.columns.ordered import insertion_points, numbered, order_of
from kathodos.columns.packed import fingerprints
from kathodos.engine.reach import what_reached_by, who_reaches_any
from kathodos.findings.conflicts.states import Conflicts, broken_by
from kathodos.findings.excess.batches import ExcessContext
from kathodos.findings.excess.former import Kept
from kathodos.findings.excess.unit_words import UnitWords
from kathodos.model.json_text import json_text
from kathodos.model.kinds import CHANGES, GRANTS, MEMBERS, Kind
from kathodos.model.references import key_of_membership
from kathodos.model.times import BEGINNING, DAY, day_text, moment_text
from kathodos.review.drafts.holder_evidence import moments_column
from kathodos.rules.asked import asked_by
from kathodos.rules.reading import Conflicting, Duty, Fence, Need
from kathodos.rules.targets import entitlements_on, entitlements_permitting, meant

_EMPTY = "[]"


class Evidence(msgspec.Struct, frozen=True, dict=True):
    """What stands beside all units of a review. `conflicts`: of those whom the units belong to; `is_thorough`: whether
    everybody is counted however many people there are."""

    context: ExcessContext
    units: Units
    conflicts: Conflicts
    needs: Sequence[Need] = ()
    is_thorough: bool = False

    @property
    def moment(self) -> int:
        """The moment at which the review is opened."""
        return self.context.basis.moment

    @cached_property
    def of_units(self) -> UnitEvidence:
        """What is said about the units; each has to belong to somebody."""
        return UnitEvidence(self.context.basis, self.units, asked_by(self.context.basis, self.needs), self.watched)

    @cached_property
    def words(self) -> UnitWords:
        return UnitWords(self.of_units)

    # Things

    @cached_property
    def things(self) -> Things:
        return self.context.basis.things

    @cached_property
    def thing(self) -> Ints:
        """The thing that each unit is."""
        return self.things.of_units(self.units.grant, self.units.group)

    @cached_property
    def used(self) -> Ints:
        """The things that any unit is, in order."""
        return distinct(self.thing).astype(np.int64)

    @cached_property
    def place(self) -> Ints:
        """The position among these of the thing that each unit is."""
        return insertion_points(self.used, self.thing)

    @cached_property
    def carried(self) -> CSRList:
        """The grants that each of these things brings, in force or to come."""
        first, everyone = self.context.basis.index.holders.first_group, self.things.holders - 1
        groups = self.used[self.used < self.things.holders]
        of_groups = carried_grants(self.context.basis.index, groups + first, self.moment)
        assert everyone not in groups, "what everyone has is nobody's unit"
        own = self.things.grants(self.used[len(groups) :])
        return csr_from_pairs(
            np.concatenate([of_groups.rows(), own.rows() + len(groups)]).astype(np.int64),
            np.concatenate([of_groups.items, own.items]).astype(np.int64),
            len(self.used),
        )

    def thing_columns(self, having: Ints | None = None, of: int | None = None) -> list[DictionaryColumn]:
        """Of each thing used: what it gives, brings, contains, is within; how many have it, of how many, where that is
        known of a thing by itself; since when its uses are recorded, and its sensitivity."""
        described = [self._describe(at) for at in range(len(self.used))]
        columns = [*zip(*described, strict=True)] if described else [(), (), (), ()]
        watched = self._watched.tolist()
        since = [moment_text(it) if it < self.moment else None for it in watched]
        sensitivity = [it if it >= 0 else None for it in self._top.tolist()]
        counts = [None] * len(self.used) if having is None else having.tolist()
        counted_of = [of] * len(self.used)
        return [dictionary_column(it) for it in (*columns, counts, counted_of, since, sensitivity)]

    @property
    def sensitivity(self) -> Ints:
        """The highest sensitivity of what each unit permits, or denies; -1 where there is nothing."""
        return self._top[self.place]

    @cached_property
    def _top(self) -> Ints:
        found = np.full(len(self.used), -1, dtype=np.int64)
        used, place = self._giving
        np.maximum.at(found, self.carried.rows(), self.context.exposure.top_of(used)[place])
        return found

    @cached_property
    def _giving(self) -> tuple[Ints, Ints]:
        """The entitlements that are brought, in order, and the position among them of that of each brought grant."""
        used, place = np.unique(self.context.basis.index.grants.entitlement[self.carried.items], return_inverse=True)
        return used.astype(np.int64), place

    @cached_property
    def _systems(self) -> CSRList:
        """The systems in which each of these entitlements permits something."""
        return self.context.exposure.systems_of(self._giving[0])

    @cached_property
    def _watched(self) -> Ints:
        """Since when the uses of each thing used would be known in all of its systems."""
        index = self.context.basis.index
        thing, grant = self.carried.rows(), self.carried.items
        brought = self.things.live[grant] & ~index.grants.denies[grant] | (self.used >= self.things.holders)[thing]
        origin, system = self._systems.of(self._giving[1][brought])
        found = csr_from_distinct(thing[brought][origin], system, len(self.used), self._width)
        return self.context.usage.watched_in(found)

    @property
    def watched(self) -> Ints:
        """The moment since when uses of each unit would be known; one to come where they would not."""
        found: Ints = self._watched[self.place]
        return found

    def _describe(self, at: int) -> tuple[str, str, str, str]:
        grants, thing = slice(*self.carried.starts[at : at + 2].tolist()), int(self.used[at])
        pairs = {*zip(self._brought[0][grants], self._brought[1][grants], strict=True)}
        contained = json_text(self._contained(sorted(pairs)))
        if thing >= self.things.holders:
            ((number, denies),) = pairs
            return f"{'deny ' if denies else ''}{self._entitlements[number]}", _EMPTY, contained, _EMPTY
        holders = self.context.basis.index.holders
        within = {holders.references[it] for it in {*self._brought[2][grants]}}
        name = holders.references[holders.first_group + thing]
        brings = sorted({self._entitlements[number] for number, _ in pairs})
        return name, json_text(brings), contained, json_text(sorted(within - {name}))

    @cached_property
    def _brought(self) -> tuple[list[int], list[bool], list[int]]:
        """The entitlement of each grant that a thing used brings, whether it is denied, and its holder."""
        grants, items = self.context.basis.index.grants, self.carried.items
        return grants.entitlement[items].tolist(), grants.denies[items].tolist(), grants.holder[items].tolist()

    @cached_property
    def _entitlements(self) -> dict[int, str]:
        """The role or permission that is given, and on what, by number: of all that is brought."""
        entitlements, numbers = self.context.basis.index.entitlements, self._giving[0]
        gives = entitlements.gives_texts.taken(entitlements.gives[numbers])
        scopes = [f" on {text}" for text in entitlements.scope_texts] + [""]
        scope = entitlements.scope[numbers].tolist()
        return {it: text + scopes[on] for it, text, on in zip(numbers.tolist(), gives, scope, strict=True)}

    @cached_property
    def _permissions(self) -> dict[int, list[tuple[bool, str]]]:
        """What each of these entitlements is made of, and whether it denies that."""
        index, numbers = self.context.basis.index, ints(self._entitlements)
        lists = index.entitlements.scoped.picked(numbers)
        used, which = np.unique(index.scoped_entry[lists.items], return_inverse=True)
        verbs, denies = index.entries.verb[used].tolist(), index.entries.denies[used].tolist()
        patterns = index.entries.patterns.taken(index.entries.pattern[used])
        told = [
            (never, f"{index.entries.verbs[verb]} {text}")
            for never, verb, text in zip(denies, verbs, patterns, strict=True)
        ]
        entries, starts = which.tolist(), lists.starts.tolist()
        return {
            number: [told[it] for it in entries[first:end]]
            for number, (first, end) in zip(numbers.tolist(), pairwise(starts), strict=True)
        }

    def _contained(self, pairs: Sequence[tuple[int, bool]]) -> list[str]:
        """The permissions in it, each once, what is denied last."""
        texts = {(denied or never, text) for number, denied in pairs for never, text in self._permissions[number]}
        return [f"{'never ' if never else ''}{text}" for never, text in sorted(texts)]

    # Shares

    @cached_property
    def is_counted(self) -> Bools:
        """Everybody: the people who are active."""
        basis = self.context.basis
        return counted(basis) & basis.is_person

    @cached_property
    def usual(self) -> Usual:
        """How many others have what each unit names."""
        limits = self.context.thresholds
        peers = Peers(self.of_units, limits.peer_terms)
        is_whole = self.is_thorough or self.context.basis.people <= thresholds.PEOPLE_REVIEWED
        return peers.usual(is_whole=is_whole)

    # What speaks for it, and against

    def needed_by(self, columns: list[Ints]) -> DictionaryColumn:
        """The ids of the needs whose bits are set for each unit, as a kept list."""
        if not columns:
            return nothing(len(self.units))
        lists = bits_where(columns)
        _, sample, codes = np.unique(fingerprints(lists), return_index=True, return_inverse=True)
        texts = [";".join(self.needs[it].id for it in lists[at].tolist()) or None for at in sample.tolist()]
        known = dictionary_column(texts)
        return DictionaryColumn(known.codes[codes], known.values)

    def spoken(self) -> DictionaryColumn:
        """Of which units any need speaks: one about whoever they belong to, and about a system they bear on."""
        basis, found = self.context.basis, np.zeros(len(self.units), dtype=bool)
        entitlements, systems = self._giving[0], self._systems
        for need in self.needs:
            named = {it.pattern.system for it in need.permissions}
            numbers = [at for at, it in enumerate(basis.index.systems_in_order) if it.name in named]
            speaks = distinct(systems.rows()[np.isin(systems.items, numbers)])
            found |= meant(basis, need)[self.units.asker] & self._brings(entitlements[speaks])[self.place]
        return DictionaryColumn(found.astype(np.int32), Numbers(np.array([0, 1])))

    def crossing(self, fences: Sequence[Fence]) -> DictionaryColumn:
        """The fences that each unit that counts now helps its holder across, as a kept list."""
        basis, marks = self.context.basis, np.zeros((len(fences), len(self.units)), dtype=bool)
        forbidden = []
        for at, fence in enumerate(fences):
            for permission in fence.never:
                actions, nodes = self.context.targets.of_permission(permission)
                forbidden += [(at, action, nodes) for action in actions if len(nodes)]
        reaching = self._reaching([(action, nodes) for _, action, nodes in forbidden])
        for (at, action, nodes), reaches in zip(forbidden, reaching, strict=True):
            brings = self._brings(entitlements_on(basis.index, [action], nodes))
            across = reaches & meant(basis, fences[at])[self.of_units.askers]
            marks[at] |= across[self.of_units.position] & brings[self.place] & self._counts
        if not len(fences):
            return nothing(len(self.units))
        _, sample, codes = np.unique(np.packbits(marks, axis=0).T, axis=0, return_index=True, return_inverse=True)
        texts = [";".join(fence.id for fence, mark in zip(fences, marks[:, at], strict=True) if mark) for at in sample]
        known = dictionary_column(text or None for text in texts)
        return DictionaryColumn(known.codes[codes.ravel()], known.values)

    def _reaching(self, asked: Sequence[tuple[int, Ints]]) -> Iterator[Bools]:
        """Which of those whose units these are reach each of some actions on any of its nodes, each of one system."""
        index, askers = self.context.basis.index, self.of_units.askers
        if len(askers) <= thresholds.FEW_ASKERS:
            points = self.things.points
            yield from self.of_units.reach_any([np.sort(points.pairs(ints([it]), nodes)) for it, nodes in asked])
        else:
            yield from (who_reaches_any(index, nodes, action, self.moment)[askers] for action, nodes in asked)

    @property
    def _counts(self) -> Bools:
        """Which units count now."""
        found: Bools = self.of_units.item >= 0
        return found

    def of_whom(self) -> list[DictionaryColumn]:
        """The status of whoever each unit belongs to, and the last day."""
        columns = (self.context.basis.asker(name) for name in ("status", "ends"))
        return [column.taken(self.units.asker).compact() for column in columns]

    def begins(self) -> DictionaryColumn:
        """From which day on each unit that gives nothing yet would; nothing for the others."""
        days, codes = np.unique(self._begins // DAY, return_inverse=True)
        texts = dictionary_column(day_text(it * DAY) if it > BEGINNING // DAY else None for it in days.tolist())
        return DictionaryColumn(texts.codes[codes], texts.values)

    @cached_property
    def _begins(self) -> Ints:
        """The moment from which on each unit that gives nothing yet would; the beginning of time for the others."""
        index, asker, people = self.context.basis.index, self.units.asker, self.context.basis.people
        first = np.full(len(self.used), np.iinfo(np.int64).max)
        np.minimum.at(first, self.carried.rows(), index.grants.starts[self.carried.items])
        own = np.append(index.grants.starts.astype(np.int64), BEGINNING)[self.units.grant]
        begun = np.append(index.holders.starts, BEGINNING)[np.where(asker < people, asker, people)]
        day = np.maximum(np.maximum(np.where(self.units.grant >= 0, own, first[self.place]), begun), BEGINNING)
        later = ~self._counts & (day > self.moment) & (day < np.iinfo(np.int64).max)
        return np.where(later, day, BEGINNING)

    def former(self) -> DictionaryColumn:
        """The former department that each unit was kept from."""
        kept, codes = Kept(self.of_units, self.context.thresholds.former), np.full(len(self.units), -1, dtype=np.int32)
        names: dict[str, int] = {}
        for row, unit in enumerate(kept.unit.tolist()):
            codes[unit] = names.setdefault(kept.department_of(row), len(names))
        return DictionaryColumn(codes, tabled(list(names)))

    def _brings(self, entitlements: Ints) -> Bools:
        """Which of the things used bring one of some entitlements, denials apart."""
        index = self.context.basis.index
        given = np.zeros(len(index.entitlements), dtype=bool)
        given[entitlements] = True
        grants = self.carried.items
        gives = given[index.grants.entitlement[grants]] & ~index.grants.denies[grants]
        found = np.zeros(len(self.used), dtype=bool)
        found[self.carried.rows()[gives]] = True
        return found

    def taking_part(self) -> DictionaryColumn:
        """The rules of the conflicts to which each unit that counts now contributes, as a kept list."""
        conflicts, size = self.conflicts, self.context.basis.size
        of_asker = csr_from_pairs(self.units.asker, np.arange(len(self.units)), size)
        lines, rules = [], []
        for number in distinct(conflicts.held).tolist():
            here = conflicts.held == number
            rule = int(conflicts.rule[here][0])
            brings = self._brings(self._contributing(rule, number))
            mine = of_asker.all_of(conflicts.asker[here]).astype(np.int64)
            mine = mine[brings[self.place[mine]] & self._counts[mine]]
            lines.append(mine)
            rules.append(np.full(len(mine), rule))
        codes = np.full(len(self.units), -1, dtype=np.int32)
        texts: list[str] = []
        if lines:
            of_line: dict[int, set[str]] = {}
            for line, rule in zip(np.concatenate(lines).tolist(), np.concatenate(rules).tolist(), strict=True):
                of_line.setdefault(line, set()).add(conflicts.rules[rule].id)
            known = dictionary_column(";".join(sorted(names)) for names in of_line.values())
            codes[list(of_line)] = known.codes
            texts = list(map(str, known.values))
        return DictionaryColumn(codes, tabled(texts))

    def _contributing(self, rule: int, held: int) -> Ints:
        """The entitlements that permit something of the duties by which a rule is broken."""
        return self._permitting(self.conflicts.rules[rule], *self.conflicts.held_alike[held])

    def _permitting(self, rule: Conflicting, duties: Sequence[Duty], values: Sequence[str | None]) -> Ints:
        """The entitlements that permit something of some duties of a rule."""
        parts = [
            entitlements_on(self.context.basis.index, [action], nodes)
            for duty in duties
            for action, nodes in self.context.targets.of_duty(duty, rule.within, values)
        ]
        return distinct(np.concatenate(parts)) if parts else np.zeros(0, dtype=np.int64)

    def conflicts_to_come(self) -> list[DictionaryColumn]:
        """The day from which on each unit would contribute to a conflict that there is not yet, as it gives something
        more from then, or begins to; and the rules of these conflicts, as a kept list."""
        found = dict[int, tuple[int, set[str]]]()
        known = set(zip(self.conflicts.asker.tolist(), self.conflicts.rule.tolist(), strict=True))
        unit, moment = self._coming
        for number, rule in enumerate(self.conflicts.rules if len(unit) else ()):
            named = [it for duty in rule.duties for it in (*duty.permissions, *duty.every)]
            mine = self._brings(entitlements_permitting(self.context.targets, named))[self.place[unit]].nonzero()[0]
            for at in (it for it in mine.tolist() if (int(self.units.asker[unit[it]]), number) not in known):
                one, when = int(unit[at]), int(moment[at])
                if (one not in found or when <= found[one][0]) and self._would_break(rule, one, when):
                    first, rules = found.get(one, (when, set()))
                    found[one] = (when, {rule.id, *(rules if first == when else ())})
        days = np.full(len(self.units), -1, dtype=np.int32)
        names = days.copy()
        codes, texts = dict[str, int](), dict[str, int]()
        for one, (when, rules) in found.items():
            days[one] = codes.setdefault(day_text(when), len(codes))
            names[one] = texts.setdefault(";".join(sorted(rules)), len(texts))
        return [DictionaryColumn(days, tabled(list(codes))), DictionaryColumn(names, tabled(list(texts)))]

    @property
    def _coming(self) -> tuple[Ints, Ints]:
        """Units, and each moment to come from which on one gives something more, or begins to; the earliest first."""
        starts = self.context.basis.index.grants.starts[self.carried.items].astype(np.int64)
        coming = starts > self.moment
        pairs = np.unique(np.stack([self.carried.rows()[coming], starts[coming]]), axis=1)
        at, which = csr_from_pairs(pairs[0], np.arange(pairs.shape[1]), len(self.used)).of(self.place)
        of_groups = self.units.group[at] >= 0  # what alike grants give begins with each of them
        begun = (self._begins > self.moment).nonzero()[0]
        unit = np.concatenate([at[of_groups], begun])
        moment = np.concatenate([pairs[1][which[of_groups]], self._begins[begun]])
        order = order_of(moment)
        return unit[order].astype(np.int64), moment[order].astype(np.int64)

    def _would_break(self, rule: Conflicting, unit: int, moment: int) -> bool:
        """Whether whoever has a unit breaks a rule, and it contributes, at a moment to come with all else as it is."""
        basis, asker = self.context.basis, int(self.units.asker[unit])
        if rule.excepted is not None and basis.selected(rule.excepted)[asker]:
            return False
        held = broken_by(self.context.targets, rule, what_reached_by(basis.index, asker, moment))
        return held is not None and bool(self._brings(self._permitting(rule, *held))[self.place[unit]])

    def never(self) -> DictionaryColumn:
        """The actions that each unit names and that were never used of it, as a kept list, where that can be known.

        The system stands with an action where one of the same name was used in another system.
        """
        used, _, actions = self.of_units.names
        uses = self.of_units.by_action
        of_unit = csr_from_pairs(uses.unit[uses.is_named], uses.action[uses.is_named], len(self.units))
        known = ((self.watched < self.moment) & self._counts).nonzero()[0]
        alike = numbered(fingerprints(of_unit.picked(known)))[1]
        sample, which = numbered(alike * max(len(self.used), 1) + self.place[known])
        names, texts = self.context.basis.index.actions, list[str | None]()
        for unit in known[sample].tolist():
            named, mine = actions[int(insertion_points(used, self.thing[unit]))].tolist(), set(of_unit[unit].tolist())
            elsewhere = {names[it][1] for it in named if it in mine}
            left = [names[it] for it in named if it not in mine]
            words = (f"{name} in {system}" if name in elsewhere else name for system, name in left)
            texts.append(";".join(dict.fromkeys(words)) or None)
        told = dictionary_column(texts)
        codes = np.full(len(self.units), -1, dtype=np.int32)
        codes[known] = told.codes[which]
        return DictionaryColumn(codes, told.values)

    def beyond(self) -> DictionaryColumn:
        """What each unit that a need asks for allows besides, which nobody asked for."""
        beyond = self.of_units.beyond
        resources = self.of_units.beyond_resources(np.arange(len(beyond.unit)))
        told = csr_from_pairs(beyond.unit, dense(beyond.action << 32 | resources), len(self.units))
        some = (told.sizes() > 0).nonzero()[0]
        _, sample, which = np.unique(fingerprints(told.picked(some)), return_index=True, return_inverse=True)
        texts = dictionary_column(self.words.beyond(int(some[at]), resources) for at in sample.tolist())
        codes = np.full(len(self.units), -1, dtype=np.int32)
        codes[some] = texts.codes[which]
        return DictionaryColumn(codes, texts.values)

    def signed_in(self) -> DictionaryColumn:
        """When the accounts of whoever has each unit last signed in to the systems that it gives something in."""
        return moments_column(self._signed_in)

    @cached_property
    def _signed_in(self) -> Ints:
        basis = self.context.basis
        account, code = self._accounts_in
        seen = basis.moments(basis.account("last_login").taken(account).compact())
        known = (seen > BEGINNING).nonzero()[0]
        codes, which = np.unique(code[known], return_inverse=True)
        newest = np.full(len(codes), BEGINNING, dtype=np.int64)
        np.maximum.at(newest, which, seen[known])
        at, wanted = self._given_in
        found = np.full(len(self.units), BEGINNING, dtype=np.int64)
        where = np.minimum(insertion_points(codes, wanted), max(len(codes) - 1, 0))
        if len(codes):
            there = codes[where] == wanted
            np.maximum.at(found, at[there], newest[where[there]])
        return found

    @property
    def _width(self) -> int:
        return max(len(self.context.basis.index.systems_in_order), 1)

    @cached_property
    def _accounts_in(self) -> tuple[Ints, Ints]:
        """The accounts of those whose units these are, by number less that of the first, and whose each is and in which
        system, as one number; without those whose system is not known."""
        basis, holders = self.context.basis, self.context.basis.index.holders
        is_concerned, owner = np.zeros(basis.size, dtype=bool), holders.asker_of[holders.people :]
        is_concerned[self.of_units.askers] = True
        account = is_concerned[owner].nonzero()[0]
        names = {it.name: at for at, it in enumerate(basis.index.systems_in_order)}
        system = basis.account("system").taken(account).compact()
        number = np.array([*(names.get(str(it), -1) for it in system.values), -1], dtype=np.int64)[system.codes]
        account, number = account[number >= 0], number[number >= 0]
        return account, owner[account] * self._width + number

    @cached_property
    def _given_in(self) -> tuple[Ints, Ints]:
        """Units with each system that they give something in: the unit, and whose it is in which, as one number."""
        index = self.context.basis.index
        permits = ~index.grants.denies[self.carried.items]
        unit = self.carried.rows()[permits]
        origin, of_system = self._systems.of(self._giving[1][permits])
        pairs = distinct(unit[origin].astype(np.int64) * self._width + of_system)
        systems = csr_from_pairs(pairs // self._width, pairs % self._width, len(self.used))
        at, place = systems.of(self.place)
        return at, self.units.asker[at] * self._width + place

    def without_account(self) -> DictionaryColumn:
        """The systems that each unit of a person who never signed in to any of them gives something in, and where the
        person has no account, as a kept list."""
        index, (at, wanted) = self.context.basis.index, self._given_in
        is_there = among(wanted, distinct(self._accounts_in[1]))
        asked = (self._signed_in[at] == BEGINNING) & (self.units.asker[at] < self.context.basis.people) & ~is_there
        missing = csr_from_pairs(at[asked], wanted[asked] % self._width, len(self.units))
        some = (missing.sizes() > 0).nonzero()[0]
        _, sample, which = np.unique(fingerprints(missing.picked(some)), return_index=True, return_inverse=True)
        names = [it.name for it in index.systems_in_order]
        told = dictionary_column(";".join(names[it] for it in missing[int(some[one])].tolist()) for one in sample)
        codes = np.full(len(self.units), -1, dtype=np.int32)
        codes[some] = told.codes[which]
        return DictionaryColumn(codes, told.values)

    def stands_by(self) -> DictionaryColumn:
        """By what each unit stands, in words: a request and its kit, or a change; nothing where neither gave it."""
        basis, codes = self.context.basis, np.full(len(self.units), -1, dtype=np.int32)
        texts: dict[str, int] = {}
        if len(basis.records.rows(CHANGES)):
            index, references = basis.index, basis.index.holders.references
            keys: list[tuple[Kind, tuple[str, ...]]] = [
                (GRANTS, (index.grants.ids[grant],))
                if grant >= 0
                else (MEMBERS, key_of_membership(references[holder], references[group]))
                for grant, group, holder in zip(
                    *(it.tolist() for it in (self.units.grant, self.units.group, self.units.holder)), strict=True
                )
            ]
            found = standings(basis.records, keys)
            for at, (kind, key) in enumerate(keys) if found else ():
                standing = found.get((kind.name, key_text(key)))
                if standing is not None:
                    codes[at] = texts.setdefault(standing.text, len(texts))
        return DictionaryColumn(codes, tabled(list(texts)))
