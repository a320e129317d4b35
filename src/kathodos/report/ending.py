"""Whose access ends when: grants, last days, covers."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import numpy as np

from kathodos.errors import CallError
from kathodos.findings.conflicts.covers import HOLDS
from kathodos.model.periods import later
from kathodos.model.times import DAY, day_text, end_moment, microseconds, moment_of, moment_text
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.workspace.view import View

_FIELDS = (
    Field("day", "Last day", 9, least=10),
    Field("days", "Days left", 8, is_number=True),
    Field("who", "Who", 9, least=16),
    Field("name", "Name", 6, least=12),
    Field("what", "What ends", 9, least=24),
)


def ending(view: View, within: str, most: int | None, is_table: bool) -> Answer:
    """What ends within a period from the moment of the view, the soonest first."""
    try:
        last = microseconds(later(_at(view.moment), within.upper()))
    except ValueError:
        raise CallError(f"--within {within} is no period.", "Write P30D, P2W, P3M or P1Y.") from None
    rows = [*_grants(view, last), *_people(view, last), *_covers(view, last)]
    rows.sort(key=lambda row: (row["end"], row["what"]))
    shown = rows[:most] if is_table else rows
    asked = view.asked([row["asker"] for row in shown if row["asker"] >= 0])
    for row in shown:
        known = asked.get(row.pop("asker"))  # a number of the index, which is another one where that is made anew
        row |= {
            "day": day_text(row["end"] - 1),
            "days": (row["end"] - 1) // DAY - view.moment // DAY,
            "who": known.id if known else row["holder"],
            "name": known.name if known else None,
        }
    count = plural(len(rows), "thing") if rows else "Nothing"
    heading = f"{count} {'end' if len(rows) > 1 else 'ends'} by {day_text(last)}"
    more = len(rows) - len(shown)
    hint = f"{more:,} more: --all shows them." if more else "Further ahead: --within P1Y"
    return Answer(_FIELDS, shown, heading, hint=hint)


def _at(moment: int) -> datetime:
    return moment_of(moment_text(moment))


def _grants(view: View, last: int) -> list[dict[str, Any]]:
    """Live grants that end, and the memberships and roles that go with them."""
    index, basis = view.index, view.basis
    ends = index.grants.ends
    some = (basis.live & ~index.grants.denies & (ends > view.moment) & (ends <= last)).nonzero()[0]
    rows = []
    for grant in some.tolist():
        holder = int(index.grants.holder[grant])
        scope = index.scope(grant)
        what = f"{index.gives(grant)}{f' on {scope}' if scope else ''} (grant:{index.grants.ids[grant]})"
        asker = int(index.holders.asker_of[holder]) if holder < basis.size else -1
        rows.append({"end": int(ends[grant]), "asker": asker, "holder": index.holders.references[holder], "what": what})
    return rows


def _people(view: View, last: int) -> list[dict[str, Any]]:
    """People whose last day it is, with how many accounts would go on working."""
    holders = view.index.holders
    some = ((holders.ends > view.moment) & (holders.ends <= last)).nonzero()[0]
    rows = []
    for person in some.tolist():
        accounts = holders.accounts_of[person].astype(np.int64) - holders.people
        enabled = int(holders.is_enabled[accounts].sum())
        what = f"the last day; {plural(enabled, 'account')} to be disabled then" if enabled else "the last day"
        rows.append({"end": int(holders.ends[person]), "asker": person, "holder": "", "what": what})
    return rows


def _covers(view: View, last: int) -> list[dict[str, Any]]:
    """Covers that run out, after which the conflict counts again."""
    register, holders = view.register, view.index.holders
    rows = []
    for cover in register.standing(view.moment).values():
        end = end_moment(cover.until)
        if register.state(cover, view.moment) == HOLDS and view.moment < end <= last:
            what = f"the cover of {cover.rule} under {cover.control}; the conflict counts again"
            asker = holders.asker_with_name(cover.identity)
            rows.append({"end": end, "asker": asker, "holder": cover.identity, "what": what})
    return rows
