"""How far reviews are: open, signed off, and carried out once what they ordered is."""

from __future__ import annotations

from kathodos.change.kept import ChangeState
from kathodos.model.kinds import CHANGES
from kathodos.model.references import reference_to
from kathodos.review.lines import CARRIED_OUT, SIGNED, Review, ReviewState
from kathodos.store.records import Records


def state_of(records: Records, review: Review) -> ReviewState:
    """How far a review is: carried out once every change that it became is."""
    if review.state != SIGNED:
        return ReviewState(review.state)
    own = records.column(CHANGES, "origin").holding(reference_to("review", review.name))
    done = records.column(CHANGES, "state").holding(ChangeState.CARRIED_OUT)
    return CARRIED_OUT if own.any() and done[own].all() else SIGNED
