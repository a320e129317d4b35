"""What nobody uses: grants and memberships, accounts that nobody signs in to, roles that serve nobody."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.findings.excess.batches import Batch, Ground, Told, batch, joined_batches, severity_of
from kathodos.model.times import BEGINNING, DAY, day_text

UNUSED, NEVER_USED = "unused", "never-used"
_MANY = 5  # members from which on a group that nobody uses is told as one finding
DORMANT, NEVER_SIGNED_IN, UNUSED_ROLE = "dormant-account", "never-signed-in", "unused-role"


def unused(ground: Ground) -> Batch:
    """Units that were used once, but not for so many days as their sensitivity allows."""
    last, usage = ground.usage.last, ground.usage
    days = (ground.facts.at - last) // DAY
    found = (_judged(ground) & (last > BEGINNING) & (days > _allowed(ground))).nonzero()[0]

    def tell(at: int) -> Told:
        unit = int(found[at])
        seen = day_text(int(last[unit]))
        evidence = f"{ground.unit_gives(unit)}: used last on {seen}, {days[unit]} days ago{_asked_for(ground, unit)}"
        return Told(ground.unit(unit), evidence, "Take it away, or have its use confirmed.", (ground.end_unit(unit),))

    return _of_units(ground, UNUSED, found, tell, days[found], usage.top[found])


def never_used(ground: Ground) -> Batch:
    """Units of which no use is known since they were given, or since uses are known, for longer than is allowed."""
    usage, facts = ground.usage, ground.facts
    given = np.append(facts.moments(facts.grant("given_at")), BEGINNING)[usage.units.grant]
    since = np.maximum(given, usage.watched)
    days = (facts.at - np.minimum(since, facts.at)) // DAY
    judged = _judged(ground)
    idle = judged & (usage.last == BEGINNING) & (days > _allowed(ground))
    whole = _idle_groups(ground, idle)
    inside = np.append(whole, False)[usage.units.group]
    found = (idle & ~inside).nonzero()[0]
    first = (idle & inside).nonzero()[0]
    first = first[np.unique(usage.units.group[first], return_index=True)[1]]

    def tell_group(at: int) -> Told:
        unit = int(first[at])
        members = int((usage.units.group == usage.units.group[unit]).sum())
        known = day_text(int(since[unit]))
        evidence = f"{ground.unit_gives(unit)}: none of its {members} members has used that since {known}"
        return Told(ground.unit(unit), evidence, "Ask its owner what it is for; take away what it gives.", ())

    def tell(at: int) -> Told:
        unit = int(found[at])
        known = day_text(int(since[unit]))
        text = "since it was given" if given[unit] == since[unit] else "since uses are known there"
        evidence = f"{ground.unit_gives(unit)}: no use {text}, {known} ({days[unit]} days){_asked_for(ground, unit)}"
        return Told(ground.unit(unit), evidence, "Take it away.", (ground.end_unit(unit),))

    single = _of_units(ground, NEVER_USED, found, tell, days[found], usage.top[found])
    nobody = np.full(len(first), -1, dtype=np.int64)
    name = ground.unit
    groups = batch(
        NEVER_USED, nobody, lambda at: name(int(first[at])), tell_group, severity_of(usage.top[first]), 95, days[first]
    )
    return joined_batches(groups, single)


def _idle_groups(ground: Ground, idle: Bools) -> Bools:
    """The groups of which no member, of at least so many, has ever used what it gives: told once, for the group."""
    units = ground.usage.units
    count = len(ground.facts.index.holders.groups)
    listed = units.group >= 0
    all_of, idle_of = (np.bincount(units.group[mask], minlength=count) for mask in (listed, listed & idle))
    found: Bools = (all_of >= _MANY) & (idle_of == all_of)
    return found


def _of_units(ground: Ground, kind: str, found: Ints, tell: Callable[[int], Told], days: Ints, top: Ints) -> Batch:
    owner = ground.usage.units.owner[found]
    whose = ground.usage.identity[found]
    needed = ground.needed[found]
    severity = np.where(needed, 0, severity_of(top))
    allowed = _allowed(ground)[found]
    confidence = np.where(needed, 50, np.minimum(95, 60 + 35 * (days - allowed) // np.maximum(allowed, 1)))
    return batch(kind, whose, lambda at: ground.holder(int(owner[at])), tell, severity, confidence, days)


def _judged(ground: Ground) -> Bools:
    """The units whose use can be judged: of somebody who is there, in systems that were watched for long enough."""
    facts, usage = ground.facts, ground.usage
    watched = (facts.at - np.minimum(usage.watched, facts.at)) // DAY
    there = np.append(facts.is_there, True)[usage.identity]
    found: Bools = there & (watched > _allowed(ground)) & (usage.watched < facts.at)
    return found


def _allowed(ground: Ground) -> Ints:
    """For how many days each unit may go unused."""
    allowed: Ints = np.array(ground.thresholds.unused, dtype=np.int64)[np.maximum(ground.usage.top, 0)]
    return allowed


def _asked_for(ground: Ground, unit: int) -> str:
    return "; a need asks for it all the same" if ground.needed[unit] else ""


# Accounts


def dormant_accounts(ground: Ground) -> Batch:
    """Enabled accounts to which nobody has signed in for so many days."""
    facts, holders = ground.facts, ground.facts.index.holders
    seen = facts.moments(facts.account("last_login"))
    days = (facts.at - seen) // DAY
    found = (holders.is_enabled & (seen > BEGINNING) & (days > ground.thresholds.dormant)).nonzero()[0]

    def tell(at: int) -> Told:
        account = int(found[at])
        evidence = f"enabled; the last sign-in was on {day_text(int(seen[account]))}, {days[account]} days ago"
        return Told(_account(ground, account), evidence, "Disable it.", (ground.disable(account),))

    return _of_accounts(ground, DORMANT, found, tell, days[found])


def never_signed_in(ground: Ground) -> Batch:
    """Enabled accounts without any sign-in, in systems that report sign-ins, of people who began long enough ago."""
    facts, holders = ground.facts, ground.facts.index.holders
    seen = facts.moments(facts.account("last_login"))
    system = facts.account("system").codes
    reporting = np.zeros(int(system.max(initial=-1)) + 2, dtype=bool)
    reporting[system[seen > BEGINNING]] = True
    begun = np.append(holders.starts, BEGINNING)[holders.owner]
    new = begun > facts.at - ground.thresholds.dormant * DAY
    found = (holders.is_enabled & (seen == BEGINNING) & reporting[system] & ~new).nonzero()[0]

    def tell(at: int) -> Told:
        account = int(found[at])
        evidence = "enabled; nobody has ever signed in to it, though its system reports sign-ins"
        return Told(_account(ground, account), evidence, "Disable it.", (ground.disable(account),))

    return _of_accounts(ground, NEVER_SIGNED_IN, found, tell, np.full(len(found), -1, dtype=np.int64))


def _account(ground: Ground, account: int) -> str:
    return f"account:{ground.facts.index.holders.accounts[account]}"


def _of_accounts(ground: Ground, kind: str, found: Ints, tell: Callable[[int], Told], days: Ints) -> Batch:
    holders = ground.facts.index.holders
    privileged = ground.facts.account("privileged").listed(found)
    severity = np.array([2 if it else 1 for it in privileged], dtype=np.int64)
    return batch(kind, holders.owner[found], lambda at: _account(ground, int(found[at])), tell, severity, 90, days)


# Roles


def unused_roles(ground: Ground) -> Iterator[tuple[int, int]]:
    """Roles that somebody has and nobody uses, each with the number of days for which that is known."""
    facts, index, usage = ground.facts, ground.facts.index, ground.usage
    bundles = ground.stakes
    since = {it: facts.watched_since.get(system.name) for it, system in enumerate(index.systems_in_order)}
    live = np.zeros(len(index.bundles), dtype=bool)
    live[index.grants.bundle[facts.live & ~index.grants.denies]] = True
    of_role: dict[int, list[int]] = {}
    for bundle in (live & (index.bundles.role >= 0)).nonzero()[0].tolist():
        of_role.setdefault(int(index.bundles.role[bundle]), []).append(bundle)
    for role, mine in sorted(of_role.items()):
        systems = {system for bundle in mine for system in bundles.systems[bundle].tolist()}
        starts = [since[system] for system in systems]
        if systems and all(it is not None for it in starts) and not usage.used_bundles[mine].any():
            days = (facts.at - max(it for it in starts if it is not None)) // DAY
            if days > ground.thresholds.unused[0]:
                yield role, int(days)
