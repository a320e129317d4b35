"""One line of a review, or one person's lines, as a card: what whoever walks through a review reads before deciding."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from kathodos.model.kinds import IDENTITIES
from kathodos.model.words import plural
from kathodos.report.review_words import (
    decision_in_words,
    facts_about,
    remark_in_words,
    shares_in_words,
    use_in_words,
    whose,
    words_about,
)
from kathodos.review.lines import ReviewLines
from kathodos.review.subjects import SUBJECTS, About, Decision
from kathodos.store.records import Records

_MOST_BEFORE = 3  # kinds of what was found about a person


def heading(lines: ReviewLines, left: int, days_left: int) -> str:
    """Which review it is and how much is left, in one line."""
    days = f"{plural(days_left, 'day')} left" if days_left >= 0 else f"{plural(-days_left, 'day')} late"
    return f"{lines.review.name}: {plural(left, 'line')} left for you, {days}"


def card_of_line(records: Records, line: dict[str, Any]) -> list[str]:
    """One line with all of its evidence; what stands out comes first."""
    cells = [f"Line {line['line']}. {_whose(records, line)}", "", f"  {line['gives']}"]
    cells.append(f"  {'! ' if line['speaks'] == 'against' else ''}{line['stands_out']}")
    told = shares_in_words(line) if line["about"] != About.IDENTITY_DATA else ""
    cells += [f"  {it}" for it in (*words_about(line), told, use_in_words(line)) if it]
    if line["conflicts"] or line["fences"]:
        cells.append(f"  rules broken: {', '.join([*line['conflicts'], *line['fences']])}")
    if line["excess"]:
        cells.append(f"  found of it: {', '.join(line['excess'][:_MOST_BEFORE])}")
    if line["found_about"]:
        cells.append(f"  found about them: {', '.join(line['found_about'][:_MOST_BEFORE])}")
    cells += [f"  {remark_in_words(it)}" for it in line["remarks"]]
    return [*cells, *_decided(line)]


def card_of_person(records: Records, lines: Sequence[dict[str, Any]]) -> list[str]:
    """All lines of one person that are to be decided, each with what stands out."""
    cells = [_whose(records, lines[0]), ""]
    for line in lines:
        mark = "! " if line["speaks"] == "against" else ""
        cells += [f"  {line['line']}. {line['gives']}", f"     {mark}{line['stands_out']}"]
    return cells


def _whose(records: Records, line: dict[str, Any]) -> str:
    """Who it is, where they work, and what is to be known of them."""
    if line["identity"] is None:
        return f"account:{line['account']}, which is nobody's" if line["account"] else whose(line)[0]
    record = records.with_key(IDENTITIES, (line["identity"],)) or {}
    parts = [f"{record.get('name') or ''} ({line['identity']})".strip()]
    parts += [str(it) for it in (record.get("title"), record.get("department")) if it]
    facts = [", ".join(parts), *facts_about(line)]
    return "; ".join(facts)


def _decided(line: dict[str, Any]) -> list[str]:
    return ["", f"  Decided: {'; '.join(decision_in_words(line))}"] if line["decision"] else []


_KEYS: dict[Decision, tuple[str, str]] = {
    Decision.CERTIFY: ("c", "certify"),
    Decision.REVOKE: ("r", "revoke"),
    Decision.REDUCE: ("l", "make less"),
    Decision.CORRECT: ("v", "correct"),
}
_OTHER_KEYS = (
    *(("p", "pass on"), ("a", "ask"), ("m", "comment")),
    *(("n", "next"), ("b", "back"), ("u", "undo"), ("q", "stop")),
)


def keys_of_line(about: str) -> tuple[tuple[str, str], ...]:
    """The keys that decide a line of a kind of review, and those that all have."""
    allowed = SUBJECTS[About(about)].decisions
    return (*(key for decision, key in _KEYS.items() if decision in allowed), *_OTHER_KEYS)


KEYS_OF_PERSON = (
    *(("c", "certify all"), ("r", "revoke all"), ("o", "one by one"), ("p", "pass all on")),
    *(("n", "next"), ("b", "back"), ("u", "undo"), ("q", "stop")),
)


def walked(review: str, decided: int, left: int) -> str:
    """What is said at the end of a walk."""
    rest = f"{plural(left, 'line')} left; go on with `kathodos review walk {review}`." if left else "Nothing is left."
    return f"Decided {plural(decided, 'line')} of {review}. {rest}"
