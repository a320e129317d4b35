"""Gathers in words: what they brought, what they would bring, and what was wrong."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterable, Sequence
from typing import Any

from kathodos.formats.raw import CELL_LEFT_OUT, NOTED, Outcome, Problem
from kathodos.ingest.gather import Gathered
from kathodos.ingest.merging import gathers
from kathodos.model.kinds import PROBLEMS
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.store.records import rows_of
from kathodos.workspace.view import View

_FIELDS = (
    Field("source", "Source", 1),
    Field("kind", "Kind", 9),
    Field("came", "Came", 8, is_number=True),
    Field("changed", "Changed", 8, is_number=True),
    Field("went", "Went", 8, is_number=True),
    Field("same", "Same", 5, is_number=True),
    Field("set_aside", "Set aside", 7, is_number=True),
    Field("came_back", "Came back", 6, is_number=True),
)
_PROBLEMS = (
    Field("source", "Source", 1),
    Field("file", "File", 9, least=18),
    Field("line", "Line", 9, is_number=True, least=4),
    Field("column", "Column", 5),
    Field("value", "Value", 4, least=14),
    Field("outcome", "Outcome", 6, least=5),
    Field("reason", "Reason", 8, least=28),
    Field("remedy", "What to do", 7, least=28),
)
_DETAILS = (
    Field("source", "Source", 1),
    Field("kind", "Kind", 8),
    Field("record", "Record", 9, least=14),
    Field("what", "What", 9, least=7),
    Field("column", "Column", 7, least=8),
    Field("before", "Before", 6, least=10),
    Field("after", "After", 6, least=10),
)
_MOST_SHOWN = 200


def gathered(done: Sequence[Gathered], is_new: bool) -> Answer:
    """What the sources brought, kind by kind."""
    rows: list[dict[str, Any]] = []
    for one in done:
        for found in one.differences:
            numbers = {key: getattr(found, key) for key in (field.key for field in _FIELDS[2:])}
            rows.append({"source": one.source, "kind": found.kind.name, **numbers})
    wrong = what_was_wrong(
        sum(found.set_aside for one in done for found in one.differences), (it for one in done for it in one.problems)
    )
    back = sum(found.came_back for one in done for found in one.differences)
    confirmed = sum(len(one.orders.confirmed) for one in done)
    text = [f"{plural(confirmed, 'order')} confirmed: what was ordered has been done."] if confirmed else []
    for order in (it for one in done for it in one.orders.contradicted):
        text.append(f"Order {order.number} was said to be done, and is not: it is open again.")
    for order in (it for one in done for it in one.orders.differently):
        text.append(
            f"Order {order.number} was carried out otherwise than ordered, and stays open: kathodos orders list."
        )
    for order in (it for one in done for it in one.orders.renamed):
        text.append(f"Order {order.number} stays open: what it is about is listed under another name now.")
    heading = "Gathered." if is_new else "Nothing has changed since the last gather; nothing was written."
    hint = "Next: `kathodos conflicts`, or `kathodos reach --by NAME`."
    if wrong:
        hint = f"{wrong}; what and why: `kathodos gather --problems`."
    if back:
        hint = f"{plural(back, 'record')} came back that had been taken away: `kathodos returned` lists them. {hint}"
    return Answer(_FIELDS, rows, heading, text, hint=hint)


def what_was_wrong(aside: int, problems: Iterable[Problem]) -> str:
    """How many lines were set aside, how many cells left out, and how many things noted; empty where all is well."""
    of = Counter(problem.outcome for problem in problems)
    parts = [f"{plural(aside, 'line')} set aside"] if aside else []
    parts += [f"{plural(of[CELL_LEFT_OUT], 'cell')} left out"] if of[CELL_LEFT_OUT] else []
    parts += [f"{plural(of[NOTED], 'thing')} noted"] if of[NOTED] else []
    return ", ".join(parts)


def gather_rehearsed(done: Sequence[Gathered], is_table: bool) -> Answer:
    """Every difference that a gather would make."""
    rows = [
        {
            "source": one.source,
            "kind": it.kind.name,
            "record": " ".join("" if part is None else str(part) for part in it.record),
            "what": it.what,
            "column": it.column,
            "before": it.before,
            "after": it.after,
        }
        for one in done
        for it in one.details
    ]
    counts = [sum(getattr(found, name) for one in done for found in one.differences) for name in ("came", "changed")]
    went = sum(found.went for one in done for found in one.differences)
    heading = f"{counts[0]} would come, {counts[1]} would change, {went} would go. Nothing was changed."
    aside = sum(found.set_aside for one in done for found in one.differences)
    wrong = what_was_wrong(aside, (it for one in done for it in one.problems))
    text = [f"{wrong}; `kathodos sources check` says what and why."] if wrong else []
    shown = rows[:_MOST_SHOWN] if is_table else rows
    hint = f"{len(rows) - len(shown)} more lines: --format csv shows all." if len(shown) < len(rows) else ""
    hint = hint or ("As you want it? `kathodos gather`." if rows else "")
    return Answer(_DETAILS, shown, heading, text, hint=hint)


def problem_list(view: View, names: Collection[str]) -> Answer:
    """What was wrong at the last gather of some sources."""
    stored = view.stored
    found = zip(stored.sources(PROBLEMS).listed(), rows_of(stored, PROBLEMS, *PROBLEMS.names).values(), strict=True)
    rows = [
        {"source": source, **dict(zip(PROBLEMS.names, values, strict=True))}
        for source, values in found
        if source in names
    ]
    order = [str(outcome) for outcome in Outcome]
    rows.sort(key=lambda row: (order.index(row["outcome"]), row["source"], row["file"], row["line"]))
    wrong = what_was_wrong(_set_aside(view, names), (Problem(**{it: row[it] for it in PROBLEMS.names}) for row in rows))
    heading = f"{wrong}." if rows else "Nothing was wrong at the last gather."
    hint = "Correct the rows in the source and gather again." if rows else ""
    return Answer(_PROBLEMS, rows, heading, hint=hint)


def _set_aside(view: View, names: Collection[str]) -> int:
    """How many lines the last gather of each source set aside."""
    last: dict[str, int] = {}
    for _, payload in gathers(view.histories.reader):
        if payload.source in names:
            last.setdefault(payload.source, sum(counts[-1] for counts in payload.counts.values()))
    return sum(last.values())


_VERBS = ("is ", "has ", "looks ", "ends ", "repeats ", "holds ", "names ", "points ", "declares ", "needs ")


def problem_lines(problems: Sequence[Problem], most: int) -> tuple[list[str], int]:
    """The first problems, the gravest first, those alike on one line; and how many kinds of problem are left out."""
    order = [*Outcome]
    alike: dict[object, list[Problem]] = {}
    for it in sorted(problems, key=lambda it: (order.index(it.outcome), it.file, it.line)):
        alike.setdefault(
            (it.outcome, it.file, it.column, re.sub(r"\d+|(?<=there is no ).*", "", it.reason)), []
        ).append(it)
    lines = []
    for first, *others in list(alike.values())[:most]:
        cell = " ".join(part for part in (first.column, repr(first.value) if first.value else "") if part)
        where = f"{first.file}, line {first.line}" if first.line else first.file
        more = f" {len(others)} more like it." if others else ""
        told = f"{cell} {first.reason}" if first.reason.startswith(_VERBS) else f"{cell}: {first.reason}"
        lines.append(f"{where}: {told if cell else first.reason} ({first.outcome}). {first.remedy}{more}")
    return lines, max(len(alike) - most, 0)
