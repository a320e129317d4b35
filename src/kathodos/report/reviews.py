"""Reviews in words: what is opened, its lines with their evidence, what is decided, how far it is, and its closing."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from typing import Any

import numpy as np

from kathodos.errors import CallError
from kathodos.model.kinds import IDENTITIES, SYSTEMS
from kathodos.model.references import name_in
from kathodos.model.suggestions import nearest
from kathodos.model.times import now
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines, Row
from kathodos.report.marks import Marks
from kathodos.review.authority import Capacity
from kathodos.review.closing import Closing
from kathodos.review.deciding import CAPACITIES, Decided
from kathodos.review.line_attributes import LineAttributes
from kathodos.review.lines import (
    CERTIFY,
    OPEN,
    REVOKE,
    Review,
    ReviewLines,
    find_review,
    names_of,
    progress_of,
    reviews_in,
)
from kathodos.review.opening import Drafted
from kathodos.store.naming import resolved
from kathodos.store.records import columns_of
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
_MOST_NAMED = 5
_KEYS = (
    *("review", "line", "identity", "account", "name", "status", "ends", "former_department", "reviewer", "item"),
    *("gives", "how", "brings", "contains", "needed", "needed_by", "conflicts", "fences", "use", "use_recorded_since"),
    *("last_used", "until", "given_by", "given_at", "given_for", "everyone_having", "everyone_counted"),
    *("peers_having", "peers_counted", "decision", "decided_by", "decided_at", "capacity", "decision_reason"),
    *("signed_off", "ordered"),
)


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
_REMOVALS = (
    Field("system", "System", 9, least=10),
    Field("owner", "Owner", 7, least=8),
    Field("whose", "Whose", 8, least=12),
    Field("what", "What is to go", 9, least=20),
    Field("where", "Where it stands", 6, least=12),
    Field("reason", "Why", 5, least=12),
    Field("decided_by", "Decided by", 4, least=8),
    Field("state", "State", 6, least=9),
)


@dataclass(frozen=True)
class LineChoice:
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
    heading = f"{review.name} ({review.state}): {plural(len(lines), 'line')}, {left} left, due {review.due}"
    hint = "Decide: kathodos review decide LINE... certify|revoke --reason TEXT"
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
    ordered = marks.of_grant(item["grant"]) if "grant" in item else marks.of_membership(item["member"], item["group"])
    return ordered or None


def _first(line: dict[str, Any], names: dict[str, str | None]) -> dict[str, Any]:
    """What stands first of a line: which it is, and about whom."""
    name = names.get(line["identity"] or "")
    return {"review": line["review"], "line": line["line"], "name": name}


def _shown(line: dict[str, Any], is_narrow: bool) -> dict[str, Any]:
    """A line for the table. What can be scanned stands in columns, in words where they have no room."""
    used = line["last_used"]
    decision = [line["decision"] or "undecided"]
    if line["decision"]:
        capacity = f" ({line['capacity']})" if line["capacity"] not in (None, Capacity.REVIEWER) else ""
        decision += [f"by {line['decided_by']}{capacity}"]
        decision += [line["decision_reason"]] if line["decision_reason"] else []
    decision += [line["ordered"]] if line["ordered"] else []
    since = line["use_recorded_since"]
    never = f"never since {since[:10]}" if since else "not recorded"
    cells = {
        "peers": f"{line['peers_having']} of {line['peers_counted']}" if line["peers_counted"] else "no peers",
        "everyone": f"{line['everyone_having']} of {line['everyone_counted']}",
        "last_used": used[:10] if used else never,
        "needed_by": ", ".join(line["needed_by"]) or line["needed"],
        "conflicts": ", ".join([*line["conflicts"], *line["fences"]]),
    }
    broken = [f"part of the conflict {', '.join(line['conflicts'])}"] if line["conflicts"] else []
    broken += [f"crosses the fence {', '.join(line['fences'])}"] if line["fences"] else []
    words = (
        f"held by {cells['peers']} peers and by {cells['everyone']} people; needed: {cells['needed_by']}; "
        f"last used: {cells['last_used']}" + "".join(f"; {it}" for it in broken)
    )
    return {
        "line": line["line"],
        "whose": Lines([line["name"] or "", line["identity"] or f"account:{line['account']}", *_facts(line)]),
        "what": Lines([line["gives"], *([words] if is_narrow else []), *words_about(line)]),
        **cells,
        "reviewer": line["reviewer"],
        "decision": Lines(decision),
    }


def _facts(line: dict[str, Any]) -> list[str]:
    """What is to be known of the person, where it is not as usual."""
    facts = [line["status"]] if line["status"] not in (None, "active", "enabled") else []
    facts += [f"until {line['ends'][:10]}"] if line["ends"] else []
    return facts + ([f"came from {line['former_department']}"] if line["former_department"] else [])


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
            f"{plural(drafted.beyond, 'grant comes', 'grants come')} to them by a group's filter or as everyone. "
            "Such grants cannot be taken from one person alone, and are not in the review."
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


def lines_decided(done: Decided, decision: str, actor: str) -> Answer:
    """What is said once some lines are decided."""
    lines, chosen = done.lines, done.chosen
    undecided = ~lines.is_decided
    undecided[chosen] = False
    left, review = int(undecided.sum()), lines.review
    text, counts = [], {}
    for at, capacity in enumerate(CAPACITIES):
        some = chosen[done.capacity == at]
        counts[str(capacity)] = len(some)
        if len(some) and capacity != Capacity.REVIEWER:
            reviewers = sorted(map(str, lines.column("reviewer", some).compact().values))
            of = ", ".join(reviewers[:_MOST_NAMED]) + (" and others" if len(reviewers) > _MOST_NAMED else "")
            how = "as a stand-in for" if capacity == Capacity.STAND_IN else "in place of"
            text.append(f"{actor} decided {plural(len(some), 'line')} {how} {of}; the ledger says so.")
    verb = "Certified" if decision == CERTIFY else "Revoked"
    heading = f"{verb} {plural(len(chosen), 'line')} of {review.name}; {left} left."
    hint = f"Next: kathodos review {'lines --undecided' if left else 'close'} {review.name}"
    document = {
        "review": review.name,
        "decision": decision,
        "lines": lines.numbers[chosen].tolist(),
        "as": counts,
        "left": left,
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


def removals(view: View, name: str | None, form: str) -> Answer:
    """What was revoked in a review, system by system, for the owners of the systems to take away."""
    records = view.catalogue
    lines = ReviewLines(records, _newest(reviews_in(records), name))
    chosen = lines.decided("decision").holding(REVOKE).nonzero()[0]
    names = names_of(records, map(str, lines.column("identity", chosen).compact().values))
    owners = dict(zip(*columns_of(records, SYSTEMS, "system", "owner"), strict=True))
    rows = []
    for line in lines.records_at(chosen):
        system = _system_of(line["gives"])
        item, whose = line["item"], line["identity"] or f"account:{line['account']}"
        rows.append(
            {
                **{key: line[key] for key in ("review", "line", "identity", "account", "gives", "decided_by")},
                "system": system,
                "owner": owners.get(system),
                "name": names.get(line["identity"] or ""),
                "whose": Lines([*filter(None, [names.get(line["identity"] or "")]), whose]),
                "what": line["gives"] if "grant" in item else f"membership in {line['gives']}",
                "where": f"grant:{item['grant']}" if "grant" in item else f"{item['member']} in {item['group']}",
                "reason": line["decision_reason"],
                "state": "signed off" if line["signed_off"] else "not signed off",
            }
        )
    rows.sort(key=lambda row: (row["system"], row["line"]))
    heading = f"{plural(len(rows), 'line')} of {lines.review.name} {'is' if len(rows) == 1 else 'are'} revoked, in "
    heading += plural(len({row["system"] for row in rows}), "system")
    if form != "table":
        return Answer([Field(key, key) for key in _REMOVED], rows)
    hint = f"For a system's owner: kathodos review removals {lines.review.name} --format csv" if rows else ""
    return Answer(_REMOVALS, rows, heading, hint=hint)


_REMOVED = (
    *("review", "system", "owner", "line", "identity", "account", "name", "gives", "where", "reason", "decided_by"),
    "state",
)


def _newest(reviews: list[Review], name: str | None) -> Review:
    """The review of a name; else the only open one, or the one that was opened last."""
    if name is None and reviews and not any(review.state == OPEN for review in reviews):
        return max(reviews, key=lambda it: it.opened_at)
    return find_review(reviews, name)


def _system_of(gives: str) -> str:
    """The system in which something is given: of a role or group its own, of a permission that of the resource."""
    first = gives.removeprefix("deny ")
    for prefix in ("role:", "group:"):
        if first.startswith(prefix):
            return first.removeprefix(prefix).partition("/")[0]
    return first.partition(" ")[2].partition(":")[0]


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
    word = "ordered to end" if done.ordered else "ended"
    text = [f"{word}: {record}" for record in done.ended]
    text += [f"was gone already, or ordered to end: {record}" for record in done.gone_before]
    hint = "Proof: kathodos ledger verify; kathodos ledger list --kind 'review close'"
    if done.ordered:
        hint = f"Hand it over to the systems' owners: kathodos orders worklist --change {done.change}"
    if len(done.left_open):
        hint = f"{plural(len(done.left_open), 'line')} stayed open: decide and close again, or close with --undecided."
    heading = f"Signed off {done.lines.review.name}: {what_is_closed(done)}."
    return Answer(heading=heading, text=text, hint=hint, document=_closed_as_data(done))
