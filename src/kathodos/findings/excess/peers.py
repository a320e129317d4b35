"""What sets somebody apart: held beyond the peer group, beyond the position, or kept from a former one.

A peer group is made of the people who share some attributes, the department and title unless said otherwise. That few
peers hold something is only said where it is known: the upper bound of the share of other peers who hold it, at a
confidence of 95 % by the exact binomial interval (C. J. Clopper and E. S. Pearson, Biometrika 26, 1934), has to be
below a quarter. Of two other peers without it nothing follows; of eleven it does.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from kathodos.analysis.exposure import READ
from kathodos.analysis.holding import Holding, Things
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import System
from kathodos.engine.decide import able_of, who_has
from kathodos.engine.explain import explain
from kathodos.engine.reach import one_per_answer, who_reaches, who_reaches_any
from kathodos.findings.excess.batches import Batch, Edit, ExcessContext, FindingText, batch, severity_of
from kathodos.model.references import reference_to

Floats = npt.NDArray[np.float64]
BEYOND_PEERS, EXPORT_BEYOND_PEERS = "beyond-peers", "export-beyond-peers"
BEYOND_NEEDS = "beyond-needs"


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
    basis, usage = context.basis, context.usage
    what, peers = usage.things, basis.peers_by(context.thresholds.peers)
    owner = usage.identity
    group = np.append(peers, -1)[owner]
    others = _others(peers)[group]
    things = _things(context)
    having = _others_having(context, things, peers, group)
    found = _is_few(context, having, others).nonzero()[0]
    having, others = having[found], others[found]
    everybody = int((basis.is_person & basis.is_there).sum())

    def describe(at: int) -> FindingText:
        unit = int(found[at])
        name = " and ".join(str(basis.identity(it).value(int(owner[unit]))) for it in context.thresholds.peers)
        mask = who_has(basis.index, things.holders_of(int(what[unit])), basis.moment)[: basis.people]
        all_of = int((mask & basis.is_person & basis.is_there).sum())
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


def _things(context: ExcessContext) -> Things:
    """What units are of: the groups, and what grants that count give."""
    index, basis = context.basis.index, context.basis
    of_grant = len(index.holders.groups) + index.grants.entitlement.astype(np.int64)
    return Things(index, basis.moment, of_grant, basis.live & ~index.grants.denies, context.usage.thing_count)


def _others_having(context: ExcessContext, things: Things, peers: Ints, group: Ints) -> Ints:
    """For each unit how many others of its owner's peer group, given by number, hold the same by whatever way."""
    basis, units, what = context.basis, context.usage.units, context.usage.things
    index = basis.index
    holding = Holding(things, peers)
    having = holding.counted(group, what).of_pair
    itself = able_of(index.holders, basis.moment)[units.holder]
    unsure = ((group >= 0) & ~itself).nonzero()[0]
    for thing in distinct(what[unsure]).tolist():
        here = unsure[what[unsure] == thing]
        itself[here] = who_has(index, things.holders_of(thing), basis.moment)[units.owner[here]]
    return np.where(group >= 0, having - itself, 0)


# Exports


def export_beyond_peers(context: ExcessContext) -> Batch:
    """Whoever may export where its peers may only look."""
    basis, index = context.basis, context.basis.index
    peers = basis.peers_by(context.thresholds.peers)
    sizes = np.bincount(peers[peers >= 0], minlength=int(peers.max(initial=-1)) + 2)
    whose, where, counts = [], [], []
    for system in index.systems_in_order:
        exporting, reading = _of_kind(context, system, "export"), _of_kind(context, system, "read")
        for action in exporting:
            nodes = _touched(context, system, action)
            may = who_reaches_any(index, nodes, action, basis.moment)[: basis.people] & (peers >= 0)
            people = may.nonzero()[0]
            having = np.bincount(peers[people], minlength=len(sizes))[peers[people]] - 1
            others = sizes[peers[people]] - 1
            apart = _is_few(context, having, others)
            look = np.zeros(basis.people, dtype=bool)
            for read in reading if apart.any() else ():
                look |= who_reaches_any(index, nodes, read, basis.moment)[: basis.people] & (peers >= 0)
            looking = np.bincount(peers[look], minlength=len(sizes))[peers[people]] - look[people]
            apart &= 2 * looking > others
            whose.append(people[apart])
            where += [(action, nodes)] * int(apart.sum())
            counts += list(zip(having[apart].tolist(), others[apart].tolist(), looking[apart].tolist(), strict=True))
    found = np.concatenate(whose) if whose else np.zeros(0, dtype=np.int64)

    def describe(at: int) -> FindingText:
        (action, nodes), (having, others, looking) = where[at], counts[at]
        person = int(found[at])
        node = next(it for it in one_per_answer(index, nodes) if who_reaches(index, it, action, basis.moment)[person])
        name = f"{index.actions[action][1]} {index.tree.addresses[node]}"
        title = " and ".join(str(basis.identity(it).value(person)) for it in context.thresholds.peers)
        chains = explain(index, person, node, action, basis.moment).permits.shown
        grants = sorted({chain.grant for chain in chains})
        own = [it for it in grants if index.grants.holder[index.grants.ids.find(it)] < index.holders.first_group]
        evidence = f"may {name}: {having} of {others} others of {title} may, {looking} of them may look"
        edits = tuple(Edit("end", "grants", {"grant": it}) for it in own)
        return FindingText(
            ", ".join(reference_to("grant", it) for it in grants), evidence, "Leave them the right to look.", edits
        )

    tops = np.array([int(basis.sensitivity[nodes].max(initial=0)) for _, nodes in where], dtype=np.int64)
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


def _permitting_intervals(context: ExcessContext, system: System, action: int) -> Ints:
    """The intervals of a system that permit the action."""
    index = context.basis.index
    intervals, exposure = index.intervals, context.exposure
    here = ((intervals.first >= system.root) & (intervals.first < system.end) & exposure.interval_permits).nonzero()[0]
    named = index.entries.action[index.scoped_entry[intervals.scoped[here]]].astype(np.int64)
    number = int(insertion_points(index.system_roots, system.root))
    about = np.where(named < 0, len(index.actions) + number, named)
    return here[context.usage.says[about, action]] if len(about) else here


def _touched(context: ExcessContext, system: System, action: int) -> Ints:
    """The nodes of a system on which something permits the action."""
    index, intervals = context.basis.index, context.basis.index.intervals
    here = _permitting_intervals(context, system, action)
    change = np.zeros(system.size + 1, dtype=np.int64)
    np.add.at(change, intervals.first[here] - system.root, 1)
    np.add.at(change, intervals.end[here] - system.root, -1)
    targets = (np.cumsum(change[:-1]) > 0).nonzero()[0] + system.root
    return np.sort(index.tree.node_at[targets]).astype(np.int64)


# The position


def beyond_needs(context: ExcessContext) -> Batch:
    """Units that no need asks for, of people of whom needs speak, in systems that these needs speak of.

    Reading what is open to all is left out.
    """
    usage, basis = context.usage, context.basis
    owner = usage.identity
    asked = np.bincount(owner[context.needed & (owner >= 0)], minlength=basis.people + 1)
    held = np.bincount(owner[owner >= 0], minlength=basis.people + 1)
    matters = (usage.top > 0) & ((usage.kinds & ~READ) > 0)
    there = np.append(basis.is_person & basis.is_there, False)
    beyond = (there & (asked > 0))[owner] & (owner >= 0) & context.spoken & ~context.needed & matters
    found = beyond.nonzero()[0]

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
