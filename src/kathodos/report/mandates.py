"""Mandates in words: who may hand out what, one person's powers, and what somebody could hand out to whom."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from kathodos.change.mandates import (
    GIVE,
    TAKE,
    Handed,
    Mandate,
    MandateCheck,
    administrators_by_mandate,
    mandates_in,
    worth_more,
)
from kathodos.engine.reach import grants_of
from kathodos.findings.escalation import who_administers
from kathodos.ledger.actors import Actor
from kathodos.model.kinds import MANDATES
from kathodos.model.times import DAY, day_text
from kathodos.model.words import people_and_accounts, plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.store.records import Records
from kathodos.workspace.rehearsing import decided_view
from kathodos.workspace.view import View

_OVERVIEW = (
    Field("who", "Who", 9, least=14),
    Field("name", "Name", 6, least=10),
    Field("power", "May", 9, least=18),
    Field("through", "Through", 8, least=14),
    Field("where", "Where", 7, least=10),
    Field("since", "Since", 5, least=10),
    Field("more", "Worth more", 4, least=12),
)
_TRY = (
    Field("act", "May", 8),
    Field("role", "Role", 9, least=16),
    Field("where", "Where", 8),
    Field("receivers", "To or from", 7, is_number=True),
    Field("examples", "For example", 5, least=20),
)
_LATELY = 90  # days


def overview(view: View, whose: str | None, most: int | None, is_table: bool) -> Answer:
    """Everyone who may hand out roles or administers a system: through what, on which area; one person's powers."""
    state = decided_view(view)
    check = MandateCheck(state.catalogue, state.index, view.moment)
    rows = [*_by_mandate(view, check), *_by_role(state)]
    who = view.index.holders.references[view.asker(whose)] if whose is not None else None
    rows = [row for row in rows if who in (None, row["who"])]
    asked = view.asked([it for it in (view.index.holders.find(row["who"]) for row in rows) if it >= 0])
    names = {view.index.holders.references[number]: one.name for number, one in asked.items()}
    rows = [{**row, "name": names.get(row["who"])} for row in rows]
    people = {row["who"] for row in rows}
    shown, more = first_rows(rows, most if is_table else None)
    text = [] if who else [_counts(rows), *_lately(view, people)]
    accounts = sum(it.startswith("account:") for it in people)
    heading = f"{people_and_accounts(len(people) - accounts, accounts)} may hand out or administer something."
    if who:
        heading = f"{who} has {plural(len(rows), 'power')}." if rows else f"{who} may hand out and administer nothing."
    hint = f"{more} What one of them could hand out: kathodos mandates try WHO".strip()
    return Answer(_OVERVIEW, shown, heading, text, hint=hint)


def _counts(rows: list[dict[str, Any]]) -> str:
    mandated = len({row["who"] for row in rows if row["kind"] == "mandate"})
    administering = len({row["who"] for row in rows if row["kind"] == "role"})
    direct = sum(row["is_direct"] for row in rows)
    return (
        f"{mandated} by a mandate, {administering} by a role that administers; of {plural(len(rows), 'power')} "
        f"{direct} directly, {len(rows) - direct} through a group."
    )


def _by_mandate(view: View, check: MandateCheck) -> Iterator[dict[str, Any]]:
    who = administrators_by_mandate(check)
    since = _since(view.stored, view)
    for at, mandate in enumerate(check.mandates):
        more = worth_more(check, mandate)
        for one in who[str(at)]:
            is_direct = mandate.holder == one
            yield {
                "who": one,
                "kind": "mandate",
                "power": f"{' and '.join(mandate.may)} {', '.join(mandate.roles)}{_to(mandate)}",
                "through": "a mandate of its own" if is_direct else f"the mandate of {mandate.holder}",
                "where": f"area {mandate.area}" if mandate.area else "everywhere",
                "since": since.get(mandate),
                "more": [f"{role} can change others" for role in more],
                "is_direct": is_direct,
            }


def _to(mandate: Mandate) -> str:
    return f" to those with {mandate.receivers}" if mandate.receivers else ""


def _since(records: Records, view: View) -> dict[Mandate, str]:
    """The day of the entry that brought each mandate."""
    history = view.stored.history(MANDATES)
    chosen = view.stored.chosen(MANDATES)
    since = history.since if chosen is None else history.since[chosen]
    days = {entry: str(view.histories.reader.time_of(entry))[:10] for entry in {*since.tolist()}}
    return dict(zip(mandates_in(records), (days[entry] for entry in since.tolist()), strict=True))


def _by_role(state: View) -> Iterator[dict[str, Any]]:
    """Who reaches an action that administers, in each system, and by which grants."""
    index = state.index
    for system, askers in who_administers(state.basis).items():
        of = index.systems[system]
        administer = {
            number for number, kind in zip(of.actions.tolist(), of.kinds, strict=True) if kind == "administer"
        }
        for asker in askers.tolist():
            for grant in grants_of(index, asker, state.moment).tolist():
                if index.grants.denies[grant] or not _gives_any(state, grant, administer):
                    continue
                holder = index.holders.references[index.grants.holder[grant]]
                own = holder == index.holders.references[asker] or holder.startswith("account:")
                scope = index.scope(grant)
                yield {
                    "who": index.holders.references[asker],
                    "kind": "role",
                    "power": f"administer {system}",
                    "through": index.gives(grant) + ("" if own else f", by way of {holder}"),
                    "where": scope or "everywhere",
                    "since": state.basis.grant("given_at").value(grant),
                    "more": [],
                    "is_direct": own,
                }


def _gives_any(state: View, grant: int, actions: set[int]) -> bool:
    """Whether a grant permits one of some actions, or all of the system."""
    index = state.index
    entitlement = int(index.grants.entitlement[grant])
    entries = index.scoped_entry[index.entitlements.scoped[entitlement]]
    for entry in entries.tolist():
        action = int(index.entries.action[entry])
        if action in actions or (
            action < 0 and index.entries[entry].system in {index.actions[it][0] for it in actions}
        ):
            return not bool(index.entries.denies[entry])
    return False


def _lately(view: View, now: set[str]) -> list[str]:
    """Who came to hand out or administer something lately, and who no longer does."""
    day = day_text(view.moment - _LATELY * DAY)
    with view.workspace.view(day) as before:
        if not before.point.entry:
            return []
        check = MandateCheck(before.catalogue, before.index, before.moment)
        then = {one for some in administrators_by_mandate(check).values() for one in some}
        for askers in who_administers(before.basis).values():
            then |= {before.index.holders.references[it] for it in askers.tolist()}
    parts = []
    for word, some in (("came", sorted(now - then)), ("went", sorted(then - now))):
        if some:
            parts.append(f"{len(some)} {word} ({', '.join(some[:3])}{' ...' if len(some) > 3 else ''})")
    return [f"Since {day}: {'; '.join(parts)}." if parts else f"Nobody came or went since {day}."]


# Trying


def tried(view: View, actor: Actor, most: int | None, is_table: bool) -> Answer:
    """What somebody could hand out and take, by role and area, and to or from how many people; nothing is done."""
    state = decided_view(view)
    check = MandateCheck(state.catalogue, state.index, view.moment)
    rows = list(_possible(state, check, actor))
    shown, more = first_rows(rows, most if is_table else None)
    heading = f"{actor.name} could give or take {plural(len({row['role'] for row in rows}), 'role')}."
    if not rows:
        heading = f"{actor.name} holds no mandate, and could hand out nothing by one."
    return Answer(_TRY, shown, heading, hint=more)


def _possible(state: View, check: MandateCheck, actor: Actor) -> Iterator[dict[str, Any]]:
    holders = state.index.holders
    people = [f"identity:{name}" for name in holders.identities]
    for mandate in (it for it in check.mandates if check.holds(actor, it)):
        scope = f"area:{mandate.area}" if mandate.area else None
        for role in (it for it in state.index.roles if mandate.names(it)):
            for act in (it for it in (GIVE, TAKE) if it in mandate.may):
                meant = check.receivers(actor, mandate, act)
                some = [people[at] for at in meant.nonzero()[0].tolist()]
                if some and check.verdict(Handed(act, role, some[0], scope), [actor]).is_allowed:
                    yield {
                        "act": act,
                        "role": f"role:{role}",
                        "where": f"area {mandate.area}" if mandate.area else "everywhere",
                        "receivers": len(some),
                        "examples": some[:3],
                    }
