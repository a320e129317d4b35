"""Companions: the reads that writing needs, for whoever writes a record must be able to read what it refers to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from kathodos.analysis.role_entries import DENY, Entry
from kathodos.columns.csr import Bools
from kathodos.engine.compiled.index import Index
from kathodos.roles.extents import Extents, permitted
from kathodos.roles.references import Reading, References, writes

EVERY_DEPTH = 1 << 30


@dataclass(frozen=True)
class Companion:
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
    return _Search(index, references, reading, entries).found(writing or entries, depth)


class _Search:
    def __init__(self, index: Index, references: References, reading: Reading, entries: Sequence[Entry]) -> None:
        self.index = index
        self.references = references
        self.reading = reading
        self.entries = [entry for entry in entries if entry.effect != DENY]
        self.extents = Extents(index, [entry.resource for entry in self.entries])
        self._may: dict[str, Bools] = {}

    def found(self, writing: Sequence[Entry], depth: int) -> list[Companion]:
        kept: dict[int, Companion] = {}
        fresh: list[tuple[int, Entry]] = []  # a resource that refers to others, and for which entry that counts
        seen: set[int] = set()
        for entry in writing:
            system = self.index.systems.get(entry.system)
            if entry.effect == DENY or system is None or not writes(self.index, entry.action, system):
                continue
            referring = self.references.referring_within(*self.extents.intervals(entry.resource)).tolist()
            fresh += [(node, entry) for node in referring if node not in seen]
            seen.update(referring)
        for step in range(1, depth + 1):
            found: list[tuple[int, Entry]] = []
            for node, entry in fresh:
                for target in self.references.targets[node].tolist():
                    if target not in kept and not self._reads(target, entry):
                        read = self._read(target, entry)
                        source = self.index.tree.addresses[node]
                        kept[target] = Companion(Entry(self.index.tree.addresses[target], read), source, step, entry)
                    if target not in seen:
                        seen.add(target)
                        found.append((target, entry))
            fresh = found
            if not fresh:
                break
        return self._without_repeats(sorted(kept.items(), key=lambda it: (int(self.index.tree.depth[it[0]]), it[0])))

    def _without_repeats(self, found: Sequence[tuple[int, Companion]]) -> list[Companion]:
        """Without those that another one, of a resource above, gives as well."""
        extents = Extents(self.index, [companion.entry.resource for _, companion in found])
        kept, given = [], set[tuple[str, int]]()
        for node, companion in found:
            if (companion.entry.action, node) not in given:
                kept.append(companion)
                given.update((companion.entry.action, it) for it in extents.nodes(companion.entry.resource).tolist())
        return sorted(kept, key=lambda it: (it.depth, it.entry))

    def _read(self, node: int, entry: Entry) -> str:
        return self.reading.action(node, entry.action, entry.system)

    def _reads(self, node: int, entry: Entry) -> bool:
        """Whether the entries let the resource be read already."""
        system = self.index.system_of(node)
        if system.name not in self._may:
            self._may[system.name] = permitted(self.index, system, self.entries, self.extents)
        number = self.index.action_number.get((system.name, self._read(node, entry)))
        return number is not None and bool(self._may[system.name][int(number - system.actions[0]), node - system.root])
