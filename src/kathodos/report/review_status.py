"""Who has decided how much of which review, and how many days are left."""

from __future__ import annotations

from msgspec.structs import asdict

from kathodos import thresholds
from kathodos.model.kinds import DECISIONS
from kathodos.model.times import now
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Row
from kathodos.review.lines import OPEN, ReviewLines, find_review, names_of, progress_of, reviews_in
from kathodos.review.states import state_of
from kathodos.workspace.view import View

_MOST_SHOWN = 200  # reviewers, to a person


def _days_left(days: int | None) -> str:
    """How many days are left, or how late it is; nothing where nothing is due any more."""
    return "" if days is None else f"{days}" if days >= 0 else f"{-days} late"


_STATUS = (
    Field("review", "Review", 7),
    Field("reviewer", "Reviewer", 9),
    Field("name", "Name", 5, least=10),
    Field("done", "Done", 8, is_number=True),
    Field("by_others", "By others", 5, is_number=True),
    Field("left", "Left", 9, is_number=True),
    Field("days_left", "Days left", 8, is_number=True, shown=_days_left),
    Field("due", "Due", 6),
    Field("state", "State", 4),
)


def review_status(view: View, name: str | None, form: str) -> Answer:
    """Who has decided how much, of one review or of all, and how many days are left; to a person those most behind."""
    records = view.catalogue
    reviews = reviews_in(records)
    if name:
        reviews = [find_review(reviews, name)]
    most, found, left, reviewers = _MOST_SHOWN if form == "table" else None, [], 0, 0
    for review in reviews:
        lines = ReviewLines(records, review)
        left += int((~lines.is_decided).sum())
        progress, count = progress_of(lines, now(), most)
        reviewers += count
        found += [(review, it) for it in progress]
    if most is not None and len(found) > most:
        found = sorted(found, key=lambda it: -it[1].left)[:most]
    names = names_of(records, (it.reviewer for _, it in found))
    rows: list[Row] = []
    for review, it in found:
        days = it.days_left if review.state == OPEN else None  # nothing is due any more
        rows.append(
            {**asdict(it), "days_left": days, "name": names.get(it.reviewer), "state": str(state_of(records, review))}
        )
    behind = {review.name for review, it in found if it.left}
    one = next(iter(behind)) if len(behind) == 1 else "NAME"
    heading = f"{plural(len(reviews), 'review')}, {plural(left, 'line')} left" if reviews else "There is no review yet."
    hint = f"Next: kathodos review lines {one} --undecided" if left else ""
    if reviewers > len(found):
        hint = f"{reviewers - len(found)} more reviewers: --format csv lists all. {hint}".rstrip()
    if not reviews:
        hint = "Open one: kathodos review open NAME --where FILTER --by-manager --due DATE"
    limits = view.workspace.configuration.thresholds
    measured = [it.name for it in reviews if it.state == OPEN or name == it.name] if form == "table" else []
    is_much = len(records.rows(DECISIONS)) > thresholds.DECISIONS_MEASURED
    text = []
    if len(records.rows(DECISIONS)) and not is_much:
        from kathodos.report.review_measures import told

        text = [line for review_name in measured for line in told(records, review_name, limits)]
    return Answer(_STATUS, rows, heading, text, hint=hint)
