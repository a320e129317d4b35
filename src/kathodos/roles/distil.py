"""A role distilled from uses: exactly what was touched, what is needed to get there, and what is left out as noise."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from kathodos.analysis.role_entries import Entry, is_like
from kathodos.engine.compiled.index import Index
from kathodos.errors import CallError, DataError
from kathodos.model.addresses import Pattern, parse_pattern
from kathodos.model.suggestions import nearest
from kathodos.model.words import plural
from kathodos.roles.companions import Companion, companions_of
from kathodos.roles.extents import Extents
from kathodos.roles.gates import ways_in
from kathodos.roles.references import Reading, References
from kathodos.roles.uses import Touched

_MOST_NAMED = 6


class DistilTerms(msgspec.Struct, frozen=True):
    """What becomes of uses. `at_least`: uses below which an entry is noise; `in_traces`: traces below which it is.

    `lift`: how many resources beside each other, used in the same way, become a pattern (0: none do); `patterns`:
    patterns chosen by hand; `without`: entries, as texts or as patterns over these, that are left out.
    """

    at_least: int = 1
    in_traces: int = 1
    lift: int = 0
    patterns: Sequence[str] = ()
    without: Sequence[str] = ()


class DistilledEntry(msgspec.Struct, frozen=True):
    """One entry, and the uses behind it. `permits`: how many resources it holds; `used`: how many of them were used.

    `note`: what is to be known of it besides.
    """

    entry: Entry
    behind: Sequence[Touched]
    permits: int
    used: int
    note: str = ""

    @property
    def count(self) -> int:
        """How often it was used."""
        return sum(it.count for it in self.behind)

    @property
    def first(self) -> str:
        """When it was used first."""
        return min(it.first for it in self.behind)

    @property
    def last(self) -> str:
        """When it was used last."""
        return max(it.last for it in self.behind)

    @property
    def traces(self) -> int:
        """In how many traces the one that is in most is."""
        return max(it.traces for it in self.behind)


class Distilled(msgspec.Struct):
    """What came of uses. `noise`: what is below a threshold; `unknown`: what no system knows; `taken_out`: by hand."""

    traces: Sequence[str]
    entries: list[DistilledEntry] = msgspec.field(default_factory=list)
    gates: list[Entry] = msgspec.field(default_factory=list)
    companions: list[Companion] = msgspec.field(default_factory=list)
    noise: list[Touched] = msgspec.field(default_factory=list)
    unknown: list[Touched] = msgspec.field(default_factory=list)
    taken_out: list[Entry] = msgspec.field(default_factory=list)

    @property
    def all_entries(self) -> list[Entry]:
        """Everything that the role is to have."""
        return list(dict.fromkeys([*self.used, *(it.entry for it in self.companions), *self.gates]))

    @property
    def used(self) -> list[Entry]:
        """The entries that uses stand behind."""
        return [it.entry for it in self.entries]


def distilled(index: Index, touched: Sequence[Touched], traces: Sequence[str], terms: DistilTerms) -> Distilled:
    """What was touched as entries of roles, with the ways in; companions are added by `with_companions`.

    Raises DataError where nothing was used, or nothing that a system knows; CallError where a pattern fits no use.
    """
    found = Distilled(traces)
    kept = []
    for it in touched:
        if not _is_known(index, it.entry):
            found.unknown.append(it)
        elif it.count < terms.at_least or it.traces < terms.in_traces:
            found.noise.append(it)
        else:
            kept.append(it)
    _must_hold_something(index, found, kept, touched)
    found.entries = [it for it in _lifted(index, kept, terms) if not is_like(it.entry, terms.without)]
    found.taken_out = [it.entry for it in kept if is_like(it.entry, terms.without)]
    found.gates = _kept(ways_in(index, found.used), found.used, terms)
    return found


def with_companions(
    index: Index, references: References, reading: Reading, found: Distilled, depth: int, terms: DistilTerms
) -> Distilled:
    """The same with the reads that its writing needs, and the ways in to these."""
    some = companions_of(index, references, reading, found.used, depth)
    found.taken_out += [it.entry for it in some if is_like(it.entry, terms.without)]
    found.companions = [it for it in some if not is_like(it.entry, terms.without)]
    given = [*found.used, *(it.entry for it in found.companions)]
    found.gates = _kept(ways_in(index, given), given, terms)
    return found


def _kept(gates: Sequence[Entry], given: Sequence[Entry], terms: DistilTerms) -> list[Entry]:
    return [it for it in gates if it not in given and not is_like(it, terms.without)]


def _is_known(index: Index, entry: Entry) -> bool:
    return (entry.system, entry.action) in index.action_number


def _must_hold_something(index: Index, found: Distilled, kept: Sequence[Touched], touched: Sequence[Touched]) -> None:
    """Raises DataError where no use is left to make a role of, and says why."""
    if kept:
        return
    if not touched:
        raise DataError("Nothing was used in this trace.", "Name another person or time, or another file.")
    if found.noise:
        what = f"All {plural(len(found.noise), 'thing')} that were used are below the threshold."
        raise DataError(what, "Lower --at-least or --in.")
    systems = sorted({it.entry.system for it in touched})
    strange = [it for it in systems if it not in index.systems]
    if strange:
        what = f"The trace is of {', '.join(strange[:_MOST_NAMED])}, and there is no such system."
        raise DataError(what, nearest(strange[0], sorted(index.systems)))
    actions = sorted({it.entry.action for it in touched})
    known = sorted(index.actions[number][1] for number in index.systems[systems[0]].actions.tolist())
    what = f"The system {systems[0]} knows none of the actions {', '.join(actions[:_MOST_NAMED])}."
    raise DataError(what, f"It knows {', '.join(known[:_MOST_NAMED])}. Map them: values = {{ action = {{ ... }} }}.")


def _lifted(index: Index, kept: Sequence[Touched], terms: DistilTerms) -> list[DistilledEntry]:
    """The entries: those behind a pattern as that pattern, the others exactly as they were used."""
    left = {it.entry: it for it in kept}
    groups: list[tuple[Entry, list[Touched]]] = []
    for text in terms.patterns:
        groups += _by_hand(text, left)
    if terms.lift:
        groups += _beside_each_other(left, terms.lift)
    groups += [(entry, [it]) for entry, it in left.items()]
    return _measured(index, sorted(groups, key=lambda it: it[0]))


def _by_hand(text: str, left: dict[Entry, Touched]) -> list[tuple[Entry, list[Touched]]]:
    """What a pattern that was chosen takes up, by action; taken out of what is left."""
    try:
        pattern = parse_pattern(text)
    except ValueError as error:
        raise CallError(f"{text} is no pattern: {error}.", "Write it as in dues:/northmole/invoices/*.") from None
    by_action: dict[str, list[Touched]] = {}
    for entry in [it for it in left if it.system == pattern.system and _holds(pattern, it.resource)]:
        by_action.setdefault(entry.action, []).append(left.pop(entry))
    if not by_action:
        raise CallError(f"Nothing that was used fits {text}.", "Look at what was used first, without --pattern.")
    return [(Entry(str(pattern), action), some) for action, some in by_action.items()]


def _holds(pattern: Pattern, address: str) -> bool:
    return pattern.matches(parse_pattern(address).segments)


def _beside_each_other(left: dict[Entry, Touched], fewest: int) -> list[tuple[Entry, list[Touched]]]:
    """Single resources with the same parent, used in the same way, where there are so many: all that lies there."""
    beside: dict[tuple[str, str], list[Entry]] = {}
    for entry in left:
        above, _, own = entry.resource.rpartition("/")
        if own:
            beside.setdefault((above, entry.action), []).append(entry)
    found = []
    for (above, action), some in beside.items():
        if len(some) >= fewest:
            found.append((Entry(f"{above}/*", action), [left.pop(entry) for entry in some]))
    return found


def _measured(index: Index, groups: Sequence[tuple[Entry, list[Touched]]]) -> list[DistilledEntry]:
    """Each entry with how many resources it holds, and how many of these were used."""
    extents = Extents(index, (entry.resource for entry, _ in groups))
    found = []
    for entry, behind in groups:
        permits = extents.size(entry.resource)
        nodes = {index.tree.addresses.find(it.entry.resource) for it in behind}
        used = len(nodes - {-1})
        note = "" if permits else "no resource answers to it"
        found.append(DistilledEntry(entry, behind, permits, used, note))
    return found
