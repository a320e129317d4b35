"""Reviews and their lines, with what was decided of them; how far each reviewer is."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime
from enum import StrEnum
from functools import cached_property
from typing import Any

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.dictionary import DictionaryColumn, Numbers, joined_columns, numbers_at, picked, positions_among
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.errors import CallError
from kathodos.model import times
from kathodos.model.kinds import (
    DECISIONS,
    IDENTITIES,
    REVIEW_LINES,
    REVIEW_THINGS,
    REVIEWS,
    split_list,
)
from kathodos.model.references import name_in, reference_to
from kathodos.model.suggestions import nearest
from kathodos.model.words import plural
from kathodos.review.authority import Capacity
from kathodos.review.remarks import Remarks
from kathodos.review.subjects import About, Decision
from kathodos.store.records import Records, record_at, rows_of


class ReviewState(StrEnum):
    """How far a review is. The last is told by the change that it became, and never kept."""

    OPEN = "open"
    SIGNED = "signed off"
    CARRIED_OUT = "carried out"


OPEN, SIGNED, CARRIED_OUT = ReviewState
CERTIFY, REDUCE, REVOKE, CORRECT = Decision


class Review(msgspec.Struct, frozen=True):
    """A review, as it was opened and as it stands."""

    name: str
    selects: str
    opened_at: str
    opened_by: str
    due: str
    state: str
    signed_at: str | None
    signed_by: str | None
    reviewers: str | None
    declared: str | None = None
    about: str = About.ACCESS
    undecided: str | None = None
    only: str | None = None


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
        raise CallError(what, "Name one of them." if found else "Open one with `kathodos review open`.")
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
        numbers = numbers_at(records.column(REVIEW_LINES, "line"), at)
        if not (numbers[1:] > numbers[:-1]).all():  # they are written in order, and hardly ever stand otherwise
            order = order_of(numbers)
            at, numbers = at[order], numbers[order]
        self.positions, self.numbers = at, numbers
        self.decisions = np.full(len(at), -1, dtype=np.int64)
        made = records.column(DECISIONS, "review").holding(review.name).nonzero()[0]
        if len(made):
            self.decisions[insertion_points(self.numbers, numbers_at(records.column(DECISIONS, "line"), made))] = made

    def __len__(self) -> int:
        return len(self.positions)

    @cached_property
    def _is_every_line(self) -> bool:
        """Whether there are no lines but these, and they stand in order."""
        count = len(self.records.rows(REVIEW_LINES))
        return len(self) == count and np.array_equal(self.positions, np.arange(count))

    def column(self, name: str, some: Ints | None = None) -> DictionaryColumn:
        """What stands with the lines, or with some of them."""
        if name == "reviewer" and len(self.remarks.passed):
            return self._reviewer if some is None else self._reviewer.taken(some)
        column = self.records.column(REVIEW_LINES, name)
        if some is None and self._is_every_line:
            return column
        return column.taken(self.positions if some is None else self.positions[some])

    @cached_property
    def remarks(self) -> Remarks:
        """What was said of the lines: passed on, asked back, answered, commented."""
        return Remarks(self.records, self.review.name, self.numbers)

    def said(self, name: str) -> DictionaryColumn:
        """Whom each line was last passed on to, or who is asked about it."""
        return self.remarks.asked if name == "asked" else self.remarks.passed_to

    @cached_property
    def _reviewer(self) -> DictionaryColumn:
        """Who is to decide each line: the first reviewer, or whom it was passed on to last."""
        first = self.records.column(REVIEW_LINES, "reviewer").taken(self.positions)
        both = joined_columns([first.compact(), self.remarks.passed_to.compact()])
        there, now = both.codes.reshape(2, -1)
        return DictionaryColumn(np.where(now >= 0, now, there), both.values)

    def decided(self, name: str, some: Ints | None = None) -> DictionaryColumn:
        """What was decided of each line, or of some; nothing where nothing was."""
        column, of = self.records.column(DECISIONS, name), self.decisions if some is None else self.decisions[some]
        return DictionaryColumn(np.append(column.codes, np.int32(-1))[of], column.values)

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
        return self.column("identity").holding_any(list(identities))

    def of_reviewers(self, reviewers: Iterable[str]) -> Bools:
        """Which lines one of some reviewers is to decide."""
        return self.column("reviewer").holding_any(list(reviewers))

    def positions_of(self, numbers: Sequence[int]) -> Ints:
        """The positions of the lines with some numbers."""
        return insertion_points(self.numbers, np.array(numbers, dtype=np.int64))

    def named(self, words: Iterable[str], is_mine: Bools) -> Ints:
        """The positions of the lines that words such as `4`, `7-9` or `all` name. Raises CallError for one not there.

        `all` is what is left for the one who decides, `is_mine`.
        """
        chosen = np.zeros(len(self), dtype=bool)
        for word in words:
            named = re.fullmatch(r"(\d{1,9})(?:-(\d{1,9}))?", word)
            if word == "all":
                chosen |= is_mine
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
        columns = (self.column(name, chosen).listed() for name in ("grant", "group", "holder"))
        for grant, group, holder in ((str(it or "") for it in one) for one in zip(*columns, strict=True)):
            yield reference_to("grant", grant) if grant else f"{holder} in {group}", grant, group, holder

    def records_at(self, chosen: Ints) -> Iterator[dict[str, Any]]:
        """Some lines with their evidence and what was decided."""
        things: dict[int, dict[str, Any]] = {}
        names = REVIEW_LINES.names[1:]
        decided = ("decision", "decided_by", "decided_at", "capacity", "reason", "signed", "reduced")
        said = self.remarks.of_lines(chosen)
        for first in range(0, len(chosen), thresholds.LINES_TOGETHER):
            some = chosen[first : first + thresholds.LINES_TOGETHER]
            self._read_things(some, things)
            columns: list[list[Any]] = [self.column(name, some).listed() for name in names]
            columns += [[said.get(at, []) for at in some.tolist()]]
            columns += [self.decided(name, some).listed() for name in decided]
            for values in zip(*columns, strict=True):
                yield _line(self.review, dict(zip((*names, "remarks", *decided), values, strict=True)), things)

    def of_things(self, name: str) -> DictionaryColumn:
        """What stands with the thing that each line is about."""
        numbers, positions = self._things
        thing = numbers_at(self.records.column(REVIEW_LINES, "thing"), self.positions)
        return self.records.column(REVIEW_THINGS, name).taken(positions[insertion_points(numbers, thing)])

    def _read_things(self, some: Ints, things: dict[int, dict[str, Any]]) -> None:
        """Puts what some lines are about beside what is known already, by the number of the thing."""
        numbers, positions = self._things
        wanted = distinct(numbers_at(self.records.column(REVIEW_LINES, "thing"), self.positions[some]))
        wanted = np.array([number for number in wanted.tolist() if number not in things], dtype=np.int64)
        for number, at in zip(wanted.tolist(), positions[insertion_points(numbers, wanted)].tolist(), strict=True):
            thing = record_at(self.records, REVIEW_THINGS, at)
            things[number] = {**thing, **{name: json.loads(thing[name]) for name in ("brings", "contains", "within")}}

    @cached_property
    def _things(self) -> tuple[Ints, Ints]:
        """The numbers of the things that the lines are about, in order, and where their records stand."""
        at = self.records.column(REVIEW_THINGS, "review").holding(self.review.name).nonzero()[0]
        numbers = numbers_at(self.records.column(REVIEW_THINGS, "thing"), at)
        order = order_of(numbers)
        return numbers[order], at[order]


REFERENCES = ("identity:", "account:")  # as lines call an account that is nobody's


def _line(review: Review, line: dict[str, Any], things: dict[int, dict[str, Any]]) -> dict[str, Any]:
    thing = things[line["thing"]]
    brings, contains, within = thing["brings"], thing["contains"], thing["within"]
    named = line["identity"] or ""
    whose = named if not named or named.startswith(REFERENCES) else reference_to("identity", named)
    item, gives, how = _what(About(review.about), line, thing, whose, within)
    is_one_s = line["spoken"] is not None  # what one person or account holds is held against needs and uses
    since = line["known_since"] if line["lost"] is not None else thing["recorded"]
    uses = "used" if line["last_used"] else "never" if since else "not recorded"
    return {
        "review": review.name,
        "line": line["line"],
        "about": review.about,
        "identity": name_in("identity", whose) if whose and not whose.startswith("account:") else None,
        "account": name_in("account", whose) if whose.startswith("account:") else None,
        "reviewer": line["reviewer"],
        "item": item,
        "gives": gives,
        "how": how,
        "value": line["value"],
        "brings": brings,
        "contains": contains,
        "status": line["status"],
        "ends": line["ends"],
        "former_department": line["former"],
        "needed": _needed(line),
        "needed_by": split_list(line["needed_by"]),
        "also_needed": split_list(line["also_needed"]),
        "beyond_need": line["beyond"],
        "conflicts": split_list(line["conflicts"]),
        "fences": split_list(line["fences"]),
        "use": uses if is_one_s else None,
        "use_recorded_since": since,
        "never_used": split_list(line["never"]),
        "used_otherwise": _is_used_otherwise(line) if is_one_s else None,
        "would_be_lost": line["lost"],
        **{name: line[name] for name in ("last_used", "uses", "until", "given_by", "given_at", "given_for")},
        **_shares(line, thing),
        "sensitivity": thing["sensitivity"],
        **{name: line[name] for name in ("signed_in", "risk", "certified_at", "certified_by", "speaks", "stands_out")},
        "excess": split_list(line["excess"]),
        "found_about": split_list(line["found"]),
        "no_account": split_list(line["no_account"]),
        "stands_by": line["stands_by"],
        "redundant": None if line["redundant"] is None else bool(line["redundant"]),
        **{name: line[name] for name in ("decision", "decided_by", "decided_at", "capacity")},
        "decision_reason": line["reason"],
        "reduced": json.loads(line["reduced"]) if line["reduced"] else None,
        "remarks": line["remarks"],
        "signed_off": bool(line["signed"]),
    }


def _shares(line: dict[str, Any], thing: dict[str, Any]) -> dict[str, int | None]:
    """How many of all, and how many peers, have the same; before version 3 of the store of all with the thing."""
    everyone = thing if line["all_counted"] is None else {"having": line["all_having"], "counted": line["all_counted"]}
    return {
        "everyone_having": everyone["having"],
        "everyone_counted": everyone["counted"],
        "peers_having": line["peers_having"],
        "peers_counted": line["peers_counted"],
    }


def _needed(line: dict[str, Any]) -> str | None:
    """Whether a rule asks for something of it; nothing of what nobody holds alone."""
    if line["needed_by"] or line["also_needed"]:
        return "yes"
    return None if line["spoken"] is None else "no" if line["spoken"] else "no rule"


def _is_used_otherwise(line: dict[str, Any]) -> bool:
    """Whether all its uses would have been possible without it too, as far as that was looked at."""
    return line["lost"] is not None and bool(line["last_used"]) and not line["credited_at"]


def _what(
    about: About, line: dict[str, Any], thing: dict[str, Any], whose: str, within: list[str]
) -> tuple[dict[str, Any], str, str]:
    """What a line is about as data, and in words; and how it is held."""
    part, value, holder = line["part"], line["value"], line["holder"]
    if about == About.ACCOUNTS:
        privileged = "privileged; " if value else ""
        return {"account": name_in("account", holder)}, holder, f"{privileged}{thing['gives']}"
    if about == About.RESOURCES:
        item = {"grant": line["grant"], "resource": part}
        how = f"by {holder}" + (f", which is {plural(int(value), 'person', 'people')}" if not whose else "")
        return item, f"{part}: {thing['gives']}", how
    if about == About.ROLES:
        role = name_in("role", holder)
        if part is None:
            return {"role": role}, holder, "the role as it is defined"
        return {"role": role, "entry": part}, f"{holder}: {part}", "an entry of the role"
    if about == About.IDENTITY_DATA:
        return {"identity": name_in("identity", whose), "attribute": part}, f"{part}: {value or 'nothing'}", ""
    if about == About.COVERS:
        item = {"rule": part, "identity": line["identity"], "control": value}
        return item, f"the conflict {part} is left standing", f"under the control {value}"
    itself = holder == whose
    how = "directly" if itself else f"through {holder}"
    if line["group"]:
        how = "as a direct member" if itself else f"through {holder} as a member"
        how += f"; the group is within {', '.join(within)}" if within else ""
    return (
        ({"grant": line["grant"]} if line["grant"] else {"group": line["group"], "member": holder}),
        thing["gives"],
        how,
    )


class Progress(msgspec.Struct, frozen=True):
    """How far one reviewer is with one review; `by_others`: how many of the lines done somebody else decided.

    `days_left` is negative when it is late.
    """

    review: str
    reviewer: str
    done: int
    by_others: int
    left: int
    days_left: int
    due: str


def days_left(review: Review, now: datetime) -> int:
    """How many days are left until a review is due; negative when it is late."""
    due = datetime.fromtimestamp((times.end_moment(review.due) - 1) / 1_000_000, UTC)
    return (due.date() - now.date()).days


def progress_of(lines: ReviewLines, now: datetime, most: int | None = None) -> tuple[list[Progress], int]:
    """How far each reviewer is (`most`: only so many of them), those with most left first; and how many there are."""
    review, days = lines.review, days_left(lines.review, now)
    reviewer = lines.column("reviewer")
    total = np.bincount(reviewer.codes, minlength=len(reviewer.values))
    decided = (lines.decisions >= 0).nonzero()[0]
    codes = reviewer.codes[decided]
    done = np.bincount(codes, minlength=len(total))
    is_own = lines.decided("capacity", decided).holding_any([Capacity.REVIEWER, Capacity.CARRIED])
    others = np.bincount(codes[~is_own], minlength=len(total))
    left, some = total - done, total.nonzero()[0]
    reviewers = len(some)
    if most is not None and most < reviewers:
        some = some[left[some] >= np.partition(left[some], -most)[-most]]
    found = [
        Progress(review.name, str(name), int(done[at]), int(others[at]), int(left[at]), days, review.due)
        for name, at in zip(picked(reviewer.values, some), some.tolist(), strict=True)
    ]
    return sorted(found, key=lambda progress: (-progress.left, progress.reviewer))[:most], reviewers


def names_of(records: Records, identities: Iterable[str]) -> dict[str, str | None]:
    """The names of some identities, by id."""
    column, names = records.column(IDENTITIES, "id"), records.column(IDENTITIES, "name")
    wanted = list(dict.fromkeys(identities))
    if len(wanted) <= thresholds.FEW_NAMES:
        at = column.holding_any(wanted).nonzero()[0]
        found = zip(column.listed(at), names.listed(at), strict=True)
        return {str(one): None if name is None else str(name) for one, name in found}
    codes = positions_among(wanted, column.values)
    position = np.full(len(column.values) + 1, -1, dtype=np.int64)
    position[column.codes] = np.arange(len(column))
    known: dict[str, str | None] = {}
    for name, code in zip(wanted, codes.tolist(), strict=True):
        if code >= 0:
            shown = names.value(int(position[code]))
            known[name] = str(shown) if shown is not None else None
    return known


def numbered(numbers: Ints) -> DictionaryColumn:
    """Numbers as a column."""
    values, codes = np.unique(numbers, return_inverse=True)
    return DictionaryColumn(codes.astype(np.int32), Numbers(values))
