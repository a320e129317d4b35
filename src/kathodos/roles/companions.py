"""Companions: the reads that writing needs, for whoever writes a record must be able to read what it refers to."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from kathodos.analysis.role_entries import DENY, Entry
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_lists, first_of_each, ints, joined
from kathodos.columns.intervals import holds, united
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import Index
from kathodos.roles.extents import Extents
from kathodos.roles.references import Reading, References, writes

EVERY_DEPTH = 1 << 30
_MOST_NAMES = 1 << 12  # of reading actions


class Companion(msgspec.Struct, frozen=True):
    """A read that an entry needs besides. `source`: the resource that refers to it; `depth`: after how many references.

    `needed_by`: the writing entry that it is needed for.
    """

    entry: Entry
    source: str
    depth: int
    needed_by: Entry


def companions_of(
    index: Index,
    references: References,
    reading: Reading,
    entries: Sequence[Entry],
    depth: int = 1,
    writing: Sequence[Entry] | None = None,
) -> list[Companion]:
    """The reads that some entries need and do not give, nearest first. `writing`: only what these of them need.

    `depth`: how many references are followed: what a record refers to, what that refers to, and so on.
    """
    every = list(dict.fromkeys(entries))
    number = {entry: at for at, entry in enumerate(every)}
    wanting = every if writing is None else writing
    held, wanted = (csr_from_lists([[number[it] for it in some]]) for some in (every, wanting))
    return companions_of_each(index, references, reading, every, held, wanted, depth)[0]


def companions_of_each(
    index: Index,
    references: References,
    reading: Reading,
    entries: Sequence[Entry],
    held: CSRList,
    writing: CSRList,
    depth: int = 1,
) -> list[list[Companion]]:
    """The same of many roles together. `held`: by role the numbers of its entries; `writing`: those looked into."""
    return _Search(index, references, reading, entries, held).found(writing, depth)


class _Reads(msgspec.Struct, frozen=True):
    """References followed: of which role, from which resource, to which, because of which entry; and how one reads it.

    `action`: the number of the reading action; -1 where the system knows no such action.
    """

    role: Ints
    source: Ints
    target: Ints
    entry: Ints
    name: Ints
    action: Ints


class _Search:
    def __init__(
        self, index: Index, references: References, reading: Reading, entries: Sequence[Entry], held: CSRList
    ) -> None:
        self.index = index
        self.references = references
        self.reading = reading
        self.entries = entries
        self.held = held
        self.size = len(index.tree)
        self.extents = Extents(index, [entry.resource for entry in entries])
        self.pattern = ints(self.extents.number[entry.resource] for entry in entries)
        numbers = {system.name: at for at, system in enumerate(index.systems_in_order)}
        self.system = ints(numbers.get(entry.system, -1) for entry in entries)
        self.verbs = list(dict.fromkeys(entry.action for entry in entries))
        verb = {name: at for at, name in enumerate(self.verbs)}
        self.verb = ints(verb[entry.action] for entry in entries)
        self.denies = np.array([entry.effect == DENY for entry in entries], dtype=bool)
        self.names: dict[str, int] = {}  # reading actions by name

    def found(self, writing: CSRList, depth: int) -> list[list[Companion]]:
        role, node, entry = self._referring(writing)
        seen = np.sort(role * self.size + node)
        kept = ints([])
        parts: list[tuple[_Reads, Ints]] = []
        step = 0
        while len(role) and step < depth:
            step += 1
            at, target = self.references.targets.of(node)
            reads = self._reads(role[at], node[at], target.astype(np.int64), entry[at])
            key = reads.role * self.size + reads.target
            asked = key * _MOST_NAMES + reads.name
            lacking = (~self._may(reads) & ~np.isin(asked, kept)).nonzero()[0]
            fresh = lacking[_firsts(asked[lacking])]
            kept = np.sort(np.concatenate([kept, asked[fresh]]))
            parts.append((reads, fresh))
            new = (~np.isin(key, seen)).nonzero()[0]
            new = new[_firsts(key[new])]
            seen = np.sort(np.concatenate([seen, key[new]]))
            role, node, entry = reads.role[new], reads.target[new], reads.entry[new]
        return self._made(parts, len(writing))

    def _referring(self, writing: CSRList) -> tuple[Ints, Ints, Ints]:
        """The resources that refer to others and may be written: of which role, which one, by its first entry."""
        index = self.index
        pairs, which = np.unique(self.system * len(self.verbs) + self.verb, return_inverse=True)
        makes = np.zeros(len(pairs), dtype=bool)
        for at, pair in enumerate(pairs.tolist()):
            system, verb = divmod(pair, len(self.verbs))
            makes[at] = system >= 0 and writes(index, self.verbs[verb], index.systems_in_order[system])
        is_writing = makes[which] & ~self.denies if len(pairs) else self.denies
        of, places = self.references.referring_in(*self.extents.intervals_of(self.pattern))
        by_entry = CSRList(insertion_points(of, np.arange(len(self.entries) + 1)), index.tree.node_at[places])
        role, entry = writing.rows().astype(np.int64), writing.items.astype(np.int64)
        role, entry = role[is_writing[entry]], entry[is_writing[entry]]
        origin, node = by_entry.of(entry)
        role, node, entry = role[origin], node.astype(np.int64), entry[origin]
        first = _firsts(role * self.size + node)
        return role[first], node[first], entry[first]

    def _reads(self, role: Ints, source: Ints, target: Ints, entry: Ints) -> _Reads:
        """With which action each target is read by whoever does what an entry permits."""
        index = self.index
        system = insertion_points(index.system_roots, target, side="right") - 1
        same = np.where(self.system[entry] == system, self.verb[entry], -1)
        kinds = index.types[target].astype(np.int64) + 1
        key = (system * (len(index.type_names) + 1) + kinds) * (len(self.verbs) + 1) + same + 1
        _, first, which = np.unique(key, return_index=True, return_inverse=True)
        names, numbers = [], []
        for at in first.tolist():
            of = self.entries[int(entry[at])]
            name = self.reading.action(int(target[at]), of.action, of.system)
            names.append(self.names.setdefault(name, len(self.names)))
            numbers.append(index.action_number.get((index.system_of(int(target[at])).name, name), -1))
        return _Reads(role, source, target, entry, ints(names)[which], ints(numbers)[which])

    def _may(self, reads: _Reads) -> Bools:
        """Whether the entries of a role let it read each target already."""
        index, width = self.index, self.size + 1
        found = np.zeros(len(reads.role), dtype=bool)
        role, entry = self.held.rows().astype(np.int64), self.held.items.astype(np.int64)
        for action in np.unique(reads.action[reads.action >= 0]).tolist():
            asked = (reads.action == action).nonzero()[0]
            covering = self._covering(action)
            some = covering[entry]
            of, first, end = self.extents.intervals_of(self.pattern[entry[some]])
            base = role[some][of] * width
            places = reads.role[asked] * width + index.tree.position[reads.target[asked]]
            found[asked] = holds(united(base + first, base + end), places)
        return found

    def _covering(self, action: int) -> Bools:
        """Which entries permit an action, or one that implies it, in its system."""
        name = self.index.actions[action][0]
        number = next(at for at, it in enumerate(self.index.systems_in_order) if it.name == name)
        system = self.index.systems_in_order[number]
        base = int(system.actions[0])
        covers = np.zeros(len(self.verbs), dtype=bool)
        for at, verb in enumerate(self.verbs):
            other = self.index.action_number.get((name, verb))
            covers[at] = verb == "*" or (other is not None and bool(system.covers[int(other) - base, action - base]))
        found: Bools = (self.system == number) & covers[self.verb] & ~self.denies
        return found

    def _made(self, parts: Sequence[tuple[_Reads, Ints]], roles: int) -> list[list[Companion]]:
        """The companions of each role, without those that another one gives as well, by what is above or implied."""
        columns = [
            joined([getattr(reads, name)[fresh] for reads, fresh in parts])
            for name in ("role", "source", "target", "entry", "name", "action")
        ]
        role, source, target, entry, name, action = columns
        depth = np.repeat(np.arange(1, len(parts) + 1), [len(fresh) for _, fresh in parts])
        addresses, names = self.index.tree.addresses, list(self.names)
        nodes, of_node = np.unique(target, return_inverse=True)
        extents = Extents(self.index, [addresses[node] for node in nodes.tolist()])
        giving, given_name = self._implied(name, action).of(np.arange(len(name)))
        at, first, end = extents.intervals_of(of_node[giving])
        count, width = max(len(names), 1), self.size + 1
        base = ((role[giving] * count + given_name) * width)[at]
        places = (role * count + name) * width + self.index.tree.position[target]
        begun = insertion_points(np.sort(base + first), places, side="right")
        ended = insertion_points(np.sort(base + end), places, side="right")
        found: list[list[Companion]] = [[] for _ in range(roles)]
        kept = (begun - ended <= 1).nonzero()[0]  # only what it gives itself
        texts = addresses.taken(target[kept]), addresses.taken(source[kept])
        rest = (numbers[kept].tolist() for numbers in (name, role, depth, entry))
        for resource, refers, its_name, of, step, needing in zip(*texts, *rest, strict=True):
            given = Entry(resource, names[its_name])
            found[of].append(Companion(given, refers, step, self.entries[needing]))
        return [sorted(some, key=lambda it: (it.depth, it.entry)) for some in found]

    def _implied(self, name: Ints, action: Ints) -> CSRList:
        """The reading actions, by name, that each of some actions gives; of two that imply each other only one does."""
        index = self.index
        pairs, which = np.unique(np.stack([name, action], axis=1), axis=0, return_inverse=True)
        lists = []
        for own, number in pairs.tolist():
            given = [own]
            if number >= 0:
                system = index.systems[index.actions[number][0]]
                at = number - int(system.actions[0])
                for other, text in enumerate(self.names):
                    found = index.action_number.get((system.name, text), -1) - int(system.actions[0])
                    if other != own and found >= 0 and system.covers[at, found]:
                        given += [other] if own < other or not system.covers[found, at] else []
            lists.append(given)
        return csr_from_lists(lists).picked(which.ravel().astype(np.int64))


def _firsts(keys: Ints) -> Ints:
    """Where each value stands for the first time, in the order given."""
    order = np.argsort(keys, kind="stable")
    return np.sort(order[first_of_each(keys[order])])
