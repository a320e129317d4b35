"""Roles moved between installations, in words and as data: what a file holds, and what taking it in would do."""

from __future__ import annotations

import shlex
from collections import Counter
from collections.abc import Sequence
from typing import Any

from kathodos.analysis.role_entries import Entry
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.roles.exchange import Content, ExchangeFile
from kathodos.roles.planning import ExchangePlan, PlannedRole, RoleState

_MOST_NAMED = 4
_EXPORTED = (
    Field("role", "Role", 9, least=14),
    Field("why", "Why", 6),
    Field("entries", "Entries", 7, is_number=True),
    Field("juniors", "Roles below", 5, is_number=True),
    Field("companions", "Companions it lacks", 4, is_number=True),
)
_PLAN = (
    Field("role", "Role", 9, least=14),
    Field("state", "Is", 9, least=9),
    Field("only_there", "Entries only there", 7, is_number=True),
    Field("only_here", "Only here", 7, is_number=True),
    Field("other_rights", "Other rights", 6, is_number=True),
    Field("differs", "How it differs", 5, least=24),
)


def exported(content: Content, file: str, fingerprint: str) -> Answer:
    """What was written to a file."""
    rows = [
        {
            "role": it.key.reference,
            "why": "chosen" if it.chosen else "below one that is",
            "entries": len(it.entries),
            "juniors": len(it.juniors),
            "companions": len(it.companions),
        }
        for it in content.roles
    ]
    areas = f" and {plural(len(content.areas), 'area')}" if content.areas else ""
    heading = f"{file} holds {plural(len(rows), 'role')}{areas}, signed with the key {fingerprint}."
    hint = f"On the other side: kathodos role plan {file}"
    document = {"file": file, "key": fingerprint, "areas": [it.area for it in content.areas], "roles": rows}
    return Answer(_EXPORTED, rows, heading, hint=hint, document=document)


def planned(
    plan: ExchangePlan, found: ExchangeFile, is_known: bool, file: str, renamed: Sequence[str], most: int | None
) -> Answer:
    """Role by role whether it is new, the same or different, and how. `renamed`: as it was said, OLD=NEW."""
    rows = [_row(it) for it in plan.roles]
    counts = Counter(it.state for it in plan.roles)
    told = ", ".join(f"{counts[state]} {state}" for state in RoleState if counts[state])
    made = found.content.made
    heading = f"{plural(len(rows), 'role')} of {file}: {told}."
    text = [f"Made by {made.by} on {made.at}, signed with the key {found.fingerprint}."]
    if not is_known:
        text.append("This key is not known here: ask who made the file for its fingerprint before it is taken in.")
    missing = list(dict.fromkeys(what for it in plan.roles for what in it.missing))
    if missing:
        text.append(f"Named by these roles, and not here: {_some(missing)}.")
    if plan.areas:
        text.append(f"Areas that come with them: {_some([it.area for it in plan.areas])}.")
    if plan.other_areas:
        text.append(f"Areas that hold other resources here stay as they are: {_some(plan.other_areas)}.")
    shown, more = first_rows(rows, most)
    open_ = counts[RoleState.DIFFERENT]
    again = shlex.join(["role", "take", file, *(["--rename", *renamed] if renamed else [])])
    hint = f"Take them in: kathodos {again}" + (" --different unite (or replace, or leave)" if open_ else "")
    if counts[RoleState.BLOCKED] == len(rows):
        hint = "Say what their systems are called here: --rename OLD=NEW"
    document = {
        "file": file,
        "key": found.fingerprint,
        "key_is_known": is_known,
        "made_by": made.by,
        "made_at": made.at,
        **{str(state): counts[state] for state in RoleState},
        "missing": missing,
        "areas": [it.area for it in plan.areas],
        "roles": [_document(it) for it in plan.roles],
    }
    return Answer(_PLAN, shown, heading, text, hint=f"{more} {hint}".strip(), document=document)


def _row(it: PlannedRole) -> dict[str, Any]:
    return {
        "role": it.key.reference,
        "state": str(it.state),
        "only_there": len(it.only_there),
        "only_here": len(it.only_here),
        "other_rights": len(it.other_rights),
        "differs": "; ".join(differences(it)),
    }


def differences(it: PlannedRole) -> list[str]:
    """How a role of the file differs from the one here, in words."""
    told = [f"only there {_entries(it.only_there)}"] if it.only_there else []
    told += [f"only here {_entries(it.only_here)}"] if it.only_here else []
    return [*told, *it.further]


def _entries(entries: Sequence[Entry]) -> str:
    return _some([it.text for it in entries])


def _some(texts: Sequence[str]) -> str:
    more = f" and {len(texts) - _MOST_NAMED} more" if len(texts) > _MOST_NAMED else ""
    return ", ".join(texts[:_MOST_NAMED]) + more


def _document(it: PlannedRole) -> dict[str, Any]:
    return {
        "role": it.key.reference,
        "there": f"{it.block.system}/{it.block.role}",
        "state": str(it.state),
        "choices": [str(choice) for choice in it.choices],
        "only_there": [entry.text for entry in it.only_there],
        "only_here": [entry.text for entry in it.only_here],
        "other_rights": list(it.other_rights),
        "further": list(it.further),
        "missing": list(it.missing),
    }
