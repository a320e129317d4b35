"""What is left behind when people come, move and go: accounts, grants, owners, and what came back."""

from __future__ import annotations

import json

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.duplicates import likely_duplicates
from kathodos.columns.csr import CSRList, Ints, among, csr_from_pairs, distinct
from kathodos.columns.ordered import insertion_points
from kathodos.findings.excess.batches import CERTAIN, Batch, Edit, ExcessContext, FindingText, batch, nobodys
from kathodos.model import kinds
from kathodos.model.kinds import Kind
from kathodos.model.references import name_in, reference_to
from kathodos.model.times import DAY, NEVER, day_text, first_moment
from kathodos.model.words import plural
from kathodos.store.records import columns_of

LEAVER, ORPHAN, OPEN_ENDED, PAST_END = "leaver-account", "orphan-account", "open-ended", "past-end"
OWNER_GONE, CAME_BACK, DUPLICATE = "owner-gone", "came-back", "duplicate-identity"


def leaver_accounts(context: ExcessContext) -> Batch:
    """Enabled accounts of people who have left, and whether they were used since."""
    basis, holders = context.basis, context.basis.index.holders
    owner = holders.owner.astype(np.int64)
    gone = np.append(~basis.is_there, False)[owner]
    found = (holders.is_enabled & gone).nonzero()[0]
    ends = np.append(holders.ends, NEVER)[owner[found]]
    after = _used_after(basis, found, ends)
    seen = basis.moments(basis.account("last_login"))
    signed_in = seen[found] >= ends

    def describe(at: int) -> FindingText:
        account, end = int(found[at]), int(ends[at])
        left = f"left on {day_text(end - DAY)}" if end < NEVER else "has left"
        evidence = f"enabled; {context.holder(int(owner[account]))} {left}"
        if len(after[at]):
            evidence += f" and was used {_in_words(basis, after[at])}"
        elif signed_in[at]:
            evidence += f" and was signed in to after that, last on {day_text(int(seen[account]))}"
        return FindingText(_account(context, account), evidence, "Disable it now.", (context.disable(account),))

    days = np.where(ends < NEVER, basis.days_since(ends), -1)
    severity = np.where((after.sizes() > 0) | signed_in, 3, 2)
    return batch(
        LEAVER,
        owner[found],
        lambda at: _account(context, int(found[at])),
        describe,
        severity,
        CERTAIN,
        days,
        found,
    )


def _used_after(basis: Basis, accounts: Ints, ends: Ints) -> CSRList:
    """The uses after the end by each account, or by its owner without naming one where this may be it."""
    index, uses, holders = basis.index, basis.uses, basis.index.holders
    owner = holders.owner.astype(np.int64)
    names = {system.name: at for at, system in enumerate(index.systems_in_order)}
    of_account = basis.account("system")
    number = np.array([*(names.get(str(name), -1) for name in of_account.values), -1], dtype=np.int64)
    system = number[of_account.codes]
    width = len(names) + 1
    owned = (owner >= 0).nonzero()[0]
    has_one_in = distinct(owner[owned] * width + system[owned])
    at, use = uses.by_user.of(owner[accounts])
    use = use.astype(np.int64)
    late = uses.time[use] >= ends[at]
    at, use = at[late], use[late]
    where = insertion_points(index.system_roots, uses.node[use], side="right") - 1
    may_be = (where == system[accounts[at]]) | ~among(owner[accounts[at]] * width + where, has_one_in)
    named = uses.account[use]
    fits = np.where(named >= 0, named == accounts[at], may_be)
    return csr_from_pairs(at[fits], use[fits], len(accounts))


def _in_words(basis: Basis, some: Ints) -> str:
    """How often, and what was used last."""
    uses = basis.uses
    last = int(some[np.argmax(uses.time[some])])
    action, address = basis.index.actions[uses.action[last]][1], basis.index.tree.addresses[uses.node[last]]
    times = "once" if len(some) == 1 else f"{len(some)} times"
    return f"{times} after that, last on {day_text(int(uses.time[last]))}: {action} {address}"


def orphan_accounts(context: ExcessContext) -> Batch:
    """Enabled accounts that nobody owns or answers for; those that cannot be signed in to need no owner."""
    basis, holders = context.basis, context.basis.index.holders
    can = basis.account("can_login")
    cannot = can.codes == (can.values.index("false") if "false" in can.values else -2)
    is_answered_for = basis.responsible.codes >= 0
    found = (holders.is_enabled & (holders.owner < 0) & ~cannot & ~is_answered_for).nonzero()[0]
    seen = basis.account("last_login")

    def describe(at: int) -> FindingText:
        account = int(found[at])
        name = reference_to("account", holders.accounts[account])
        grants = basis.index.holder_grants[holders.people + account]
        last = f"signed in to on {str(seen.value(account))[:10]}" if seen.value(account) else "no sign-in known"
        evidence = f"enabled, {last}, holds {plural(len(grants), 'grant')}; nobody owns it"
        remedy = (
            f"Find its owner: kathodos tie {holders.accounts[account]} PERSON; for a shared one who answers for it: "
            f"kathodos tie {holders.accounts[account]} nobody --responsible PERSON; else disable it."
        )
        return FindingText(name, evidence, remedy, (context.disable(account),))

    return batch(
        ORPHAN, found + holders.people, lambda at: _account(context, int(found[at])), describe, 1, account=found
    )


def _account(context: ExcessContext, account: int) -> str:
    return reference_to("account", context.basis.index.holders.accounts[account])


def open_ended(context: ExcessContext) -> Batch:
    """Grants without an end to people who have one."""
    basis, index = context.basis, context.basis.index
    owner = context.owner_of(index.grants.holder.astype(np.int64))
    ends = context.ends_of(owner)
    grants = (basis.live & ~index.grants.denies & (index.grants.ends == NEVER) & (ends < NEVER)).nonzero()[0]
    over = ends[grants] <= basis.moment

    def describe(at: int) -> FindingText:
        grant = int(grants[at])
        person, last = context.holder(int(owner[grant])), day_text(int(ends[grant]) - DAY)
        how = "ended" if over[at] else "ends"
        evidence = f"{index.gives(grant)} has no end, and {person} {how} on {last}"
        holder = int(index.grants.holder[grant])
        if over[at] and holder >= index.holders.people and index.holders.is_enabled[holder - index.holders.people]:
            evidence += "; its account is enabled, so that it still counts"
        name = index.grants.ids[grant]
        edit = context.end_grant(grant) if over[at] else Edit("set", "grants", {"grant": name, "until": last})
        remedy = "End it." if over[at] else f"Let it end on {last}."
        return FindingText(reference_to("grant", name), evidence, remedy, (edit,))

    days = np.where(over, basis.days_since(ends[grants]), -1)
    severity = np.where(over, 2, 0)
    return batch(
        OPEN_ENDED,
        owner[grants],
        lambda at: context.holder(int(owner[grants[at]])),
        describe,
        severity,
        100,
        days,
        thing=context.thing_of_grants(grants),
    )


def past_end(context: ExcessContext) -> Batch:
    """Grants whose time is over and that are still there, and people past their last day who count as active."""
    basis, index = context.basis, context.basis.index
    grants = (index.grants.ends <= basis.moment).nonzero()[0]
    active = index.holders.is_active & (index.holders.ends <= basis.moment)
    people = active.nonzero()[0]
    owner = context.owner_of(index.grants.holder[grants].astype(np.int64))

    def subject(at: int) -> str:
        if at < len(grants):
            return context.holder(int(index.grants.holder[grants[at]]))
        return context.holder(int(people[at - len(grants)]))

    def describe(at: int) -> FindingText:
        if at < len(grants):
            grant = int(grants[at])
            evidence = f"{index.gives(grant)} ended on {day_text(int(index.grants.ends[grant]) - 1)} and is still kept"
            return FindingText(
                reference_to("grant", index.grants.ids[grant]),
                evidence,
                "Take it off the list.",
                (context.end_grant(grant),),
            )
        person = int(people[at - len(grants)])
        evidence = f"the last day was {day_text(int(index.holders.ends[person]) - DAY)}, and the status is still active"
        name = context.holder(person)
        edit = Edit("set", "identities", {"id": name_in("identity", name), "status": "left"})
        return FindingText(name, evidence, "Have the status put right where it is kept.", (edit,))

    ends = np.concatenate([index.grants.ends[grants], index.holders.ends[people]]).astype(np.int64)
    severity = np.concatenate([np.zeros(len(grants), dtype=np.int64), np.ones(len(people), dtype=np.int64)])
    whose = np.concatenate([owner, people])
    return batch(PAST_END, whose, subject, describe, severity, 100, basis.days_since(ends))


# Owners


def owners_gone(context: ExcessContext) -> Batch:
    """Systems, groups, roles and resources whose owner has left or is not known; services of which that is true of the
    sponsor, and enabled accounts of which it is true of who answers for them."""
    names: list[str] = []
    texts: list[FindingText] = []
    severities: list[int] = []
    basis = context.basis
    people = basis.index.holders.identities
    for kind in (kinds.SYSTEMS, kinds.GROUPS, kinds.ROLES, kinds.RESOURCES, kinds.IDENTITIES):
        owner = "sponsor" if kind is kinds.IDENTITIES else "owner"
        *keys, owners = columns_of(basis.records, kind, *kind.key, owner)
        state = {name: _gone(context, people.find(name)) for name in set(owners) if name}
        for at, name in enumerate(owners):
            if name and state[name]:
                subject = _named(kind, [key[at] for key in keys])
                names.append(subject)
                texts.append(FindingText(subject, f"{owner} {name} {state[name]}", f"Name another {owner}.", ()))
                severities.append(1 if kind in (kinds.SYSTEMS, kinds.IDENTITIES) else 0)
    answering = basis.responsible
    states = [_gone(context, people.find(str(name))) for name in answering.values]
    of = np.array([*map(bool, states), False], dtype=bool)[answering.codes]
    for account in (of & basis.index.holders.is_enabled).nonzero()[0].tolist():
        name, code = _account(context, account), int(answering.codes[account])
        names.append(name)
        told = f"{answering.values[code]}, who answers for it, {states[code]}"
        texts.append(FindingText(name, told, "Name somebody else who answers for it, or disable it.", ()))
        severities.append(1)
    return nobodys(OWNER_GONE, names, texts, severities)


def _gone(context: ExcessContext, identity: int) -> str:
    if identity < 0:
        return "is not known"
    return "" if context.basis.is_there[identity] else "has left"


def _named(kind: Kind, key: list[str]) -> str:
    return key[0] if kind is kinds.RESOURCES else f"{kind.one}:{'/'.join(key)}"


# What the catalogue remembers


def came_back(context: ExcessContext) -> Batch:
    """What had been taken away and came back with a later gather."""
    basis = context.basis
    columns = columns_of(basis.records, kinds.RETURNED, "kind", "record", "ended_at", "why", "back_at", "ended_by")
    names, texts, days, whose = [], [], [], []
    for kind, record, ended, why, back, entry in zip(*columns, strict=True):
        key = [str(part) for part in json.loads(record) if part is not None]
        name = reference_to("grant", key[0]) if kind == "grants" else f"{kinds.BY_NAME[kind].one} {' '.join(key)}"
        grant = basis.index.grants.ids.find(key[0]) if kind == "grants" else -1
        holder = basis.index.grants.holder[[grant]].astype(np.int64) if grant >= 0 else np.zeros(0, dtype=np.int64)
        whose.append(int(context.owner_of(holder)[0]) if len(holder) else -1)
        gives = f"{basis.index.gives(grant)}: " if grant >= 0 else ""
        evidence = f"{gives}taken away on {ended[:10]} ({why or f'entry {entry}'}), there again since {back[:10]}"
        edits = (context.end_grant(grant),) if grant >= 0 else ()
        subject = context.holder(int(holder[0])) if len(holder) else name
        names.append(subject)
        texts.append(FindingText(name, evidence, "Have it taken away where it comes from, or settle it.", edits))
        days.append(basis.days_since(first_moment(back)))
    concerned, stood = np.array(whose, dtype=np.int64), np.array(days, dtype=np.int64)
    return batch(CAME_BACK, concerned, names.__getitem__, texts.__getitem__, 2, CERTAIN, stood)


def duplicates(context: ExcessContext) -> Batch:
    """Identities that may be one person."""
    found = likely_duplicates(context.basis.records)
    numbers = [context.basis.index.holders.identities.find(it.second) for it in found]

    def describe(at: int) -> FindingText:
        it = found[at]
        evidence = f"may be the same person as identity:{it.first}: {'; '.join(it.reasons)}"
        return FindingText(
            reference_to("identity", it.second), evidence, "Ask the people office; put the two together.", ()
        )

    confidence = np.array([min(50 + 15 * len(it.reasons), 95) for it in found], dtype=np.int64)
    whose = np.array(numbers, dtype=np.int64)
    return batch(DUPLICATE, whose, lambda at: reference_to("identity", found[at].second), describe, 1, confidence)
