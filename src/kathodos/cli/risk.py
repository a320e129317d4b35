"""`kathodos risk`: scores from 0 to 100 whose parts add up - who is highest, why, and how it moved."""

from __future__ import annotations

import argparse
from typing import Any

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Branch, Field

KINDS = ("identities", "accounts", "roles", "resources", "systems")
_PARTS = ("sensitivity", "breadth", "actions", "conflicts", "excess", "dormancy", "escalation")
_TOP = (
    Field("subject", "Who or what", 9, least=16),
    Field("name", "Name", 6, least=10),
    Field("risk", "Risk", 9, is_number=True, style=lambda value: "bold"),
    *(Field(name, name.capitalize(), 7, is_number=True, shown=lambda it: f"{it:g}" if it else "") for name in _PARTS),
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


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "risk",
        help="risk scores: the highest, one explained, how they moved",
        description="Risk from 0 to 100, made of parts that add up. The weights stand in kathodos.toml under [risk].",
        epilog="example:\n  kathodos risk top        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)
    example = "  kathodos risk top\n  kathodos risk top --of roles --most 5\n"
    example += "  kathodos list identities --where 'risk gt 40'"
    top = command(steps, "top", common, formatter, run_top, "list the highest scores", example)
    top.add_argument("--of", choices=KINDS, default="identities", help="of what (default: identities)")
    top.add_argument("--most", type=int, default=15, help="how many (default: 15)")
    what = "explain one score: each part, what it adds, and why"
    show = command(steps, "show", common, formatter, run_show, what, "  kathodos risk show p0063")
    show.add_argument("reference", metavar="REF", help="an identity, account, role, resource or system")
    what = "show how scores moved over the baselines to the present"
    trend = command(steps, "trend", common, formatter, run_trend, what, "  kathodos risk trend --by p0063")
    trend.add_argument("--by", metavar="REF", help="one identity")
    for parser in (top, show):
        about_state(parser)


def run_top(session: Session) -> int:
    asked = session.arguments
    if asked.most < 1:
        raise CallError(f"--most {asked.most} shows nothing.", "Say 1 or more.")
    view = session.view
    scores = view.findings.scores(asked.of)
    order = scores.order()[: asked.most].tolist()
    names = view.people(order) if asked.of == "identities" else {}
    rows = [
        {
            "subject": scores.subjects[at],
            "name": names[at]["name"] if at in names else None,
            "risk": float(scores.totals[at]),
            **dict(zip(_PARTS, scores.points[at].tolist(), strict=True)),
        }
        for at in order
    ]
    fields = [it for it in _TOP if it.key != "name" or names]
    heading = f"The {len(rows)} of {len(scores.totals)} {asked.of} with the highest risk"
    if len(rows) == len(scores.totals):
        heading = f"All {len(rows)} {asked.of}, those with the highest risk first"
    hint = f"Why: kathodos risk show {rows[0]['subject']}" if rows else ""
    return session.answer(Answer(fields, rows, heading, hint=hint))


def run_show(session: Session) -> int:
    asked = session.arguments
    view = session.view
    kind, at = view.thing(asked.reference)
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
    hint = f"The findings: kathodos excess --by {asked.reference}" if kind in ("identities", "accounts") else ""
    return session.answer(
        Answer(fields if session.format == "csv" else (), rows, trees=trees, hint=hint, document=document)
    )


def run_trend(session: Session) -> int:
    """The scores at each baseline and now."""
    from kathodos.model.kinds import BASELINES
    from kathodos.model.times import day_text
    from kathodos.store.records import columns_of

    (baselines,) = columns_of(session.view.catalogue, BASELINES, "baseline")
    views = [(name, session.view_of(name)) for name in baselines] + [("now", session.view)]
    views.sort(key=lambda it: it[1].moment)
    rows: list[dict[str, Any]] = []
    for name, view in views:
        totals = view.findings.scores("identities").totals
        named = {"point": name, "date": day_text(view.moment)}
        holders = view.index.holders
        if session.arguments.by:
            number = holders.identities.find(session.arguments.by.removeprefix("identity:"))
            rows.append({**named, "who": session.arguments.by, "risk": float(totals[number]) if number >= 0 else None})
        else:
            rows.append({**named, **_summed(totals, holders.references)})
    if session.arguments.by and all(row["risk"] is None for row in rows):
        raise CallError(f"There is no identity {session.arguments.by}.", "See `kathodos list identities`.")
    one = [*_TREND[:2], Field("risk", "Risk", 9, is_number=True)]
    heading = f"Risk over {plural(len(rows), 'point')} in time"
    hint = "Mark the present: kathodos baseline mark NAME" if len(rows) < 3 else ""
    return session.answer(Answer(one if session.arguments.by else _TREND, rows, heading, hint=hint))


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
