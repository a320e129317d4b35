"""Risk in words: the highest scores, one explained, how they moved."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.errors import CallError
from kathodos.findings.risk.scores import Scores
from kathodos.findings.risk.weights import COLUMNS
from kathodos.model.kinds import BASELINES
from kathodos.model.references import name_in
from kathodos.model.times import day_text
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field
from kathodos.store.records import columns_of
from kathodos.workspace.view import View

_TOP = (
    Field("subject", "Who or what", 9, least=16),
    Field("name", "Name", 6, least=10),
    Field("risk", "Risk", 9, is_number=True, style=lambda value: "bold"),
    *(Field(name, name.capitalize(), 7, is_number=True, shown=lambda it: f"{it:g}" if it else "") for name in COLUMNS),
)
_TREND = (
    Field("point", "At", 9, least=10),
    Field("date", "Date", 7, least=10),
    Field("count", "Identities", 6, is_number=True),
    Field("mean", "Mean", 8, is_number=True),
    Field("above_60", "Above 60", 7, is_number=True),
    Field("above_40", "Above 40", 7, is_number=True),
    Field("highest", "Highest", 8, is_number=True),
    Field("who", "Who", 8, least=12),
)


def highest(view: View, of: str, most: int) -> Answer:
    """The highest scores of a kind of things."""
    if most < 1:
        raise CallError(f"--most {most} shows nothing.", "Say 1 or more.")
    scores = view.findings.scores(of)
    rows = _rows(scores, scores.order()[:most])
    counted = f"{len(scores.totals)} {of}"
    if of == "identities":
        holders = view.index.holders
        alone = (holders.owner < 0).nonzero()[0]
        own = view.findings.scores("accounts")
        rows += _rows(own, alone[np.argsort(-own.totals[alone], kind="stable")][:most])
        rows = sorted(rows, key=lambda row: -float(row["risk"]))[:most]
        asked = view.asked([holders.find(str(row["subject"])) for row in rows])
        names = {holders.references[number]: it.name for number, it in asked.items()}
        rows = [{**row, "name": names[str(row["subject"])]} for row in rows]
        counted += f" and {plural(len(alone), 'account')} of nobody" if len(alone) else ""
    fields = [it for it in _TOP if it.key != "name" or of == "identities"]
    heading = f"The {len(rows)} of {counted} with the highest risk"
    hint = f"Why: kathodos risk show {rows[0]['subject']}" if rows else ""
    return Answer(fields, rows, heading, hint=hint)


def _rows(scores: Scores, some: Ints) -> list[dict[str, Any]]:
    """Some scores, each with the points of its parts."""
    return [
        {
            "subject": scores.subjects[at],
            "risk": float(scores.totals[at]),
            **dict(zip(COLUMNS, scores.points[at].tolist(), strict=True)),
        }
        for at in some.tolist()
    ]


def explained(view: View, reference: str, is_csv: bool) -> Answer:
    """One score, part by part."""
    kind, at = view.thing(reference)
    scores = view.findings.scores_of_resource(at) if kind == "resources" else view.findings.scores(kind)
    at = 0 if kind == "resources" else at
    parts = scores.parts(at)
    total = float(scores.totals[at])
    branches = [Branch(f"{it.points:5.1f} of {it.weight:>3g}  {it.name}: {it.why}") for it in parts]
    rank = int((scores.totals > scores.totals[at]).sum()) + 1
    of = f", number {rank} of {len(scores.totals)} {kind}" if kind != "resources" else ""
    trees = [Branch(f"{scores.subjects[at]}: risk {total:g} of 100{of}", branches)]
    rows = [{"part": it.name, "points": it.points, "of": it.weight, "why": it.why} for it in parts]
    document = {"subject": scores.subjects[at], "risk": total, "parts": rows}
    fields = [Field(key, key) for key in ("part", "points", "of", "why")]
    hint = f"The findings: kathodos excess --by {reference}" if kind in ("identities", "accounts") else ""
    return Answer(fields if is_csv else (), rows, trees=trees, hint=hint, document=document)


def trend(view: View, view_of: Callable[[str], View], by: str | None) -> Answer:
    """The scores at each baseline and now. `view_of`: the state that a baseline names."""
    (baselines,) = columns_of(view.catalogue, BASELINES, "baseline")
    views = [*((name, view_of(name)) for name in baselines), ("now", view)]
    views.sort(key=lambda it: it[1].moment)
    rows: list[dict[str, Any]] = []
    for name, state in views:
        totals = state.findings.scores("identities").totals
        named = {"point": name, "date": day_text(state.moment)}
        holders = state.index.holders
        if by:
            number = holders.identities.find(name_in("identity", by))
            rows.append({**named, "who": by, "risk": float(totals[number]) if number >= 0 else None})
        else:
            rows.append({**named, **_summed(totals, holders.references)})
    if by and all(row["risk"] is None for row in rows):
        raise CallError(f"There is no identity {by}.", "See `kathodos list identities`.")
    one = [*_TREND[:2], Field("risk", "Risk", 9, is_number=True)]
    heading = f"Risk over {plural(len(rows), 'point')} in time"
    hint = "Mark the present: kathodos baseline mark NAME" if len(rows) < 3 else ""
    return Answer(one if by else _TREND, rows, heading, hint=hint)


def _summed(totals: Any, references: Any) -> dict[str, Any]:
    highest = int(totals.argmax()) if len(totals) else -1
    return {
        "count": len(totals),
        "mean": round(float(totals.mean()), 1) if len(totals) else None,
        "above_60": int((totals > 60).sum()),
        "above_40": int((totals > 40).sum()),
        "highest": float(totals[highest]) if highest >= 0 else None,
        "who": references[highest] if highest >= 0 else None,
    }
