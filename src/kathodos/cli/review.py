"""`kathodos review`: open a certification, see its lines with evidence, decide, follow, sign off."""

from __future__ import annotations

import argparse
import sys
from typing import TYPE_CHECKING, Any

from kathodos.cli.options import Commands, Formatter, acting, command, confirming
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.output.answers import window
from kathodos.report.answers import Answer, Field, Lines

if TYPE_CHECKING:
    from kathodos.review.rounds import Closing, ReviewLines

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
_FACTS = ("peers", "everyone", "last_used", "needed_by", "conflicts", "reviewer")
_WIDE = 110
_MOST_SHOWN = 200  # lines, to a person
_KEYS = (
    *("review", "line", "identity", "name", "reviewer", "item", "gives", "how", "brings", "contains", "needed_by"),
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


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "review",
        help="certify access: open, lines, decide, status, close",
        description="Certify access: open a review, decide its lines with the evidence beside them, sign it off.",
        epilog="example:\n  kathodos review status        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)
    for add_step in (_add_open, _add_lines, _add_decide, _add_status, _add_close):
        add_step(steps, common, formatter)


def _add_open(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make the lines of a new review from the grants that people hold"
    example = "  kathodos review open autumn --where 'department eq \"Dues office\"' --by-manager --due 2026-07-31"
    opening = command(steps, "open", common, formatter, run_open, what, example)
    opening.add_argument("name", metavar="NAME", help="a name for the review")
    opening.add_argument("--where", metavar="FILTER", required=True, help="whose access: a filter over identities")
    opening.add_argument("--by-manager", action="store_true", required=True, help="each line is decided by the manager")
    opening.add_argument("--due", metavar="DATE", required=True, help="the day by which all is to be decided")
    acting(opening)
    confirming(opening)


def _add_lines(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "show the lines of a review with their evidence"
    example = "  kathodos review lines autumn --reviewer p0101 --undecided"
    lines = command(steps, "lines", common, formatter, run_lines, what, example)
    lines.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    lines.add_argument("--reviewer", metavar="ID", help="only the lines of one reviewer")
    lines.add_argument("--whose", metavar="ID", help="only the lines about one person")
    lines.add_argument("--undecided", action="store_true", help="only what is left to decide")


def _add_decide(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "certify or revoke lines; nobody decides about themselves"
    example = (
        "  kathodos review decide 4 7-9 revoke --as p0101 --reason 'left the pilots in May'\n"
        "  kathodos review decide all certify --review autumn --as p0101"
    )
    deciding = command(steps, "decide", common, formatter, run_decide, what, example)
    deciding.add_argument("lines", nargs="+", metavar="LINE", help="numbers, ranges as 7-9, or all that is left")
    deciding.add_argument("decision", choices=("certify", "revoke"), help="keep the access, or take it away")
    deciding.add_argument("--review", metavar="NAME", help="which review (default: the one that is open)")
    acting(deciding)


def _add_status(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "say who has decided how much, and how many days are left"
    status = command(steps, "status", common, formatter, run_status, what, "  kathodos review status autumn")
    status.add_argument("name", nargs="?", metavar="NAME", help="which review (default: all)")


def _add_close(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "sign off what is decided: what is revoked ends, what is undecided stays open"
    example = "  kathodos review close autumn --undecided revoke --as p0001 --reason 'no answer by the due day'"
    closing = command(steps, "close", common, formatter, run_close, what, example)
    closing.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    closing.add_argument("--undecided", choices=("certify", "revoke"), help="what to do with lines nobody decided")
    acting(closing)
    confirming(closing)


def run_open(session: Session) -> int:
    from kathodos.model.kinds import IDENTITIES
    from kathodos.model.times import normal_moment
    from kathodos.review.rounds import OpenReview, draft_review

    asked, view = session.arguments, session.view
    try:
        due = normal_moment(asked.due)
    except ValueError as error:
        raise CallError(f"--due {asked.due} is no day: {error}.") from None
    positions, _ = view.selecting(IDENTITIES, asked.where)
    chosen = view.numbers_at(positions)
    drafted = draft_review(view.context, view.findings.conflicts, chosen, view.rules.needs, session.actor)
    what = f"{plural(len(drafted), 'line')} about {plural(drafted.people, 'person', 'people')}"
    if not len(drafted):
        raise CallError(
            "Nobody whom the filter selects holds a grant; there is nothing to review.", "Widen the filter."
        )
    text = []
    if drafted.beyond:
        text.append(
            f"{plural(drafted.beyond, 'grant')} that come by a group's filter or from everyone are no lines: "
            "they cannot be taken from one person."
        )
    if drafted.without_reviewer:
        text.append(
            f"{plural(drafted.without_reviewer, 'person has', 'people have')} no manager; {session.actor} decides."
        )
    document = {"review": asked.name, "lines": len(drafted), "people": drafted.people, "due": due}
    if asked.dry_run or not session.agrees(f"Open {asked.name} with {what}?"):
        return session.answer(Answer(heading=f"Would open {asked.name}: {what}.", text=text, document=document))
    session.carry_out(OpenReview(asked.name, asked.where, due, drafted))
    hint = f"Next: kathodos review lines {asked.name}"
    return session.answer(Answer(heading=f"Opened {asked.name}: {what}.", text=text, hint=hint, document=document))


def run_lines(session: Session) -> int:
    import numpy as np

    from kathodos.review.rounds import ReviewLines, find_review, names_of, reviews_in

    asked, records = session.arguments, session.view.catalogue
    lines = ReviewLines(records, find_review(reviews_in(records), asked.name))
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
    most = len(chosen) if session.format != "table" else _MOST_SHOWN
    names = names_of(records, map(str, lines.column("identity").taken(chosen[:most]).compact().values))
    rows = ({**_first(line, names), **line} for line in lines.records_at(chosen[:most]))
    if session.format != "table":
        return session.answer(Answer([Field(key, key) for key in _KEYS], rows))
    if len(chosen) > most:
        hint = f"{len(chosen) - most} more lines: --reviewer ID or --whose ID shows some, --format csv all. {hint}"
    is_narrow = (window(sys.stdout) or _WIDE) < _WIDE
    fields = [shown for shown in _LINES if not is_narrow or shown.key not in _FACTS]
    return session.answer(Answer(fields, [_shown(row, is_narrow) for row in rows], heading, hint=hint))


def _named(lines: ReviewLines, column: str, text: str) -> str:
    """The identity whose lines there are, or who decides some. Raises CallError with the nearest."""
    from kathodos.model.suggestions import nearest

    names = [str(name) for name in lines.column(column).compact().values]
    name = text.removeprefix("identity:")
    if name not in names:
        what = "about" if column == "identity" else "for the reviewer"
        raise CallError(f"{lines.review.name} has no line {what} {name}.", nearest(name, names))
    return name


def _first(line: dict[str, Any], names: dict[str, str | None]) -> dict[str, Any]:
    """What stands first of a line: which it is, and about whom."""
    name = names.get(line["identity"])
    return {"review": line["review"], "line": line["line"], "identity": line["identity"], "name": name}


def _shown(line: dict[str, Any], is_narrow: bool) -> dict[str, Any]:
    """A line for the table. What can be scanned stands in columns, in words where they have no room."""
    used = line["last_used"]
    decision = [line["decision"] or "undecided"]
    if line["decision"]:
        decision += [f"by {line['decided_by']}", *([line["decision_reason"]] if line["decision_reason"] else [])]
    facts = {
        "peers": f"{line['peers_having']} of {line['peers_counted']}",
        "everyone": f"{line['everyone_having']} of {line['everyone_counted']}",
        "last_used": used[:10] if used else "never seen",
        "needed_by": ", ".join(line["needed_by"]) or "no",
        "conflicts": ", ".join(line["conflicts"]),
    }
    words = (
        f"{facts['peers']} peers, {facts['everyone']} of everybody; needed: {facts['needed_by']}; "
        f"last used: {facts['last_used']}" + (f"; part of conflict {facts['conflicts']}" if facts["conflicts"] else "")
    )
    return {
        "line": line["line"],
        "whose": Lines([line["name"] or "", line["identity"]]),
        "what": Lines([line["gives"], *([words] if is_narrow else []), *words_about(line)]),
        **facts,
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


def run_decide(session: Session) -> int:
    from kathodos.review.rounds import REVOKE, Decide

    asked = session.arguments
    if asked.decision == REVOKE and not session.reason:
        raise CallError("To revoke, say why: --reason TEXT is missing.", "The person and the auditor will ask.")
    lines, chosen = session.carry_out(Decide(asked.review, asked.lines, asked.decision)).result
    undecided = ~lines.is_decided
    undecided[chosen] = False
    left, review = int(undecided.sum()), lines.review
    reviewers = map(str, lines.column("reviewer").taken(chosen).compact().values)
    named = sorted({*reviewers} - {session.actor.removeprefix("identity:")})
    text = [f"{session.actor} decided in place of {', '.join(named)}; the ledger says so."] if named else []
    done = {"certify": "Certified", "revoke": "Revoked"}[asked.decision]
    heading = f"{done} {plural(len(chosen), 'line')} of {review.name}; {left} left."
    hint = f"Next: kathodos review {'lines --undecided' if left else 'close'} {review.name}"
    numbers = lines.numbers[chosen].tolist()
    document = {"review": review.name, "decision": asked.decision, "lines": numbers, "left": left}
    return session.answer(Answer(heading=heading, text=text, hint=hint, document=document))


def run_status(session: Session) -> int:
    from kathodos.model.times import now
    from kathodos.review.rounds import ReviewLines, find_review, names_of, progress_of, reviews_in

    records = session.view.catalogue
    reviews = reviews_in(records)
    if session.arguments.name:
        reviews = [find_review(reviews, session.arguments.name)]
    found = [(review, it) for review in reviews for it in progress_of(ReviewLines(records, review), now())]
    names = names_of(records, (it.reviewer for _, it in found))
    rows = [{**vars(it), "name": names.get(it.reviewer), "state": review.state} for review, it in found]
    left = sum(it.left for _, it in found)
    heading = f"{plural(len(reviews), 'review')}, {plural(left, 'line')} left" if reviews else "There is no review yet."
    hint = "Next: kathodos review lines NAME --undecided" if left else ""
    if not reviews:
        hint = "Open one: kathodos review open NAME --where FILTER --by-manager --due DATE"
    return session.answer(Answer(_STATUS, rows, heading, hint=hint))


def run_close(session: Session) -> int:
    from kathodos.review.rounds import CloseReview

    asked = session.arguments
    closing = CloseReview(asked.name, asked.undecided)
    _, planned = session.view.plan(closing, session.actor, session.reason)
    what = (
        f"{len(planned.certified)} certified, {len(planned.revoked)} revoked "
        f"({plural(len(planned.ended), 'record')} to end), {len(planned.left_open)} left open"
    )
    name = planned.lines.review.name
    if asked.dry_run or not session.agrees(f"Sign off {name}: {what}?"):
        return session.answer(
            Answer(heading=f"Would sign off {name}: {what}.", text=planned.ended, document=_closing(planned))
        )
    done = session.carry_out(closing).result
    text = [f"ended: {record}" for record in done.ended]
    text += [f"was gone already: {record}" for record in done.gone_before]
    hint = "Proof: kathodos ledger verify; kathodos ledger list --kind 'review close'"
    if len(done.left_open):
        hint = f"{plural(len(done.left_open), 'line')} stayed open: decide and close again, or close with --undecided."
    heading = f"Signed off {name}: {what.replace(' to end', ' ended')}."
    return session.answer(Answer(heading=heading, text=text, hint=hint, document=_closing(done)))


def _closing(closing: Closing) -> dict[str, Any]:
    return {
        "review": closing.lines.review.name,
        "certified": closing.lines.numbers[closing.certified].tolist(),
        "revoked": closing.lines.numbers[closing.revoked].tolist(),
        "left_open": closing.lines.numbers[closing.left_open].tolist(),
        "ended": closing.ended,
        "gone_before": closing.gone_before,
    }
