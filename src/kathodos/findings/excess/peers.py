"""What sets somebody apart: held beyond the peer group, beyond the position, or kept from a former one.

A peer group is made of the people who share some attributes, the department and title unless said otherwise. That few
peers hold something is only said where it is known: the upper bound of the share of other peers who hold it, at a
confidence of 95 % by the exact binomial interval (C. J. Clopper and E. S. Pearson, Biometrika 26, 1934), has to be
below a quarter. Of two other peers without it nothing follows; of eleven it does.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from kathodos.analysis.exposure import READ
from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    among,
    closures,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    in_loads,
)
from kathodos.engine.decide import able_of, direct_principals_of_each, who_has
from kathodos.engine.explain import explain
from kathodos.engine.index import System
from kathodos.engine.reach import one_per_answer, who_reaches, who_reaches_any
from kathodos.findings.excess.batches import Batch, Edit, ExcessContext, FindingText, batch, severity_of

Floats = npt.NDArray[np.float64]
BEYOND_PEERS, EXPORT_BEYOND_PEERS = "beyond-peers", "export-beyond-peers"
BEYOND_NEEDS, FORMER_POSITION = "beyond-needs", "former-position"
_MOST = 20_000_000  # pairs of group and group above up to which they are listed
_BLOCK = 4_000_000  # things held that are counted together
_Kept = tuple[str, tuple[int, int], tuple[int, int]]  # a system, and who holds something there then and now


def upper_share(having: Ints, of: Ints, confidence: float) -> Floats:
    """The upper bound of a share of which `having` of `of` were seen: one-sided, by Clopper and Pearson."""
    from scipy.special import betaincinv

    if not len(having):
        return np.zeros(0)
    width = int(of.max()) + 2
    codes = np.minimum(having, of + 1) * width + of
    present = (np.bincount(codes) > 0).nonzero()[0]  # each distinct pair of numbers once
    some, all_of = present // width, present % width
    bound = np.zeros(int(present[-1]) + 1)
    bound[present] = np.where(some >= all_of, 1.0, betaincinv(some + 1, np.maximum(all_of - some, 1), confidence))
    found: Floats = bound[codes]
    return found


def beyond_peers(context: ExcessContext) -> Batch:
    """Units that hardly any peer holds, by whatever way."""
    snapshot, usage = context.snapshot, context.usage
    what, peers = usage.things, snapshot.peers_by(context.thresholds.peers)
    owner = usage.identity
    group = np.append(peers, -1)[owner]
    others = _others(peers)[group]
    having = _others_having(context, peers, group)
    found = _is_few(context, having, others).nonzero()[0]
    having, others = having[found], others[found]
    everybody = int((snapshot.is_person & snapshot.is_there).sum())

    def describe(at: int) -> FindingText:
        unit = int(found[at])
        name = " and ".join(str(snapshot.identity(it).value(int(owner[unit]))) for it in context.thresholds.peers)
        mask = who_has(snapshot.index, _holders_of(context, int(what[unit])), snapshot.moment)[: snapshot.people]
        all_of = int((mask & snapshot.is_person & snapshot.is_there).sum())
        evidence = (
            f"{context.unit_gives(unit)}: {having[at]} of {others[at]} others of {name} hold it, "
            f"{all_of} of {everybody} people"
        )
        return FindingText(
            context.unit(unit), evidence, "Take it away, or say what sets them apart.", (context.end_unit(unit),)
        )

    needed = context.needed[found]
    severity = np.where(needed, 0, severity_of(usage.top[found]))
    share = upper_share(having, others, context.thresholds.peer_confidence)
    confidence = np.where(needed, 50, np.clip(100 - 100 * share, 50, 95)).astype(np.int64)
    return batch(
        BEYOND_PEERS, owner[found], lambda at: context.holder(int(owner[found[at]])), describe, severity, confidence
    )


def _others(peers: Ints) -> Ints:
    """How many others there are in each peer group; behind them 0 for who has none."""
    return np.append(np.bincount(peers[peers >= 0], minlength=int(peers.max(initial=-1)) + 1) - 1, 0)


def _is_few(context: ExcessContext, having: Ints, of: Ints) -> Bools:
    """Whether so many of so many others are surely few."""
    limits = context.thresholds
    few: Bools = (of > 0) & (upper_share(having, of, limits.peer_confidence) < limits.peer_share)
    return few


def _others_having(context: ExcessContext, peers: Ints, group: Ints) -> Ints:
    """For each unit how many others of its owner's peer group, given by number, hold the same by whatever way."""
    snapshot, units, what = context.snapshot, context.usage.units, context.usage.things
    width = context.usage.thing_count
    pair, inverse = np.unique(np.where(group >= 0, group * width + what, -1), return_inverse=True)
    wanted = np.zeros(width, dtype=bool)
    wanted[pair[pair >= 0] % width] = True
    brings, is_whole = _brings(context, wanted)
    counts, itself = np.zeros(len(pair), dtype=np.int64), able_of(snapshot.index.holders, snapshot.moment)[units.holder]
    unsure = ((group >= 0) & ~itself).nonzero()[0]
    for people in _in_blocks(context, peers, brings):
        first, last = int(peers[people[0]]), int(peers[people[-1]])
        held, bits = _held(context, peers[people] - first, people, wanted, brings)
        here = slice(*np.searchsorted(pair, [first * width, (last + 1) * width]))
        codes = (pair[here] - first * width) << bits
        counts[here] = np.searchsorted(held, codes + (1 << bits)) - np.searchsorted(held, codes)
        some = unsure[(group[unsure] >= first) & (group[unsure] <= last)]
        position = np.zeros(snapshot.people, dtype=np.int64)
        position[people] = np.arange(len(people))
        keys = ((group[some] - first) * width + what[some]) << bits | position[units.owner[some]]
        itself[some] = among(keys, held)
    having = np.where(group >= 0, counts[inverse] - itself, 0)
    return having if is_whole else _counted_one_by_one(context, peers, group, having)


def _brings(context: ExcessContext, wanted: Bools) -> tuple[CSRList, bool]:
    """Which of the wanted things being in a group brings, the group itself among them; behind the groups everyone.

    Whether that is all of it: where groups are nested too deep for that, the groups further above are left out.
    """
    snapshot, index = context.snapshot, context.snapshot.index
    holders, groups = index.holders, len(index.holders.groups)
    above = closures(holders.edges, holders.first_group, np.ones(holders.size, dtype=bool), _MOST)
    carried = context.exposure.group_entitlements
    to_all = index.holder_grants[holders.everyone].astype(np.int64)
    to_all = index.grants.entitlement[to_all[snapshot.live[to_all] & ~index.grants.denies[to_all]]]
    inner = outer = np.arange(groups)
    if above is not None:
        end = int(above.starts[groups])
        inner, outer = above.rows()[:end], above.items[:end].astype(np.int64) - holders.first_group
    row = np.concatenate([inner, carried.rows(), np.full(len(to_all), groups)])
    item = np.concatenate([outer, groups + carried.items.astype(np.int64), groups + to_all.astype(np.int64)])
    kept = wanted[item]
    return csr_from_distinct(row[kept], item[kept], groups + 1, len(wanted)), above is not None


def _in_blocks(context: ExcessContext, peers: Ints, brings: CSRList) -> Iterator[Ints]:
    """The people who have peers, in order of their peer groups, block by block; no peer group is cut."""
    people = np.argsort(peers, kind="stable")[np.count_nonzero(peers < 0) :]
    bound = np.concatenate([[0], np.cumsum(np.bincount(peers[people]))])
    edges = context.snapshot.index.holders.edges
    each = max(len(brings.items) // max(len(brings), 1), 1)
    load = np.concatenate([[0], np.cumsum(edges.sizes()[people] * each + 1)])
    widest = 1 << max(62 - len(peers).bit_length() - context.usage.thing_count.bit_length(), 0)
    for groups in in_loads(np.diff(load[bound]), _BLOCK, widest):
        block = people[bound[groups[0]] : bound[groups[-1] + 1]]
        if len(block):
            yield block


def _held(context: ExcessContext, group: Ints, people: Ints, wanted: Bools, brings: CSRList) -> tuple[Ints, int]:
    """What some people hold, in order: the peer group, the thing and below them, in so many bits, the position."""
    index, at = context.snapshot.index, context.snapshot.moment
    holders, groups = index.holders, len(index.holders.groups)
    position, principal = direct_principals_of_each(index, people, at)
    origin, grant = index.holder_grants.of(principal)
    own = groups + index.grants.entitlement[grant].astype(np.int64)
    gives = wanted[own] & context.snapshot.live[grant] & ~index.grants.denies[grant]
    of_entry, member_of = holders.edges.of(principal)
    counted = distinct(position)
    person = np.concatenate([position[of_entry], counted])
    at_group, thing = brings.of(np.concatenate([member_of - holders.first_group, np.full(len(counted), groups)]))
    who = np.concatenate([position[origin[gives]], person[at_group]])
    bits = len(people).bit_length()
    return distinct((group[who] * len(wanted) + np.concatenate([own[gives], thing])) << bits | who), bits


def _counted_one_by_one(context: ExcessContext, peers: Ints, group: Ints, having: Ints) -> Ints:
    """What is counted of groups of which only the members directly in them were, where these are few: everyone."""
    snapshot, holders = context.snapshot, context.snapshot.index.holders
    units, what = context.usage.units, context.usage.things
    has_inner = np.zeros(context.usage.thing_count, dtype=bool)
    has_inner[holders.edges.items[int(holders.edges.starts[holders.first_group]) :] - holders.first_group] = True
    others = _others(peers)[group]
    open_ = (has_inner[what] & (group >= 0) & _is_few(context, having, others)).nonzero()[0]
    of_thing = csr_from_pairs(what[open_], open_, len(has_inner))
    for thing in (of_thing.sizes() > 0).nonzero()[0].tolist():
        mask = who_has(snapshot.index, _holders_of(context, thing), snapshot.moment)[: snapshot.people]
        counts = np.append(np.bincount(peers[mask & (peers >= 0)], minlength=int(peers.max(initial=-1)) + 1), 0)
        here = of_thing[thing]
        having[here] = counts[group[here]] - mask[units.owner[here]]
    return having


def _holders_of(context: ExcessContext, thing: int) -> Ints:
    """Who holds a thing itself: the group, or the holders of the live grants of the bundle."""
    index = context.snapshot.index
    groups = len(index.holders.groups)
    if thing < groups:
        return np.array([index.holders.first_group + thing])
    grants = index.entitlement_grants[thing - groups].astype(np.int64)
    return distinct(index.grants.holder[grants[context.snapshot.live[grants] & ~index.grants.denies[grants]]])


# Exports


def export_beyond_peers(context: ExcessContext) -> Batch:
    """Whoever may export where its peers may only look."""
    snapshot, index = context.snapshot, context.snapshot.index
    peers = snapshot.peers_by(context.thresholds.peers)
    sizes = np.bincount(peers[peers >= 0], minlength=int(peers.max(initial=-1)) + 2)
    whose, where, counts = [], [], []
    for system in index.systems_in_order:
        exporting, reading = _of_kind(context, system, "export"), _of_kind(context, system, "read")
        for action in exporting:
            nodes = _touched(context, system, action)
            may = who_reaches_any(index, nodes, action, snapshot.moment)[: snapshot.people] & (peers >= 0)
            people = may.nonzero()[0]
            having = np.bincount(peers[people], minlength=len(sizes))[peers[people]] - 1
            others = sizes[peers[people]] - 1
            apart = _is_few(context, having, others)
            look = np.zeros(snapshot.people, dtype=bool)
            for read in reading if apart.any() else ():
                look |= who_reaches_any(index, nodes, read, snapshot.moment)[: snapshot.people] & (peers >= 0)
            looking = np.bincount(peers[look], minlength=len(sizes))[peers[people]] - look[people]
            apart &= 2 * looking > others
            whose.append(people[apart])
            where += [(action, nodes)] * int(apart.sum())
            counts += list(zip(having[apart].tolist(), others[apart].tolist(), looking[apart].tolist(), strict=True))
    found = np.concatenate(whose) if whose else np.zeros(0, dtype=np.int64)

    def describe(at: int) -> FindingText:
        (action, nodes), (having, others, looking) = where[at], counts[at]
        person = int(found[at])
        node = next(
            it for it in one_per_answer(index, nodes) if who_reaches(index, it, action, snapshot.moment)[person]
        )
        name = f"{index.actions[action][1]} {index.tree.addresses[node]}"
        title = " and ".join(str(snapshot.identity(it).value(person)) for it in context.thresholds.peers)
        chains = explain(index, person, node, action, snapshot.moment).permits.shown
        grants = sorted({chain.grant for chain in chains})
        own = [it for it in grants if index.grants.holder[index.grants.ids.find(it)] < index.holders.first_group]
        evidence = f"may {name}: {having} of {others} others of {title} may, {looking} of them may look"
        edits = tuple(Edit("end", "grants", {"grant": it}) for it in own)
        return FindingText(", ".join(f"grant:{it}" for it in grants), evidence, "Leave them the right to look.", edits)

    tops = np.array([int(snapshot.sensitivity[nodes].max(initial=0)) for _, nodes in where], dtype=np.int64)
    return batch(
        EXPORT_BEYOND_PEERS,
        found,
        lambda at: context.holder(int(found[at])),
        describe,
        np.maximum(severity_of(tops), 1) if len(tops) else tops,
        95,
    )


def _of_kind(context: ExcessContext, system: System, kind: str) -> list[int]:
    return [number for number, it in zip(system.actions.tolist(), system.kinds, strict=True) if it == kind]


def _permitting_spans(context: ExcessContext, system: System, action: int) -> Ints:
    """The spans of a system that permit the action."""
    index = context.snapshot.index
    intervals, exposure = index.intervals, context.exposure
    here = ((intervals.first >= system.root) & (intervals.first < system.end) & exposure.interval_permits).nonzero()[0]
    said = index.entries.action[index.scoped_entry[intervals.scoped[here]]].astype(np.int64)
    number = int(np.searchsorted(index.system_roots, system.root))
    about = np.where(said < 0, len(index.actions) + number, said)
    return here[context.usage.says[about, action]] if len(about) else here


def _touched(context: ExcessContext, system: System, action: int) -> Ints:
    """The nodes of a system on which something permits the action."""
    index, intervals = context.snapshot.index, context.snapshot.index.intervals
    here = _permitting_spans(context, system, action)
    change = np.zeros(system.size + 1, dtype=np.int64)
    np.add.at(change, intervals.first[here] - system.root, 1)
    np.add.at(change, intervals.end[here] - system.root, -1)
    targets = (np.cumsum(change[:-1]) > 0).nonzero()[0] + system.root
    return np.sort(index.tree.node_at[targets]).astype(np.int64)


# The position


def beyond_needs(context: ExcessContext) -> Batch:
    """Units that no need asks for, of people of whose position needs speak; reading what is open to all is left out."""
    usage, snapshot = context.usage, context.snapshot
    owner = usage.identity
    spoken = np.zeros(snapshot.people + 1, dtype=bool)
    for need in context.needs:
        spoken[:-1] |= snapshot.selected(need.who)
    asked = np.bincount(owner[context.needed], minlength=snapshot.people + 1)
    held = np.bincount(owner[owner >= 0], minlength=snapshot.people + 1)
    matters = (usage.top > 0) & ((usage.kinds & ~READ) > 0)
    there = np.append(snapshot.is_person & snapshot.is_there, False)
    found = (spoken & there & (asked > 0))[owner] & ~context.needed & matters
    found = (found & (owner >= 0)).nonzero()[0]

    def describe(at: int) -> FindingText:
        unit = int(found[at])
        who = int(owner[unit])
        share = f"{asked[who]} of the {held[who]} things held are asked for"
        evidence = f"{context.unit_gives(unit)}: no need asks for it; {share}"
        return FindingText(context.unit(unit), evidence, "Take it away, or state the need.", (context.end_unit(unit),))

    confidence = np.clip(100 * asked[owner[found]] // np.maximum(held[owner[found]], 1), 10, 90)
    severity = np.maximum(severity_of(usage.top[found]) - 1, 0)
    return batch(
        BEYOND_NEEDS, owner[found], lambda at: context.holder(int(owner[found[at]])), describe, severity, confidence
    )


def former_position(context: ExcessContext) -> Batch:
    """Units in systems that most of the former department uses and hardly anybody of the present one does."""
    snapshot, usage = context.snapshot, context.usage
    movers = _movers(context)
    if not movers:
        return batch(FORMER_POSITION, np.zeros(0, dtype=np.int64), context.holder, _nothing, 0)
    department = snapshot.identity("department")
    owner = usage.identity
    there = snapshot.is_person & snapshot.is_there
    found: list[int] = []
    told: list[tuple[str, list[_Kept]]] = []
    of_owner = csr_from_pairs(owner[owner >= 0], (owner >= 0).nonzero()[0], snapshot.people)
    for person, formers in movers.items():
        now = (department.codes == department.codes[person]) & there
        now[person] = False
        for former in (it for it in formers if it in department.values):
            before = (department.codes == department.values.index(former)) & there
            for unit in of_owner[person].tolist() if before.any() else ():
                kept = list(_kept(context, usage.systems_in(unit), before, now))
                if kept:
                    found.append(unit)
                    told.append((former, kept))
    positions = np.array(found, dtype=np.int64)

    def describe(at: int) -> FindingText:
        unit, (former, kept) = found[at], told[at]
        name, had, has = kept[0]
        present = department.value(int(owner[unit]))
        evidence = (
            f"{context.unit_gives(unit)}: kept from {former}, where {had[0]} of {had[1]} have access to {name}; "
            f"in {present} {has[0]} of {has[1]} others do"
        )
        return FindingText(
            context.unit(unit), evidence, "Take it away, or have it asked for anew.", (context.end_unit(unit),)
        )

    severity = np.maximum(severity_of(usage.top[positions]), 1) if len(positions) else positions
    return batch(
        FORMER_POSITION, owner[positions], lambda at: context.holder(int(owner[found[at]])), describe, severity, 90
    )


def _nothing(at: int) -> FindingText:
    raise IndexError(at)


def _movers(context: ExcessContext) -> dict[int, list[str]]:
    """The people who were in other departments before, and in which."""
    snapshot = context.snapshot
    column = snapshot.identity(context.thresholds.former)
    department = snapshot.identity("department")
    there = snapshot.is_person & snapshot.is_there
    found = {int(at): [str(column.value(int(at)))] for at in ((column.codes >= 0) & there).nonzero()[0]}
    for name, formers in snapshot.former.items():
        at = snapshot.index.holders.identities.find(name)
        if at >= 0 and there[at]:
            found.setdefault(at, []).extend(it for it in formers if it not in found.get(at, ()))
    left = {at: [it for it in formers if it != department.value(at)] for at, formers in found.items()}
    return {at: formers for at, formers in left.items() if formers}


def _kept(context: ExcessContext, systems: list[int], before: Bools, now: Bools) -> Iterator[_Kept]:
    """The systems in which at least half of the former department and at most a tenth of the present hold something."""
    for system in systems:
        had, has = (_share(context, system, people) for people in (before, now))
        if had[0] * 2 >= had[1] and has[0] * 10 <= has[1]:
            yield context.snapshot.index.systems_in_order[system].name, had, has


def _share(context: ExcessContext, system: int, people: Bools) -> tuple[int, int]:
    """How many of some people hold something in a system, of how many."""
    some = people.nonzero()[0]
    return int(context.usage.systems_of[some, system].sum()), len(some)
