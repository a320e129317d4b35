"""Grants that give too much, or nothing: redundant, beside a group, wide open, to everyone, past a detached edge."""

from __future__ import annotations

import numpy as np

from kathodos import thresholds
from kathodos.analysis.exposure import ADMINISTER
from kathodos.columns.csr import Bools, Ints, among, csr_from_arrays, csr_from_pairs, distinct, ints, spread_each
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import Index
from kathodos.engine.decide import able_of, counted_as, direct_principals_of_each, principals_of, somebody_with, who_has
from kathodos.engine.reach import permits_on, reaches_something_on, what_applies, who_reaches_something
from kathodos.engine.redundant import redundant_grants
from kathodos.findings.excess.batches import Batch, Edit, ExcessContext, FindingText, batch, severity_of
from kathodos.model.addresses import parse_pattern
from kathodos.model.references import name_in, reference_to
from kathodos.model.words import plural

REDUNDANT, DIRECT, WILDCARD = "redundant", "direct", "wildcard-administration"
SENSITIVE, EVERYONE, DETACHED = "sensitive-field", "everyone", "detached-wider"
_MANY = 5  # members from which on a group is said to carry the same


def redundant(context: ExcessContext) -> Batch:
    """Grants of which each, taken away alone, changes nobody's reach."""
    index, basis = context.basis.index, context.basis
    done = redundant_grants(index, basis.moment)
    counts = counted_as(index.holders, basis.moment)[index.grants.holder[done.grants]]  # else others say why it is idle
    kept = basis.live[done.grants] & counts
    grants, idle = done.grants[kept].astype(np.int64), done.is_idle[kept]

    def describe(at: int) -> FindingText:
        grant = int(grants[at])
        same = _same_by_group(index, grant, basis.moment)
        others = f"{same} gives the same" if same else "other grants give the same"
        why = "it gives nobody anything now" if idle[at] else others
        evidence = f"{_gives(index, grant)} to {context.holder(int(index.grants.holder[grant]))}: {why}"
        return FindingText(
            _name(index, grant), evidence, "Take it away: nobody loses anything.", (context.end_grant(grant),)
        )

    holder = index.grants.holder[grants].astype(np.int64)
    return batch(
        REDUNDANT,
        context.owner_of(holder),
        lambda at: context.holder(int(holder[at])),
        describe,
        0,
        thing=context.thing_of_grants(grants),
    )


def _same_by_group(index: Index, grant: int, moment: int) -> str:
    """The group through which the holder of a grant has the same entitlement; empty where there is none."""
    holder = int(index.grants.holder[grant])
    if holder >= index.holders.first_group:
        return ""
    person = int(index.holders.owner[holder - index.holders.people]) if holder >= index.holders.people else holder
    principals = principals_of(index, person if person >= 0 else holder, moment)
    alike = index.entitlement_grants[index.grants.entitlement[grant]]
    holders = index.grants.holder[alike]
    found = holders[np.isin(holders, principals) & (holders >= index.holders.first_group)]
    return index.holders.references[int(found[0])] if len(found) else ""


def _name(index: Index, grant: int) -> str:
    return reference_to("grant", index.grants.ids[grant])


def _gives(index: Index, grant: int) -> str:
    scope = index.scope(grant)
    return index.gives(grant) + (f" on {scope}" if scope else "")


def direct(context: ExcessContext) -> Batch:
    """Grants to one person of what a group carries that the person is not in."""
    basis, index = context.basis, context.basis.index
    grants, holders = index.grants, index.holders
    live = basis.live & ~grants.denies
    to_group = live & (grants.holder >= holders.first_group) & (grants.holder < holders.everyone)
    carrier = np.full(len(index.entitlements), -1, dtype=np.int64)
    carrier[grants.entitlement[to_group]] = grants.holder[to_group]
    single = (live & (grants.holder < holders.first_group)).nonzero()[0]
    single = single[carrier[grants.entitlement[single]] >= 0]
    groups = carrier[grants.entitlement[single]]
    owner = context.owner_of(grants.holder[single].astype(np.int64))
    asker = np.where(owner >= 0, owner, grants.holder[single])
    position, direct = direct_principals_of_each(index, asker, basis.moment)
    above = spread_each(holders.edges, direct)
    codes = distinct(position[above.rows()] * holders.size + above.items)
    inside = among(np.arange(len(single)) * holders.size + groups, codes)
    sizes = holders.members.sizes()[groups]
    kept = ~inside & (sizes >= _MANY)
    found, group_of, size = single[kept], groups[kept], sizes[kept]

    def describe(at: int) -> FindingText:
        grant = int(found[at])
        group = context.holder(int(group_of[at]))
        evidence = f"{_gives(index, grant)}: {group} carries the same, for {size[at]} members"
        system, _, name = name_in("group", group).partition("/")
        member = context.holder(int(grants.holder[grant]))
        join = Edit("add", "members", {"system": system, "group": name, "member": member})
        return FindingText(
            _name(index, grant), evidence, f"Put them into {group} instead.", (context.end_grant(grant), join)
        )

    holder = grants.holder[found].astype(np.int64)
    return batch(
        DIRECT,
        context.owner_of(holder),
        lambda at: context.holder(int(holder[at])),
        describe,
        0,
        thing=context.thing_of_grants(found),
    )


def wildcard(context: ExcessContext) -> Batch:
    """Grants of every action, or of one that administers, on everything in a system."""
    basis, index, exposure = context.basis, context.basis.index, context.exposure
    roots = {f"{name}:/" for name in index.systems} | {f"{name}:/**" for name in index.systems}
    entries = np.array([text in roots for text in index.entries.patterns], dtype=bool)[index.entries.pattern]
    wide = np.zeros(len(index.entries), dtype=bool)
    action = index.entries.action
    administers = np.append(exposure.action_kinds[: len(index.actions)] & ADMINISTER, 1)[action] > 0
    wide[entries & ~index.entries.denies & administers] = True
    entitlements = np.zeros(len(index.entitlements), dtype=bool)
    entitlements[index.entitlements.scoped.rows()[wide[index.scoped_entry[index.entitlements.scoped.items]]]] = True
    entitlements &= index.entitlements.scope < 0
    grants = (basis.live & ~index.grants.denies & entitlements[index.grants.entitlement]).nonzero()[0]

    def describe(at: int) -> FindingText:
        grant = int(grants[at])
        holder = ints([int(index.grants.holder[grant])])
        people = int(who_has(index, holder, basis.moment)[: basis.people].sum())
        rules = index.entitlements.scoped[index.grants.entitlement[grant]]
        entry = next(it for it in index.scoped_entry[rules].tolist() if wide[it])
        evidence = (
            f"{_gives(index, grant)} gives {index.entries[entry]}, for {people} {'person' if people == 1 else 'people'}"
        )
        return FindingText(_name(index, grant), evidence, "Narrow it to what is administered, or give it an end.", ())

    holder = index.grants.holder[grants].astype(np.int64)
    return batch(
        WILDCARD,
        context.owner_of(holder),
        lambda at: context.holder(int(holder[at])),
        describe,
        2,
        thing=context.thing_of_grants(grants),
    )


def everyone(context: ExcessContext) -> Batch:
    """Grants to everyone."""
    basis, index = context.basis, context.basis.index
    grants = (basis.live & ~index.grants.denies & (index.grants.holder == index.holders.everyone)).nonzero()[0]
    holder = ints([index.holders.everyone])

    def describe(at: int) -> FindingText:
        grant = int(grants[at])
        people = int(who_has(index, holder, basis.moment)[index.holders.askers].sum())
        level = int(context.exposure.top[index.grants.entitlement[grant]])
        evidence = f"{_gives(index, grant)} is open to all {people}, up to sensitivity {max(level, 0)}"
        return FindingText(
            _name(index, grant), evidence, "Give it to a group of those who need it.", (context.end_grant(grant),)
        )

    severity = severity_of(context.exposure.top[index.grants.entitlement[grants]])
    whose = np.full(len(grants), -1, dtype=np.int64)
    return batch(EVERYONE, whose, lambda at: "everyone", describe, severity)


def sensitive(context: ExcessContext) -> Batch:
    """Grants that bring what is most sensitive (3) without naming it: a field or record far below their target."""
    index, basis = context.basis.index, context.basis
    nodes = (basis.sensitivity >= 3).nonzero()[0]
    nodes = nodes[basis.node("sensitivity").codes[nodes] >= 0]
    counted = counted_as(index.holders, basis.moment)
    bringing = csr_from_arrays([_not_naming(context, node, counted) for node in nodes.tolist()])
    grants = distinct(bringing.items).astype(np.int64)
    brought = csr_from_pairs(insertion_points(grants, bringing.items), nodes[bringing.rows()], len(grants))
    holder = index.grants.holder[grants].astype(np.int64)

    def describe(at: int) -> FindingText:
        grant, some = int(grants[at]), brought[at].tolist()
        who = _in_words(index, _reached_by(context, grant, some))
        more = f" and {len(some) - 1} more" if len(some) > 1 else ""
        evidence = (
            f"{_gives(index, grant)} brings {who} to {index.tree.addresses[some[0]]}{more}, which it does not name"
        )
        return FindingText(_name(index, grant), evidence, "Name what is needed, or deny the field.", ())

    return batch(
        SENSITIVE,
        context.owner_of(holder),
        lambda at: context.holder(int(holder[at])),
        describe,
        2,
        90,
        thing=context.thing_of_grants(grants),
    )


def _not_naming(context: ExcessContext, node: int, counted: Bools) -> Ints:
    """The live grants that permit something on a node without naming it, and by which somebody reaches it."""
    index, at = context.basis.index, context.basis.moment
    system = index.system_of(node)
    grants, entry, given = what_applies(index, system, index.intervals.holding(int(index.tree.position[node])), at)
    pattern = index.entries.pattern[entry]
    names = np.array([_names(index, it, node) for it in distinct(pattern).tolist()], dtype=bool)
    permits = ~given.denies
    broad = permits & ~names[insertion_points(distinct(pattern), pattern)]
    broad = broad & ~np.isin(grants, grants[permits & ~broad])
    some = distinct(grants[broad])
    some = some[counted[index.grants.holder[some]]]
    if given.denies.any() and len(some):
        reaching = who_reaches_something(index, ints([node]), at)
        holders = distinct(index.grants.holder[some]).astype(np.int64)
        some = some[_serve(context, holders, reaching)[insertion_points(holders, index.grants.holder[some])]]
    return some.astype(np.int64)


def _serve(context: ExcessContext, some: Ints, reaching: Bools) -> Bools:
    """Which of some holders of grants, in order, anybody counts as who is among those who reach something."""
    index = context.basis.index
    held, first = index.holders, index.holders.first_group
    group = some[(some >= first) & (some < held.everyone)]
    origin, inner = index.inside_granted.of(group - first)
    groups = distinct(inner)
    at, member = held.members.of(groups.astype(np.int64) + first)
    single = np.concatenate([some[some < first], member[member < first]]).astype(np.int64)
    serves = reaching[held.asker_of[single]] & able_of(held, context.basis.moment)[single]
    count = int(np.count_nonzero(some < first))
    is_served = np.bincount(at[member < first][serves[count:]], minlength=len(groups)) > 0
    by_group = np.bincount(origin[is_served[insertion_points(groups, inner)]], minlength=len(group)) > 0
    by_all = np.full(int((some == held.everyone).sum()), reaching.any())
    return np.concatenate([serves[:count], by_group, by_all])


def _names(index: Index, pattern: int, node: int) -> bool:
    """Whether a pattern has the node as its target."""
    text = index.entries.patterns[pattern].removesuffix("/**")
    if "*" not in text:
        return text == index.tree.addresses[node]
    return node in index.tree.matches(parse_pattern(text)).tolist()


def _in_words(index: Index, askers: Bools) -> str:
    """How many identities there are among some askers, and how many accounts that nobody owns."""
    people, accounts = (int(part.sum()) for part in np.split(askers, [index.holders.people]))
    parts = [plural(people, "person", "people")] if people or not accounts else []
    parts += [f"{plural(accounts, 'account')} of nobody"] if accounts else []
    return " and ".join(parts)


def _reached_by(context: ExcessContext, grant: int, nodes: list[int]) -> Bools:
    """Which askers hold a grant and reach one of the nodes; over identities and then accounts."""
    index, at = context.basis.index, context.basis.moment
    having = who_has(index, ints([int(index.grants.holder[grant])]), at)
    reaching = np.logical_or.reduce([who_reaches_something(index, ints([node]), at) for node in nodes])
    found: Bools = having & reaching & index.holders.is_asker
    return found


def detached(context: ExcessContext) -> Batch:
    """Resources cut off from what is above them that more people reach than their parent."""
    index, basis = context.basis.index, context.basis
    tree = index.tree
    nodes = ((tree.region == np.arange(len(tree))) & (tree.parent >= 0)).nonzero()[0]
    found = []
    for node in nodes.tolist():
        parent = int(tree.parent[node])
        here, above = (index.grants.holder[permits_on(index, it, None, basis.moment)] for it in (node, parent))
        only = np.setdiff1d(here, above)
        if _somebody_more(context, node, parent, only):
            found.append(node)
        elif len(only) or _is_denied(context, parent):
            inside, outside = (who_reaches_something(index, ints([it]), basis.moment) for it in (node, parent))
            more = np.greater(inside, outside, out=inside)
            more &= index.holders.is_asker
            if more.any():
                found.append(node)

    def describe(at: int) -> FindingText:
        node, parent = found[at], int(tree.parent[found[at]])
        reaching = (who_reaches_something(index, ints([it]), basis.moment) for it in (node, parent))
        counts = [int(np.count_nonzero(it & index.holders.is_asker)) for it in reaching]
        here, above = (permits_on(index, it, None, basis.moment) for it in (node, parent))
        only = np.setdiff1d(here, above)
        wide = _widest(index, only if len(only) else here, basis.moment)
        evidence = (
            f"{counts[0]} reach it, {counts[1]} its parent {tree.addresses[parent]}; most by "
            f"{_gives(index, wide)} to {index.holders.references[int(index.grants.holder[wide])]}"
        )
        if len(only):
            return FindingText(_name(index, wide), evidence, "Take the wider grant away.", (context.end_grant(wide),))
        return FindingText(
            _name(index, wide), evidence, "Deny it here too: what is denied above ends where it is cut off."
        )

    severity = np.maximum(severity_of(basis.sensitivity[ints(found)]), 1)
    nobody = np.full(len(found), -1, dtype=np.int64)
    return batch(DETACHED, nobody, lambda at: tree.addresses[found[at]], describe, severity)


def _somebody_more(context: ExcessContext, node: int, parent: int, holders: Ints) -> bool:
    """Whether somebody who counts as one of the first of some holders reaches a node and not its parent."""
    index, at = context.basis.index, context.basis.moment
    for holder in holders[: thresholds.HOLDERS_TRIED].tolist():
        asker = somebody_with(index, holder, at)
        if asker >= 0 and index.holders.is_asker[asker]:
            inside, outside = reaches_something_on(index, asker, ints([node, parent]), at)
            if inside and not outside:
                return True
    return False


def _is_denied(context: ExcessContext, node: int) -> bool:
    """Whether anything is denied on a node."""
    index = context.basis.index
    intervals = index.intervals.holding(int(index.tree.position[node]))
    return bool(what_applies(index, index.system_of(node), intervals, context.basis.moment)[2].denies.any())


def _widest(index: Index, grants: Ints, moment: int) -> int:
    """Which of the grants most count as the holder of."""
    sizes = [np.count_nonzero(who_has(index, index.grants.holder[[grant]], moment)) for grant in grants.tolist()]
    return int(grants[int(np.argmax(sizes))])
