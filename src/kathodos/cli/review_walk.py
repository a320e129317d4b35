"""`kathodos review walk`: decide what is left, one line or one person after another, at the terminal."""

from __future__ import annotations

import argparse
import contextlib
from typing import TYPE_CHECKING

from kathodos.cli.keys import Keyboard
from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from kathodos.columns.csr import Ints
    from kathodos.ledger.operations import Operation
    from kathodos.review.choosing import Chosen, Wanted
    from kathodos.review.lines import ReviewLines
    from kathodos.review.walking import Walk
    from kathodos.store.records import Records


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "decide what is left for you with single keys, line by line or person by person"
    example = (
        "  kathodos review walk autumn --as p0101\n"
        "  kathodos review walk autumn --by person --where 'speaks eq \"for\"' --as p0101"
    )
    walking = command(steps, "walk", common, formatter, run, what, example)
    walking.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    walking.add_argument("--by", choices=("line", "person"), default="line", help="what is decided at once")
    walking.add_argument("--where", metavar="FILTER", help="only lines that this filter selects")
    acting(walking)


def run(session: Session) -> int:
    if session.format != "table":
        raise CallError("A walk is for people; it gives no data.", "For data: kathodos review lines --format json")
    return _Walking(session).run()


class _Walking:
    """One walk; each decision is written when it is made, so that it can be left at any time."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self.authority = session.workspace.configuration.authority
        self.is_by_person = session.arguments.by == "person"
        self.count = 0
        self.told = ""
        self.open = contextlib.ExitStack()
        self.keyboard = Keyboard()

    def run(self) -> int:
        with self.open, self.keyboard:
            return self._run()

    def _run(self) -> int:
        from kathodos.report.answers import Answer
        from kathodos.report.review_cards import walked
        from kathodos.review.walking import walk_through

        _, lines, left = self._state()
        moment = self.session.view.moment
        walk = walk_through(lines, left, self.session.arguments.where, moment, self.is_by_person)
        while not walk.is_over and self._step(walk):
            pass
        _, lines, left = self._state()
        return self.session.answer(Answer(heading=walked(lines.review.name, self.count, len(left))))

    def _state(self) -> tuple[Records, ReviewLines, Ints]:
        """The records as they are now, the lines, and the positions of those that are left."""
        from kathodos.review.lines import ReviewLines, find_review, reviews_in
        from kathodos.review.walking import left_for

        self.open.close()  # what was read before the last decision
        records = self.open.enter_context(self.session.workspace.view(None, None)).catalogue
        lines = ReviewLines(records, find_review(reviews_in(records), self.session.arguments.name))
        return records, lines, left_for(lines, self.session.acts, self.authority)

    def _step(self, walk: Walk) -> bool:
        """Shows where the walk stands and does what is pressed; False where that is to stop."""
        from kathodos.model.times import now
        from kathodos.output.cards import show_card
        from kathodos.report import review_cards as cards
        from kathodos.review.lines import days_left

        records, lines, left = self._state()
        some = list(lines.records_at(lines.positions_of(walk.stop)))
        is_person = self.is_by_person and len(some) > 1
        card = cards.card_of_person(records, some) if is_person else cards.card_of_line(records, some[0])
        keys = cards.KEYS_OF_PERSON if is_person else cards.keys_of_line(lines.review.about)
        shown = ["", self.told] if self.told else []
        show_card(cards.heading(lines, len(left), days_left(lines.review, now())), [*card, *shown], keys)
        self.told, pressed = "", self.keyboard.key()
        if pressed == "q":
            return False
        if pressed in dict(keys):
            try:
                self._do(walk, pressed, lines.review.name)
            except CallError as error:
                self.told = f"! {error.what} {error.remedy}".rstrip()
        return True

    def _do(self, walk: Walk, pressed: str, review: str) -> None:
        from kathodos.review.choosing import Wanted

        if pressed in ("n", "b"):
            walk.go_on(1 if pressed == "n" else -1)
        elif pressed == "o":
            walk.one_by_one()
        elif pressed == "u":
            self._take_back(walk, review)
        else:
            wanted = Wanted(review, [str(it) for it in walk.stop])
            self._decide(walk, pressed, wanted) if pressed in "crlv" else self._speak(walk, pressed, wanted)

    def _decide(self, walk: Walk, pressed: str, wanted: Wanted) -> None:
        from kathodos.model.times import normal_moment
        from kathodos.review.deciding import Decide
        from kathodos.review.lines import CERTIFY, CORRECT, REDUCE, REVOKE
        from kathodos.review.reducing import Reduction

        line = self.keyboard.line
        reduction, reason = Reduction(), ""
        if pressed == "l":
            until = line("Until which day?")
            try:
                reduction = Reduction(until=normal_moment(until))
            except ValueError as error:
                raise CallError(f"{until} is no day: {error}.") from None
        elif pressed == "v":
            reduction = Reduction(value=line("What is right?"))
        if pressed != "c":
            reason = line("Why?")
            if not reason:
                raise CallError("Nothing was decided: it takes a reason.")
        decision = {"c": CERTIFY, "r": REVOKE, "l": REDUCE, "v": CORRECT}[pressed]
        self._carry_out(Decide(wanted, decision, self.authority, reduction), reason)
        self.count += len(walk.stop)
        walk.decided(walk.stop)

    def _take_back(self, walk: Walk, review: str) -> None:
        from kathodos.review.choosing import Wanted
        from kathodos.review.deciding import TakeBack

        numbers = walk.take_back()
        if not numbers:
            raise CallError("Nothing was decided in this walk yet.")
        self._carry_out(TakeBack(Wanted(review, [str(it) for it in numbers]), self.authority), "")
        self.count -= len(numbers)

    def _speak(self, walk: Walk, pressed: str, wanted: Wanted) -> None:
        from kathodos.review.passing import Ask, PassOn, Say
        from kathodos.review.remarks import Sort

        line = self.keyboard.line
        acting = self.session.workspace.acting
        if pressed == "p":
            to = line("To whom?")
            if not to:
                raise CallError("Nothing was passed on: nobody is named.")
            self._carry_out(PassOn(wanted, [acting(to)], self.authority), line("Why?"))
            walk.go_on()
        elif pressed == "a":
            of, text = line("Ask whom? (empty: whoever opened the review)"), line("What?")
            self._must_say(text)
            self._carry_out(Ask(wanted, text, acting(of) if of else None, self.authority), "")
            walk.go_on()
        else:
            text = line("What is to be noted?")
            self._must_say(text)
            self._carry_out(Say(wanted, Sort.COMMENT, text, self.authority), "")

    @staticmethod
    def _must_say(text: str) -> None:
        if not text:
            raise CallError("Nothing was entered: the text is empty.")

    def _carry_out(self, operation: Operation[Chosen], reason: str) -> None:
        session = self.session
        session.workspace.carry_out(operation, session.said_actor, reason or session.reason, session.accepts_clock)
