"""What bears a text in one of its names."""

from __future__ import annotations

from typing import Any

from kathodos.errors import found_if
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, plain
from kathodos.report.records import records_at
from kathodos.store.finding import find
from kathodos.workspace.view import View

_FIELDS = (
    Field("ref", "What", 9, least=18),
    Field("name", "Name", 8, least=14),
    Field("by", "Found by its", 5, least=8),
    Field("about", "More", 6, least=14),
)
_NAMES = ("name", "title", "displayname")
_ABOUT = ("department", "status", "identity", "type", "owner", "kind")


def found(view: View, text: str, most: int | None, is_table: bool) -> Answer:
    """Records of all kinds; `most`: so many rows of a table (None: all)."""
    rows: list[dict[str, Any]] = []
    total, kinds = 0, []
    for one in find(view.catalogue, text):
        total += len(one.positions)
        kinds.append(plural(len(one.positions), one.kind.one, one.kind.name.replace("_", " ")))
        room = len(one.positions) if most is None or not is_table else max(most - len(rows), 0)
        some = one.positions[:room]
        for by, record in zip(one.by, records_at(view.catalogue, one.kind, some), strict=False):
            name = next((record[it] for it in _NAMES if record.get(it)), None)
            about = "; ".join(f"{it} {plain(record[it])}" for it in _ABOUT if record.get(it) not in (None, "", False))
            rows.append({"ref": record["ref"], "kind": one.kind.name, "name": name, "by": by, "about": about})
    if not is_table:
        return Answer(_FIELDS, rows, extra_keys=("kind",), status=found_if(not total))
    heading = f"{', '.join(kinds)}" if total else f"Nothing is called {text!r}, not even in part."
    hint = f"{total - len(rows):,} more: --all shows them." if total > len(rows) else ""
    hint = hint or (f"One of them: kathodos show {rows[0]['ref']}" if rows else "")
    return Answer(_FIELDS, rows, heading, hint=hint, status=found_if(not total))
