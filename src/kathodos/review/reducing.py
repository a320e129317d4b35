"""Less than a grant gives now: a smaller right, a smaller area, an earlier end; what it makes of the grant."""

from __future__ import annotations

import json
from collections.abc import Iterator

import msgspec
from msgspec.structs import asdict

from kathodos.change.edit_sets import RecordEdit, edit_of
from kathodos.columns.csr import Ints
from kathodos.errors import CallError
from kathodos.model.cells import IN_AN_ID, derived_id
from kathodos.model.json_text import json_text
from kathodos.model.kinds import GRANTS
from kathodos.model.rows import Record
from kathodos.model.times import end_moment
from kathodos.review.lines import ReviewLines


class Reduction(msgspec.Struct, frozen=True):
    """What is to be left of a grant: another role or permission, another scope, an end; what is None stays.

    Of identity data it is the value that is right.
    """

    gives: str | None = None
    on: str | None = None
    until: str | None = None
    value: str | None = None

    @property
    def text(self) -> str:
        """How it is kept."""
        return json_text({name: value for name, value in asdict(self).items() if value is not None})

    @property
    def in_words(self) -> str:
        """What is left, in words."""
        what = self.gives or self.value
        parts = [f"to {what}"] if what else []
        parts += [f"on {self.on}"] if self.on else []
        return " ".join([*parts, *([f"until {self.until}"] if self.until else [])])

    def edits(self, grant: Record, decider: str, day: str, reason: str) -> Iterator[RecordEdit]:
        """What makes a grant less: an end that is earlier; or it ends, and a smaller one takes its place."""
        if self.gives is None and self.on is None:
            yield edit_of(GRANTS, grant, {**grant, "until": self.until})
            return
        less = {**grant, "gives": self.gives or grant["gives"], "on": self.on or grant["on"]}
        less |= {"until": self.until or grant["until"], "given_by": decider, "given_at": day, "reason": reason}
        less["last_used"] = None
        yield edit_of(GRANTS, grant, None)
        yield edit_of(GRANTS, None, {**less, "grant": derived_id([less[name] for name in IN_AN_ID])})


def reduction_from(text: str) -> Reduction:
    """A reduction from what is kept of it."""
    return Reduction(**json.loads(text))


def must_be_reducible(lines: ReviewLines, at: Ints, reduction: Reduction, moment: int) -> None:
    """Raises CallError where a line is no grant, or the end is over or no earlier than that of the grant."""
    memberships = at[lines.column("grant", at).codes < 0]
    if len(memberships):
        what = f"Line {lines.numbers[memberships[0]]} is a membership, which is held or not. Nothing was changed."
        raise CallError(what, "Certify or revoke it; what the group has been given is reviewed with the group.")
    if reduction.until is None:
        return
    end = end_moment(reduction.until)
    if end <= moment:
        raise CallError(
            f"{reduction.until} is over, and what ends then gives nothing.", "Name a day to come, or revoke."
        )
    until = lines.column("until", at).compact()
    for text in until.values:
        if end_moment(str(text)) < end:
            what = f"A grant that ends on {text} is not made less by an end on {reduction.until}. Nothing was changed."
            raise CallError(what, "Name an earlier day.")
