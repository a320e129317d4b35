"""What nobody uses: grants and memberships, accounts that nobody signs in to, roles that serve nobody."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.findings.excess.batches import (
    Batch,
    Edit,
    ExcessContext,
    FindingText,
    batch,
    joined_batches,
    severity_of,
)
from kathodos.model.references import reference_to
from kathodos.model.times import BEGINNING, day_text

UNUSED, NEVER_USED = "unused", "never-used"
_MANY = 5  # members from which on a group that nobody uses is told as one finding
DORMANT, NEVER_SIGNED_IN, UNUSED_ROLE = "dormant-account", "never-signed-in", "unused-role"


def unused(context: ExcessContext) -> Batch:
    """Units of which what they name was used once, but not for so many days as their sensitivity allows."""
    last, usage = context.evidence.used_as_named.last, context.usage
    days = context.basis.days_since(last)
    found = (context.idle & (last > BEGINNING)).nonzero()[0]

    def describe(at: int) -> FindingText:
        unit = int(found[at])
        seen = day_text(int(last[unit]))
        evidence = (
            f"{context.unit_gives(unit)}: not used for {days[unit]} days (last on {seen}){_besides(context, unit)}"
        )
        return FindingText(context.unit(unit), evidence, *_remedy(context, unit, "Take it away, or have it confirmed."))

    return _of_units(context, UNUSED, found, describe, days[found], usage.top[found])


def never_used(context: ExcessContext) -> Batch:
    """Units of which what they name was never used, for longer than is allowed since it could have been."""
    usage, evidence = context.usage, context.evidence
    since = evidence.time.since
    days = context.days_usable
    idle = context.idle & ~evidence.used_as_named.is_any
    whole = _idle_groups(context, idle)
    inside = np.append(whole, False)[usage.groups]
    found = (idle & ~inside).nonzero()[0]
    first = (idle & inside).nonzero()[0]
    first = first[np.unique(usage.groups[first], return_index=True)[1]]

    def tell_group(at: int) -> FindingText:
        unit = int(first[at])
        members = int((usage.groups == usage.groups[unit]).sum())
        known = day_text(int(since[usage.groups == usage.groups[unit]].max()))
        evidence = (
            f"{context.unit_gives(unit)}: none of its {members} members has used what it alone gives since {known}"
        )
        return FindingText(context.unit(unit), evidence, "Ask its owner what it is for; take away what it gives.", ())

    def describe(at: int) -> FindingText:
        unit = int(found[at])
        known = day_text(int(since[unit]))
        began = "they began" if since[unit] > evidence.time.begins[unit] else "it was given"
        text = "uses are recorded there" if since[unit] == usage.watched[unit] else began
        told = f"never used in the {days[unit]} days since {text} ({known}){_besides(context, unit)}"
        return FindingText(
            context.unit(unit), f"{context.unit_gives(unit)}: {told}", *_remedy(context, unit, "Take it away.")
        )

    single = _of_units(context, NEVER_USED, found, describe, days[found], usage.top[found])
    nobody = np.full(len(first), -1, dtype=np.int64)
    name = context.unit
    groups = batch(
        NEVER_USED,
        nobody,
        lambda at: name(int(first[at])),
        tell_group,
        severity_of(usage.top[first]),
        95,
        days[first],
        thing=usage.things[first],
    )
    return joined_batches(groups, single)


def _besides(context: ExcessContext, unit: int) -> str:
    """What else there is to say of the use of a unit: of what else it contains, and whether a need asks for it."""
    told = f"; {context.words.use(unit)}" if context.evidence.used.times[unit] else ""
    return told + ("; but a need asks for it" if context.needed[unit] else "")


def _remedy(context: ExcessContext, unit: int, otherwise: str) -> tuple[str, tuple[Edit, ...]]:
    """What to do about a unit that is not used as it is named, and what would change."""
    if not _is_partly_used(context)[unit]:
        return otherwise, (context.end_unit(unit),)
    return "Leave what is used of it, and take the rest away.", ()


def _is_partly_used(context: ExcessContext) -> Bools:
    """Of which units something that they alone give is in use, be it not what they name."""
    last = context.evidence.credited.last
    found: Bools = (last > BEGINNING) & (context.basis.days_since(last) <= context.allowed)
    return found


def _idle_groups(context: ExcessContext, idle: Bools) -> Bools:
    """The groups of which no member, of at least so many, has used what it alone gives: told once for the group."""
    groups, count = context.usage.groups, len(context.basis.index.holders.groups)
    listed = groups >= 0
    all_of, idle_of = (np.bincount(groups[mask], minlength=count) for mask in (listed, listed & idle))
    found: Bools = (all_of >= _MANY) & (idle_of == all_of)
    return found


def _of_units(
    context: ExcessContext, kind: str, found: Ints, describe: Callable[[int], FindingText], days: Ints, top: Ints
) -> Batch:
    owner = context.usage.units.asker[found]
    expected, allowed = context.expected[found], context.allowed[found]
    half = context.needed[found] | _is_partly_used(context)[found]  # a part of it is asked for, or in use
    severity = np.where(expected, 0, np.maximum(severity_of(top) - half, 0))
    confidence = np.where(expected, 50, np.minimum(95, 60 + 35 * (days - allowed) // np.maximum(allowed, 1)))
    things = context.usage.things[found]
    return batch(
        kind, owner, lambda at: context.holder(int(owner[at])), describe, severity, confidence, days, thing=things
    )


# Accounts


def dormant_accounts(context: ExcessContext) -> Batch:
    """Enabled accounts to which nobody has signed in for so many days."""
    basis, holders = context.basis, context.basis.index.holders
    seen = basis.moments(basis.account("last_login"))
    days = basis.days_since(seen)
    found = (holders.is_enabled & (seen > BEGINNING) & (days > context.thresholds.dormant)).nonzero()[0]

    def describe(at: int) -> FindingText:
        account = int(found[at])
        evidence = f"enabled; the last sign-in was on {day_text(int(seen[account]))}, {days[account]} days ago"
        return FindingText(_account(context, account), evidence, "Disable it.", (context.disable(account),))

    return _of_accounts(context, DORMANT, found, describe, days[found])


def never_signed_in(context: ExcessContext) -> Batch:
    """Enabled accounts without any sign-in, in systems that report sign-ins, of people who began long enough ago."""
    basis, holders = context.basis, context.basis.index.holders
    seen = basis.moments(basis.account("last_login"))
    system = basis.account("system").codes
    reporting = np.zeros(int(system.max(initial=-1)) + 2, dtype=bool)
    reporting[system[seen > BEGINNING]] = True
    begun = np.append(holders.starts, BEGINNING)[holders.owner]
    new = basis.days_since(begun) < context.thresholds.dormant
    found = (holders.is_enabled & (seen == BEGINNING) & reporting[system] & ~new).nonzero()[0]

    def describe(at: int) -> FindingText:
        account = int(found[at])
        evidence = "enabled; nobody has ever signed in to it, though its system reports sign-ins"
        return FindingText(_account(context, account), evidence, "Disable it.", (context.disable(account),))

    return _of_accounts(context, NEVER_SIGNED_IN, found, describe, np.full(len(found), -1, dtype=np.int64))


def _account(context: ExcessContext, account: int) -> str:
    return reference_to("account", context.basis.index.holders.accounts[account])


def _of_accounts(
    context: ExcessContext, kind: str, found: Ints, describe: Callable[[int], FindingText], days: Ints
) -> Batch:
    holders = context.basis.index.holders
    privileged = context.basis.account("privileged").listed(found)
    severity = np.array([2 if it else 1 for it in privileged], dtype=np.int64)

    def subject(at: int) -> str:
        return _account(context, int(found[at]))

    return batch(kind, holders.asker_of[holders.people + found], subject, describe, severity, 90, days, found)


# Roles


def unused_roles(context: ExcessContext) -> Iterator[tuple[int, int]]:
    """Roles that somebody has and nobody uses, each with the number of days for which that is known."""
    basis, index, usage = context.basis, context.basis.index, context.usage
    entitlements = context.exposure
    since = {it: basis.watched_since.get(system.name) for it, system in enumerate(index.systems_in_order)}
    live = np.zeros(len(index.entitlements), dtype=bool)
    live[index.grants.entitlement[basis.live & ~index.grants.denies]] = True
    of_role: dict[int, list[int]] = {}
    for entitlement in (live & (index.entitlements.role >= 0)).nonzero()[0].tolist():
        of_role.setdefault(int(index.entitlements.role[entitlement]), []).append(entitlement)
    for role, mine in sorted(of_role.items()):
        systems = {system for entitlement in mine for system in entitlements.systems[entitlement].tolist()}
        starts = [since[system] for system in systems]
        if systems and all(it is not None for it in starts) and not usage.used_entitlements[mine].any():
            days = basis.days_since(max(it for it in starts if it is not None))
            if days > context.thresholds.unused[0]:
                yield role, int(days)
