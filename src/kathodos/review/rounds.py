"""A review from opening to sign-off: lines made, decisions taken, revoked assignments ended in the catalogue."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum
from functools import cached_property
from typing import Any, ClassVar

import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, Numbers, always, positions_among
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError
from kathodos.findings.conflicts.states import Conflicts
from kathodos.findings.excess.batches import ExcessContext
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, CloseReviewPayload, DecidePayload, OpenReviewPayload
from kathodos.model import times
from kathodos.model.kinds import (
    DECISIONS,
    GRANTS,
    IDENTITIES,
    MEMBERS,
    REVIEW_LINES,
    REVIEW_THINGS,
    REVIEWS,
    split_list,
)
from kathodos.model.suggestions import nearest
from kathodos.review.actors import identities_of
from kathodos.review.evidence import Evidence
from kathodos.review.items import beyond_items, items_of
from kathodos.rules.reading import Need
from kathodos.store.records import Records, positions_holding, record_at, rows_of


class ReviewState(StrEnum):
    """How far a review is."""

    OPEN = "open"
    SIGNED = "signed off"


class Decision(StrEnum):
    """What is decided of a line: the access is kept, or taken away."""

    CERTIFY = "certify"
    REVOKE = "revoke"


OPEN, SIGNED = ReviewState
CERTIFY, REVOKE = Decision


# Opening


@dataclass(frozen=True)
class Drafted:
    """A review about to be opened: its lines and things, how many people, and what is no line of theirs."""

    lines: Sequence[DictionaryColumn]
    things: Sequence[DictionaryColumn]
    people: int
    beyond: int
    without_reviewer: int

    def __len__(self) -> int:
        return len(self.lines[0])


def draft_review(
    context: ExcessContext, conflicts: Conflicts, chosen: Ints, needs: Sequence[Need], opener: str
) -> Drafted:
    """The lines of a review of some identities, given by number, to be decided by managers."""
    basis = context.basis
    index = basis.index
    items = items_of(index, chosen, basis.moment)
    mine = np.zeros(basis.people, dtype=bool)
    mine[chosen] = True
    evidence = Evidence(context, items, conflicts.taken(mine[conflicts.identity]))
    is_active = basis.identity("status").holding("active")
    manager = managers_of(basis.identity("manager"), is_active, index.holders.identities)
    having, counted = evidence.peers()
    at_grant = items.grant
    identities = index.holders.identities

    def of_grant(name: str) -> DictionaryColumn:
        column = basis.grant(name)
        return DictionaryColumn(np.append(column.codes, np.int32(-1))[at_grant], column.values)

    lines = [
        _numbered(np.arange(1, len(items) + 1)),
        DictionaryColumn(items.identity.astype(np.int32), identities),
        _reviewers(manager[items.identity], identities, opener),
        DictionaryColumn(items.holder.astype(np.int32), index.holders.references),
        DictionaryColumn(at_grant.astype(np.int32), index.grants.ids),
        DictionaryColumn(np.where(items.group >= 0, items.group, -1).astype(np.int32), index.holders.references),
        _numbered(evidence.thing),
        _numbered(having),
        _numbered(counted),
        evidence.needed_by(needs),
        evidence.taking_part(),
        evidence.last_used(),
        *(of_grant(name) for name in ("until", "given_by", "given_at", "reason")),
    ]
    things = [_numbered(evidence.used), *evidence.thing_columns()]
    beyond = beyond_items(index, chosen, items, basis.moment)
    return Drafted(lines, things, len(chosen), beyond, int((manager[chosen] < 0).sum()))


def _numbered(numbers: Ints) -> DictionaryColumn:
    values, codes = np.unique(numbers, return_inverse=True)
    return DictionaryColumn(codes.astype(np.int32), Numbers(values))


def _reviewers(manager: Ints, identities: Sequence[str], opener: str) -> DictionaryColumn:
    """Who decides each line: the manager, or who opens where there is none."""
    used, codes = np.unique(manager, return_inverse=True)
    names = [identities[at] if at >= 0 else opener for at in used.tolist()]
    known = {name: at for at, name in enumerate(dict.fromkeys(names))}
    number = np.array([known[name] for name in names], dtype=np.int32)
    return DictionaryColumn(number[codes], list(known))


def managers_of(stated: DictionaryColumn, is_active: Bools, identities: Sequence[str]) -> Ints:
    """Who decides about each identity: the manager, or the next one up who is active; -1 where nobody above is."""
    of = np.append(positions_among(stated.values, identities), -1)[stated.codes].astype(np.int64)
    itself = np.arange(len(of))
    found = np.where(of == itself, -1, of)
    for _ in range(_STEPS):
        idle = ((found >= 0) & ~is_active[found]).nonzero()[0]
        above = of[found[idle]]
        found[idle] = np.where(above == idle, -1, above)
    return _one_by_one(found, of, is_active)


_STEPS = 8  # up the line that all go together; who is not there then goes on alone, and notices a circle


def _one_by_one(found: Ints, of: Ints, is_active: Bools) -> Ints:
    for at in ((found >= 0) & ~is_active[found]).nonzero()[0].tolist():
        seen, above = {at}, int(found[at])
        while above >= 0 and above not in seen and not is_active[above]:
            seen.add(above)
            above = int(of[above])
        found[at] = -1 if above in seen else above
    return found


@dataclass(frozen=True)
class OpenReview(Operation[None]):
    """Puts a drafted review into the catalogue."""

    act: ClassVar[Act] = Act.OPEN_REVIEW
    name: str
    where: str
    due: str
    drafted: Drafted

    def compose(self, plan: Plan) -> None:
        """Raises CallError where the name is taken."""
        if len(positions_holding(plan.records, REVIEWS, {"review": self.name})):
            raise CallError(f"There is a review {self.name} already.", "Give this one another name.")
        plan.open_rows(REVIEWS, [(self.name, self.where, plan.now, plan.actor, self.due, OPEN, None, None)])
        for kind, columns in ((REVIEW_THINGS, self.drafted.things), (REVIEW_LINES, self.drafted.lines)):
            size = len(columns[0])
            compact = [always(self.name, size), *(column.compact() for column in columns)]
            plan.open_columns(kind, compact, always(None, size))
        plan.subjects.append(f"review:{self.name}")
        plan.payload = OpenReviewPayload(self.name, len(self.drafted), self.due)


# Reviews and their lines


@dataclass(frozen=True)
class Review:
    """A review, as it was opened and as it stands."""

    name: str
    selects: str
    opened_at: str
    opened_by: str
    due: str
    state: str
    signed_at: str | None
    signed_by: str | None


def reviews_in(records: Records) -> list[Review]:
    """All reviews."""
    return [Review(*values) for values in rows_of(records, REVIEWS, *REVIEWS.names).values()]


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


class ReviewLines:
    """The lines of one review, in order, with their decisions."""

    def __init__(self, records: Records, review: Review) -> None:
        self.records = records
        self.review = review
        at = records.column(REVIEW_LINES, "review").holding(review.name).nonzero()[0]
        numbers = _numbers(records.column(REVIEW_LINES, "line"), at)
        order = np.argsort(numbers, kind="stable")
        self.positions, self.numbers = at[order], numbers[order]
        self.decisions = np.full(len(at), -1, dtype=np.int64)
        made = records.column(DECISIONS, "review").holding(review.name).nonzero()[0]
        if len(made):
            self.decisions[np.searchsorted(self.numbers, _numbers(records.column(DECISIONS, "line"), made))] = made

    def __len__(self) -> int:
        return len(self.positions)

    def column(self, name: str) -> DictionaryColumn:
        """What stands with the lines."""
        return self.records.column(REVIEW_LINES, name).taken(self.positions)

    def decided(self, name: str) -> DictionaryColumn:
        """What was decided of each line; nothing where nothing was."""
        column = self.records.column(DECISIONS, name)
        return DictionaryColumn(np.append(column.codes, np.int32(-1))[self.decisions], column.values)

    @cached_property
    def is_decided(self) -> Bools:
        """Which lines somebody decided."""
        found: Bools = self.decisions >= 0
        return found

    @cached_property
    def is_signed(self) -> Bools:
        """Which lines are signed off."""
        return self.decided("signed").holding(1)

    def about(self, identities: Iterable[str]) -> Bools:
        """Which lines are about one of some identities."""
        return _holding_any(self.column("identity"), identities)

    def of_reviewers(self, reviewers: Iterable[str]) -> Bools:
        """Which lines one of some reviewers is to decide."""
        return _holding_any(self.column("reviewer"), reviewers)

    def named(self, words: Iterable[str], deciders: set[str]) -> Ints:
        """The positions of the lines that words such as `4`, `7-9` or `all` name. Raises CallError for one not there.

        `all` is what is left for the one who decides, or, for one who has no line to decide, everything that is left.
        """
        chosen = np.zeros(len(self), dtype=bool)
        for word in words:
            named = re.fullmatch(r"(\d{1,9})(?:-(\d{1,9}))?", word)
            if word == "all":
                own = ~self.is_decided & self.of_reviewers(deciders)
                chosen |= own if own.any() else ~self.is_decided
            elif named:
                first, last = int(named[1]), int(named[2] or named[1])
                if not 1 <= first <= last <= len(self):
                    what = f"{self.review.name} has no line {word}."
                    raise CallError(what, f"It has the lines 1 to {len(self)}.")
                chosen |= (self.numbers >= first) & (self.numbers <= last)
            else:
                what = f"{word!r} names no line."
                raise CallError(what, "Write a number as 4, a range as 7-9, or all for what is left.")
        found: Ints = chosen.nonzero()[0]
        return found

    def ended_by(self, chosen: Ints) -> Iterator[tuple[str, str, str, str]]:
        """What revoking some lines ends: the reference, the grant or the group (the other is empty), the holder."""
        columns = (self.column(name).listed(chosen) for name in ("grant", "group", "holder"))
        for grant, group, holder in ((str(it or "") for it in one) for one in zip(*columns, strict=True)):
            yield f"grant:{grant}" if grant else f"{holder} in {group}", grant, group, holder

    def records_at(self, chosen: Ints) -> Iterator[dict[str, Any]]:
        """Some lines with their evidence and what was decided."""
        things = {}
        for at in self.records.column(REVIEW_THINGS, "review").holding(self.review.name).nonzero()[0].tolist():
            thing = record_at(self.records, REVIEW_THINGS, at)
            things[thing["thing"]] = thing
        names = REVIEW_LINES.names[1:]
        decided = ("decision", "decided_by", "decided_at", "reason", "signed")
        for first in range(0, len(chosen), _TOGETHER):
            some = chosen[first : first + _TOGETHER]
            columns = [self.column(name).listed(some) for name in names]
            columns += [self.decided(name).listed(some) for name in decided]
            for values in zip(*columns, strict=True):
                yield _line(self.review.name, dict(zip((*names, *decided), values, strict=True)), things)


_TOGETHER = 10_000  # lines that are put together at once


def _line(review: str, line: dict[str, Any], things: dict[int, dict[str, Any]]) -> dict[str, Any]:
    thing = things[line["thing"]]
    brings, contains, within = (json.loads(thing[name]) for name in ("brings", "contains", "within"))
    itself = line["holder"] == f"identity:{line['identity']}"
    how = "directly" if itself else f"through {line['holder']}"
    if line["group"]:
        how = "as a direct member" if itself else f"through {line['holder']} as a member"
        how += f"; the group is within {', '.join(within)}" if within else ""
    item = {"grant": line["grant"]} if line["grant"] else {"group": line["group"], "member": line["holder"]}
    return {
        "review": review,
        "line": line["line"],
        "identity": line["identity"],
        "reviewer": line["reviewer"],
        "item": item,
        "gives": thing["gives"],
        "how": how,
        "brings": brings,
        "contains": contains,
        "needed_by": split_list(line["needed_by"]),
        "conflicts": split_list(line["conflicts"]),
        **{name: line[name] for name in ("last_used", "until", "given_by", "given_at", "given_for")},
        "everyone_having": thing["having"],
        "everyone_counted": thing["counted"],
        "peers_having": line["peers_having"],
        "peers_counted": line["peers_counted"],
        **{name: line[name] for name in ("decision", "decided_by", "decided_at")},
        "decision_reason": line["reason"],
        "signed_off": bool(line["signed"]),
    }


def _numbers(column: DictionaryColumn, at: Ints) -> Ints:
    return np.array([int(value or 0) for value in column.values] or [0], dtype=np.int64)[column.codes[at]]


def _holding_any(column: DictionaryColumn, values: Iterable[str]) -> Bools:
    found = np.zeros(len(column), dtype=bool)
    for value in values:
        found |= column.holding(value)
    return found


# Deciding


@dataclass(frozen=True)
class Decide(Operation[tuple[ReviewLines, Ints]]):
    """Decides lines that words name, of a review or of the only open one; gives the lines, and which of them."""

    act: ClassVar[Act] = Act.DECIDE
    review: str | None
    words: Sequence[str]
    decision: str

    def compose(self, plan: Plan) -> tuple[ReviewLines, Ints]:
        """Raises CallError where a line is the actor's own, or is signed off."""
        lines = ReviewLines(plan.records, find_review(reviews_in(plan.records), self.review))
        review = lines.review
        deciders = {plan.actor, *identities_of(plan.records, plan.actor)}
        chosen = lines.named(self.words, deciders)
        signed = chosen[lines.is_signed[chosen]]
        if len(signed):
            stands = lines.decided("decision").value(int(signed[0]))
            what = f"Line {lines.numbers[signed[0]]} of {review.name} is signed off as {stands}."
            raise CallError(what, "What is signed off stands; take it up in a new review.")
        own = chosen[lines.about(deciders)[chosen]]
        if len(own):
            raise CallError(
                f"Line {lines.numbers[own[0]]} is about {plan.actor}, and nobody decides about themselves. "
                "Nothing was decided.",
                "Leave that line to somebody else.",
            )
        size = len(chosen)
        decided = (always(self.decision, size), always(plan.actor, size), always(plan.now, size))
        _put_decisions(plan, lines, chosen, [*decided, always(plan.reason, size), always(0, size)])
        concerned = lines.column("identity").taken(chosen).compact().values
        plan.subjects += [f"review:{review.name}", *(f"identity:{name}" for name in concerned)]
        numbers = ranges_text(lines.numbers[chosen].tolist())
        plan.payload = DecidePayload(review.name, self.decision, numbers)
        return lines, chosen


def _put_decisions(plan: Plan, lines: ReviewLines, chosen: Ints, columns: Sequence[DictionaryColumn]) -> None:
    """Enters what was decided of some lines, in place of what was decided before."""
    before = lines.decisions[chosen]
    plan.close_rows(DECISIONS, lines.records.rows(DECISIONS)[before[before >= 0]])
    size = len(chosen)
    key = [always(lines.review.name, size), _numbered(lines.numbers[chosen])]
    plan.open_columns(DECISIONS, [*key, *(column.compact() for column in columns)], always(None, size))


# Closing


@dataclass(frozen=True)
class Closing:
    """What the closing of a review does, or would do: positions of lines, and the rows that it ends.

    `decided` and `by_closing`: what counts as decided, and of which lines only by the word of who closes.
    """

    lines: ReviewLines
    certified: Ints
    revoked: Ints
    left_open: Ints
    by_closing: Bools
    ended: list[str]
    gone_before: list[str]
    grants: Ints
    members: Ints

    @property
    def is_complete(self) -> bool:
        return not len(self.left_open)


def _closing(records: Records, name: str | None, undecided: str | None, actor: str) -> Closing:
    """What the closing does; undecided lines of the one who closes stay open whatever is said about the others."""
    lines = ReviewLines(records, find_review(reviews_in(records), name))
    if lines.review.state == SIGNED:
        raise CallError(f"{lines.review.name} was signed off on {lines.review.signed_at}.", "Open a new review.")
    by_closing = ~lines.is_decided & ~lines.about(identities_of(records, actor))
    by_closing &= undecided is not None
    fresh, decision = ~lines.is_signed, lines.decided("decision")
    word = {it: decision.holding(it) | (by_closing & (undecided == it)) for it in (CERTIFY, REVOKE)}
    certified, revoked = ((fresh & word[it]).nonzero()[0] for it in (CERTIFY, REVOKE))
    left_open = (~lines.is_decided & ~by_closing).nonzero()[0]
    ends = {reference: rest for reference, *rest in lines.ended_by(revoked)}
    of_grants = [(reference, grant) for reference, (grant, _, _) in ends.items() if grant]
    rows = {reference: _row(records, *rest) for reference, rest in ends.items() if not rest[0]}
    column = records.column(GRANTS, "grant")
    codes = positions_among([grant for _, grant in of_grants], column.values)
    position = np.full(len(column.values) + 1, -1, dtype=np.int64)
    position[column.codes] = np.arange(len(column))
    at = np.where(codes >= 0, position[codes], -1)
    numbers = np.where(at >= 0, np.append(records.rows(GRANTS), -1)[at], -1)
    rows |= {reference: number for (reference, _), number in zip(of_grants, numbers.tolist(), strict=True)}
    ended = sorted(reference for reference, number in rows.items() if number >= 0)
    gone = sorted(reference for reference, number in rows.items() if number < 0)
    members = sorted(rows[it] for it in ended if not ends[it][0])
    ending = (np.sort(numbers[numbers >= 0]), np.array(members, dtype=np.int64))
    return Closing(lines, certified, revoked, left_open, by_closing, ended, gone, *ending)


def _row(records: Records, _: str, group: str, holder: str) -> int:
    """The row of a membership; -1 where there is none any more."""
    system, _, name = group.removeprefix("group:").partition("/")
    at = positions_holding(records, MEMBERS, {"system": system, "group": name, "member": holder})
    return int(records.rows(MEMBERS)[at[0]]) if len(at) else -1


@dataclass(frozen=True)
class CloseReview(Operation[Closing]):
    """Signs off what is decided: revoked assignments end, and what is left undecided stays open or is decided so."""

    act: ClassVar[Act] = Act.CLOSE_REVIEW
    review: str | None
    undecided: str | None

    def compose(self, plan: Plan) -> Closing:
        """Raises CallError where it is signed off already."""
        closing = _closing(plan.records, self.review, self.undecided, plan.actor)
        lines = closing.lines
        plan.close_rows(GRANTS, closing.grants)
        plan.close_rows(MEMBERS, closing.members)
        _sign(plan, closing, self.undecided)
        plan.subjects += [f"review:{lines.review.name}", *closing.ended]
        plan.payload = CloseReviewPayload(
            lines.review.name,
            certified=ranges_text(lines.numbers[closing.certified].tolist()),
            revoked=ranges_text(lines.numbers[closing.revoked].tolist()),
            left_open=ranges_text(lines.numbers[closing.left_open].tolist()),
            ended=closing.ended,
        )
        return closing


def _sign(plan: Plan, closing: Closing, undecided: str | None) -> None:
    lines, reason = closing.lines, plan.reason or f"undecided at the closing: {undecided}"
    chosen = np.union1d(closing.certified, closing.revoked).astype(np.int64)
    new = closing.by_closing[chosen]
    words = {"decision": undecided, "decided_by": plan.actor, "decided_at": plan.now, "reason": reason}
    columns = [_overwritten(lines.decided(name).taken(chosen), new, word) for name, word in words.items()]
    _put_decisions(plan, lines, chosen, [*columns, always(1, len(chosen))])
    if closing.is_complete:
        review = lines.review
        at = positions_holding(lines.records, REVIEWS, {"review": review.name})
        plan.close_rows(REVIEWS, lines.records.rows(REVIEWS)[at])
        values = (review.name, review.selects, review.opened_at, review.opened_by, review.due)
        plan.open_rows(REVIEWS, [(*values, SIGNED, plan.now, plan.actor)])


def _overwritten(column: DictionaryColumn, which: Bools, value: str | None) -> DictionaryColumn:
    """A column with one value in some rows."""
    codes = column.codes.copy()
    values = list(column.values)
    codes[which] = values.index(value) if value in values else len(values)
    return DictionaryColumn(codes, [*values, value] if value not in values else values)


# Progress


@dataclass(frozen=True)
class Progress:
    """How far one reviewer is with one review; `days_left` is negative when it is late."""

    review: str
    reviewer: str
    done: int
    left: int
    days_left: int
    due: str


def progress_of(lines: ReviewLines, now: datetime) -> list[Progress]:
    """How far each reviewer is, those with most left first."""
    review = lines.review
    due = datetime.fromtimestamp((times.end_moment(review.due) - 1) / 1_000_000, UTC)
    days = (due.date() - now.date()).days
    reviewer = lines.column("reviewer").compact()
    total = np.bincount(reviewer.codes, minlength=len(reviewer.values))
    done = np.bincount(reviewer.codes[lines.is_decided], minlength=len(reviewer.values))
    found = [
        Progress(review.name, str(name), of, all_of - of, days, review.due)
        for name, of, all_of in zip(reviewer.values, done.tolist(), total.tolist(), strict=True)
    ]
    return sorted(found, key=lambda progress: (-progress.left, progress.reviewer))


def names_of(records: Records, identities: Iterable[str]) -> dict[str, str | None]:
    """The names of some identities, by id."""
    column, names = records.column(IDENTITIES, "id"), records.column(IDENTITIES, "name")
    wanted = list(dict.fromkeys(identities))
    codes = positions_among(wanted, column.values)
    position = np.full(len(column.values) + 1, -1, dtype=np.int64)
    position[column.codes] = np.arange(len(column))
    found = {}
    for name, code in zip(wanted, codes.tolist(), strict=True):
        if code >= 0:
            shown = names.value(int(position[code]))
            found[name] = str(shown) if shown is not None else None
    return found
