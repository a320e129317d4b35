"""A role taken apart, in words and as data."""

from __future__ import annotations

from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.workspace.combining import SplitRole

_FIELDS = (
    Field("part", "Part", 9, least=14),
    Field("action", "Action", 7, least=8),
    Field("resource", "Resource", 9, least=20),
    Field("effect", "Effect", 4),
)


def split(found: SplitRole, most: int | None) -> Answer:
    """The parts of a role with their entries, and whether one of them still breaks a rule."""
    rows = [
        {"part": part.reference, "action": it.action, "resource": it.resource, "effect": it.effect}
        for part, entries in found.parts.items()
        for it in entries
    ]
    parts = plural(len(found.parts), "part")
    heading = f"{found.key.reference} in {parts}."
    if found.split.rules:
        heading = f"{found.key.reference} by itself breaks {', '.join(found.split.rules)}; in {parts} none does."
    text = []
    if found.split.fewest:
        least = "fewer there cannot be"
        if found.split.fewest < len(found.parts):
            least = f"at least {found.split.fewest} there have to be, which is as far as could be proven"
        text.append(f"In {len(found.parts)}: {least}.")
    for part, rules in found.breaking.items():
        text.append(f"{part.reference} still breaks {', '.join(rules)} by itself.")
    shown, more = first_rows(rows, most)
    document = {
        "role": found.key.reference,
        "parts": [
            {
                "role": part.reference,
                "entries": [it.text for it in entries],
                "breaks": list(found.breaking.get(part, ())),
            }
            for part, entries in found.parts.items()
        ],
        "fewest": found.split.fewest or None,
        "broken_before": list(found.split.rules),
        "edits": len(found.composition.edits),
    }
    return Answer(_FIELDS, shown, heading, text, hint=more, document=document)
