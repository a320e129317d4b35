"""The reviews that a workspace declares, and which of them are to be opened."""

from __future__ import annotations

from kathodos.model.times import first_moment
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Row
from kathodos.review.lines import OPEN, reviews_in
from kathodos.workspace.declared import Declared, declared_reviews
from kathodos.workspace.view import View

_FIELDS = (
    Field("declared", "Declared", 9, least=8),
    Field("state", "State", 9, least=10),
    Field("next", "To be opened", 8),
    Field("last", "Last one", 7, least=8),
    Field("every", "Every", 5),
    Field("where", "Whose", 6, least=20),
)


def reviews_due(view: View) -> Answer:
    """Which declared reviews are to be opened now, which are open, and when the others come."""
    rows: list[Row] = []
    for it in declared_reviews(view.workspace.folder, reviews_in(view.catalogue)):
        when = it.next_opening()
        rows.append(
            {
                "declared": it.name,
                "state": _state(it, when, view.moment),
                "next": "now" if when == "" else when[:10] if when else None,
                "last": it.opened[-1].name if it.opened else None,
                "every": it.terms.every or None,
                "where": it.terms.where,
            }
        )
    due = [str(row["declared"]) for row in rows if row["state"] == "to be opened"]
    heading = f"{plural(len(rows), 'declared review')}, {len(due)} to be opened" if rows else "No review is declared."
    hint = f"Open it: kathodos review open {due[0]}" if due else ""
    if not rows:
        hint = "Declare one in reviews/NAME.toml: see docs/reviewing.md"
    return Answer(_FIELDS, rows, heading, hint=hint)


def _state(it: Declared, when: str | None, moment: int) -> str:
    if any(review.state == OPEN for review in it.opened):
        return "open"
    if when is None:
        return "done"
    if it.waits_for:
        return f"waits for {it.waits_for}"
    return "to be opened" if when == "" or first_moment(when) <= moment else "waits"
