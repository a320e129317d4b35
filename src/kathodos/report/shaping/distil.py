"""What was distilled from uses, in words and as data: the entries, companions, ways in, and what is left out."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from msgspec.structs import asdict

from kathodos.analysis.role_entries import Entry
from kathodos.formats.raw import Problem
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.roles.distil import Distilled
from kathodos.roles.uses import Touched
from kathodos.workspace.recordings import Traced
from kathodos.workspace.shaping import DistilledRole, DistilledRoles, companion_text

_MOST_NAMED = 8


def day(moment: str | None) -> str:
    """The day of a moment, which is as much as a table has room for."""
    return (moment or "")[:10]


_FIELDS = (
    Field("action", "Action", 9, least=8),
    Field("resource", "Resource", 9, least=20),
    Field("why", "Why", 8, least=20),
    Field("count", "Times", 6, is_number=True),
    Field("first", "First", 4, least=10, shown=day),
    Field("last", "Last", 5, least=10, shown=day),
    Field("traces", "Traces", 5, is_number=True),
    Field("permits", "Resources", 4, is_number=True),
    Field("used", "Of which used", 4, is_number=True),
)


def distilled_roles(found: DistilledRoles, traced: Traced, most: int | None) -> Answer:
    """What each role would hold, and what was left out, and why. `most`: rows of a role that a person is shown."""
    several = len(traced.traces) > 1
    rows = [row for role in found.roles for row in _rows(role)]
    is_wider = any((row["permits"] or 0) > (row["used"] or 0) for row in rows)
    shown_keys = {"traces": several, "permits": is_wider, "used": is_wider}
    fields = [it for it in _FIELDS if shown_keys.get(it.key, True)]
    if len(found.roles) > 1:
        fields = [Field("role", "Role", 8, least=12), *fields]
    text = [_heading(role, several, len(traced.traces)) for role in found.roles[1:]]
    for role in found.roles:
        text += _left_out(role.found, several)
        text += _trial(role)
    text += notes_of(traced)
    for system, count in found.elsewhere.items():
        text.append(f"In {system} {plural(count, 'thing was', 'things were')} touched too, for which this role is not.")
    heading = _heading(found.roles[0], several, len(traced.traces))
    shown = rows if most is None else rows[:most]
    hint = f"{len(rows) - len(shown):,} more: --all shows them." if len(shown) < len(rows) else ""
    return Answer(fields, shown, heading, text, hint=hint, document=_document(found, traced))


def _heading(role: DistilledRole, several: bool, traces: int) -> str:
    found = role.found
    uses = sum(it.count for it in found.entries)
    parts = [f"{plural(len(found.entries), 'entry', 'entries')} from {plural(uses, 'use')}"]
    parts += [f"in {traces} traces"] * several
    more = [plural(len(found.companions), "companion")] * bool(found.companions)
    more += [plural(len(found.gates), "way in", "ways in")] * bool(found.gates)
    besides = f", and besides {' and '.join(more)}" if more else ""
    return f"{role.key.reference}: {' '.join(parts)}{besides}."


def _rows(role: DistilledRole) -> Iterator[dict[str, Any]]:
    found = role.found
    for it in found.entries:
        why = "used" if len(it.behind) == 1 and it.entry == it.behind[0].entry else f"used on {len(it.behind)} of them"
        counts = {"count": it.count, "first": it.first, "last": it.last, "traces": it.traces}
        why = f"{why}; {it.note}" if it.note else why
        yield {**_entry(role, it.entry, why), **counts, "permits": it.permits, "used": it.used}
    for companion in found.companions:
        yield _entry(role, companion.entry, companion_text(companion))
    for gate in found.gates:
        yield _entry(role, gate, "to get there")


def _entry(role: DistilledRole, entry: Entry, why: str) -> dict[str, Any]:
    empty = dict.fromkeys(field.key for field in _FIELDS)
    return {"role": role.key.reference, **empty, "action": entry.action, "resource": entry.resource, "why": why}


def _left_out(found: Distilled, several: bool) -> Iterator[str]:
    if found.noise:
        told = [f"{it.entry.text} ({_times(it)}{f', in {it.traces} of them' if several else ''})" for it in found.noise]
        yield f"Left out as noise: {_some(told)}."
    if found.taken_out:
        yield f"Left out because you said so: {_some([it.text for it in found.taken_out])}."
    if found.unknown:
        told = [f"{it.entry.text} ({_times(it)})" for it in found.unknown]
        yield f"Left out, for the system knows no such action: {_some(told)}."


def _trial(role: DistilledRole) -> Iterator[str]:
    if role.lacking:
        told = _some([it.text for it in role.lacking])
        yield f"Somebody who held only {role.key.reference} would still not reach what was used here: {told}."


def notes_of(traced: Traced) -> list[str]:
    """What is to be told of a recording beside what was used."""
    text = []
    if traced.through:
        told = [f"{it.action} {it.resource} by way of {it.via}" for it in traced.through]
        text.append(f"Not given, for it was only touched by way of something else: {_some(told)}.")
    if traced.doubtful:
        told = [f"{it.action} {it.resource}, by way of {it.via} or not" for it in traced.doubtful]
        text.append(f"Not given, for the recording does not tell whether it was touched directly: {_some(told)}.")
    if traced.refused:
        told = [f"{it.entry.text} ({_times(it)})" for it in traced.refused]
        text.append(f"Refused by the system while this was recorded: {_some(told)}.")
    for what, count in traced.passed_over:
        text.append(f"Passed over: {count:,} of {what}.")
    text += _problems(traced.problems)
    return text


def _problems(problems: Sequence[Problem]) -> Iterator[str]:
    for it in problems[:_MOST_NAMED]:
        where = f"{it.file}, line {it.line}" if it.line else it.file
        yield f"Not read: {where}: {' '.join(part for part in (it.column, it.value) if part)} {it.reason}. {it.remedy}"
    if len(problems) > _MOST_NAMED:
        yield f"And {len(problems) - _MOST_NAMED:,} more lines that were not read."


def _times(it: Touched) -> str:
    return "once" if it.count == 1 else f"{it.count:,} times"


def _some(texts: Sequence[str]) -> str:
    more = f"; and {len(texts) - _MOST_NAMED:,} more" if len(texts) > _MOST_NAMED else ""
    return "; ".join(texts[:_MOST_NAMED]) + more


def _document(found: DistilledRoles, traced: Traced) -> dict[str, Any]:
    return {
        "traces": list(traced.traces),
        "uses": traced.uses,
        "roles": [_role_document(role) for role in found.roles],
        "elsewhere": dict(found.elsewhere),
        "through": [asdict(it) for it in traced.through],
        "doubtful": [asdict(it) for it in traced.doubtful],
        "refused": touched_rows(traced.refused),
        "passed_over": [{"what": what, "count": count} for what, count in traced.passed_over],
        "not_read": len(traced.problems),
    }


def _role_document(role: DistilledRole) -> dict[str, Any]:
    found = role.found
    return {
        "role": role.key.reference,
        "entries": list(_rows(role)),
        "used": len(found.entries),
        "companions": len(found.companions),
        "ways_in": len(found.gates),
        "noise": touched_rows(found.noise),
        "unknown": touched_rows(found.unknown),
        "left_out": [it.text for it in found.taken_out],
        "standing": role.composition.standing,
        "edits": len(role.composition.edits),
        "lacking": [it.text for it in role.lacking],
    }


def touched_rows(touched: Iterable[Touched]) -> list[dict[str, Any]]:
    """What was touched, as data."""
    return [
        {
            "action": it.entry.action,
            "resource": it.entry.resource,
            "count": it.count,
            "first": it.first,
            "last": it.last,
            "traces": it.traces,
        }
        for it in touched
    ]
