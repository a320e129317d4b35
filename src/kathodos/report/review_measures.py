"""How a review was decided, for whoever runs it: who was how fast, kept what against the evidence, took what away."""

from __future__ import annotations

import math

from kathodos.analysis.decisions import decisions_of
from kathodos.findings.excess.reviews import signs
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.report.answers import Answer, Field, Row
from kathodos.review.lines import find_review, names_of, reviews_in
from kathodos.store.records import Records
from kathodos.workspace.view import View

_MEASURES = (
    Field("who", "Who", 9, least=6),
    Field("name", "Name", 5, least=10),
    Field("decided", "Lines", 9, is_number=True),
    Field("certified", "Certified", 8, is_number=True),
    Field("at_once", "At once", 7, is_number=True),
    Field("seconds_a_line", "Seconds", 7, is_number=True),
    Field("against", "Against", 6, is_number=True),
    Field("certified_against", "Kept", 7, is_number=True),
    Field("unopened", "Unopened", 6, is_number=True),
    Field("taken", "Taken away", 7, is_number=True, shown=lambda share: f"{share:.0%}"),
    Field("others", "Others took", 6, is_number=True, shown=lambda share: f"{share:.0%}"),
)
_LEGEND = (
    "At once: the most that were certified at one moment. Seconds: for each line. Against: lines the evidence speaks "
    "against; Kept: of these certified. Unopened: certified in a packet without opening the "
    "evidence. Taken away: the share that was revoked or reduced, and that of all others."
)


def review_measures(view: View, name: str | None) -> Answer:
    """The measures of everybody who decided lines of a review, those with most lines first."""
    records, limits = view.catalogue, view.context.thresholds
    review = find_review(reviews_in(records), name)
    found = decisions_of(records, review.name)
    names, others = names_of(records, found.names), found.share_of_others(limits.taken_lines)
    rows: list[Row] = []
    for at, who in enumerate(found.names):
        seconds = float(found.seconds_a_line[at])
        rows.append(
            {
                "review": review.name,
                "who": who,
                "name": names.get(who),
                **{key: int(getattr(found, key)[at]) for key in _COUNTS},
                "seconds_a_line": None if math.isnan(seconds) else round(seconds, 1),
                "taken": float(found.share_taken[at]),
                "others": float(others[at]),
            }
        )
    rows.sort(key=lambda row: (-row["decided"], row["who"]))
    heading = f"How {review.name} was decided, and by whom; what its closing decided is left out"
    text = told(records, review.name, limits)
    legend = [_LEGEND] if rows else []
    kinds = dict.fromkeys(it.kind for it in signs(found, review.name, limits))
    hint = f"What stands out is a finding too: kathodos excess --kind {' --kind '.join(kinds)}" if kinds else ""
    return Answer(_MEASURES, rows, heading, [*text, *legend], hint=hint)


_COUNTS = ("decided", "certified", "at_once", "against", "certified_against", "unopened", "opened_known")


def told(records: Records, review: str, limits: Thresholds) -> list[str]:
    """The signs that lines of a review were decided without looking, a sentence each."""
    return [f"Look again: {it.who} {it.evidence}." for it in signs(decisions_of(records, review), review, limits)]
