"""The companions that roles need, in words and as data."""

from __future__ import annotations

from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.workspace.shaping import RoleCompanions, companion_text

_FIELDS = (
    Field("role", "Role", 8, least=12),
    Field("action", "Action", 7, least=8),
    Field("resource", "Resource", 9, least=20),
    Field("why", "Why", 7, least=20),
    Field("depth", "References away", 3, is_number=True),
)
_MOST_NAMED = 6


def companions(found: RoleCompanions, most: int | None) -> Answer:
    """What each role would have to read besides, and because of what."""
    rows = [
        {
            "role": key.reference,
            "action": it.entry.action,
            "resource": it.entry.resource,
            "why": companion_text(it),
            "depth": it.depth,
            "needed_by": it.needed_by.text,
        }
        for key, some in found.by_role.items()
        for it in some
    ]
    entries = sum(found.entries.values())
    looked = f"{plural(entries, 'entry', 'entries')} of {plural(len(found.entries), 'role')}"
    heading = f"{looked} need {plural(len(rows), 'companion')} that they lack."
    if not rows:
        heading = f"{looked} lack no companion: what they write refers to nothing that they may not read."
    text = []
    if found.unknown:
        named = sorted(found.unknown)[:_MOST_NAMED]
        more = f" and {len(found.unknown) - len(named)} more" if len(found.unknown) > len(named) else ""
        text.append(f"Referred to, but gathered by no source: {', '.join(named)}{more}.")
    shown, more = first_rows(rows, most)
    document = {
        "roles": len(found.entries),
        "entries": entries,
        "companions": rows,
        "unknown": dict(found.unknown),
        "edits": len(found.composition.edits),
    }
    return Answer(_FIELDS, shown, heading, text, hint=more, document=document, extra_keys=["needed_by"])
