"""Reviews in words: what is opened, its lines with their evidence, what is decided, how far it is, and its closing."""

from __future__ import annotations

from typing import Any

from kathodos.errors import CallError
from kathodos.model.kinds import SYSTEMS
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines
from kathodos.report.review_words import whose
from kathodos.review.authority import Capacity
from kathodos.review.choosing import CAPACITIES, Chosen
from kathodos.review.closing import Closing
from kathodos.review.lines import (
    CERTIFY,
    CORRECT,
    OPEN,
    REDUCE,
    REVOKE,
    Review,
    ReviewLines,
    find_review,
    names_of,
    reviews_in,
)
from kathodos.review.opening import Drafted
from kathodos.review.reducing import Reduction
from kathodos.review.remarks import Sort
from kathodos.review.subjects import About, Decision
from kathodos.store.records import columns_of
from kathodos.workspace.view import View

_MOST_NAMED = 5


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


def _closed_as_data(closing: Closing) -> dict[str, Any]:
    return {
        "review": closing.lines.review.name,
        "certified": closing.lines.numbers[closing.certified].tolist(),
        "reduced": closing.lines.numbers[closing.reduced].tolist(),
        "revoked": closing.lines.numbers[closing.revoked].tolist(),
        "left_open": closing.lines.numbers[closing.left_open].tolist(),
        "ended": closing.outcome.ended,
        "lessened": closing.outcome.lessened,
        "gone_before": closing.outcome.gone_before,
        "signs": closing.signs,
    }


def what_is_drafted(drafted: Drafted) -> str:
    """What a review would be about. Raises CallError where it would have no line."""
    if not len(drafted):
        raise CallError(f"{_EMPTY[drafted.about]}; there is nothing to review.", "Widen the filter.")
    about = [plural(drafted.people, "person", "people")] if drafted.people else []
    about += [plural(drafted.accounts, "account") + " of nobody"] if drafted.accounts else []
    if drafted.about in (About.RESOURCES, About.ROLES):
        one, name = ("resource", "part") if drafted.about == About.RESOURCES else ("role", "holder")
        about = [plural(len(drafted.column(name).compact().values), one)]
    return f"{plural(len(drafted), 'line')} about {' and '.join(about)}"


_EMPTY = {
    About.ACCESS: "Nobody whom the filter selects holds a grant",
    About.ACCOUNTS: "The filter selects no account",
    About.RESOURCES: "No grant opens a resource that the filter selects",
    About.ROLES: "The filter selects no role",
    About.IDENTITY_DATA: "The filter selects nobody",
    About.COVERS: "No cover holds on a conflict of anybody whom the filter selects",
}


def review_opened(name: str, drafted: Drafted, due: str, opener: str, is_done: bool) -> Answer:
    """What is said of a review that is opened, or would be."""
    text = []
    if drafted.beyond:
        text.append(
            f"{plural(drafted.beyond, 'grant comes', 'grants come')} to them by a group's filter or as everyone. "
            "Such grants cannot be taken from one person alone, and are not in the review."
        )
    if not drafted.has_findings:
        text.append(
            "There are so many people that excess and risk do not stand beside the lines: --thorough adds them."
        )
    if len(drafted.carried[0]):
        lines = plural(len(drafted.carried[0]), "line is", "lines are")
        text.append(f"{lines} carried over: certified before, and not changed since.")
    if drafted.without_reviewer:
        without = plural(drafted.without_reviewer, "of them has", "of them have")
        missing = f"{without} no manager, or nobody who answers for it"
        if drafted.about != About.ACCESS:
            lines = plural(drafted.without_reviewer, "line has", "lines have")
            missing = f"{lines} nobody of the chain who is active and not concerned"
        text.append(f"{missing}; {opener} decides about these.")
    document = {
        "review": name,
        "lines": len(drafted),
        "people": drafted.people,
        "accounts": drafted.accounts,
        "due": due,
        "carried": len(drafted.carried[0]),
    }
    heading = f"{'Opened' if is_done else 'Would open'} {name}: {what_is_drafted(drafted)}."
    hint = f"Next: kathodos review lines {name}" if is_done else ""
    return Answer(heading=heading, text=text, hint=hint, document=document)


def lines_decided(done: Chosen, decision: Decision | None, actor: str, reduction: Reduction | None = None) -> Answer:
    """What is said once some lines are decided; None: once what was decided is taken back."""
    lines, chosen = done.lines, done.at
    undecided = ~lines.is_decided
    undecided[chosen] = decision is None
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
    what = f"{plural(len(chosen), 'line')} of {review.name}"
    heading = f"Took back what was decided of {what}; {left} left."
    if decision is not None:
        less = f" {reduction.in_words}" if reduction is not None and decision in (REDUCE, CORRECT) else ""
        heading = f"{_DECIDED[decision]} {what}{less}; {left} left."
    hint = f"Next: kathodos review {'lines --undecided' if left else 'close'} {review.name}"
    document = {
        "review": review.name,
        "decision": decision,
        "lines": lines.numbers[chosen].tolist(),
        "as": counts,
        "left": left,
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


_DECIDED = {CERTIFY: "Certified", REDUCE: "Reduced", REVOKE: "Revoked", CORRECT: "Corrected"}


def lines_spoken_of(done: Chosen, sort: Sort, whom: str = "") -> Answer:
    """What is said once lines are passed on, asked about, answered or commented on."""
    lines, review = done.lines, done.lines.review.name
    what = f"{plural(len(done.at), 'line')} of {review}"
    told = {
        Sort.PASSED_ON: f"Passed on {what} to {whom}.",
        Sort.QUESTION: f"Asked {whom} about {what}; to be decided once it is answered, or without.",
        Sort.ANSWER: f"Answered what was asked about {what}.",
        Sort.COMMENT: f"Put a comment on {what}.",
    }
    hint = {
        Sort.PASSED_ON: f"For {whom}: kathodos review lines {review} --reviewer {whom.partition(' ')[0]}",
        Sort.QUESTION: f"For {whom}: kathodos review answer all --review {review} --say TEXT --as {whom}",
    }.get(sort, f"Next: kathodos review lines {review} --undecided")
    document = {"review": review, "sort": str(sort), "lines": lines.numbers[done.at].tolist(), "whom": whom or None}
    return Answer(heading=told[sort], hint=hint, document=document)


def removals(view: View, name: str | None, form: str) -> Answer:
    """What was revoked in a review, system by system, for the owners of the systems to take away."""
    records = view.catalogue
    lines = ReviewLines(records, _newest(reviews_in(records), name))
    chosen = lines.decided("decision").holding(REVOKE).nonzero()[0]
    names = names_of(records, map(str, lines.column("identity", chosen).compact().values))
    owners = dict(zip(*columns_of(records, SYSTEMS, "system", "owner"), strict=True))
    rows = []
    for line in lines.records_at(chosen):
        system = _system_of(line)
        name = names.get(line["identity"] or "")
        rows.append(
            {
                **{key: line[key] for key in ("review", "line", "identity", "account", "gives", "decided_by")},
                "system": system,
                "owner": owners.get(system),
                "name": name,
                "whose": Lines(filter(None, whose({**line, "name": name}))),
                "what": f"membership in {line['gives']}" if "member" in line["item"] else line["gives"],
                "where": _where(line["item"]),
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


def _system_of(line: dict[str, Any]) -> str:
    """The system in which something is given: of a role or group its own, of a permission that of the resource."""
    item, first = line["item"], line["gives"].removeprefix("deny ")
    for key in ("account", "role"):
        if key in item:
            return str(item[key]).partition("/")[0]
    if "resource" in item:
        return str(item["resource"]).partition(":")[0]
    for prefix in ("role:", "group:"):
        if first.startswith(prefix):
            return str(first.removeprefix(prefix).partition("/")[0])
    return str(first.partition(" ")[2].partition(":")[0]) if "grant" in item else ""


def _where(item: dict[str, Any]) -> str:
    """Where what is to go stands: the grant, the membership, the record of the person or role."""
    if "grant" in item:
        return f"grant:{item['grant']}"
    if "member" in item:
        return f"{item['member']} in {item['group']}"
    kind, key = next(iter(item.items()))
    rest = item.get("entry") or item.get("attribute") or item.get("identity" if kind == "rule" else "")
    return f"{kind}:{key}" + (f" {rest}" if rest else "")


def what_is_closed(planned: Closing) -> str:
    """How many lines a closing certifies, revokes and leaves."""
    less = "corrected" if planned.lines.review.about == About.IDENTITY_DATA else "reduced"
    what = {
        About.ACCOUNTS: f"{plural(len(planned.outcome.ended), 'account')} to be disabled",
        About.ROLES: f"{plural(len(planned.outcome.ended), 'role or entry', 'roles and entries')} to go",
        About.IDENTITY_DATA: f"{plural(len(planned.outcome.ended), 'attribute')} to be emptied",
    }.get(About(planned.lines.review.about), f"{plural(len(planned.outcome.ended), 'record')} to end")
    return (
        f"{len(planned.certified)} certified, {len(planned.reduced)} {less}, {len(planned.revoked)} revoked "
        f"({what}), {len(planned.left_open)} left open{_by_closing(planned)}"
    )


def _by_closing(planned: Closing) -> str:
    """How many of them only the closing decides, since nobody did."""
    count = int(planned.by_closing.sum())
    return f"; {count} of them by the closing, as nobody had decided" if count else ""


def would_close(planned: Closing) -> Answer:
    """What is said where nothing is signed off yet."""
    heading = f"Would sign off {planned.lines.review.name}: {what_is_closed(planned)}."
    hint = "As you want it? The same without --dry-run."
    text = [*_signs(planned), *planned.outcome.ended, *(f"made less: {it}" for it in planned.outcome.lessened)]
    return Answer(heading=heading, text=text, hint=hint, document=_closed_as_data(planned))


def _signs(closing: Closing) -> list[str]:
    """What somebody should look at again before the signature."""
    return [f"Look again: {it}." for it in closing.signs]


_GOES = {
    About.ACCOUNTS: ("to be disabled", "disabled"),
    About.ROLES: ("to be switched off, or to end", "switched off, or ended"),
    About.IDENTITY_DATA: ("to be emptied", "emptied"),
}
_LESS = {About.IDENTITY_DATA: ("to be corrected", "corrected")}


def review_closed(done: Closing) -> Answer:
    """What is said once a review is signed off as far as it is decided."""
    about = About(done.lines.review.about)
    goes = _GOES.get(about, ("to end", "ended"))[not done.ordered]
    less = _LESS.get(about, ("to be less", "made less"))[not done.ordered]
    order = "ordered " if done.ordered else ""
    text = _signs(done) + [f"{order}{goes}: {record}" for record in done.outcome.ended]
    text += [f"{order}{less}: {record}" for record in done.outcome.lessened]
    text += [f"was gone already, or ordered to end: {record}" for record in done.outcome.gone_before]
    hint = "Proof: kathodos ledger verify; kathodos ledger list --kind 'review close'"
    if done.ordered:
        hint = f"Hand it over to the systems' owners: kathodos orders worklist --change {done.change}"
    if len(done.left_open):
        hint = f"{plural(len(done.left_open), 'line')} stayed open: decide and close again, or close with --undecided."
    heading = f"Signed off {done.lines.review.name}: {what_is_closed(done)}."
    return Answer(heading=heading, text=text, hint=hint, document=_closed_as_data(done))
