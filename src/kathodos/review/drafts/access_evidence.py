"""What stands beside the lines of a review, so that whoever decides knows what they are about: of all lines at once.

What is true of a thing whoever holds it - a group, or what grants give - is said once for each thing; what is true of
one holder stands with the line. Shares are counted exactly, people by peer group.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.holding import Counted, Holding, Things
from kathodos.analysis.usage import Usage
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_pairs, distinct
from kathodos.columns.dictionary import DictionaryColumn, Numbers, dictionary_column, nothing, row_numbers, tabled
from kathodos.columns.ordered import insertion_points
from kathodos.engine.reach import who_reaches_any
from kathodos.findings.conflicts.states import Conflicts
from kathodos.findings.excess.batches import ExcessContext
from kathodos.findings.excess.former import former_departments
from kathodos.model.json_text import json_text
from kathodos.model.times import BEGINNING, moment_text
from kathodos.review.drafts.items import Items, carried_grants
from kathodos.rules.reading import Fence, Need
from kathodos.rules.targets import entitlements_on, entitlements_permitting, meant

_TOGETHER = 60  # needs that are looked at together, a bit each
_EMPTY = "[]"


class Evidence(msgspec.Struct, frozen=True, dict=True):
    """What stands beside all items of a review.

    A thing is numbered as a group, behind the groups as what a grant gives, and behind these as what one denies.
    """

    context: ExcessContext
    items: Items
    conflicts: Conflicts

    @property
    def moment(self) -> int:
        """The moment at which the review is opened."""
        return self.context.basis.moment

    # Things

    @cached_property
    def of_grant(self) -> Ints:
        """The thing that each grant gives, or denies."""
        index = self.context.basis.index
        entitlements = len(index.entitlements)
        entitlement = index.grants.entitlement.astype(np.int64)
        return len(index.holders.groups) + entitlement + np.where(index.grants.denies, entitlements, 0)

    @cached_property
    def thing(self) -> Ints:
        """The thing that each item is."""
        first = self.context.basis.index.holders.first_group
        return np.where(self.items.grant >= 0, np.append(self.of_grant, -1)[self.items.grant], self.items.group - first)

    @cached_property
    def used(self) -> Ints:
        """The things that any item is, in order."""
        return distinct(self.thing)

    def thing_columns(self) -> list[DictionaryColumn]:
        """Of each thing used: what it gives, brings, contains, is within, how many have it, of how many."""
        described = [self._describe(thing) for thing in self.used.tolist()]
        having = self.counted.of_thing[self.used].tolist()
        everybody = int(self.is_counted.sum())
        columns = [*zip(*described, strict=True)] if described else [(), (), (), ()]
        since = [
            moment_text(it) if it < self.moment else None for it in self._permits(self._watched)[self.used].tolist()
        ]
        sensitivity = [it if it >= 0 else None for it in self.sensitivity[self.used].tolist()]
        return [dictionary_column(it) for it in (*columns, having, [everybody] * len(having), since, sensitivity)]

    @cached_property
    def sensitivity(self) -> Ints:
        """The highest sensitivity of what each thing permits, or denies; -1 where there is nothing."""
        top = self.context.exposure.top
        return self._permits(np.concatenate([self.context.exposure.over_groups(top, -1), top]))

    def recorded(self) -> DictionaryColumn:
        """Since when uses of each item would be known; nothing where they would not."""
        since, codes = np.unique(self.watched, return_inverse=True)
        texts = dictionary_column(moment_text(it) if it < self.moment else None for it in since.tolist())
        return DictionaryColumn(texts.codes[codes], texts.values)

    @property
    def watched(self) -> Ints:
        """The moment since when uses of each item would be known; one to come where they would not."""
        found: Ints = self._permits(self._watched)[self.thing]
        return found

    @cached_property
    def _watched(self) -> Ints:
        """Since when the uses of each group and entitlement would be known."""
        return self.context.usage.watched_things

    def _permits(self, of_things: Ints) -> Ints:
        """What is known of groups and entitlements, for things: what denies is told as what it denies."""
        return np.concatenate([of_things, of_things[len(self.context.basis.index.holders.groups) :]])

    def _describe(self, thing: int) -> tuple[str, str, str, str]:
        index = self.context.basis.index
        groups, entitlements = len(index.holders.groups), len(index.entitlements)
        if thing >= groups:
            number, denies = (thing - groups) % entitlements, thing >= groups + entitlements
            gives = f"{'deny ' if denies else ''}{self._entitlement(number)}"
            return gives, _EMPTY, json_text(self._contained([(number, denies)])), _EMPTY
        grants = self.carried[int(insertion_points(self.groups_used, thing))].astype(np.int64)
        references, first = index.holders.references, index.holders.first_group
        within = {references[holder] for holder in distinct(index.grants.holder[grants]).tolist()}
        pairs = {
            (int(number), bool(denies))
            for number, denies in zip(index.grants.entitlement[grants], index.grants.denies[grants], strict=True)
        }
        brings = sorted({self._entitlement(number) for number, _ in pairs})
        name = references[first + thing]
        return name, json_text(brings), json_text(self._contained(sorted(pairs))), json_text(sorted(within - {name}))

    @cached_property
    def groups_used(self) -> Ints:
        """The groups among the things that are used."""
        return self.used[self.used < len(self.context.basis.index.holders.groups)]

    @cached_property
    def carried(self) -> CSRList:
        """For each of these groups the grants that being in it brings."""
        index = self.context.basis.index
        return carried_grants(index, self.groups_used + index.holders.first_group, self.moment)

    def _entitlement(self, number: int) -> str:
        """The role or permission that is given, and on what."""
        entitlements = self.context.basis.index.entitlements
        scope = int(entitlements.scope[number])
        on = f" on {entitlements.scope_texts[scope]}" if scope >= 0 else ""
        return entitlements.gives_texts[int(entitlements.gives[number])] + on

    def _contained(self, pairs: Sequence[tuple[int, bool]]) -> list[str]:
        """The permissions in it, each once, what is denied last."""
        index, texts = self.context.basis.index, set()
        for number, denies in pairs:
            for entry in index.scoped_entry[index.entitlements.scoped[number]].tolist():
                permission = index.entries[entry]
                never = denies or permission.denies
                texts.add((never, f"{'never ' if never else ''}{permission.action} {permission.pattern}"))
        return [text for _, text in sorted(texts)]

    # Shares

    @cached_property
    def is_counted(self) -> Bools:
        """Everybody: the people that have not left. Services and agents are no measure for people."""
        basis = self.context.basis
        return basis.is_person & ~basis.identity("status").holding("left")

    @cached_property
    def peer_group(self) -> Ints:
        """The peer group of each identity: those with the same attributes that make peers, none being one as well."""
        basis = self.context.basis
        columns = [basis.identity(name).codes for name in self.context.thresholds.peers]
        return np.unique(row_numbers(columns), return_inverse=True)[1] if columns else np.zeros(basis.people, int)

    @cached_property
    def holding(self) -> Holding:
        """Who holds what, counted among the people who are counted."""
        index = self.context.basis.index
        total = len(index.holders.groups) + 2 * len(index.entitlements)
        things = Things(index, self.moment, self.of_grant, self.moment < index.grants.ends, total)
        return Holding(things, np.where(self.is_counted, self.peer_group, -1))

    @cached_property
    def counted(self) -> Counted:
        """How many of the counted peers of each item's identity have the same, and how many have each thing."""
        return self.holding.counted(np.append(self.peer_group, -1)[self.identity], self.thing)

    @cached_property
    def identity(self) -> Ints:
        """The identity of each item; -1 for those of an account that is nobody's."""
        return np.where(self.items.asker < self.context.basis.people, self.items.asker, -1)

    def peers(self) -> tuple[Ints, Ints]:
        """For each item how many peers have the same by whatever way, and of how many; the identity is one of them.

        Accounts that are nobody's have no peers.
        """
        identity = self.identity
        sizes = np.bincount(self.peer_group[self.is_counted], minlength=int(self.peer_group.max(initial=-1)) + 2)
        besides = ~np.append(self.is_counted, True)[identity]
        having, size = self.counted.of_pair.copy(), sizes[np.append(self.peer_group, -1)[identity]] + besides
        some = besides.nonzero()[0]
        having[some] += self.holding.holds(identity[some], self.items.holder[some], self.thing[some])
        return having, size

    # What speaks for it, and against

    def needed_by(self, needs: Sequence[Need]) -> DictionaryColumn:
        """The need rules for each item's identity of which it gives a permission, as a kept list."""
        basis, parts = self.context.basis, []
        for first in range(0, len(needs), _TOGETHER):
            some = needs[first : first + _TOGETHER]
            asked = np.zeros(basis.size, dtype=np.int64)
            brought = np.zeros(self.holding.things.total, dtype=np.int64)
            for bit, need in enumerate(some):
                asked |= basis.selected(need.who).astype(np.int64) << bit
                brought |= self._bringing(entitlements_permitting(self.context.targets, need.permissions)) << bit
            bits, codes = np.unique(asked[self.items.asker] & brought[self.thing], return_inverse=True)
            names = [[need.id for bit, need in enumerate(some) if it >> bit & 1] for it in bits.tolist()]
            parts.append((names, codes))
        if not parts:
            return nothing(len(self.items))
        _, sample, codes = np.unique(row_numbers([it for _, it in parts]), return_index=True, return_inverse=True)
        listed = ([name for names, of in parts for name in names[int(of[at])]] for at in sample.tolist())
        known = dictionary_column(";".join(names) or None for names in listed)
        return DictionaryColumn(known.codes[codes], known.values)

    def spoken(self, needs: Sequence[Need]) -> DictionaryColumn:
        """Of which items any need speaks: one about whoever they belong to, and about a system they bear on."""
        found = np.zeros(len(self.items), dtype=bool)
        for need in needs:
            speaks = self._permits(self.context.speaking_of(need).astype(np.int64)) > 0
            found |= self.context.basis.selected(need.who)[self.items.asker] & speaks[self.thing]
        return DictionaryColumn(found.astype(np.int32), Numbers(np.array([0, 1])))

    def crossing(self, fences: Sequence[Fence]) -> DictionaryColumn:
        """The fences that each item helps its holder across, as a kept list."""
        basis, marks = self.context.basis, np.zeros((len(fences), len(self.items)), dtype=bool)
        for at, fence in enumerate(fences):
            who = meant(basis, fence)
            for permission in fence.never:
                actions, nodes = self.context.targets.of_permission(permission)
                for action in actions if len(nodes) else ():
                    reaching = who_reaches_any(basis.index, nodes, action, self.moment) & who
                    brings = self._bringing(entitlements_on(basis.index, [action], nodes)) > 0
                    marks[at] |= reaching[self.items.asker] & brings[self.thing]
        if not len(fences):
            return nothing(len(self.items))
        _, sample, codes = np.unique(np.packbits(marks, axis=0).T, axis=0, return_index=True, return_inverse=True)
        texts = [";".join(fence.id for fence, mark in zip(fences, marks[:, at], strict=True) if mark) for at in sample]
        known = dictionary_column(text or None for text in texts)
        return DictionaryColumn(known.codes[codes.ravel()], known.values)

    def of_whom(self) -> list[DictionaryColumn]:
        """The status of whoever each item belongs to, the last day, and the departments before."""
        basis = self.context.basis
        status, ends = (basis.asker(name) for name in ("status", "ends"))
        people, codes, names = former_departments(self.context)
        text: dict[int, list[str]] = {}
        for person, code in zip(people.tolist(), codes.tolist(), strict=True):
            text.setdefault(person, []).append(str(names[code]))
        at = np.full(basis.size, -1, dtype=np.int32)
        known = dictionary_column(", ".join(sorted(it)) for it in text.values())
        at[list(text)] = known.codes
        before = DictionaryColumn(at, known.values)
        return [column.taken(self.items.asker).compact() for column in (status, ends, before)]

    def _bringing(self, entitlements: Ints) -> Ints:
        """1 for each thing that gives one of some entitlements, denials apart."""
        index = self.context.basis.index
        given = np.zeros(len(index.entitlements), dtype=np.int64)
        given[entitlements] = 1
        return np.concatenate([self.context.exposure.over_groups(given, 0), given, np.zeros_like(given)])

    def taking_part(self) -> DictionaryColumn:
        """The rules of the conflicts to which each item contributes, as a kept list."""
        conflicts, size = self.conflicts, self.context.basis.size
        of_asker = csr_from_pairs(self.items.asker, np.arange(len(self.items)), size)
        lines, rules = [], []
        for number in distinct(conflicts.held).tolist():
            here = conflicts.held == number
            rule = int(conflicts.rule[here][0])
            brings = self._bringing(self._contributing(rule, number)) > 0
            mine = of_asker.all_of(conflicts.asker[here]).astype(np.int64)
            mine = mine[brings[self.thing[mine]]]
            lines.append(mine)
            rules.append(np.full(len(mine), rule))
        codes = np.full(len(self.items), -1, dtype=np.int32)
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
        conflicts, index = self.conflicts, self.context.basis.index
        duties, values = conflicts.held_alike[held]
        parts = []
        for duty in duties:
            for action, nodes in self.context.targets.of_duty(duty, conflicts.rules[rule].within, values):
                parts.append(entitlements_on(index, [action], nodes))
        return distinct(np.concatenate(parts)) if parts else np.zeros(0, dtype=np.int64)

    def last_used(self) -> DictionaryColumn:
        """The newest use of each item; nothing where none is known."""
        moments, codes = np.unique(self.used_at, return_inverse=True)
        texts = dictionary_column(moment_text(it) if it > BEGINNING else None for it in moments.tolist())
        return DictionaryColumn(texts.codes[codes], texts.values)

    @property
    def used_at(self) -> Ints:
        """The moment of the newest use: as the source says of a grant, or as activity shows of what the item gives."""
        return self._used[0]

    def uses(self) -> DictionaryColumn:
        """How often activity shows that what each item gives was used; nothing where it never did."""
        counts, codes = np.unique(self._used[1], return_inverse=True)
        return DictionaryColumn(np.where(self._used[1] > 0, codes, -1).astype(np.int32), Numbers(counts))

    @cached_property
    def _used(self) -> tuple[Ints, Ints]:
        """The moment of the newest use of each item, and how often it was used."""
        basis = self.context.basis
        only = np.zeros(basis.index.holders.first_group, dtype=bool)
        only[self.items.asker] = True
        usage = Usage(basis, self.context.exposure, only)
        described = basis.moments(basis.grant("last_used"))
        newest = np.append(described, BEGINNING)[self.items.grant]
        groups = (self.items.grant < 0).nonzero()[0]
        of_group = np.full(len(self.groups_used), BEGINNING, dtype=np.int64)
        np.maximum.at(of_group, self.carried.rows(), described[self.carried.items])
        newest[groups] = of_group[insertion_points(self.groups_used, self.thing[groups])]
        units, size = usage.units, basis.index.holders.size
        by_grant = np.full(len(basis.index.grants) + 1, BEGINNING, dtype=np.int64)
        often_by_grant = np.zeros(len(by_grant), dtype=np.int64)
        own = units.grant >= 0
        by_grant[units.grant[own]], often_by_grant[units.grant[own]] = usage.last[own], usage.times[own]
        newest, often = np.maximum(newest, by_grant[self.items.grant]), often_by_grant[self.items.grant]
        keys = units.holder[~own] * size + units.group[~own]
        order = np.argsort(keys)
        wanted = self.items.holder[groups] * size + self.thing[groups]
        at = np.minimum(insertion_points(keys[order], wanted), max(len(keys) - 1, 0))
        if len(keys):
            found = order[at]
            is_there = keys[found] == wanted
            newest[groups] = np.maximum(newest[groups], np.where(is_there, usage.last[~own][found], BEGINNING))
            often[groups] = np.where(is_there, usage.times[~own][found], 0)
        return newest, often
