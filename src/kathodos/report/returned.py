"""What came back in words."""

from __future__ import annotations

from kathodos.errors import found_if
from kathodos.ingest.returned import returned_records
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.workspace.view import View

_FIELDS = (
    Field("number", "Nr", 9, is_number=True, least=2),
    Field("kind", "Kind", 8),
    Field("record", "Record", 9, least=14),
    Field("said_by", "Source", 6),
    Field("ended_by", "Entry", 5, is_number=True),
    Field("ended_at", "Taken away", 8, least=20),
    Field("why", "Why", 7, least=10),
    Field("back_at", "Back", 4, least=20),
)


def returned(view: View) -> Answer:
    """What had been taken away and came back."""
    rows = returned_records(view.stored)
    heading = f"{plural(len(rows), 'record')} came back after having been taken away."
    hint = "Settle one: `kathodos returned --settle NR --reason WHY`."
    return Answer(_FIELDS, rows, heading, hint=hint if rows else "", status=found_if(rows))


def settled(count: int, entry: int | None) -> Answer:
    """What is said once records are settled."""
    hint = "What is left: kathodos returned"
    return Answer(heading=f"{plural(count, 'record')} settled; entry {entry} of the ledger.", hint=hint)
