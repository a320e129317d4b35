"""Reviews in words: what is opened, its lines with their evidence, what is decided, how far it is, and its closing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.errors import CallError
from kathodos.model.references import name_in
from kathodos.model.suggestions import nearest
from kathodos.model.times import now
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines, Row
from kathodos.review.closing import Closing
from kathodos.review.lines import CERTIFY, OPEN, ReviewLines, find_review, names_of, progress_of, reviews_in
from kathodos.review.opening import Drafted
from kathodos.workspace.view import View

_LINES = (
    Field("line", "Line", 20, is_number=True, least=4),
    Field("whose", "Whose", 17, least=12),
    Field("what", "What", 19, least=24),
    Field("peers", "Peers", 12, least=8),
    Field("everyone", "Everybody", 8, least=9),
    Field("last_used", "Last used", 13, least=10),
    Field("needed_by", "Needed", 10, least=6),
    Field("conflicts", "Conflicts", 14, least=9, style=lambda value: "red" if value else ""),
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
        "identity",
        "account",
        "name",
        "reviewer",
        "item",
        "gives",
        "how",
        "brings",
        "contains",
        "needed_by",
    ),
    *("conflicts", "last_used", "until", "given_by", "given_at", "given_for", "everyone_having", "everyone_counted"),
    *("peers_having", "peers_counted", "decision", "decided_by", "decided_at", "decision_reason", "signed_off"),
)
_STATUS = (
    Field("review", "Review", 7),
    Field("reviewer", "Reviewer", 9),
    Field("name", "Name", 5, least=10),
    Field("done", "Done", 8, is_number=True),
    Field("left", "Left", 9, is_number=True),
    Field("days_left", "Days left", 8, is_number=True),
    Field("due", "Due", 6),
    Field("state", "State", 4),
)


@dataclass(frozen=True)
class LineChoice:
    """Which lines of which review are asked for: of one reviewer, about one person, only undecided ones."""

    review: str | None
    reviewer: str | None = None
    whose: str | None = None
    undecided: bool = False


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
    left = int((~lines.is_decided).sum())
    heading = f"{review.name} ({review.state}): {plural(len(lines), 'line')}, {left} left, due {review.due}"
    hint = "Decide: kathodos review decide LINE... certify|revoke --reason TEXT"
    if not left:
        hint = f"Everything is decided: kathodos review close {review.name}" if review.state == "open" else ""
    chosen = wanted.nonzero()[0]
    most = len(chosen) if form != "table" else _MOST_SHOWN
    names = names_of(records, map(str, lines.column("identity", chosen[:most]).compact().values))
    rows = ({**_first(line, names), **line} for line in lines.records_at(chosen[:most]))
    if form != "table":
        return Answer([Field(key, key) for key in _KEYS], rows)
    if len(chosen) > most:
        hint = f"{len(chosen) - most} more lines: --reviewer ID or --whose ID shows some, --format csv all. {hint}"
    is_narrow = (width or _WIDE) < _WIDE
    fields = [shown for shown in _LINES if not is_narrow or shown.key not in _EVIDENCE]
    return Answer(fields, [_shown(row, is_narrow) for row in rows], heading, hint=hint)


def _named(lines: ReviewLines, column: str, text: str) -> str:
    """The identity whose lines there are, or who decides some. Raises CallError with the nearest."""
    name, held = name_in("identity", text), lines.column(column)
    if not held.holding(name).any():
        names = map(str, held.compact().values)
        what = "about" if column == "identity" else "for the reviewer"
        raise CallError(f"{lines.review.name} has no line {what} {name}.", nearest(name, names))
    return name


def _first(line: dict[str, Any], names: dict[str, str | None]) -> dict[str, Any]:
    """What stands first of a line: which it is, and about whom."""
    name = names.get(line["identity"] or "")
    return {"review": line["review"], "line": line["line"], "name": name}


def _shown(line: dict[str, Any], is_narrow: bool) -> dict[str, Any]:
    """A line for the table. What can be scanned stands in columns, in words where they have no room."""
    used = line["last_used"]
    decision = [line["decision"] or "undecided"]
    if line["decision"]:
        decision += [f"by {line['decided_by']}", *([line["decision_reason"]] if line["decision_reason"] else [])]
    cells = {
        "peers": f"{line['peers_having']} of {line['peers_counted']}",
        "everyone": f"{line['everyone_having']} of {line['everyone_counted']}",
        "last_used": used[:10] if used else "never seen",
        "needed_by": ", ".join(line["needed_by"]) or "no",
        "conflicts": ", ".join(line["conflicts"]),
    }
    words = (
        f"{cells['peers']} peers, {cells['everyone']} of everybody; needed: {cells['needed_by']}; "
        f"last used: {cells['last_used']}" + (f"; part of conflict {cells['conflicts']}" if cells["conflicts"] else "")
    )
    return {
        "line": line["line"],
        "whose": Lines([line["name"] or "", line["identity"] or f"account:{line['account']}"]),
        "what": Lines([line["gives"], *([words] if is_narrow else []), *words_about(line)]),
        **cells,
        "reviewer": line["reviewer"],
        "decision": Lines(decision),
    }


def words_about(evidence: dict[str, Any]) -> list[str]:
    """How it is held, who gave it and why, when it ends, and what it contains, in plain words."""
    held = f"held {evidence['how']}"
    if evidence["given_by"] or evidence["given_at"]:
        held += "; given" + (f" by {evidence['given_by']}" if evidence["given_by"] else "")
        held += f" on {evidence['given_at'][:10]}" if evidence["given_at"] else ""
    held += f" ({evidence['given_for']})" if evidence["given_for"] else ""
    held += f"; ends {evidence['until']}" if evidence["until"] else ""
    brings = [f"brings {', '.join(evidence['brings'])}"] if evidence["brings"] else []
    contains = evidence["contains"]
    more = f" and {len(contains) - 3} more" if len(contains) > 3 else ""
    return [held, *brings, f"contains {'; '.join(contains[:3])}{more}" if contains else "contains nothing"]


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
        reviewers += lines.reviewers()
        found += [(review, it) for it in progress_of(lines, now(), most)]
    if most is not None and len(found) > most:
        found = sorted(found, key=lambda it: -it[1].left)[:most]
    names = names_of(records, (it.reviewer for _, it in found))
    rows: list[Row] = []
    for review, it in found:
        days = it.days_left if review.state == OPEN else None  # nothing is due any more
        rows.append({**vars(it), "days_left": days, "name": names.get(it.reviewer), "state": review.state})
    behind = {review.name for review, it in found if it.left}
    heading = f"{plural(len(reviews), 'review')}, {plural(left, 'line')} left" if reviews else "There is no review yet."
    name = behind.pop() if len(behind) == 1 else "NAME"
    hint = f"Next: kathodos review lines {name} --undecided" if left else ""
    if reviewers > len(found):
        hint = f"{reviewers - len(found)} more reviewers: --format csv lists all. {hint}".rstrip()
    if not reviews:
        hint = "Open one: kathodos review open NAME --where FILTER --by-manager --due DATE"
    return Answer(_STATUS, rows, heading, hint=hint)


def _closed_as_data(closing: Closing) -> dict[str, Any]:
    return {
        "review": closing.lines.review.name,
        "certified": closing.lines.numbers[closing.certified].tolist(),
        "revoked": closing.lines.numbers[closing.revoked].tolist(),
        "left_open": closing.lines.numbers[closing.left_open].tolist(),
        "ended": closing.ended,
        "gone_before": closing.gone_before,
    }


def what_is_drafted(drafted: Drafted) -> str:
    """What a review would be about. Raises CallError where it would have no line."""
    if not len(drafted):
        what = "Nobody whom the filter selects holds a grant; there is nothing to review."
        raise CallError(what, "Widen the filter.")
    about = [plural(drafted.people, "person", "people")] if drafted.people else []
    about += [plural(drafted.accounts, "account") + " of nobody"] if drafted.accounts else []
    return f"{plural(len(drafted), 'line')} about {' and '.join(about)}"


def review_opened(name: str, drafted: Drafted, due: str, opener: str, is_done: bool) -> Answer:
    """What is said of a review that is opened, or would be."""
    text = []
    if drafted.beyond:
        text.append(
            f"{plural(drafted.beyond, 'grant')} that come by a group's filter or from everyone are no lines: "
            "they cannot be taken from one person."
        )
    if drafted.without_reviewer:
        without = plural(drafted.without_reviewer, "of them has", "of them have")
        text.append(f"{without} no manager, or nobody who answers for it; {opener} decides about these.")
    document = {
        "review": name,
        "lines": len(drafted),
        "people": drafted.people,
        "accounts": drafted.accounts,
        "due": due,
    }
    heading = f"{'Opened' if is_done else 'Would open'} {name}: {what_is_drafted(drafted)}."
    hint = f"Next: kathodos review lines {name}" if is_done else ""
    return Answer(heading=heading, text=text, hint=hint, document=document)


def lines_decided(lines: ReviewLines, chosen: Ints, decision: str, actor: str) -> Answer:
    """What is said once some lines are decided; `lines` are as they were before."""
    undecided = ~lines.is_decided
    undecided[chosen] = False
    left, review = int(undecided.sum()), lines.review
    reviewers = map(str, lines.column("reviewer", chosen).compact().values)
    named = sorted({*reviewers} - {name_in("identity", actor)})
    text = [f"{actor} decided in place of {', '.join(named)}; the ledger says so."] if named else []
    done = "Certified" if decision == CERTIFY else "Revoked"
    heading = f"{done} {plural(len(chosen), 'line')} of {review.name}; {left} left."
    hint = f"Next: kathodos review {'lines --undecided' if left else 'close'} {review.name}"
    document = {
        "review": review.name,
        "decision": decision,
        "lines": lines.numbers[chosen].tolist(),
        "left": left,
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


def what_is_closed(planned: Closing) -> str:
    """How many lines a closing certifies, revokes and leaves."""
    return (
        f"{len(planned.certified)} certified, {len(planned.revoked)} revoked "
        f"({plural(len(planned.ended), 'record')} to end), {len(planned.left_open)} left open"
    )


def would_close(planned: Closing) -> Answer:
    """What is said where nothing is signed off yet."""
    heading = f"Would sign off {planned.lines.review.name}: {what_is_closed(planned)}."
    hint = "As you want it? The same without --dry-run."
    return Answer(heading=heading, text=planned.ended, hint=hint, document=_closed_as_data(planned))


def review_closed(done: Closing) -> Answer:
    """What is said once a review is signed off as far as it is decided."""
    text = [f"ended: {record}" for record in done.ended]
    text += [f"was gone already: {record}" for record in done.gone_before]
    hint = "Proof: kathodos ledger verify; kathodos ledger list --kind 'review close'"
    if len(done.left_open):
        hint = f"{plural(len(done.left_open), 'line')} stayed open: decide and close again, or close with --undecided."
    heading = f"Signed off {done.lines.review.name}: {what_is_closed(done).replace(' to end', ' ended')}."
    return Answer(heading=heading, text=text, hint=hint, document=_closed_as_data(done))
