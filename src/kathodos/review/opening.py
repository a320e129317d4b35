"""A review opened: its lines made, with their evidence and who decides them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from typing import ClassVar

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.dictionary import DictionaryColumn, always, nothing, numbers_at
from kathodos.columns.ordered import insertion_points
from kathodos.errors import CallError
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, OpenReviewPayload
from kathodos.model.kinds import DECISIONS, REVIEW_LINES, REVIEW_THINGS, REVIEWS
from kathodos.model.references import reference_to
from kathodos.review.authority import Capacity
from kathodos.review.carrying import OF_THINGS, certified, unchanged
from kathodos.review.drafts.access import draft_access
from kathodos.review.drafts.accounts import draft_accounts
from kathodos.review.drafts.covers import draft_covers
from kathodos.review.drafts.draft import Asked, Draft
from kathodos.review.drafts.identity_data import draft_identity_data
from kathodos.review.drafts.resources import draft_resources
from kathodos.review.drafts.roles import draft_roles
from kathodos.review.line_attributes import LineAttributes
from kathodos.review.lines import CERTIFY, OPEN, numbered
from kathodos.review.reviewers import Reviewers
from kathodos.review.subjects import About
from kathodos.store.records import Records

_DRAFTS: Mapping[About, Callable[[Asked], Draft]] = {
    About.ACCESS: draft_access,
    About.ACCOUNTS: draft_accounts,
    About.RESOURCES: draft_resources,
    About.ROLES: draft_roles,
    About.IDENTITY_DATA: draft_identity_data,
    About.COVERS: draft_covers,
}


class Drafted(msgspec.Struct, frozen=True):
    """A review about to be opened: its lines and things, about how many, and what is no line of theirs.

    `without_reviewer`: about how many people whoever opens it decides, of other kinds how many lines; `reviewers`: the
    chain, as it is kept; `carried`: what stands decided of lines that are carried over; `has_findings`: whether excess
    and risk stand beside.
    """

    about: About
    lines: Sequence[DictionaryColumn]
    things: Sequence[DictionaryColumn]
    people: int
    accounts: int
    beyond: int
    without_reviewer: int
    reviewers: str
    carried: Sequence[DictionaryColumn]
    has_findings: bool
    only: str | None = None

    def __len__(self) -> int:
        return len(self.lines[0])

    def column(self, name: str) -> DictionaryColumn:
        """What stands with the lines."""
        return self.lines[REVIEW_LINES.names.index(name) - 1]


class Opening(msgspec.Struct, frozen=True):
    """What a review is made of. `chain`: who decides, by choice; `opener`: who decides what nobody of the chain may.

    Of an account that is nobody's the manager is who answers for it, or else the owner of its system. `only`: a filter
    that leaves some of the lines; `only_changed`: what was certified before and has not changed since is carried over.
    """

    asked: Asked
    chain: Sequence[str]
    opener: str
    about: About = About.ACCESS
    only: str | None = None
    only_changed: bool = False


class _DraftedLines(msgspec.Struct, frozen=True, dict=True):
    """Lines that are drafted, as a filter sees them: nothing is decided of them."""

    records: Records
    columns: Mapping[str, DictionaryColumn]
    things: Mapping[str, DictionaryColumn]

    def __len__(self) -> int:
        return len(self.columns["thing"])

    def column(self, name: str) -> DictionaryColumn:
        """What stands with the lines."""
        return self.columns[name]

    @cached_property
    def thing(self) -> Ints:
        """The position of the thing of each line."""
        numbers = numbers_at(self.things["thing"], np.arange(len(self.things["thing"])))
        return insertion_points(numbers, numbers_at(self.columns["thing"], np.arange(len(self))))

    def of_things(self, name: str) -> DictionaryColumn:
        """What stands with the thing that each line is about."""
        return self.things[name].taken(self.thing)

    def decided(self, name: str) -> DictionaryColumn:
        """What is decided: nothing."""
        return nothing(len(self))

    def said(self, name: str) -> DictionaryColumn:
        """What was said: nothing."""
        return nothing(len(self))


def draft_review(opening: Opening) -> Drafted:
    """The lines of a review, with their evidence."""
    basis = opening.asked.context.basis
    draft = _DRAFTS[opening.about](opening.asked)
    size = len(draft)
    reviewers = Reviewers(basis, draft.asker, draft.owner, opening.chain, opening.opener)
    columns = dict.fromkeys(REVIEW_LINES.names, nothing(size)) | dict(draft.columns)
    before = certified(basis.records, opening.about, columns)
    columns |= {
        "line": numbered(np.arange(1, size + 1)),
        "reviewer": reviewers.column(),
        "certified_at": before.at,
        "certified_by": before.by,
    }
    lines = _DraftedLines(basis.records, columns, dict(zip(REVIEW_THINGS.names[1:], draft.things, strict=True)))
    kept = np.ones(size, dtype=bool)
    if opening.only is not None:
        kept = LineAttributes(lines, basis.moment).selected_by(opening.only)
        lines, before = _only(lines, kept), before.taken(kept)
    is_carried = np.zeros(len(lines), dtype=bool)
    if opening.only_changed:
        own = {name: lines.of_things(name) for name in OF_THINGS}
        is_carried = unchanged(basis.records, before.line, lines.columns, own)
    asker = draft.asker[kept]
    people = len(distinct(asker[(asker >= 0) & (asker < basis.people)]))
    left = reviewers.deciders[kept] < 0
    without = len(distinct(asker[left])) if opening.about == About.ACCESS else int(left.sum())
    return Drafted(
        opening.about,
        [lines.columns[name] for name in REVIEW_LINES.names[1:]],
        list(lines.things.values()),
        people,
        len(distinct(asker[asker >= basis.people])),
        draft.beyond,
        without,
        ";".join(opening.chain),
        _carried(is_carried, before.review, before.by, before.at),
        opening.asked.found.is_known,
        opening.only,
    )


def _only(lines: _DraftedLines, kept: Bools) -> _DraftedLines:
    """Some of the lines, numbered anew, with their things."""
    columns = {name: column.taken(kept) for name, column in lines.columns.items()}
    columns["line"] = numbered(np.arange(1, int(kept.sum()) + 1))
    used = distinct(lines.thing[kept])
    return _DraftedLines(lines.records, columns, {name: it.taken(used) for name, it in lines.things.items()})


def _carried(
    is_it: Bools, review: DictionaryColumn, by: DictionaryColumn, at: DictionaryColumn
) -> Sequence[DictionaryColumn]:
    """What stands decided of lines that are carried over, in the order of the kind."""
    size, some = int(is_it.sum()), is_it.nonzero()[0]
    why = review.taken(some).compact().mapped(lambda name: f"not changed since {name}")
    return [
        *(numbered(some + 1), always(CERTIFY, size), by.taken(some), at.taken(some), why),
        *(always(0, size), always(Capacity.CARRIED, size), always(None, size), always(None, size)),
    ]


class OpenReview(msgspec.Struct, Operation[None], frozen=True):
    """Puts a drafted review into the catalogue. `declared`: the name under which it was declared, if it was."""

    act: ClassVar[Act] = Act.OPEN_REVIEW
    name: str
    where: str
    due: str
    drafted: Drafted
    declared: str | None = None
    undecided: str | None = None

    def compose(self, plan: Plan) -> None:
        """Raises CallError where the name is taken."""
        if plan.records.with_key(REVIEWS, (self.name,)) is not None:
            raise CallError(f"There is a review {self.name} already.", "Give this one another name.")
        plan.open_rows(
            REVIEWS,
            [
                (
                    self.name,
                    self.where,
                    plan.now,
                    plan.actor.name,
                    self.due,
                    OPEN,
                    None,
                    None,
                    self.drafted.reviewers,
                    self.declared,
                    str(self.drafted.about),
                    self.undecided,
                    self.drafted.only,
                )
            ],
        )
        drafted = ((REVIEW_THINGS, self.drafted.things), (REVIEW_LINES, self.drafted.lines))
        for kind, columns in (*drafted, (DECISIONS, self.drafted.carried)):
            size = len(columns[0])
            compact = [always(self.name, size), *(column.compact() for column in columns)]
            plan.open_columns(kind, compact, always(None, size))
        plan.subjects.append(reference_to("review", self.name))
        plan.payload = OpenReviewPayload(self.name, len(self.drafted), self.due)
