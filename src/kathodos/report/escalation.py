"""Escalation in words: who could make more of what it holds, and administrators among themselves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from kathodos.errors import found_if
from kathodos.findings.escalation import Administration, Climb
from kathodos.model.references import name_in
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field, Lines
from kathodos.workspace.view import View

_CLIMBERS = (
    Field("who", "Who", 9, least=22),
    Field("gain", "Could gain", 8, is_number=True, shown=lambda value: f"{value:,}"),
    Field("systems", "In", 6, least=12),
    Field("steps", "First step", 7, least=30),
)
_DATA = [Field(key, key) for key in ("who", "gain", "systems", "steps", "by")]
_MOST_NAMED = 3
_MOST_LISTED = 20


def escalation(view: View, form: str) -> Answer:
    """Who could reach more by using what it holds, and who administers each system; `form`: table, csv, json, jsonl."""
    found, ruling = view.findings.climbs, view.findings.administrations
    names = {asker: view.named(asker) for climber in found for asker in climber.askers[:_MOST_NAMED].tolist()}
    last = [it for it in ruling if len(it.administrators) <= 1]
    status = found_if(found or last)
    if form != "table":
        climbing = [row for climber in found for row in _records(view, climber)]
        if form != "json":
            return Answer(_DATA, climbing, status=status)
        document = {
            "climbers": climbing,
            "administrators": [_administration(view, it) for it in ruling],
            "not_known": view.findings.unknown_administration,
        }
        return Answer(document=document, status=status)
    rows = [_row(climber, names) for climber in found]
    people = sum(len(climber.askers) for climber in found)
    heading = f"{plural(people, 'identity', 'identities')} could reach more by using what they hold"
    unknown = view.findings.unknown_administration
    text = [_unknown(unknown)] if unknown else []
    nobody = [it.system for it in ruling if not len(it.administrators)]
    text += [f"Nobody who is listed can administer {', '.join(nobody)}."] if nobody else []
    trees = [_administration_tree(view, it) for it in ruling if len(it.administrators)]
    hint = f"All steps: kathodos reach --by {rows[0]['first']} --potential" if rows else ""
    return Answer(_CLIMBERS, rows, heading, text, trees=trees, hint=hint, status=status)


def _unknown(systems: Sequence[str]) -> str:
    """What could not be known, and what would tell it."""
    return (
        f"For {', '.join(systems)} no source says who may change groups, roles or grants, so nothing is known of who "
        "could give themselves more there. Mandates, or resources of the type group, role or grants with an action of "
        "the kind administer, would say it."
    )


def _row(climber: Climb, names: dict[int, str]) -> dict[str, Any]:
    """Those alike on one row; of many only the first are named."""
    askers = climber.askers.tolist()
    who = [names[asker] for asker in askers[:_MOST_NAMED]]
    more = [f"and {len(askers) - _MOST_NAMED} more alike"] if len(askers) > _MOST_NAMED else []
    steps = climber.steps
    rest = f"; then {plural(len(steps) - 1, 'step')} more" if len(steps) > 1 else ""
    gains = sorted(climber.gains, key=lambda gain: -gain[2])
    return {
        "who": Lines([*who, *more]),
        "first": name_in("identity", names[askers[0]].split(" ")[0]),
        "gain": climber.gain,
        "systems": ", ".join(f"{system} {count:,}" for system, _, count in gains[:4]),
        "steps": f"{steps[0][0]}, by {steps[0][1]}{rest}",
    }


def _records(view: View, climber: Climb) -> list[dict[str, Any]]:
    steps = climber.steps
    return [
        {
            "who": view.index.holders.references[asker],
            "gain": climber.gain,
            "systems": {system: more for system, _, more in climber.gains},
            "steps": [text for text, _ in steps],
            "by": [by for _, by in steps],
        }
        for asker in climber.askers.tolist()
    ]


def _administration(view: View, found: Administration) -> dict[str, Any]:
    references = view.index.holders.references
    return {
        "system": found.system,
        "administrators": [references[it] for it in found.administrators.tolist()],
        "can_remove_each_other": [[references[a], references[b]] for a, b in found.pairs],
    }


def _administration_tree(view: View, found: Administration) -> Branch:
    """The administrators of a system by name, the first of very many."""
    names = [view.named(it) for it in found.administrators[:_MOST_LISTED].tolist()]
    more = len(found.administrators) - len(names)
    names += [f"and {more} more: --format json lists all"] if more else []
    return Branch(_administration_line(view, found), [Branch(name) for name in names] if len(names) > 1 else [])


def _administration_line(view: View, found: Administration) -> str:
    """One line about the administrators of a system."""
    count = len(found.administrators)
    if count == 1:
        name = view.named(int(found.administrators[0]))
        return f"{found.system}: {name} is the last who can administer it; without them it is locked out"
    unseat = f"; {plural(len(found.pairs), 'pair')} of them can remove each other" if found.pairs else ""
    if len(found.pairs) == 1:
        first, second = (view.named(it) for it in found.pairs[0])
        unseat = f"; {first} and {second} can remove each other"
    return f"{found.system}: {count} can administer it{unseat}"
