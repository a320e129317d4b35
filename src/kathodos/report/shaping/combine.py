"""What became of a combined role, in words and as data."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from kathodos.analysis.role_entries import RoleKey
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.roles.combine import Combined, Combining
from kathodos.workspace.combining import CombinedRole

_FIELDS = (
    Field("state", "Entry", 8, least=9),
    Field("action", "Action", 7, least=8),
    Field("resource", "Resource", 9, least=20),
    Field("effect", "Effect", 4),
)


def combined(found: CombinedRole, most: int | None) -> Answer:
    """How many entries were added, widened and unchanged, and which of the two ways is the smaller."""
    made = found.made
    rows = list(_rows(made))
    counts = f"{len(made.added):,} added, {len(made.widened):,} widened, {len(made.unchanged):,} unchanged"
    counts += f", {len(made.gone):,} gone with the parts" if made.way is Combining.REBUILD else ""
    way = {
        Combining.MERGE: "merged with what it had",
        Combining.REBUILD: "rebuilt",
        Combining.HIERARCHY: "with its parts as juniors",
    }[made.way]
    heading = f"{made.key.reference} of {plural(len(made.parts), 'role')}, {way}: {counts}."
    text = [f"Its parts: {_names(made.parts)}."]
    if made.left_out:
        text.append(f"Left out, for they are not active or not there any more: {_names(made.left_out)}.")
    text.append(_sizes(found))
    shown, more = first_rows([row for row in rows if row["state"] != "unchanged"] or rows, most)
    document = {
        "role": made.key.reference,
        "way": str(made.way),
        "parts": [it.reference for it in made.parts],
        "left_out": [it.reference for it in made.left_out],
        "added": len(made.added),
        "widened": len(made.widened),
        "unchanged": len(made.unchanged),
        "gone": len(made.gone),
        "as_union": made.as_union,
        "as_hierarchy": made.as_hierarchy,
        "reach_is_the_same": found.is_same,
        "entries": rows,
        "edits": len(made.composition.edits),
    }
    return Answer(_FIELDS, shown, heading, text, hint=more, document=document)


def _sizes(found: CombinedRole) -> str:
    """Which of the two ways has fewer lines, and that they come to the same."""
    made = found.made
    union, hierarchy = plural(made.as_union, "line"), plural(made.as_hierarchy, "line")
    if made.as_union == made.as_hierarchy:
        told = f"As a union and with its parts as juniors it has {union} alike"
    else:
        smaller = "with its parts as juniors" if made.as_hierarchy < made.as_union else "as a union"
        told = f"As a union it has {union}, with its parts as juniors {hierarchy}: it is smaller {smaller}"
    same = "both reach the same" if found.is_same else "the two do not reach the same, for it has entries of its own"
    return f"{told}; {same}."


def _names(keys: Iterable[RoleKey]) -> str:
    return ", ".join(it.reference for it in keys)


def _rows(made: Combined) -> Iterator[dict[str, Any]]:
    states = (("added", made.added), ("widened", made.widened), ("gone", made.gone), ("unchanged", made.unchanged))
    for state, entries in states:
        for it in entries:
            yield {"state": state, "action": it.action, "resource": it.resource, "effect": it.effect}
