"""The result of a review that is signed off, exactly as it was: what was asked, by whom it was decided, every line."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.errors import CallError, found_if
from kathodos.ledger.entries import Entry, entries_touching, newest_entries, payload_of
from kathodos.ledger.payloads import CloseReviewPayload
from kathodos.model.kinds import REVIEWS
from kathodos.model.references import reference_to
from kathodos.model.words import plural
from kathodos.report.answers import Answer
from kathodos.report.review_overview import Overview, overview_of
from kathodos.report.review_words import decision_in_words, evidence_of, whose
from kathodos.review.lines import (
    CERTIFY,
    CORRECT,
    REDUCE,
    REVOKE,
    SIGNED,
    ReviewLines,
    find_review,
    names_of,
    reviews_in,
)
from kathodos.review.subjects import SUBJECTS, About
from kathodos.store.base import Reader
from kathodos.store.history import Histories
from kathodos.workspace.view import View

MOST_SHOWN = 20_000  # lines on a page, in a workbook and on paper; the table holds all
COLUMNS = ("line", "whose", "what", "stands out", "evidence", "decision", "by", "when", "as", "why", "reviewer")


class Result(msgspec.Struct, frozen=True):
    """A result in words. `facts`: what was asked and done; `parts`: the counts by reviewer, department and system.

    `signs`: what was said before the signature of lines that nobody may have looked at.
    """

    name: str
    facts: Sequence[tuple[str, str]]
    parts: Sequence[tuple[str, Overview]]
    signs: Sequence[str]
    lines: ReviewLines
    shown: Ints

    def rows(self, at: Ints | None = None) -> Iterator[dict[str, Any]]:
        """Lines as they stand in the report; those that are shown, where none are named."""
        some = self.shown if at is None else at
        names = names_of(self.lines.records, map(str, self.lines.column("identity", some).compact().values))
        for line in self.lines.records_at(some):
            own = {**line, "name": names.get(line["identity"] or "")}
            words = decision_in_words({**own, "ordered": None})
            yield {
                "line": line["line"],
                "whose": " ".join(filter(None, whose(own))),
                "what": line["gives"],
                "stands out": line["stands_out"] or "",
                "evidence": evidence_of(line),
                "decision": words[0],
                "by": line["decided_by"] or "",
                "when": (line["decided_at"] or "")[:10],
                "as": line["capacity"] or "",
                "why": line["decision_reason"] or "",
                "reviewer": line["reviewer"],
            }

    @property
    def is_whole(self) -> bool:
        """Whether all lines are shown."""
        return len(self.shown) == len(self.lines)


def signing_entry(histories: Histories, review: str) -> int:
    """The ledger entry by which a review was signed off as a whole."""
    touching = entries_touching(histories, REVIEWS, {"review": review, "state": SIGNED})
    if not touching:
        raise CallError(f"{review} is not signed off yet.", f"See how far it is: kathodos review status {review}")
    return min(touching)


def entries_about(reader: Reader, review: str, last: int) -> list[int]:
    """The numbers of the entries about a review, up to the one that signed it off."""
    subject = reference_to("review", review)
    return sorted(it.number for it in newest_entries(reader) if it.number <= last and subject in it.subjects)


def result_of(view: View, name: str, closing: Entry) -> Result:
    """The result of a review, from the state after the entry that signed it off."""
    lines = ReviewLines(view.catalogue, find_review(reviews_in(view.catalogue), name))
    review, decision = lines.review, lines.decided("decision")
    counts = {word: int(decision.holding(word).sum()) for word in (CERTIFY, REDUCE, CORRECT, REVOKE)}
    told = [f"{counts[word]} {text}" for word, text in _COUNTED.items() if counts[word] or word in (CERTIFY, REVOKE)]
    facts = [
        ("What was reviewed", f"{SUBJECTS[About(review.about)].line} ({review.about})"),
        ("Of whom, or of what", review.selects or "all"),
        *([("Only lines", review.only)] if review.only else []),
        ("Decided by", ", ".join((review.reviewers or "").split(";"))),
        ("Opened", f"{review.opened_at} by {review.opened_by}, due {review.due[:10]}"),
        ("Signed off", f"{review.signed_at} by {review.signed_by}"),
        ("Result", f"{plural(len(lines), 'line')}: {', '.join(told)}"),
    ]
    kept = payload_of(closing, CloseReviewPayload)
    parts = [(by, overview_of(lines, by, view.moment)) for by in ("reviewer", "department", "system")]
    shown = np.arange(len(lines))
    if len(shown) > MOST_SHOWN:
        shown = (~decision.holding(CERTIFY)).nonzero()[0][:MOST_SHOWN]
    return Result(name, facts, parts, list(kept.signs), lines, shown)


_COUNTED = {CERTIFY: "certified", REDUCE: "reduced", CORRECT: "corrected", REVOKE: "revoked"}


def report_written(result: Result, folder: str, digests: Mapping[str, str]) -> Answer:
    """What is said of a report that was written."""
    said = dict(result.facts)
    text = [f"{said['Result']}; signed off {said['Signed off']}."]
    hint = f"Does it still hold? kathodos review report {result.name} --check {folder}"
    heading = f"Wrote the result of {result.name} to {folder}: {', '.join(sorted(digests))}, and proof.json."
    return Answer(heading=heading, text=text, hint=hint, document={"review": result.name, "files": dict(digests)})


def report_checked(name: str, wrong: Sequence[str], program: str) -> Answer:
    """Whether a report still is what it was. `program`: the version that made it, where that is another one."""
    document = {"review": name, "holds": not wrong, "wrong": list(wrong), "made_by": program or None}
    heading = f"It holds: every file of the report on {name} is what was signed off, and the ledger stands for it."
    if wrong:
        heading = f"It does not hold: {_things(len(wrong))} not as it was in the report on {name}."
    hint = "Is the store itself whole? kathodos ledger verify"
    text = list(wrong)
    if program and not wrong:
        told = "its pages, which may look otherwise today, are as they were signed"
        text.append(f"It was made by kathodos {program}: {told}, and who decided what is as the ledger has it.")
    return Answer(heading=heading, text=text, hint=hint, document=document, status=found_if(wrong))


def _things(count: int) -> str:
    return plural(count, "thing is", "things are")
