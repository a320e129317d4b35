"""A role that is made anew, in words and as data."""

from __future__ import annotations

from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.workspace.combining import NewRole

_FIELDS = (
    Field("action", "Action", 7, least=8),
    Field("resource", "Resource", 9, least=20),
    Field("effect", "Effect", 4),
)


def new_role(found: NewRole, most: int | None) -> Answer:
    """The entries that the role begins with."""
    rows = [{"action": it.action, "resource": it.resource, "effect": it.effect} for it in found.entries]
    heading = f"{found.key.reference} with {plural(len(rows), 'entry', 'entries')}."
    shown, more = first_rows(rows, most)
    document = {"role": found.key.reference, "entries": rows, "edits": len(found.composition.edits)}
    return Answer(_FIELDS, shown, heading, hint=more, document=document)
