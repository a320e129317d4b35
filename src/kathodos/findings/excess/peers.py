"""What sets somebody apart: held beyond the peer group, beyond the position, or kept from a former one.

A peer group is made of the people who share some attributes, the department and title unless said otherwise. That few
peers hold something is only said where it is known: the upper bound of the share of other peers who hold it, at a
confidence of 95 % by the exact binomial interval (C. J. Clopper and E. S. Pearson, Biometrika 26, 1934), has to be
below a quarter. Of two other peers without it nothing follows; of eleven it does.
"""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from kathodos.analysis.evidence.usual import Peers, counted, peer_groups
from kathodos.analysis.exposure import READ
from kathodos.columns.csr import Bools, Ints, distinct, ints
from kathodos.columns.ordered import insertion_points, numbered
from kathodos.engine.compiled.index import System
from kathodos.engine.explain import explain
from kathodos.engine.reach import one_per_answer, who_reaches, who_reaches_any
from kathodos.findings.excess.batches import (
    Batch,
    Edit,
    ExcessContext,
    FindingText,
    batch,
    first_alike,
    severity_of,
)
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.model.references import reference_to

Floats = npt.NDArray[np.float64]
BEYOND_PEERS, EXPORT_BEYOND_PEERS = "beyond-peers", "export-beyond-peers"
BEYOND_NEEDS = "beyond-needs"
BY_PEERS = {BEYOND_PEERS, EXPORT_BEYOND_PEERS}


def upper_share(having: Ints, of: Ints, confidence: float) -> Floats:
    """The upper bound of a share of which `having` of `of` were seen: one-sided, by Clopper and Pearson."""
    from scipy.special import betaincinv

    sample, which = numbered(np.minimum(having, of) * (int(of.max(initial=0)) + 1) + of)  # each pair of numbers once
    some, all_of = np.minimum(having, of)[sample], of[sample]
    bound: Floats = np.where(some >= all_of, 1.0, betaincinv(some + 1, np.maximum(all_of - some, 1), confidence))
    return bound[which]


class _Everybody:
    """How many of everybody have what each of some units names, counted for many at once."""

    def __init__(self, peers: Peers, units: Ints) -> None:
        self.peers = peers
        self.units = units
        self._known: dict[int, tuple[int, int]] = {}

    def look_ahead(self, some: Ints) -> None:
        """Counts for some of the units, by position, those who have it."""
        usual = self.peers.usual(self.units[some])
        pairs = zip(usual.all_having.tolist(), usual.all_of.tolist(), strict=True)
        self._known.update(zip(some.tolist(), pairs, strict=True))

    def told(self, at: int) -> str:
        """How many of how many others in all have it."""
        if at not in self._known:
            self.look_ahead(ints([at]))
        having, of = self._known[at]
        return f"{having} of {of}"


def beyond_peers(context: ExcessContext) -> Batch:
    """Units of whose names hardly any peer reaches all, by whatever way."""
    basis, usage, evidence = context.basis, context.usage, context.evidence
    owner, limits = usage.identity, context.thresholds
    peers = Peers(evidence, limits.peer_terms)
    may_be = peers.is_enough & (owner >= 0) & (evidence.item >= 0)
    some = may_be.nonzero()[0]
    some = some[is_few(limits, peers.holding()[some], peers.of[some])]  # as many as hold the same have it, or more
    usual = peers.usual(some, is_whole=False)
    few = is_few(limits, usual.having, usual.of)
    of_unit = np.zeros(len(owner), dtype=np.int64)
    of_unit[some] = usual.having
    is_found = np.zeros(len(owner), dtype=bool)
    is_found[some[few]] = True
    found = first_alike(context, is_found)
    having, of = of_unit[found], peers.of[found]

    everybody = _Everybody(peers, found)

    def describe(at: int) -> FindingText:
        unit = int(found[at])
        by = limits.peers[int(peers.level[unit]) :]
        name = " and ".join(str(basis.identity(it).value(int(owner[unit]))) for it in by)
        evidence_text = (
            f"{context.unit_gives(unit)}: {having[at]} of {of[at]} others of {name} have it, "
            f"{everybody.told(at)} others in all"
        )
        return FindingText(
            context.unit(unit), evidence_text, "Take it away, or say what sets them apart.", context.end_alike(unit)
        )

    expected = context.expected[found]
    severity = np.where(expected, 0, severity_of(usage.top[found]))
    share = upper_share(having, of, limits.peer_confidence)
    confidence = np.where(expected, 50, np.clip(100 - 100 * share, 50, 95)).astype(np.int64)
    return batch(
        BEYOND_PEERS,
        owner[found],
        lambda at: context.holder(int(owner[found[at]])),
        describe,
        severity,
        confidence,
        thing=usage.things[found],
        look_ahead=everybody.look_ahead,
    )


def is_few(limits: Thresholds, having: Ints, of: Ints) -> Bools:
    """Whether so many of so many others are surely few: where `upper_share` is below the share that is allowed."""
    sizes = distinct(of).astype(np.int64)
    most = ints(most_few(it, limits.peer_share, limits.peer_confidence) for it in sizes.tolist())
    return having <= most[insertion_points(sizes, of)] if len(sizes) else np.zeros(0, dtype=bool)


def most_few(of: int, share: float, confidence: float) -> int:
    """The largest number of so many of which `upper_share` is below a share; -1 where there is none.

    So many or fewer are seen with a probability below 1 - `confidence`, were it the share.
    """
    if not of or not 0 < share < 1:
        return of - 1 if share >= 1 else -1
    seen = np.arange(int(of * share) + 1)
    steps = np.log((of - seen) / (seen + 1) * share / (1 - share))
    exactly = np.exp(of * np.log1p(-share) + np.cumsum(np.append(0, steps[:-1])))
    return int((np.cumsum(exactly) < 1 - confidence).sum()) - 1


# Exports


def export_beyond_peers(context: ExcessContext) -> Batch:
    """Whoever may export where its peers may only look."""
    basis, index = context.basis, context.basis.index
    peers = np.where(counted(basis) & basis.is_person, peer_groups(basis, context.thresholds.peers), -1)
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
            apart = is_few(context.thresholds, having, others)
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
    found = first_alike(context, beyond)

    def describe(at: int) -> FindingText:
        unit = int(found[at])
        who = int(owner[unit])
        share = f"{asked[who]} of the {held[who]} things held are asked for"
        evidence = f"{context.unit_gives(unit)}: no need asks for it; {share}"
        return FindingText(context.unit(unit), evidence, "Take it away, or state the need.", context.end_alike(unit))

    confidence = np.clip(100 * asked[owner[found]] // np.maximum(held[owner[found]], 1), 10, 90)
    severity = np.maximum(severity_of(usage.top[found]) - 1, 0)
    return batch(
        BEYOND_NEEDS,
        owner[found],
        lambda at: context.holder(int(owner[found[at]])),
        describe,
        severity,
        confidence,
        thing=usage.things[found],
    )
