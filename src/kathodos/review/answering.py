"""Answers to packets taken in: each line by line as its reviewer decided it, or refused with the reason why."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, ClassVar

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints, bools, ints
from kathodos.columns.dictionary import always, dictionary_column, positions_among
from kathodos.errors import CallError
from kathodos.ledger.actors import Acting
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, PacketsPayload, TakeAnswersPayload
from kathodos.model.kinds import IDENTITIES
from kathodos.model.references import reference_to
from kathodos.model.times import microseconds, moment_of, normal_moment, time_text
from kathodos.review.authority import Capacity
from kathodos.review.deciding import must_be_correct, must_not_speak_against, must_suit, put_decisions, subjects_of
from kathodos.review.escalating import are_about
from kathodos.review.lines import Review, ReviewLines, find_review, reviews_in
from kathodos.review.packets import AnswerFile, LineAnswer, Seal
from kathodos.review.passing import must_be_here, put_remarks
from kathodos.review.reducing import Reduction, must_be_reducible
from kathodos.review.remarks import Sort
from kathodos.review.subjects import About, Decision
from kathodos.store.naming import resolved

if TYPE_CHECKING:
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

_PASS = "pass"
_LONGEST = 10_000  # characters of a reason or a comment


class Given(msgspec.Struct, frozen=True):
    """One file of answers. `digest`: SHA-256 of the file, in hex; `wrong`: by number, why a line cannot be taken."""

    file: str
    digest: str
    answers: AnswerFile
    wrong: Mapping[int, str] = msgspec.field(default_factory=dict)


class Refused(msgspec.Struct, frozen=True):
    """What was not taken, and why. `line`: its number; 0: the whole file."""

    file: str
    line: int
    why: str


class Taken(msgspec.Struct):
    """What was taken: for each file how many lines were certified, reduced, revoked, corrected, passed on, spoken of.

    `repeated`: how many lines were decided so already, by the same answers taken before.
    """

    review: Review
    counts: dict[str, dict[str, int]] = msgspec.field(default_factory=dict)
    refused: list[Refused] = msgspec.field(default_factory=list)
    repeated: int = 0

    def count(self, what: str) -> int:
        """How many lines of all files something happened to."""
        return sum(it.get(what, 0) for it in self.counts.values())


class IssuePackets(msgspec.Struct, Operation[None], frozen=True):
    """Enters that packets were made, and the digest over all of their seals."""

    act: ClassVar[Act] = Act.PACKETS
    review: str
    seals: Sequence[Seal]

    def compose(self, plan: Plan) -> None:
        """Writes an entry without a record."""
        plan.is_kept_empty = True
        whole = hashlib.sha256("\n".join(sorted(it.signature for it in self.seals)).encode()).hexdigest()
        plan.subjects.append(reference_to("review", self.review))
        plan.payload = PacketsPayload(self.review, len(self.seals), sum(it.lines for it in self.seals), whole)


class TakeAnswers(msgspec.Struct, Operation[Taken], frozen=True):
    """Takes files of answers to the packets of one review in, all in one transaction."""

    act: ClassVar[Act] = Act.TAKE_ANSWERS
    review: str
    given: Sequence[Given]
    key: Ed25519PublicKey
    needs_reason: bool
    acting: Callable[[str], Acting]

    def compose(self, plan: Plan) -> Taken:
        """Raises CallError where there is no such review; what else does not fit is refused line by line."""
        lines = ReviewLines(plan.records, find_review(reviews_in(plan.records), self.review))
        taken = Taken(lines.review)
        files = [it for it in self.given if self._is_whole(it, taken)]
        _Taking(plan, lines, taken, files, self.acting, self.needs_reason).take()
        plan.is_kept_empty = True
        plan.subjects.append(reference_to("review", lines.review.name))
        told: list[list[str | int]] = [
            [it.digest, it.answers.seal.reviewer, sum(taken.counts.get(it.file, {}).values())] for it in files
        ]
        plan.payload = TakeAnswersPayload(lines.review.name, told, len(taken.refused))
        return taken

    def _is_whole(self, given: Given, taken: Taken) -> bool:
        """Whether a file answers a packet of ours, of this review, as it was; otherwise it is refused."""
        seal, why = given.answers.seal, ""
        if not seal.is_ours(self.key):
            why = "it does not answer a packet that was made here"
        elif not seal.is_of(taken.review):
            why = f"it answers a packet of another review that was called {seal.review}"
        elif given.answers.digest != seal.digest:
            why = "what the packet showed was altered before it was answered; make a new one"
        if why:
            taken.refused.append(Refused(given.file, 0, why))
        return not why


class _Taking:
    """The answers of some files, line by line."""

    def __init__(
        self,
        plan: Plan,
        lines: ReviewLines,
        taken: Taken,
        files: Sequence[Given],
        acting: Callable[[str], Acting],
        needs_reason: bool,
    ) -> None:
        self.plan, self.taken, self.lines, self.files, self.acting = plan, taken, lines, files, acting
        self.needs_reason = needs_reason
        pairs = [(number, answer) for number, given in enumerate(files) for answer in given.answers.answers]
        self.file = ints(number for number, _ in pairs)
        self.answers = [answer for _, answer in pairs]
        self.number = ints(answer.line for answer in self.answers)

    def take(self) -> None:
        """Enters what fits."""
        fits = self._refuse()
        decided: list[tuple[int, str]] = []  # the positions of answers, and what is left of what is made less
        passed: list[tuple[int, str]] = []
        for at in fits.nonzero()[0].tolist():
            answer = self.answers[at]
            try:
                must_be_plain(answer)
                if answer.decision == _PASS:
                    passed.append((at, self._whom(at, answer)))
                elif answer.decision:
                    decided.append((at, self._checked(at, answer)))
            except CallError as error:
                fits[at] = False
                self._no(at, _bare(error))
        self._decide(decided)
        self._pass_on(passed)
        self._comment(fits)

    def _refuse(self) -> Bools:
        """Which answers fit: the line is there, is still this reviewer's and open, is not about them, and once."""
        fits = (self.number >= 1) & (self.number <= len(self.lines))
        for at in (~fits).nonzero()[0].tolist():
            self._no(at, f"the review has no line {self.answers[at].line}")
        position = np.where(fits, self.number - 1, 0)
        for at, why in self._wrong(position, fits):
            if fits[at]:
                fits[at] = False
                if why:
                    self._no(at, why)
                else:
                    self.taken.repeated += 1
        self.position = position
        return fits

    def _wrong(self, position: Ints, there: Bools) -> Iterator[tuple[int, str]]:
        """The answers that do not fit, each with why; nothing where it has been taken before."""
        lines = self.lines
        reviewers = [it.answers.seal.reviewer for it in self.files]
        now = lines.column("reviewer", position).compact()
        of_file = positions_among(reviewers, now.values)[self.file] if len(self.file) else self.file
        first = np.full(len(lines), len(self.answers), dtype=np.int64)
        np.minimum.at(first, position[there], there.nonzero()[0])
        decided = lines.is_decided[position]
        ids = lines.records.column(IDENTITIES, "id").values
        to = positions_among(reviewers, ids)[self.file]
        own = are_about(lines.records, lines, position, to)
        own &= lines.review.about != About.IDENTITY_DATA
        pairs = zip(self.file.tolist(), self.answers, strict=True)
        is_wrong = bools(answer.line in self.files[at].wrong for at, answer in pairs)
        is_other, is_again = now.codes != of_file, first[position] != np.arange(len(position))
        wrong = there & (is_wrong | decided | lines.is_signed[position] | is_other | own | is_again)
        for at in wrong.nonzero()[0].tolist():
            answer, where = self.answers[at], int(position[at])
            stands, who, when = (lines.decided(name).value(where) for name in ("decision", "decided_by", "decided_at"))
            if is_wrong[at]:
                yield at, self.files[int(self.file[at])].wrong[answer.line]
            elif is_again[at]:
                same = self.answers[int(first[where])]
                other = self.files[int(self.file[first[where]])].file
                yield at, "" if _says_the_same(same, answer) else f"it is answered twice, first in {other}"
            elif lines.is_signed[where]:
                yield at, f"it was signed off as {stands} before the answer came"
            elif decided[at]:
                is_same = stands == answer.decision and who == reviewers[self.file[at]]
                yield at, "" if is_same else f"{who} decided it on {str(when)[:10]}: {stands}"
            elif is_other[at]:
                yield at, f"it is for {now.value(at)} to decide now, no longer for {reviewers[self.file[at]]}"
            else:
                yield at, f"it is about {reviewers[self.file[at]]}, and nobody decides about themselves"

    def _no(self, at: int, why: str) -> None:
        self.taken.refused.append(Refused(self.files[int(self.file[at])].file, self.answers[at].line, why))

    def _reviewer(self, at: int) -> str:
        return self.files[int(self.file[at])].answers.seal.reviewer

    def _checked(self, at: int, answer: LineAnswer) -> str:
        """What is left of a line that is made less, or what is right. Raises CallError where it cannot be so."""
        decision, one = Decision(answer.decision), self.position[at : at + 1]
        must_suit(self.lines, decision)
        if decision not in (Decision.CERTIFY,) and not answer.reason.strip():
            raise CallError(f"to {decision}, it has to say why", "")
        if decision == Decision.CERTIFY and self.needs_reason and not answer.reason.strip():
            must_not_speak_against(self.lines, one)
        if decision == Decision.REDUCE:
            try:
                reduction = Reduction(until=normal_moment(answer.until))
            except ValueError:
                raise CallError(f"{answer.until!r} is no day until which it could last", "") from None
            must_be_reducible(self.lines, one, reduction, microseconds(self.plan.time))
            return reduction.text
        if decision == Decision.CORRECT:
            actor = self.acting(self._reviewer(at)).among(self.plan.records)
            return Reduction(value=must_be_correct(self.lines, one, answer.to, actor)).text
        return ""

    def _whom(self, at: int, answer: LineAnswer) -> str:
        """To whom a line is passed on. Raises CallError where that cannot be."""
        if not answer.to.strip():
            raise CallError("it does not say to whom it is passed on", "")
        named = resolved(self.plan.records, answer.to.strip(), (IDENTITIES,)).removeprefix("identity:")
        to = self.acting(named).among(self.plan.records)
        must_be_here(self.plan, to)
        if self.lines.about(to.names)[self.position[at]]:
            raise CallError(f"it is about {to.name}, to whom it is passed on", "")
        return to.name

    def _decide(self, some: Sequence[tuple[int, str]]) -> None:
        at = ints(it for it, _ in some)
        if not len(at):
            return
        answers = [self.answers[it] for it, _ in some]
        columns = [
            dictionary_column(str(it.decision) for it in answers),
            dictionary_column(self._reviewer(it) for it, _ in some),
            dictionary_column(self._when(it) for it, _ in some),
            dictionary_column(it.reason.strip() or None for it in answers),
            always(0, len(at)),
            always(Capacity.REVIEWER, len(at)),
            dictionary_column(left or None for _, left in some),
            dictionary_column(None if it.opened is None else int(it.opened) for it in answers),
        ]
        order = np.argsort(self.position[at], kind="stable")
        put_decisions(self.plan, self.lines, self.position[at][order], [column.taken(order) for column in columns])
        for it, answer in zip(at.tolist(), answers, strict=True):
            self._note(it, str(answer.decision))
        self.plan.subjects += subjects_of(self.lines, self.position[at])

    def _when(self, at: int) -> str:
        """When a line was decided: as the packet says, where that can be; otherwise now."""
        seal, said = self.files[int(self.file[at])].answers.seal, self.answers[at].at
        try:
            moment = moment_of(said) if said else self.plan.time
        except ValueError:
            return self.plan.now
        is_possible = moment_of(seal.issued) <= moment <= self.plan.time
        return time_text(moment) if is_possible else self.plan.now

    def _pass_on(self, some: Sequence[tuple[int, str]]) -> None:
        if some:
            at = ints(it for it, _ in some)
            self._remark(at, Sort.PASSED_ON, [self.answers[it].reason for it, _ in some], [to for _, to in some])
            for it in at.tolist():
                self._note(it, _PASS)

    def _comment(self, fits: Bools) -> None:
        at = ints(it for it in fits.nonzero()[0].tolist() if self.answers[it].say.strip())
        if len(at):
            self._remark(at, Sort.COMMENT, [self.answers[it].say for it in at.tolist()], [None] * len(at))
            for it in at.tolist():
                if not self.answers[it].decision:
                    self._note(it, "comment")

    def _remark(self, at: Ints, sort: Sort, texts: Sequence[str], whom: Sequence[str | None]) -> None:
        order = np.argsort(self.position[at], kind="stable")
        by = dictionary_column(self._reviewer(int(it)) for it in at[order].tolist())
        said = dictionary_column(texts[it].strip() or None for it in order.tolist())
        to = dictionary_column(whom[it] for it in order.tolist())
        put_remarks(self.plan, self.lines, self.position[at][order], sort, said, to, by)

    def _note(self, at: int, what: str) -> None:
        counts = self.taken.counts.setdefault(self.files[int(self.file[at])].file, {})
        counts[what] = counts.get(what, 0) + 1


def must_be_plain(answer: LineAnswer) -> None:
    """Raises CallError where a text cannot be kept as it is."""
    for text in (answer.until, answer.to, answer.reason, answer.say):
        if "\0" in text or len(text) > _LONGEST:
            raise CallError("it holds a text that cannot be kept: too long, or with a character that is none", "")


def _says_the_same(one: LineAnswer, other: LineAnswer) -> bool:
    names = ("decision", "until", "to")
    return all(getattr(one, name) == getattr(other, name) for name in names)


def _bare(error: CallError) -> str:
    """What an error says, as a part of a sentence."""
    return error.what.removesuffix(" Nothing was changed.").removesuffix(".")
