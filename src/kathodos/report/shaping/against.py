"""A trace held against a role, in words and as data."""

from __future__ import annotations

from typing import Any

from kathodos.errors import found_if
from kathodos.model.references import reference_to
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.report.shaping.distil import day, notes_of
from kathodos.workspace.recordings import Traced
from kathodos.workspace.shaping import RoleAgainst

_FIELDS = (
    Field("side", "Found", 9, least=12),
    Field("action", "Action", 7, least=8),
    Field("resource", "Resource", 9, least=20),
    Field("count", "Times", 6, is_number=True),
    Field("last", "Last", 5, least=10, shown=day),
    Field("of_role", "Through", 4, least=10),
)


def against(answer: RoleAgainst, traced: Traced, most: int | None) -> Answer:
    """What was used and the role lacks, what it has and was not used, what is in both."""
    role, found = answer.role.reference, answer.found
    rows = [_touched("missing", it) for it in found.missing]
    rows += [_touched("used", it) for it in found.both]
    rows += [_unused(it) for it in found.unused]
    counts = f"{plural(len(found.missing), 'thing')} missing, {len(found.both)} used, {len(found.unused)} unused"
    missing = (
        f"{role} lacks {_one_or_more(len(found.missing))} of what was used"
        if found.missing
        else f"{role} gives all that was used"
    )
    text = [f"Of somebody who held only this role: {counts}."]
    if found.unknown:
        told = "; ".join(it.entry.text for it in found.unknown[:8])
        text.append(f"Not looked at, for nothing that is gathered answers to it: {told}.")
    text += notes_of(traced)
    shown, more = first_rows(rows, most)
    document = {"role": role, "missing": len(found.missing), "used": len(found.both), "unused": len(found.unused)}
    hint = "Give it what it lacks: the same with --add." if found.missing else ""
    return Answer(
        _FIELDS,
        shown,
        f"{missing}.",
        text,
        hint=f"{more} {hint}".strip(),
        status=found_if(found.missing),
        document={**document, "lines": rows},
    )


def _one_or_more(count: int) -> str:
    return "one thing" if count == 1 else f"{count:,} things"


def _touched(side: str, it: Any) -> dict[str, Any]:
    entry = it.entry
    return {
        "side": side,
        "action": entry.action,
        "resource": entry.resource,
        "count": it.count,
        "last": it.last,
        "of_role": None,
    }


def _unused(it: Any) -> dict[str, Any]:
    entry = it.entry
    return {
        "side": "unused",
        "action": entry.action,
        "resource": entry.resource,
        "count": None,
        "last": None,
        "of_role": reference_to("role", it.of_role),
    }
