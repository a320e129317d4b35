"""The lines of a review with their evidence, what was said of them and what is decided, in words."""

from __future__ import annotations

import contextlib
from typing import Any

import msgspec
import numpy as np

from kathodos.errors import CallError
from kathodos.model.kinds import IDENTITIES
from kathodos.model.references import name_in
from kathodos.model.suggestions import nearest
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines
from kathodos.report.marks import Marks
from kathodos.report.review_words import (
    asked_for_by,
    decision_in_words,
    facts_about,
    last_use,
    remark_in_words,
    shares,
    shares_in_words,
    use_in_words,
    whose,
    words_about,
)
from kathodos.review.drafts.standing_out import NOTHING
from kathodos.review.line_attributes import LineAttributes
from kathodos.review.lines import ReviewLines, find_review, names_of, reviews_in
from kathodos.review.states import state_of
from kathodos.review.subjects import SUBJECTS, About
from kathodos.store.naming import resolved
from kathodos.workspace.view import View

_LINES = (
    Field("line", "Line", 20, is_number=True, least=4),
    Field("whose", "Whose", 17, least=12),
    Field("what", "What", 19, least=24),
    Field("peers", "Peers", 12, least=8),
    Field("everyone", "Everybody", 8, least=9),
    Field("last_used", "Last used", 13, least=10),
    Field("needed_by", "Needed", 10, least=7),
    Field("conflicts", "Rules broken", 14, least=9, style=lambda value: "red" if value else ""),
    Field("reviewer", "Reviewer", 5, least=8),
    Field("decision", "Decision", 16, least=9),
)
_EVIDENCE = ("peers", "everyone", "last_used", "needed_by", "conflicts", "reviewer")
_WIDE = 110
_MOST_SHOWN = 200  # lines, to a person
_KEYS = (
    *(
        "review",
        "line",
        "about",
        "identity",
        "account",
        "name",
        "status",
        "ends",
        "former_department",
        "reviewer",
        "item",
    ),
    *(
        "gives",
        "how",
        "value",
        "brings",
        "contains",
        "needed",
        "needed_by",
        "also_needed",
        "beyond_need",
        "conflicts",
        "fences",
        "use",
        "use_recorded_since",
        "never_used",
        "used_otherwise",
        "would_be_lost",
    ),
    *("last_used", "uses", "until", "given_by", "given_at", "given_for", "everyone_having", "everyone_counted"),
    *(
        "peers_having",
        "peers_counted",
        "sensitivity",
        "signed_in",
        "risk",
        "excess",
        "found_about",
        "redundant",
        "certified_at",
        "certified_by",
        "no_account",
        "stands_by",
    ),
    *("speaks", "stands_out", "decision", "decided_by", "decided_at", "capacity", "decision_reason"),
    *("reduced", "remarks", "signed_off", "ordered"),
)


class LineChoice(msgspec.Struct, frozen=True):
    """Which lines of which review: of one reviewer, about one person, by a filter, only undecided ones."""

    review: str | None
    reviewer: str | None = None
    whose: str | None = None
    undecided: bool = False
    where: str | None = None


def review_lines(view: View, asked: LineChoice, form: str, width: int | None) -> Answer:
    """Lines with their evidence; `width`: of the window that a table has to fit, if any."""
    records = view.catalogue
    lines = ReviewLines(records, find_review(reviews_in(records), asked.review))
    review, wanted = lines.review, np.ones(len(lines), dtype=bool)
    if asked.reviewer is not None:
        wanted &= lines.of_reviewers([_named(lines, "reviewer", asked.reviewer)])
    if asked.whose is not None:
        wanted &= lines.about([_named(lines, "identity", asked.whose)])
    if asked.undecided:
        wanted &= ~lines.is_decided
    if asked.where is not None:
        wanted &= LineAttributes(lines, view.moment).selected_by(asked.where)
    left = int((~lines.is_decided).sum())
    heading = (
        f"{review.name} ({state_of(records, review)}): {plural(len(lines), 'line')}, {left} left, due {review.due}"
    )
    words = "|".join(SUBJECTS[About(review.about)].decisions)
    hint = f"Decide: kathodos review decide LINE... {words} --reason TEXT"
    if not left:
        hint = f"Everything is decided: kathodos review close {review.name}" if review.state == "open" else ""
    chosen = wanted.nonzero()[0]
    most = len(chosen) if form != "table" else _MOST_SHOWN
    names = names_of(records, map(str, lines.column("identity", chosen[:most]).compact().values))
    marks, shown = Marks(view), lines.records_at(chosen[:most])
    rows = ({**_first(line, names), **line, "ordered": _ordered(marks, line)} for line in shown)
    if form != "table":
        return Answer([Field(key, key) for key in _KEYS], rows)
    if len(chosen) > most:
        hint = f"{len(chosen) - most} more lines: --reviewer, --whose or --where shows some, --format csv all. {hint}"
    is_narrow = (width or _WIDE) < _WIDE
    fields = [shown for shown in _LINES if not is_narrow or shown.key not in _EVIDENCE]
    return Answer(fields, [_shown(row, is_narrow) for row in rows], heading, hint=hint)


def _named(lines: ReviewLines, column: str, text: str) -> str:
    """The identity whose lines there are, or who decides some. Raises CallError with the nearest."""
    name, held = name_in("identity", text), lines.column(column)
    if not held.holding(name).any():
        with contextlib.suppress(CallError):
            name = name_in("identity", resolved(lines.records, text, (IDENTITIES,)))
    if not held.holding(name).any():
        names = map(str, held.compact().values)
        what = "about" if column == "identity" else "for the reviewer"
        raise CallError(f"{lines.review.name} has no line {what} {name}.", nearest(name, names))
    return name


def _ordered(marks: Marks, line: dict[str, Any]) -> str | None:
    """What is ordered of the grant or the membership that a line is about."""
    item = line["item"]
    if "grant" in item:
        return marks.of_grant(item["grant"]) or None
    return (marks.of_membership(item["member"], item["group"]) or None) if "member" in item else None


def _first(line: dict[str, Any], names: dict[str, str | None]) -> dict[str, Any]:
    """What stands first of a line: which it is, and about whom."""
    name = names.get(line["identity"] or "")
    return {"review": line["review"], "line": line["line"], "name": name}


def _shown(line: dict[str, Any], is_narrow: bool) -> dict[str, Any]:
    """A line for the table. What can be scanned stands in columns, in words where they have no room."""
    cells = {
        "peers": shares(line)[0],
        "everyone": shares(line)[1],
        "last_used": last_use(line),
        "needed_by": asked_for_by(line) or line["needed"] or "",
        "conflicts": ", ".join([*line["conflicts"], *line["fences"]]),
    }
    more = [*words_about(line), *map(remark_in_words, line["remarks"])]
    return {
        "line": line["line"],
        "whose": Lines(filter(None, [*whose(line), *facts_about(line)])),
        "what": Lines([line["gives"], *_stands_out(line), *(_evidence(line, cells) if is_narrow else []), *more]),
        **cells,
        "reviewer": line["reviewer"],
        "decision": Lines(decision_in_words(line)),
    }


def _evidence(line: dict[str, Any], cells: dict[str, str]) -> list[str]:
    """What has no column in a narrow window, in words."""
    words = []
    if line["about"] == About.ACCESS:
        words += [shares_in_words(line)]
    words += filter(None, [use_in_words(line)])
    words += [f"part of the conflict {', '.join(line['conflicts'])}"] if line["conflicts"] else []
    words += [f"crosses the fence {', '.join(line['fences'])}"] if line["fences"] else []
    return ["; ".join(words)] if words else []


def _stands_out(line: dict[str, Any]) -> list[str]:
    """What is to be read first, where something stands out."""
    return [line["stands_out"]] if line["stands_out"] not in (None, NOTHING) else []
