"""Suggested roles in sentences, and as data."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from msgspec.structs import asdict

from kathodos.model.words import people_and_accounts, plural
from kathodos.report.answers import Answer, Field, Lines
from kathodos.report.long import first_rows
from kathodos.workspace.suggesting import Suggested, SuggestedRole, SystemSuggestion

_FIELDS = (
    Field("role", "Role", 9, least=16),
    Field("holders", "Given to", 6, is_number=True),
    Field("entries", "Gives", 6, is_number=True),
    Field("why", "Why", 8, least=30),
    Field("what", "What it gives", 7, least=24),
)
_MOST_NAMED, _MOST_STEPS = 4, 6


def suggestion(found: Suggested, most: int | None) -> Answer:
    """The roles, whom each is for and why, what they cost, and what leaving more exceptions costs."""
    rows = [_row(it, role) for it in found.systems for role in it.roles]
    roles = plural(len(rows), "role")
    held = sum(it.holdings.kinds.cells for it in found.systems)
    bundled = held - sum(it.cover.steps[-1].exceptions for it in found.systems)
    by = "were used lately" if found.is_by_use else "people, accounts and groups were given"
    heading = f"{roles} would stand in for {bundled:,} of the {held:,} things that {by}."
    text = []
    idle = [it.holdings.system for it in found.systems if not it.roles]
    for it in found.systems:
        text += list(_costs(it)) if it.roles else []
    if idle:
        text.append(f"No role would save anything in {', '.join(idle)}.")
    shown, more = first_rows(rows, most)
    for row in shown:
        row["what"] = Lines(row["gives"][:_MOST_NAMED] + _more(row["gives"]))
    hint = "Make them, and move people onto them: the same with --make" if rows else ""
    document = {
        "roles": [{key: value for key, value in row.items() if key != "what"} for row in rows],
        "held": held,
        "bundled": bundled,
        "by_use": found.is_by_use,
        "systems": [_document(it) for it in found.systems],
    }
    return Answer(_FIELDS, shown, heading, text, hint=f"{more} {hint}".strip(), document=document)


def _more(texts: list[str]) -> list[str]:
    return [f"and {len(texts) - _MOST_NAMED} more"] if len(texts) > _MOST_NAMED else []


def _row(it: SystemSuggestion, role: SuggestedRole) -> dict[str, Any]:
    criterion = role.criterion
    return {
        "role": role.key.reference,
        "holders": len(role.rows),
        "people": role.people,
        "accounts": role.accounts,
        "entries": len(role.things),
        "why": why(role),
        "what": "",
        "filter": criterion.filter if criterion is not None else None,
        "matching": criterion.matching if criterion is not None else None,
        "gives": [it.holdings.things[at] for at in role.things.tolist()],
        "extras": sum(len(things) for _, things in role.extras),
    }


def why(role: SuggestedRole) -> str:
    """Whom a role is for, in a sentence."""
    holds = f"hold{'s' if role.people + role.accounts == 1 else ''} these {len(role.things)}"
    criterion = role.criterion
    also = f"; {plural(role.accounts, 'account')} of nobody too" if role.accounts else ""
    if criterion is None:
        return f"{people_and_accounts(role.people, role.accounts)} {holds}; no attribute tells them from others."
    named = " and ".join(f"{name} {value}" for name, value in criterion.terms)
    every = f"All {criterion.matching}" if criterion.matching != 1 else "The only one"
    if criterion.is_exact:
        told = f"{every} with {named}, and nobody else, {holds}{also}."
    elif criterion.inside == criterion.matching:
        others = criterion.holders - criterion.inside
        told = f"{every} with {named}, and {plural(others, 'other')}, {holds}{also}."
    else:
        others = criterion.holders - criterion.inside
        beside = f", and {plural(others, 'other')}" if others else ", and nobody else"
        told = f"{criterion.inside} of the {criterion.matching} with {named}{beside}, {holds}{also}."
    if role.extras:
        told += f" {plural(len(role.extras), 'of them lacks', 'of them lack')} something of it, and would get it."
    return told


def _costs(it: SystemSuggestion) -> Iterator[str]:
    """What the roles of one system cost, how near the least that is, and what fewer of them cost."""
    steps = it.cover.steps
    first, last = steps[0], steps[-1]
    system = it.holdings.system
    yield (
        f"{system}: {plural(last.roles, 'role')}, {plural(last.entries, 'entry', 'entries')}, "
        f"{plural(last.assignments, 'assignment')}, {plural(last.exceptions, 'exception')}: cost {last.cost:,.0f}, "
        f"where all of it given by itself costs {first.cost:,.0f}."
    )
    if it.cover.bound is not None and last.roles:
        gap = (last.cost - it.cover.bound) / last.cost if last.cost else 0.0
        least = (
            "nothing cheaper is possible"
            if gap < 1e-6
            else f"nothing below {it.cover.bound:,.0f} is possible ({gap:.1%} less)"
        )
        yield f"  Of the candidates looked at, {least}."
    for at in sorted({len(steps) * part // _MOST_STEPS for part in range(1, _MOST_STEPS)} - {0, len(steps) - 1}):
        step = steps[at]
        some = "one" if step.roles == 1 else str(step.roles)
        yield f"  With only the first {some}: {plural(step.exceptions, 'exception')}, cost {step.cost:,.0f}."
    if it.holdings.left:
        yield f"  {plural(it.holdings.left, 'grant')} that deny, end or have a tier are left as they are."


def _document(it: SystemSuggestion) -> dict[str, Any]:
    return {
        "system": it.holdings.system,
        "bound": it.cover.bound,
        "left_as_they_are": it.holdings.left,
        "steps": [asdict(step) for step in it.cover.steps],
    }
