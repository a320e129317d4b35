"""Two things of a kind beside each other: what only the one has, what only the other, what both, and through what."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from enum import StrEnum

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, ints, joined, reachable
from kathodos.columns.intervals import Intervals, without
from kathodos.engine.compiled.index import ANY_ACTION, Index, System
from kathodos.engine.compiled.scopes import reaching_down
from kathodos.engine.decide import who_has
from kathodos.engine.explain import Chain, explain
from kathodos.engine.reach import Reached, holders_permitting, what_reached_by, who_reaches
from kathodos.engine.summary import collapsed
from kathodos.model.addresses import parse_pattern
from kathodos.model.references import reference_to

_MOST_WAYS = 2


class Side(StrEnum):
    """Which of the two has it."""

    FIRST = "only the first"
    SECOND = "only the second"
    BOTH = "both"


class Line(msgspec.Struct, frozen=True):
    """One thing that at least one of the two has: through what the first and the second have it."""

    side: Side
    what: str
    first: Sequence[str]
    second: Sequence[str]


def of_askers(index: Index, first: int, second: int, moment: int) -> Iterator[Line]:
    """What two identities or accounts reach: resources that speak for all below them, with the actions there."""
    one, other = ({it.system.name: it for it in what_reached_by(index, who, moment)} for who in (first, second))
    for system in index.systems_in_order:
        if system.name not in one and system.name not in other:
            continue
        nothing = np.zeros((len(system.actions), system.size), dtype=bool)
        ours, theirs = (it[system.name].may if system.name in it else nothing for it in (one, other))
        for side, may in ((Side.FIRST, ours & ~theirs), (Side.SECOND, theirs & ~ours), (Side.BOTH, ours & theirs)):
            if may.any():
                for row in collapsed(index, _reached(index, system, may), None):
                    below = f" and {row.reached_below} below" if row.reached_below else ""
                    what = f"{', '.join(row.actions)} {index.tree.addresses[row.node]}{below}"
                    action = index.action_number[system.name, row.actions[0]]
                    ways = [
                        _ways(index, who, row.node, action, moment) if side in (own, Side.BOTH) else []
                        for who, own in ((first, Side.FIRST), (second, Side.SECOND))
                    ]
                    yield Line(side, what, *ways)


def _reached(index: Index, system: System, may: Bools) -> Reached:
    """What a table of actions and nodes says is reached, as intervals of pairs."""
    placed = np.zeros((len(system.actions), system.size + 1), dtype=np.int8)
    placed[:, index.tree.position[system.root : system.end] - system.root] = may
    steps = np.diff(placed.ravel(), prepend=np.int8(0))
    pairs: Intervals = ((steps > 0).nonzero()[0], (steps < 0).nonzero()[0])
    return Reached(index.tree, system, pairs)


def _ways(index: Index, asker: int, node: int, action: int, moment: int) -> list[str]:
    """The shortest ways by which somebody reaches an action on a node."""
    chains = explain(index, asker, node, action, moment).permits.shown
    return list(dict.fromkeys(_way(chain) for chain in chains))[:_MOST_WAYS]


def _way(chain: Chain) -> str:
    """A chain without the one who is asked about: the account or groups, and the role or the grant."""
    roles = [reference_to("role", role) if ":" not in role else role for role in chain.roles[:1]]
    return " > ".join([*chain.holders[1:], *(roles or [reference_to("grant", chain.grant)])])


def of_roles(index: Index, first: int, second: int) -> Iterator[Line]:
    """What two roles permit and deny, with their juniors: the permission, and the role of the hierarchy that has it."""
    one, other = (_entries_by_role(index, role) for role in (first, second))
    for entry in sorted({*one, *other}, key=lambda it: str(index.entries[it])):
        ours, theirs = (some.get(entry) or _covering(index, entry, some) for some in (one, other))
        yield _line(str(index.entries[entry]), ours, theirs)


def _covering(index: Index, entry: int, some: Mapping[int, Sequence[str]]) -> list[str] | None:
    """By which other entries one is permitted as well, with what its action implies; None where not all of it is."""
    if index.entries.denies[entry]:
        return None
    wanted = _pairs(index, entry)
    system = index.entries[entry].system
    alike = (it for it in some if not index.entries.denies[it] and index.entries[it].system == system)
    parts = {other: _pairs(index, other) for other in alike}
    over = {other: it for other, it in parts.items() if len(without(wanted, without(wanted, it))[0])}
    every = [joined([it[side] for it in over.values()]) for side in (0, 1)]
    if not len(wanted[0]) or len(without(wanted, (every[0], every[1]))[0]):
        return None
    return [f"{index.entries[other]} of {name}" for other in over for name in some[other]]


def _pairs(index: Index, entry: int) -> Intervals:
    """What an entry permits by itself, as pairs of its system: its action and what that implies, where it applies."""
    held = index.entries[entry]
    system = index.systems.get(held.system)
    if system is None:
        return joined([]), joined([])
    pattern = parse_pattern(held.pattern)
    nodes = index.tree.matches(pattern.target)
    flags = np.ones(len(nodes), dtype=bool)
    _, places = reaching_down(index.tree, nodes, flags & pattern.holds_everything_below, flags & system.inherits)
    number = int(index.entries.action[entry])
    local = np.arange(len(system.actions)) if number == ANY_ACTION else np.array([number - int(system.actions[0])])
    implied = np.any(system.covers[local], axis=0).nonzero()[0]
    row = (implied * (system.size + 1))[:, None]
    return (row + places.first - system.root).ravel(), (row + places.end - system.root).ravel()


def _entries_by_role(index: Index, role: int) -> dict[int, list[str]]:
    """The entries of a role and all its juniors, and which of these roles have each."""
    found: dict[int, list[str]] = {}
    for number in reachable(index.juniors, ints([role])).tolist():
        if index.role_is_active[number]:
            for entry in index.role_entries[number].tolist():
                name = "itself" if number == role else reference_to("role", index.roles[number])
                found.setdefault(entry, []).append(name)
    return found


def of_groups(index: Index, first: int, second: int, moment: int) -> Iterator[Line]:
    """Who counts as a member of two groups, given by their numbers as holders, and through which group inside."""
    one, other = (_members(index, group, moment) for group in (first, second))
    for asker in sorted({*one, *other}):
        yield _line(index.holders.references[asker], one.get(asker), other.get(asker))


def _members(index: Index, group: int, moment: int) -> dict[int, list[str]]:
    """Who counts as a member of a group, and through what: directly, an account, or a group inside it."""
    holders = index.holders
    mask = who_has(index, ints([group]), moment)
    found: dict[int, list[str]] = {int(it): [] for it in holders.askers[mask[holders.askers]].tolist()}
    inside = reachable(holders.members, ints([group]))
    groups = inside[inside >= holders.first_group]
    for one in groups.tolist():
        way = "directly" if one == group else holders.references[one]
        for member in holders.members[one].tolist():
            asker = int(holders.asker_of[member]) if member < holders.first_group else -1
            if asker in found:
                through = f"{holders.references[member]} in {way}" if asker != member and one != group else way
                through = holders.references[member] if asker != member and one == group else through
                found[asker].append(through)
    return found


def of_resources(index: Index, first: int, second: int, moment: int) -> Iterator[Line]:
    """Who reaches two resources, with which actions, through which holders."""
    one, other = (_reaching(index, node, moment) for node in (first, second))
    for asker in sorted({*one, *other}):
        yield _line(index.holders.references[asker], one.get(asker), other.get(asker))


def _reaching(index: Index, node: int, moment: int) -> dict[int, list[str]]:
    """Who reaches a resource: the actions, and the holders of what permits them."""
    holders = index.holders
    may: dict[int, list[str]] = {}
    for number in index.system_of(node).actions.tolist():
        mask = who_reaches(index, node, number, moment)
        for asker in holders.askers[mask[holders.askers]].tolist():
            may.setdefault(asker, []).append(index.actions[number][1])
    through = holders_permitting(index, node, None, moment)
    name: Callable[[int, int], str] = lambda asker, it: "directly" if it == asker else holders.references[it]  # noqa: E731
    return {
        asker: [f"{', '.join(actions)}: {', '.join(name(asker, it) for it in through.get(asker, ()))}"]
        for asker, actions in may.items()
    }


def _line(what: str, first: list[str] | None, second: list[str] | None) -> Line:
    side = Side.BOTH if first is not None and second is not None else Side.FIRST if first is not None else Side.SECOND
    return Line(side, what, first or [], second or [])
