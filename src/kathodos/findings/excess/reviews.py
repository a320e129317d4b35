"""Reviews decided without looking: faster than anybody can read, against the evidence, or with nothing taken away."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np

from kathodos.analysis.decisions import Decisions
from kathodos.columns.csr import Ints
from kathodos.findings.excess.batches import CERTAIN, Batch, ExcessContext, FindingText, batch
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.model.references import name_in, reference_to
from kathodos.model.times import day_text

HASTY, AGAINST_EVIDENCE, NOTHING_TAKEN = "hasty-review", "against-evidence", "nothing-taken"
UNOPENED = "unopened-evidence"
_AGAIN = "Have these lines looked at again, in a new review."


class Sign(msgspec.Struct, frozen=True):
    """A sign that somebody decided without looking: of which kind, who, in words, and since when (-1: not known)."""

    kind: str
    who: str
    evidence: str
    moment: int = -1


def signs(decisions: Decisions, review: str, limits: Thresholds) -> Iterator[Sign]:
    """The signs that lines of a review were decided without looking."""
    yield from _haste(decisions, review, limits)
    kept, against = decisions.certified_against, decisions.against
    enough = np.where(kept >= limits.against_share * np.maximum(against, 1), kept, 0)
    for who in _at_least(enough, limits.against_lines):
        told = f"certified {kept[who]} of {against[who]} lines of the review {review} that the evidence speaks against"
        yield Sign(AGAINST_EVIDENCE, decisions.names[who], told)
    blind, known = decisions.unopened, decisions.opened_known
    enough = np.where(blind >= limits.unopened_share * np.maximum(known, 1), blind, 0)
    for who in _at_least(enough, limits.unopened_lines):
        told = f"certified {blind[who]} of {known[who]} lines of the review {review} without opening their evidence"
        yield Sign(UNOPENED, decisions.names[who], told)
    others = decisions.share_of_others(limits.taken_lines)
    nothing = (decisions.certified == decisions.decided) & (others >= limits.taken_share)
    for who in _at_least(np.where(nothing, decisions.decided, 0), limits.taken_lines):
        told = f"took nothing away of {decisions.decided[who]} lines of the review {review}; the others took "
        yield Sign(NOTHING_TAKEN, decisions.names[who], f"{told}{others[who]:.0%} of theirs away")


def _haste(decisions: Decisions, review: str, limits: Thresholds) -> Iterator[Sign]:
    """Whoever certified so many lines in so little time that nobody can have looked at them."""
    most, since = decisions.most_within(limits.haste_seconds * 1_000_000)
    for who in _at_least(most, limits.haste_lines):
        told = (
            f"certified {most[who]} lines of the review {review} within {limits.haste_seconds} seconds on "
            f"{day_text(int(since[who]))}, of {decisions.certified[who]} lines certified in all"
        )
        yield Sign(HASTY, decisions.names[who], told, int(since[who]))


def _at_least(counts: Ints, least: int) -> list[int]:
    """Who has at least so many, and any."""
    return [int(it) for it in (counts >= max(least, 1)).nonzero()[0]]


def hasty_reviews(context: ExcessContext) -> Batch:
    """Whoever certified faster than anybody can read."""
    return _found(context, HASTY)


def against_evidence(context: ExcessContext) -> Batch:
    """Whoever certified most of the lines that the evidence spoke against, where these were not few."""
    return _found(context, AGAINST_EVIDENCE)


def unopened_evidence(context: ExcessContext) -> Batch:
    """Whoever certified nearly all lines of a packet, and not few, without opening the evidence."""
    return _found(context, UNOPENED)


def nothing_taken(context: ExcessContext) -> Batch:
    """Whoever took nothing away of many lines, where the others took away their share."""
    return _found(context, NOTHING_TAKEN)


def _found(context: ExcessContext, kind: str) -> Batch:
    """The signs of one kind in all reviews."""
    some, texts = [], []
    for review, decisions in context.decisions:
        for sign in signs(decisions, review, context.thresholds):
            if sign.kind == kind:
                some.append(sign)
                texts.append(FindingText(reference_to("review", review), sign.evidence, _AGAIN, ()))
    identities = context.basis.index.holders.identities
    whose = np.array([identities.find(name_in("identity", it.who)) for it in some], dtype=np.int64)
    names = [context.holder(number) if number >= 0 else it.who for number, it in zip(whose.tolist(), some, strict=True)]
    days = [context.basis.days_since(it.moment) if it.moment >= 0 else -1 for it in some]
    stood = np.array(days, dtype=np.int64)
    return batch(kind, whose, names.__getitem__, texts.__getitem__, 1, CERTAIN, stood)
