"""Which lines of a review somebody means to decide, pass on or speak of, and as what they may."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.errors import CallError
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Plan
from kathodos.model.times import microseconds
from kathodos.review.authority import Authority, Capacity
from kathodos.review.line_attributes import LineAttributes
from kathodos.review.lines import ReviewLines, find_review, reviews_in
from kathodos.review.subjects import About

CAPACITIES = tuple(Capacity)


class Wanted(msgspec.Struct, frozen=True):
    """Lines of a review, or of the only open one, that words or a filter name."""

    review: str | None
    words: Sequence[str] = ()
    where: str | None = None


class Chosen(msgspec.Struct, frozen=True):
    """Lines as they are, the positions of those that are meant, and for each as what: a position in CAPACITIES."""

    lines: ReviewLines
    at: Ints
    capacity: Ints


def chosen(plan: Plan, wanted: Wanted, authority: Authority, verb: str = "decide", is_decided: bool = False) -> Chosen:
    """The lines that are meant; of those that `all` or a filter names only what is the actor's and not decided yet.

    `verb`: what is to be done with them; `is_decided`: it is done with what is decided already. Raises CallError where
    there is none, or one of them is signed off, about the actor, or somebody else's.
    """
    lines = ReviewLines(plan.records, find_review(reviews_in(plan.records), wanted.review))
    review, actor = lines.review, plan.actor
    capacity = capacities(lines, actor, authority)
    is_mine = (capacity >= 0) & (lines.is_decided == is_decided) & ~lines.is_signed
    if lines.review.about != About.IDENTITY_DATA:
        is_mine &= ~lines.about(actor.names)
    if wanted.where is not None:
        at = (is_mine & LineAttributes(lines, microseconds(plan.time)).selected_by(wanted.where)).nonzero()[0]
    else:
        at = lines.named(wanted.words, is_mine)
    if not len(at):
        what = f"{actor.name} has no line of {review.name} to {verb}" + (
            " that the filter selects" if wanted.where else ""
        )
        raise CallError(f"{what}.", f"See `kathodos review lines {review.name}`.")
    must_be_open(lines, at)
    must_not_be_about(lines, at, actor, actor.name)
    undecided = at[~lines.is_decided[at]] if is_decided else at[:0]
    if len(undecided):
        what = f"Nothing is decided of line {lines.numbers[undecided[0]]} of {review.name} yet. Nothing was changed."
        raise CallError(what, f"See what is: kathodos review lines {review.name} --where 'decision pr'")
    foreign = at[capacity[at] < 0]
    if len(foreign):
        reviewer = lines.column("reviewer").value(int(foreign[0]))
        what = f"Line {lines.numbers[foreign[0]]} is for {reviewer} to decide, not for {actor.name}."
        raise CallError(
            f"{what} Nothing was changed.",
            "Who stands in for a reviewer, or may decide for all, is said in [reviews] of kathodos.toml.",
        )
    return Chosen(lines, at, capacity[at])


def must_be_open(lines: ReviewLines, at: Ints) -> None:
    """Raises CallError where one of some lines is signed off."""
    signed = at[lines.is_signed[at]]
    if len(signed):
        stands = lines.decided("decision").value(int(signed[0]))
        what = f"Line {lines.numbers[signed[0]]} of {lines.review.name} is signed off as {stands}."
        raise CallError(what, "What is signed off stands; take it up in a new review.")


def must_not_be_about(lines: ReviewLines, at: Ints, actor: Actor, name: str) -> None:
    """Raises CallError where one of some lines is about who is to decide it, under any of their names."""
    own = at[lines.about(actor.names)[at]]
    if len(own) and lines.review.about != About.IDENTITY_DATA:  # what is known of people they confirm themselves
        raise CallError(
            f"Line {lines.numbers[own[0]]} is about {name}, and nobody decides about themselves. Nothing was changed.",
            "Leave that line to somebody else.",
        )


def capacities(lines: ReviewLines, actor: Actor, authority: Authority) -> Ints:
    """As what the actor may decide each line, a position in CAPACITIES; -1 where it may not."""
    reviewer = lines.column("reviewer").compact()
    found = [authority.capacity(actor, str(name)) for name in reviewer.values]
    numbers = [CAPACITIES.index(it) if it is not None else -1 for it in found]
    return np.array([*numbers, -1], dtype=np.int64)[reviewer.codes]
