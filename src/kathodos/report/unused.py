"""Who holds something in a system and has never used any of it there, as far as uses are recorded."""

from __future__ import annotations

from typing import Any

import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.ordered import insertion_points
from kathodos.errors import CallError
from kathodos.model.suggestions import nearest
from kathodos.model.times import day_text
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines
from kathodos.workspace.view import View

_SYSTEMS = (
    Field("system", "System", 9, least=10),
    Field("holding", "Hold something", 7, is_number=True),
    Field("unused", "Never used it", 9, is_number=True, shown=lambda it: "not recorded" if it is None else str(it)),
    Field("since", "Uses recorded since", 6, least=10, shown=lambda it: it or "no use is recorded"),
)
_HOLDERS = (
    Field("who", "Who", 9, least=16),
    Field("name", "Name", 7, least=12),
    Field("department", "Department", 5, least=10),
    Field("holds", "Holds", 9, least=24),
)
_MOST_TOLD = 3


def unused_by_system(view: View) -> Answer:
    """For each system how many hold something in it, and how many of them never used any of it."""
    usage, basis = view.context.usage, view.basis
    used = _used(view)
    rows: list[dict[str, Any]] = []
    for number, system in enumerate(basis.index.systems_in_order):
        holding = usage.systems_of[:, number] & basis.can_act
        since = basis.watched_since.get(system.name)
        never = int((holding & ~used[:, number]).sum()) if since is not None else None
        day = day_text(since) if since is not None else None
        rows.append({"system": system.name, "holding": int(holding.sum()), "unused": never, "since": day})
    rows.sort(key=lambda row: -(row["unused"] or 0))
    silent = sum(row["since"] is None for row in rows)
    heading = f"{plural(len(rows), 'system')}; no use is recorded of {silent} of them" if silent else ""
    heading = heading or f"{plural(len(rows), 'system')}; uses are recorded of all of them"
    hint = f"Who: kathodos unused {rows[0]['system']}" if rows and rows[0]["unused"] else ""
    apart = int((usage.systems_of.any(axis=1) & ~basis.can_act)[: basis.people].sum())
    return Answer(_SYSTEMS, rows, heading, _left_out(apart, "something"), hint=hint)


def unused_in(view: View, name: str, most: int | None, is_table: bool) -> Answer:
    """Everyone who holds something in a system and never used any of it there. Raises CallError where there is none."""
    systems = [system.name for system in view.index.systems_in_order]
    if name not in systems:
        raise CallError(f"There is no system {name}.", nearest(name, systems))
    usage, basis, number = view.context.usage, view.basis, systems.index(name)
    since = basis.watched_since.get(name)
    if since is None:
        text = f"No use of {name} is recorded, so that nobody can be said never to have used it."
        return Answer(_HOLDERS, [], text, hint="A log as a source would tell: docs/source-activity.md")
    found = (usage.systems_of[:, number] & basis.can_act & ~_used(view)[:, number]).nonzero()[0]
    some = found[:most] if is_table else found
    holds = _holds(view, some, number)
    asked = view.asked(some)
    rows: list[dict[str, Any]] = [
        {"who": asked[at].id, "name": asked[at].name, "department": asked[at].department, "holds": Lines(holds[at])}
        for at in some.tolist()
    ]
    if not is_table:
        rows = [{**row, "holds": list(row["holds"])} for row in rows]
        return Answer(_HOLDERS, rows)
    heading = f"{plural(len(found), 'holder')} of something in {name} never used it since {day_text(since)}"
    more = len(found) - len(rows)
    hint = f"{more:,} more: --all shows them." if more else "What could go: kathodos excess --kind never-used"
    apart = int((usage.systems_of[:, number] & ~basis.can_act)[: basis.people].sum())
    return Answer(_HOLDERS, rows, heading, _left_out(apart, "something there"), hint=hint if rows else "")


def _left_out(count: int, what: str) -> list[str]:
    """That some are not counted, since they could not use anything now."""
    if not count:
        return []
    who = "1 identity that holds" if count == 1 else f"{count:,} identities that hold"
    return [f"Left out: {who} {what} and could not use it now (left, suspended, invited, or to start later)."]


def _used(view: View) -> Bools:
    """Which systems each identity or account has used anything of: by asker and system."""
    basis = view.basis
    found = np.zeros((basis.size, max(len(basis.index.systems), 1)), dtype=bool)
    system = insertion_points(basis.index.system_roots, basis.uses.node, side="right") - 1
    found[basis.uses.user, system] = True
    return found


def _holds(view: View, some: Ints, system: int) -> dict[int, list[str]]:
    """What some identities and accounts hold in a system; what comes to all is told as that."""
    usage, context = view.context.usage, view.context
    wanted = np.zeros(view.basis.size, dtype=bool)
    wanted[some] = True
    found: dict[int, list[str]] = {at: [] for at in some.tolist()}
    for unit in (wanted[usage.units.asker] & usage.in_system(system)).nonzero()[0].tolist():
        told = found[int(usage.units.asker[unit])]
        if len(told) < _MOST_TOLD:
            told.append(context.unit_gives(unit))
    return {at: told or ["what everyone, or a group by its filter, is given"] for at, told in found.items()}
