"""Kits in words: their list, one with what it gives and who has it, what is wrong with them, what a change does."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from msgspec.structs import asdict

from kathodos.errors import found_if
from kathodos.model.kinds import REQUESTS
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.request_words import named, names_of
from kathodos.request.checking import Fault
from kathodos.request.kit_changes import KitChange, running_of
from kathodos.request.kits import Kit, steps_from
from kathodos.request.records import RequestTable
from kathodos.workspace.view import View

_LIST = (
    Field("kit", "Kit", 9, least=12),
    Field("title", "Title", 7, least=12),
    Field("entries", "Entries", 6, is_number=True),
    Field("approved_by", "Approved by", 7, least=14),
    Field("for", "Who may ask", 6, least=14),
    Field("lasts", "Lasts", 4),
    Field("longest", "At most", 5),
    Field("running", "Have it", 8, is_number=True),
    Field("emergency", "In an emergency", 5),
)
_FAULTS = (
    Field("kit", "Kit", 9, least=12),
    Field("sort", "Sort", 8),
    Field("part", "Of", 6, least=12),
    Field("what", "What is wrong", 8, least=30),
)


def kit_list(view: View, kits: Sequence[Kit], whom: str | None) -> Answer:
    """Some kits, with how many have each. `whom`: they are those that somebody may ask for."""
    table = RequestTable(view.catalogue)
    column = view.catalogue.column(REQUESTS, "kit")
    running = {kit.name: int((column.holding(kit.name) & table.in_force).sum()) for kit in kits}
    rows = [{**kit_data(kit), "entries": len(kit.entries), "running": running[kit.name]} for kit in kits]
    rows = [{**row, "emergency": f"{row['hours']} hours" if row["hours"] else None} for row in rows]
    may = f" that {whom} may ask for" if whom else ""
    heading = f"{plural(len(kits), 'kit')}{may}" if kits else f"There is no kit{may}."
    hint = "One of them: kathodos kit show KIT" if kits else "Make one: kathodos kit make --help"
    return Answer(_LIST, rows, heading, hint=hint, extra_keys=["owner", "domains", "says"])


def kit_data(kit: Kit) -> dict[str, Any]:
    """A kit as data."""
    return {
        "kit": kit.name,
        "title": kit.title or None,
        "owner": kit.owner or None,
        "for": kit.receivers or None,
        "domains": list(kit.domains),
        "approved_by": kit.approved_by,
        "lasts": kit.lasts,
        "longest": kit.longest,
        "says": list(kit.says),
        "hours": kit.hours or None,
    }


def kit_shown(view: View, kit: Kit) -> Answer:
    """One kit: what it gives, who may ask and approve, and how many have it."""
    names = names_of(view.catalogue, [kit.owner])
    running = len(running_of(view.catalogue, kit.name))
    heading = f"The kit {kit.name}{': ' + kit.title if kit.title else ''}"
    text = [f"It is kept by {named(kit.owner, names)}."] if kit.owner else ["Nobody keeps it."]
    who = f"people with {kit.receivers}" if kit.receivers else "everybody"
    text.append(f"For {who}{', and for mail of ' + ', '.join(kit.domains) if kit.domains else ''}.")
    text.append(
        f"Approved by {kit.approved_by}. It lasts {kit.lasts} unless said otherwise, and {kit.longest} at most."
    )
    text += [f"Who asks says: {', '.join(kit.says)}."] if kit.says else []
    if kit.hours:
        told = f"; told at once: {', '.join(kit.told)}" if kit.told else ""
        looks = ", ".join(kit.looked_at_by)
        text.append(f"In an emergency it is given at once for {kit.hours} hours{told}; looked back on by {looks}.")
    text.append(f"{plural(running, 'person has', 'people have')} it: kathodos request held --kit {kit.name}")
    rows = [{"gives": it.gives, "on": it.on, "to": it.to} for it in kit.entries]
    fields = (Field("gives", "It gives", 9, least=20), Field("on", "On", 7), Field("to", "To", 5))
    document = {
        **kit_data(kit),
        "approve": [{"by": it.by, "takes": it.takes} for it in kit.steps],
        "told": list(kit.told),
        "looked_at_by": list(kit.looked_at_by),
        "gives": rows,
        "running": running,
    }
    hint = f"Ask for it: kathodos request ask {kit.name} --reason WHY"
    return Answer(fields, rows, heading, text, hint=hint, document=document)


def kits_checked(faults: Sequence[Fault], count: int) -> Answer:
    """What is wrong with kits."""
    rows = [asdict(it) for it in faults]
    wrong = len({it.kit for it in faults})
    heading = f"{plural(wrong, 'kit')} of {count} with something wrong: {plural(len(faults), 'fault')}"
    if not faults:
        heading = f"Nothing is wrong with {plural(count, 'kit')}." if count else "There is no kit yet."
    hint = "Mend it: kathodos kit set KIT, or its file and kathodos kit read" if faults else ""
    return Answer(_FAULTS, rows, heading, hint=hint, status=found_if(faults))


def kit_changed(view: View, change: KitChange) -> list[str]:
    """What changing a kit does to itself and to whoever has it, in sentences."""
    before, after = change.before, change.after
    kit = after or before
    assert kit is not None
    if before is None:
        lines = [f"The kit {kit.name} is new: approved by {kit.approved_by}."]
    elif after is None:
        lines = [f"The kit {kit.name} goes; nobody has it, and nobody asks for it."]
    else:
        lines = [f"The kit {kit.name} changes."]
        was, is_then = before.record, after.record
        lines += [
            f"  {_COLUMNS.get(name, name)}: {_shown(name, is_then)} (was {_shown(name, was)})"
            for name in was
            if was[name] != is_then[name]
        ]
    if before is not None and after is not None:
        has = plural(len(change.holding), "person who has it is told", "people who have it are told")
        told = change.comes or change.goes
        lines.append(f"{has} what comes and goes." if told and change.holding else "Nothing changes for who has it.")
    return lines


_COLUMNS = {"for": "who may ask", "approve": "approved by", "hours": "hours in an emergency"}


def _shown(name: str, record: Mapping[str, Any]) -> str:
    value = record[name]
    if name == "approve":
        return ", then ".join(it.text for it in steps_from(str(value)))
    return str(value) if value not in (None, "") else "nothing"
