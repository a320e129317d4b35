"""What runs by requests and should not: ended and not taken away; emergencies that nobody looked back on in time."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence

import numpy as np

from kathodos.analysis.request_ends import ends_of
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import numbers_at
from kathodos.columns.moments import moments_of
from kathodos.findings.excess.batches import CERTAIN, Batch, ExcessContext, FindingText, batch
from kathodos.model.kinds import REQUEST_STEPS, REQUESTS
from kathodos.model.references import reference_to
from kathodos.model.times import NEVER, day_text

REQUEST_OVER, LATE_LOOK_BACK = "request-over", "late-look-back"
_LOOK_BACK = 0  # the step in which somebody looks back


def requests_over(context: ExcessContext) -> Batch:
    """Requests whose time is over and that nobody ended, so that what does not end by itself is still there."""
    records, moment = context.basis.records, context.basis.moment
    ends = ends_of(*(records.column(REQUESTS, name) for name in ("until", "less")))
    at = ((ends <= moment) & records.column(REQUESTS, "state").holding("granted")).nonzero()[0]

    def told(what: str, since: int) -> str:
        return f"{what} was to end on {day_text(since - 1)}, and nobody has ended it"

    return _batch(context, REQUEST_OVER, at, ends[at], told, "End what has run out: kathodos request tend.")


def late_look_backs(context: ExcessContext) -> Batch:
    """Emergencies on which nobody has looked back in time."""
    records, moment = context.basis.records, context.basis.moment
    due, step = records.column(REQUEST_STEPS, "due"), records.column(REQUEST_STEPS, "step")
    moments: Ints = np.append(moments_of(due.values, is_end=True), NEVER)[due.codes]
    late = (moments <= moment) & step.holding(_LOOK_BACK) & records.column(REQUEST_STEPS, "decision").holding(None)
    rows = late.nonzero()[0]
    numbers = numbers_at(records.column(REQUEST_STEPS, "request"), rows)
    at = records.column(REQUESTS, "request").holding_any(numbers.tolist()).nonzero()[0]
    since = dict(zip(numbers.tolist(), moments[rows].tolist(), strict=True))
    own = numbers_at(records.column(REQUESTS, "request"), at).tolist()
    dues = np.array([since[it] for it in own], dtype=np.int64)

    def told(what: str, due_at: int) -> str:
        return f"{what} was taken in an emergency, and nobody looked back on it until {day_text(due_at - 1)}"

    return _batch(context, LATE_LOOK_BACK, at, dues, told, "Look back on it: kathodos request look-back.")


def _batch(
    context: ExcessContext, name: str, at: Ints, since: Ints, told: Callable[[str, int], str], remedy: str
) -> Batch:
    records, basis = context.basis.records, context.basis
    columns = (records.column(REQUESTS, column).listed(at) for column in ("request", "whom", "kit", "entries"))
    rows: Sequence[tuple[object, ...]] = list(zip(*columns, strict=True))
    numbers = [reference_to("request", row[0]) for row in rows]
    whose = [basis.index.holders.find(reference_to("identity", row[1])) for row in rows]
    texts = []
    for row, moment in zip(rows, since.tolist(), strict=True):
        what = str(row[2] or ", ".join(str(it[0]) for it in json.loads(str(row[3] or "[]"))))
        texts.append(FindingText(reference_to("request", row[0]), told(f"{what} of {row[1]}", moment), remedy))
    days = np.array([basis.days_since(it) for it in since.tolist()], dtype=np.int64)
    concerned = np.array(whose, dtype=np.int64)
    return batch(name, concerned, numbers.__getitem__, texts.__getitem__, 2, CERTAIN, days)
