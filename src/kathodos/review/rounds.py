"""A review from opening to sign-off: lines made, decisions taken, revoked assignments ended in the catalogue."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import Any

import sqlalchemy as sa

from kathodos.analysis.snapshot import Snapshot
from kathodos.columns.dictionary import Scalar
from kathodos.engine.index import Index
from kathodos.errors import CallError
from kathodos.findings.conflicts.states import find_conflicts
from kathodos.ledger.entries import Draft, writing
from kathodos.ledger.keys import Keys
from kathodos.model import times
from kathodos.model.kinds import ACCOUNTS, DECISIONS, GRANTS, IDENTITIES, MEMBERS, REVIEW_LINES, REVIEWS, Kind
from kathodos.model.rows import Rows, State
from kathodos.model.suggestions import nearest
from kathodos.review.evidence import Witness
from kathodos.review.items import Item, beyond_items, items_of
from kathodos.rules.reading import Rules
from kathodos.store.base import Store
from kathodos.store.records import InMemory
from kathodos.store.tables import read_rows

OPEN, SIGNED = "open", "signed off"
CERTIFY, REVOKE = "certify", "revoke"
CLOSING = "review close"


@dataclass(frozen=True)
class Line:
    """One line: whose, what, who is to decide, the evidence as it was at the opening, the decision if any."""

    review: str
    number: int
    identity: str
    reviewer: str
    item: dict[str, str]
    evidence: dict[str, Any]
    decision: str | None = None
    decided_by: str | None = None
    decided_at: str | None = None
    reason: str | None = None
    is_signed: bool = False


@dataclass(frozen=True)
class Review:
    """A review and its lines, oldest first."""

    name: str
    selects: str
    opened_by: str
    due: str
    state: str
    signed_at: str | None
    signed_by: str | None
    lines: list[Line]


@dataclass(frozen=True)
class Drafted:
    """A review about to be opened: its lines, the number of people, and of grants that are no line of theirs."""

    lines: list[tuple[Scalar, ...]]
    people: int
    beyond: int
    without_reviewer: int


def draft_review(
    name: str, chosen: Sequence[int], state: State, index: Index, rules: Rules, opener: str, moment: int
) -> Drafted:
    """The lines of a review of some people, given by the positions of their records, to be decided by managers."""
    snapshot = Snapshot(InMemory(state), index, moment)
    witness = Witness(snapshot, state, rules.needs, find_conflicts(snapshot, rules.conflicts))
    managers = _Managers(state["identities"])
    lines: list[tuple[Scalar, ...]] = []
    for identity in chosen:
        reviewer = managers.of(identity) or opener
        for item in items_of(index, identity, moment):
            lines.append(_line(name, len(lines) + 1, index, item, reviewer, witness))
    beyond = sum(beyond_items(index, identity, moment) for identity in chosen)
    alone = sum(not managers.of(identity) for identity in chosen)
    return Drafted(lines, len(chosen), beyond, alone)


def _line(review: str, number: int, index: Index, item: Item, reviewer: str, witness: Witness) -> tuple[Scalar, ...]:
    evidence = json.dumps(witness.about(item).record(), ensure_ascii=False, sort_keys=True)
    return (review, number, index.holders.identities[item.identity], reviewer, item.text(index), evidence)


class _Managers:
    """Who decides about whom: the manager, or the next one up who is there to do it."""

    def __init__(self, people: Rows) -> None:
        self.position = {name: at for at, name in enumerate(people["id"])}
        self.manager = people["manager"]
        self.status = people["status"]
        self.names = people["id"]

    def of(self, identity: int) -> str | None:
        """The id of the one who decides about the identity; None where nobody above is active."""
        seen = {identity}
        above = self.position.get(self.manager[identity] or "")
        while above is not None and above not in seen:
            if self.status[above] == "active":
                return str(self.names[above])
            seen.add(above)
            above = self.position.get(self.manager[above] or "")
        return None


def open_review(
    store: Store, keys: Keys, name: str, where: str, due: str, drafted: Drafted, actor: str, reason: str
) -> None:
    """Puts a drafted review into the catalogue. Raises CallError where the name is taken."""
    with writing(store, keys, "review open", actor, reason) as draft:
        if name in read_rows(draft.connection, REVIEWS)["review"]:
            raise CallError(f"There is a review {name} already.", "Give this one another name.")
        opened = times.time_text(draft.time)
        draft.open_rows(REVIEWS, [(name, where, opened, actor, due, OPEN, None, None)])
        draft.open_rows(REVIEW_LINES, drafted.lines)
        draft.subjects.append(f"review:{name}")
        draft.payload |= {"review": name, "lines": len(drafted.lines), "due": due}


def read_reviews(connection: sa.Connection, point: int | None = None) -> list[Review]:
    """All reviews with their lines."""
    decided = _decisions(read_rows(connection, DECISIONS, point))
    lines: dict[str, list[Line]] = {}
    for review, number, identity, reviewer, item, evidence in read_rows(connection, REVIEW_LINES, point).values():
        decision = decided.get((review, number), {})
        line = Line(review, number, identity, reviewer, json.loads(item), json.loads(evidence), **decision)
        lines.setdefault(review, []).append(line)
    return [
        Review(name, selects, by, due, state, signed_at, signed_by, sorted(lines.get(name, []), key=_number))
        for name, selects, _, by, due, state, signed_at, signed_by in read_rows(connection, REVIEWS, point).values()
    ]


def _number(line: Line) -> int:
    return line.number


def _decisions(rows: Rows) -> dict[tuple[str, int], dict[str, Any]]:
    return {
        (review, number): {
            "decision": decision,
            "decided_by": by,
            "decided_at": at,
            "reason": reason,
            "is_signed": bool(signed),
        }
        for review, number, decision, by, at, reason, signed in rows.values()
    }


def find_review(reviews: Sequence[Review], name: str | None) -> Review:
    """The review of this name, or the only open one where no name is given."""
    if name is None:
        found = [review for review in reviews if review.state == OPEN]
        if len(found) == 1:
            return found[0]
        names = ", ".join(review.name for review in found)
        what = f"Several reviews are open: {names}." if found else "No review is open."
        raise CallError(what, "Name one with --review NAME." if found else "Open one with `kathodos review open`.")
    for review in reviews:
        if review.name == name:
            return review
    raise CallError(f"There is no review {name}.", nearest(name, [review.name for review in reviews]))


def line_numbers(words: Iterable[str], review: Review, deciders: set[str]) -> list[int]:
    """The lines that words such as `4`, `7-9` or `all` name, each once. Raises CallError for one that is not there.

    `all` is what is left for the one who decides, or, for one who has no line to decide, everything that is left.
    """
    there = {line.number for line in review.lines}
    left = [line for line in review.lines if line.decision is None]
    left = [line for line in left if line.reviewer in deciders] or left
    numbers: list[int] = []
    for word in words:
        named = re.fullmatch(r"(\d{1,9})(?:-(\d{1,9}))?", word)
        if word == "all":
            numbers += [line.number for line in left]
        elif named:
            wanted = range(int(named[1]), int(named[2] or named[1]) + 1)
            if not wanted or not {wanted[0], wanted[-1]} <= there:
                raise CallError(f"{review.name} has no line {word}.", f"It has the lines 1 to {len(there)}.")
            numbers += wanted
        else:
            raise CallError(f"{word!r} names no line.", "Write a number as 4, a range as 7-9, or all for what is left.")
    return list(dict.fromkeys(numbers))


def decide(
    store: Store, keys: Keys, name: str | None, words: Sequence[str], decision: str, actor: str, reason: str
) -> tuple[Review, list[Line]]:
    """Decides lines. Nobody decides about themselves, nor about what is signed off. Gives the review and the lines."""
    with writing(store, keys, "review decide", actor, reason) as draft:
        review = find_review(read_reviews(draft.connection), name)
        deciders = {actor, *identities_of(draft.connection, actor)}
        wanted = set(line_numbers(words, review, deciders))
        lines = [line for line in review.lines if line.number in wanted]
        signed = [line for line in lines if line.is_signed]
        if signed:
            raise CallError(
                f"Line {signed[0].number} of {review.name} is signed off as {signed[0].decision}.",
                "What is signed off stands; take it up in a new review.",
            )
        own = {line.identity for line in lines} & deciders
        if own:
            first = next(line.number for line in lines if line.identity in own)
            raise CallError(
                f"Line {first} is about {actor}, and nobody decides about themselves. Nothing was decided.",
                "Leave that line to somebody else.",
            )
        _put_decisions(draft, lines, decision, actor, reason)
        draft.subjects += [f"review:{review.name}", *(f"identity:{line.identity}" for line in lines)]
        draft.payload |= {"review": review.name, "decision": decision, "lines": [line.number for line in lines]}
    return review, lines


def identities_of(connection: sa.Connection, actor: str) -> set[str]:
    """Every identity that an actor may be: by id, mail or the login of an account."""
    people = read_rows(connection, IDENTITIES)
    accounts = read_rows(connection, ACCOUNTS)
    name = actor.removeprefix("identity:").removeprefix("account:").casefold()
    found = {
        str(identity)
        for identity, email in zip(people["id"], people["email"], strict=True)
        if name in (str(identity).casefold(), str(email).casefold())
    }
    for system, login, identity in zip(accounts["system"], accounts["login"], accounts["identity"], strict=True):
        if identity and name in (login.casefold(), f"{system}/{login}".casefold()):
            found.add(identity)
    return found


def _put_decisions(draft: Draft, lines: Sequence[Line], decision: str, actor: str, reason: str) -> None:
    at = times.time_text(draft.time)
    _replace(
        draft,
        DECISIONS,
        {(line.review, line.number): (line.review, line.number, decision, actor, at, reason, 0) for line in lines},
    )


def _replace(draft: Draft, kind: Kind, rows: dict[tuple[Scalar, ...], tuple[Scalar, ...]]) -> None:
    """Puts rows in place of those of the same key; what says the same stays."""
    present = read_rows(draft.connection, kind)
    held = dict(zip(present.record_keys(), zip(present.ids, present.values(), strict=True), strict=True))
    fresh = {key: row for key, row in rows.items() if key not in held or held[key][1] != row}
    draft.close_rows(kind, sorted(held[key][0] for key in fresh if key in held))
    draft.open_rows(kind, list(fresh.values()))


@dataclass(frozen=True)
class Closing:
    """What the closing of a review does, or would do."""

    review: Review
    certified: list[Line]
    revoked: list[Line]
    left_open: list[Line]
    ended: list[str]
    gone_before: list[str]

    @property
    def is_complete(self) -> bool:
        return not self.left_open


def close_review(store: Store, keys: Keys, name: str | None, undecided: str | None, actor: str, reason: str) -> Closing:
    """Signs off what is decided: revoked assignments end, and what is left undecided stays open or is decided so."""
    with writing(store, keys, CLOSING, actor, reason) as draft:
        closing = plan_closing(draft.connection, name, undecided, actor, reason)
        there = _records_there(draft.connection)
        for kind in (GRANTS, MEMBERS):
            draft.close_rows(kind, sorted(there[end][1] for end in closing.ended if there[end][0] is kind))
        _sign(draft, closing, actor)
        draft.subjects += [f"review:{closing.review.name}", *closing.ended]
        draft.payload |= {
            "review": closing.review.name,
            "certified": [line.number for line in closing.certified],
            "revoked": [line.number for line in closing.revoked],
            "left_open": [line.number for line in closing.left_open],
            "ended": closing.ended,
        }
    return closing


def plan_closing(
    connection: sa.Connection, name: str | None, undecided: str | None, actor: str, reason: str
) -> Closing:
    """What the closing does; undecided lines of the one who closes stay open whatever is said about the others."""
    review = find_review(read_reviews(connection), name)
    if review.state == SIGNED:
        raise CallError(f"{review.name} was signed off on {review.signed_at}.", "Open a new review.")
    own = identities_of(connection, actor)
    said = reason or f"undecided at the closing: {undecided}"
    by_word: dict[str | None, list[Line]] = {CERTIFY: [], REVOKE: [], None: []}
    for line in review.lines:
        if line.decision is None and undecided and line.identity not in own:
            line = replace(line, decision=undecided, decided_by=actor, reason=said)
        if not line.is_signed:
            by_word[line.decision].append(line)
    there = _records_there(connection)
    records = sorted({_record(line) for line in by_word[REVOKE]})
    ended = [record for record in records if record in there]
    gone = [record for record in records if record not in there]
    return Closing(review, by_word[CERTIFY], by_word[REVOKE], by_word[None], ended, gone)


def _record(line: Line) -> str:
    """The reference of the record that a line's item is."""
    if "grant" in line.item:
        return f"grant:{line.item['grant']}"
    return f"{line.item['member']} in {line.item['group']}"


def _records_there(connection: sa.Connection) -> dict[str, tuple[Kind, int]]:
    """By reference: kind and row of every grant and membership there is."""
    grants, members = read_rows(connection, GRANTS), read_rows(connection, MEMBERS)
    there = {f"grant:{grant}": (GRANTS, row) for grant, row in zip(grants["grant"], grants.ids, strict=True)}
    for (system, group, member), row in zip(members.record_keys(), members.ids, strict=True):
        there[f"{member} in group:{system}/{group}"] = (MEMBERS, row)
    return there


def _sign(draft: Draft, closing: Closing, actor: str) -> None:
    now = times.time_text(draft.time)
    rows: dict[tuple[Scalar, ...], tuple[Scalar, ...]] = {}
    for line in (*closing.certified, *closing.revoked):
        decided = (line.decision, line.decided_by, line.decided_at or now, line.reason)
        rows[line.review, line.number] = (line.review, line.number, *decided, 1)
    _replace(draft, DECISIONS, rows)
    if closing.is_complete:
        review = closing.review
        present = read_rows(draft.connection, REVIEWS)
        held = dict(zip(present["review"], present.values(), strict=True))[review.name]
        _replace(draft, REVIEWS, {(review.name,): (*held[:5], SIGNED, now, actor)})


@dataclass(frozen=True)
class Progress:
    """How far one reviewer is with one review; `days_left` is negative when it is late."""

    review: str
    reviewer: str
    done: int
    left: int
    days_left: int
    due: str


def progress_of(review: Review, now: datetime) -> list[Progress]:
    """How far each reviewer is, those with most left first."""
    due = datetime.fromtimestamp((times.end_moment(review.due) - 1) / 1_000_000, UTC)
    days = (due.date() - now.date()).days
    by_reviewer: dict[str, list[Line]] = {}
    for line in review.lines:
        by_reviewer.setdefault(line.reviewer, []).append(line)
    found = []
    for reviewer, lines in by_reviewer.items():
        done = sum(line.decision is not None for line in lines)
        found.append(Progress(review.name, reviewer, done, len(lines) - done, days, review.due))
    return sorted(found, key=lambda progress: (-progress.left, progress.reviewer))
