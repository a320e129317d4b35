"""Baselines in words: their list, and what differs between two states."""

from __future__ import annotations

from typing import Any

import numpy as np

from kathodos.analysis.differences import MovedAccount, ReachDifferences
from kathodos.errors import found_if
from kathodos.model.kinds import BASELINES
from kathodos.model.words import people_and_accounts, plural
from kathodos.report.answers import Answer, Field
from kathodos.store.records import rows_of
from kathodos.workspace.comparing import kind_differences, reach_differences
from kathodos.workspace.view import View

_MOST_SHOWN = 200
_LIST = (
    Field("baseline", "Baseline", 9),
    Field("entry", "Ledger entry", 8, is_number=True),
    Field("marked_at", "Marked at", 7),
    Field("reason", "Reason", 5),
)
_PEOPLE = (
    Field("who", "Who", 9, least=14),
    Field("name", "Name", 6, least=10),
    Field("gained", "Gained", 8, is_number=True),
    Field("lost", "Lost", 8, is_number=True),
    Field("examples", "For example", 5, least=24),
)


def marked(name: str, entry: int) -> Answer:
    """What is said once a state bears a name."""
    hint = f"Later: kathodos baseline compare {name}"
    document = {"baseline": name, "entry": entry}
    return Answer(heading=f"{name} is the state after entry {entry}.", hint=hint, document=document)


def baselines(view: View) -> Answer:
    """All baselines."""
    found = rows_of(view.catalogue, BASELINES, *BASELINES.names)
    rows = [dict(zip(BASELINES.names, values, strict=True)) for values in found.values()]
    hint = "Compare with today: kathodos baseline compare NAME" if rows else "Mark one: kathodos baseline mark NAME"
    return Answer(_LIST, rows, "" if rows else "There is no baseline yet.", hint=hint)


def compared(first: View, second: View, form: str) -> Answer:
    """What differs between two states, by kind of record and by person; `form`: table, csv, json, jsonl."""
    kinds = kind_differences(first, second)
    found = reach_differences(first, second)
    text = [f"  {it.kind.name:<18} {it.came} came, {it.changed} changed, {it.went} went" for it in kinds]
    count = len(found) if found is not None else 0
    of_each = found.kinds_of(np.ones(count, dtype=bool)) if found is not None else (0, 0)
    differing = people_and_accounts(*of_each, "reaches", "reach")
    moved = found.moved if found is not None else []
    text += [_moved_text(it) for it in moved[:_MOST_SHOWN]]
    text.append(f"{differing} more or less than before:" if count else "Nobody reaches anything else than before.")
    heading = f"From entry {first.point.entry} to entry {second.point.entry}"
    heading += " and what is assumed" if second.assumed is not None else ""
    heading += "" if kinds else ": no record differs"
    hint = "All of it: add --format json" if count else ""
    if form == "table":
        rows = [_differing(first, second, found, at) for at in range(min(count, _MOST_SHOWN))]
        more = count - len(rows)
        hint = f"{more} more; all of it: add --format json" if more else hint
        document = None
    else:
        rows = [_differing(first, second, found, at) for at in range(count)] if form == "csv" else []
        texts = ((who, *found.texts(at)) for at, who in enumerate(found.askers)) if found and form != "csv" else ()
        document = {
            "from": first.point.entry,
            "to": second.point.entry,
            "kinds": [{"kind": it.kind.name, "came": it.came, "changed": it.changed, "went": it.went} for it in kinds],
            "people": [{"who": who, "gained": gained, "lost": lost} for who, gained, lost in texts],
            "moved": [{"account": it.account, "was": it.was, "is": it.is_now, "reaches": it.reaches} for it in moved],
        }
    status = found_if(kinds or count)
    return Answer(_PEOPLE, rows, heading, text, hint=hint, status=status, document=document)


def _moved_text(account: MovedAccount) -> str:
    """An account that became somebody's, or nobody's."""
    change = (
        f"belongs to {account.is_now} now, and to nobody before"
        if account.is_now
        else f"belongs to nobody now; before it belonged to {account.was}"
    )
    pairs = plural(len(account.reaches), "combination of action and resource", "combinations of action and resource")
    return f"  {account.account} {change}. By itself it reaches {pairs}."


def _differing(first: View, second: View, found: ReachDifferences | None, at: int) -> dict[str, Any]:
    """One of those whose reach differs, with an example of each."""
    assert found is not None
    who = found.askers[at]
    name = None
    for view in (second, first):
        number = view.index.holders.find(who)
        if name is None and 0 <= number < view.index.holders.people:
            name = view.people([number])[number]["name"]
    gained, lost = found.texts(at)
    examples = [f"+ {text}" for text in gained[:1]] + [f"- {text}" for text in lost[:1]]
    counts = {"gained": int(found.gained[at]), "lost": int(found.lost[at])}
    return {"who": who, "name": name, **counts, "examples": examples}
