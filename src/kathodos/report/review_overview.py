"""How far a review is by reviewer, department or system, and how much was taken away by what the evidence said."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.model.times import now
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Row
from kathodos.review.line_attributes import LineAttributes
from kathodos.review.lines import (
    CERTIFY,
    CORRECT,
    OPEN,
    REDUCE,
    REVOKE,
    ReviewLines,
    days_left,
    find_review,
    reviews_in,
)
from kathodos.store.attributes import Distinct
from kathodos.workspace.view import View

WAYS = ("reviewer", "department", "system", "evidence")
_NONE = {"department": "no department", "system": "no system", "reviewer": "nobody"}
_FIELDS = (
    Field("name", "By", 9, least=12),
    Field("lines", "Lines", 8, is_number=True),
    Field("certified", "Certified", 7, is_number=True),
    Field("reduced", "Less", 6, is_number=True),
    Field("revoked", "Revoked", 8, is_number=True),
    Field("share", "Taken", 7, is_number=True, shown=lambda it: "" if it is None else f"{it:.0%}"),
    Field("left", "Left", 9, is_number=True),
)


class Overview(msgspec.Struct, frozen=True):
    """Counts of lines, a row for each name. A line that bears on several systems counts in each of them."""

    names: list[str]
    lines: Ints
    certified: Ints
    reduced: Ints
    revoked: Ints

    @property
    def left(self) -> Ints:
        """How many nobody has decided yet."""
        return self.lines - self.certified - self.reduced - self.revoked

    @property
    def order(self) -> list[int]:
        """The rows, those with most lines first."""
        return sorted(range(len(self.names)), key=lambda at: (-int(self.lines[at]), self.names[at]))


def overview_of(lines: ReviewLines, by: str, moment: int) -> Overview:
    """The counts of a review by one of WAYS."""
    attributes = LineAttributes(lines, moment)
    if by == "evidence":
        return _by_evidence(lines, attributes)
    held = attributes.column(by)
    codes, names = _single(held) if by != "system" else (held.codes.astype(np.int64), list(held.values))
    if by != "system":
        names = [*map(str, names), _NONE[by]]
        return _counted(lines, names, np.where(codes >= 0, codes, len(names) - 1), np.arange(len(lines)))
    flat = sorted({it for some in names for it in some} | {_NONE[by]})
    number = {name: at for at, name in enumerate(flat)}
    own = [[number[it] for it in some] or [number[_NONE[by]]] for some in names] + [[number[_NONE[by]]]]
    sizes = np.array([len(it) for it in own])
    starts = np.cumsum(sizes) - sizes
    items = np.array([it for some in own for it in some])
    count = sizes[codes]
    at = np.repeat(np.arange(len(lines)), count)
    within = np.arange(len(at)) - np.repeat(np.cumsum(count) - count, count)
    return _counted(lines, flat, items[np.repeat(starts[codes], count) + within], at)


def _single(held: Distinct) -> tuple[Ints, Sequence[str]]:
    return held.codes.astype(np.int64), held.values


def _counted(lines: ReviewLines, names: Sequence[str], code: Ints, at: Ints) -> Overview:
    """Counts by the code of each entry; `at`: the line of each."""
    decision = lines.decided("decision")
    taken = [decision.holding(word) for word in (CERTIFY, REDUCE, CORRECT, REVOKE)]
    width = len(names)

    def count(which: Bools | None) -> Ints:
        found: Ints = np.bincount(code if which is None else code[which[at]], minlength=width)
        return found

    whole = count(None)
    columns = [whole, count(taken[0]), count(taken[1] | taken[2]), count(taken[3])]
    some = (whole > 0).nonzero()[0]
    return Overview([names[it] for it in some.tolist()], *(it[some] for it in columns))


def _by_evidence(lines: ReviewLines, attributes: LineAttributes) -> Overview:
    """Counts by what the evidence says; a line counts wherever it fits."""
    speaks, needed, use = (attributes.column(name) for name in ("speaks", "needed", "use"))
    masks: list[tuple[str, Bools]] = [(f"speaks {word}", _is(speaks, word)) for word in ("against", "for")] + [
        ("speaks neither way", speaks.codes < 0)
    ]
    if lines.column("spoken").holding(1).any():
        masks += [(f"needed: {word}", _is(needed, word)) for word in ("yes", "no", "no rule")]
    masks += [(f"use: {word}", _is(use, word)) for word in ("used", "never", "not recorded")]
    masks += [("part of a conflict", lines.column("conflicts").codes >= 0)]
    masks += [("crosses a fence", lines.column("fences").codes >= 0)]
    masks += [("missed by nobody", lines.column("redundant").holding(1))]
    excess = attributes.column("excess")
    kinds = sorted({kind for some in excess.values for kind in some})
    for kind in kinds:
        has = np.array([kind in some for some in excess.values] + [False])
        masks.append((f"found: {kind}", has[excess.codes]))
    at = [which.nonzero()[0] for _, which in masks]
    code = np.repeat(np.arange(len(masks)), [len(it) for it in at])
    return _counted(lines, [name for name, _ in masks], code, np.concatenate(at).astype(np.int64))


def _is(held: Distinct, word: str) -> Bools:
    code = list(map(str, held.values)).index(word) if word in map(str, held.values) else -2
    found: Bools = held.codes == code
    return found


def review_overview(view: View, name: str | None, by: str) -> Answer:
    """How far a review is, by reviewer, department, system or what the evidence says."""
    records = view.catalogue
    lines = ReviewLines(records, find_review(reviews_in(records), name))
    review, found = lines.review, overview_of(lines, by, view.moment)
    days = days_left(review, now()) if review.state == OPEN else None
    rows: list[Row] = []
    for at in found.order:
        decided = int(found.lines[at] - found.left[at])
        taken = int(found.reduced[at] + found.revoked[at])
        left = int(found.left[at])
        rows.append(
            {
                "review": review.name,
                "by": by,
                "name": found.names[at],
                **{key: int(getattr(found, key)[at]) for key in ("lines", "certified", "reduced", "revoked")},
                "share": taken / decided if decided else None,
                "left": left,
                "days_left": days if left else None,
            }
        )
    left = int((~lines.is_decided).sum())
    heading = f"{review.name} by {by}: {plural(len(lines), 'line')}, {left} left"
    if days is not None:
        heading += f", {plural(days, 'day')} left" if days >= 0 else f", {plural(-days, 'day')} late"
    text = [*([_TOLD[by]] if by in _TOLD else []), _LEGEND]
    hint = f"Who is how far: kathodos review status {review.name}"
    if by == "department" or days is None:
        hint = f"A picture of it: kathodos chart review {review.name} --out review.png"
    return Answer(_FIELDS, rows, heading, text, hint=hint, extra_keys=["days_left", "review", "by"])


_LEGEND = "Less: made less, or corrected. Taken: the share of what is decided that is revoked or made less."
_TOLD = {
    "system": "A line that bears on several systems counts in each of them.",
    "evidence": "A line counts wherever it fits.",
}
