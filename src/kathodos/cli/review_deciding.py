"""The steps of `kathodos review` that reviewers take: decide, take back, pass on, ask, answer, comment."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.errors import CallError

if TYPE_CHECKING:
    from kathodos.review.choosing import Wanted
    from kathodos.review.reducing import Reduction


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    for add_step in (_add_decide, _add_take_back, _add_pass, _add_ask, _add_answer, _add_comment):
        add_step(steps, common, formatter)


def _add_decide(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "certify, reduce or revoke lines that are yours to decide; nobody decides about themselves"
    example = (
        "  kathodos review decide 4 7-9 revoke --as p0101 --reason 'left the pilots in May'\n"
        "  kathodos review decide 12 reduce --until 2026-12-31 --as p0101 --reason 'until the project ends'\n"
        "  kathodos review decide all certify --review autumn --as p0101\n"
        "  kathodos review decide 3 correct --to 'Head of pilotage' --as p0101 --reason 'since May'\n"
        "  kathodos review decide --where 'last_used lt today-P1Y' revoke --as p0101 --reason 'not used for a year'"
    )
    deciding = command(steps, "decide", common, formatter, run_decide, what, example)
    _lines(deciding, "numbers, ranges as 7-9, or all that is left")
    deciding.add_argument("--where", metavar="FILTER", help="what is left to decide and this filter selects")
    choices = ("certify", "reduce", "revoke", "correct")
    words = "it stands, is made less, or is taken away; identity data: what is wrong is corrected"
    deciding.add_argument("decision", choices=choices, help=words)
    to = "reduce: the smaller role, or permission, that is left; correct: the value that is right"
    deciding.add_argument("--to", metavar="WHAT", help=to)
    deciding.add_argument("--on", metavar="SCOPE", help="reduce: the smaller area, resource or pattern that is left")
    deciding.add_argument("--until", metavar="DATE", help="reduce: the day on which it ends")
    _which(deciding)


def _add_take_back(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "take back what was decided of lines and is not signed off yet"
    example = "  kathodos review take-back 4 --review autumn --as p0101"
    taking = command(steps, "take-back", common, formatter, run_take_back, what, example)
    _lines(taking, "numbers, ranges as 7-9, or all that you decide")
    _which(taking)


def _add_pass(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "pass lines on to another reviewer, who knows better; the trail stays with the line"
    example = (
        "  kathodos review pass 4 7-9 --to p0059 --as p0101 --reason 'works for the dues office since May'\n"
        "  kathodos review pass all --to p0059 p0063 --as p0101 --reason 'too many for one'"
    )
    passing = command(steps, "pass", common, formatter, run_pass, what, example)
    _lines(passing, "numbers, ranges as 7-9, or all that is left")
    passing.add_argument("--where", metavar="FILTER", help="what is left to decide and this filter selects")
    to = "who is to decide instead; among several the lines are split, those about one person together"
    passing.add_argument("--to", metavar="WHO", nargs="+", required=True, help=to)
    _which(passing)


def _add_ask(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "ask somebody about lines before you decide them"
    example = "  kathodos review ask 4 --of p0063 --say 'Do you still set tariffs?' --as p0101"
    asking = command(steps, "ask", common, formatter, run_ask, what, example)
    _lines(asking, "numbers, ranges as 7-9, or all that is left")
    asking.add_argument("--of", metavar="WHO", help="who is asked (default: whoever opened the review)")
    _say(asking, "the question")
    _which(asking)


def _add_answer(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "answer what was asked about lines"
    example = "  kathodos review answer 4 --say 'Not since the analyst is back.' --as p0063"
    answering = command(steps, "answer", common, formatter, run_answer, what, example)
    _lines(answering, "numbers, ranges as 7-9, or all that waits for your answer")
    _say(answering, "the answer")
    _which(answering)


def _add_comment(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "put a comment on lines, for whoever looks at them later"
    example = "  kathodos review comment 4 --say 'To be looked at again when the project ends.' --as p0101"
    commenting = command(steps, "comment", common, formatter, run_comment, what, example)
    _lines(commenting, "numbers, ranges as 7-9, or all that is left")
    _say(commenting, "the comment")
    _which(commenting)


def _lines(parser: argparse.ArgumentParser, which: str) -> None:
    parser.add_argument("lines", nargs="*", metavar="LINE", help=which)


def _say(parser: argparse.ArgumentParser, what: str) -> None:
    parser.add_argument("--say", metavar="TEXT", required=True, help=what)


def _which(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--review", metavar="NAME", help="which review (default: the one that is open)")
    acting(parser)


def _wanted(session: Session) -> Wanted:
    """The lines that are meant. Raises CallError where none are named, or twice."""
    from kathodos.review.choosing import Wanted

    asked, where = session.arguments, getattr(session.arguments, "where", None)
    if bool(asked.lines) == (where is not None):
        other = ", or --where FILTER: one of these" if hasattr(asked, "where") else ""
        raise CallError("Say which lines.", f"Write their numbers, or `all`{other}.")
    return Wanted(asked.review, asked.lines, where)


def run_decide(session: Session) -> int:
    from kathodos.report.reviews import lines_decided
    from kathodos.review.deciding import Decide
    from kathodos.review.lines import CERTIFY
    from kathodos.review.subjects import Decision

    decision = Decision(session.arguments.decision)
    if decision != CERTIFY and not session.reason:
        raise CallError(f"To {decision}, say why: --reason TEXT is missing.", "The person and the auditor will ask.")
    wanted, reduction = _wanted(session), _reduction(session)
    authority = session.workspace.configuration.authority
    done = session.carry_out(Decide(wanted, decision, authority, reduction)).result
    return session.answer(lines_decided(done, decision, session.actor, reduction))


def _reduction(session: Session) -> Reduction:
    """What is left of what is made less. Raises CallError where nothing is said of it, or it is not less."""
    from kathodos.cli.changing import desk
    from kathodos.model.times import normal_moment
    from kathodos.review.reducing import Reduction
    from kathodos.workspace.reviewing import must_be_less

    asked = session.arguments
    said = {"--to": asked.to, "--on": asked.on, "--until": asked.until}
    named = [option for option, value in said.items() if value is not None]
    if asked.decision == "correct":
        if named != ["--to"]:
            raise CallError("Say what is right: --to VALUE alone.", "To empty the attribute: revoke.")
        return Reduction(value=asked.to)
    if bool(named) != (asked.decision == "reduce"):
        if named:
            raise CallError(
                f"{named[0]} says what is left, but nothing is reduced.", f"Write reduce for {asked.decision}."
            )
        raise CallError(
            "Say what is left: --to WHAT, --on SCOPE or --until DATE is missing.", "To take all away: revoke."
        )
    try:
        until = normal_moment(asked.until) if asked.until is not None else None
    except ValueError as error:
        raise CallError(f"--until {asked.until} is no day: {error}.") from None
    on = desk(session)
    gives = on.given([asked.to])[0] if asked.to is not None else None
    scope = on.scopes([asked.on])[0] if asked.on is not None else None
    reduction = Reduction(gives, scope, until)
    if gives is not None or scope is not None:
        must_be_less(session.view, session.acts, _wanted(session), reduction, session.workspace.configuration.authority)
    return reduction


def run_take_back(session: Session) -> int:
    from kathodos.report.reviews import lines_decided
    from kathodos.review.deciding import TakeBack

    authority = session.workspace.configuration.authority
    done = session.carry_out(TakeBack(_wanted(session), authority)).result
    return session.answer(lines_decided(done, None, session.actor))


def run_pass(session: Session) -> int:
    from kathodos.report.reviews import lines_spoken_of
    from kathodos.review.passing import PassOn
    from kathodos.review.remarks import Sort

    to = [session.workspace.acting(it) for it in session.arguments.to]
    authority = session.workspace.configuration.authority
    done = session.carry_out(PassOn(_wanted(session), to, authority)).result
    return session.answer(
        lines_spoken_of(done, Sort.PASSED_ON, " and ".join(it.among(session.view.stored).name for it in to))
    )


def run_ask(session: Session) -> int:
    from kathodos.report.reviews import lines_spoken_of
    from kathodos.review.passing import Ask
    from kathodos.review.remarks import Sort

    asked, authority = session.arguments, session.workspace.configuration.authority
    of = session.workspace.acting(asked.of) if asked.of is not None else None
    done = session.carry_out(Ask(_wanted(session), asked.say, of, authority)).result
    whom = of.among(session.view.stored).name if of is not None else done.lines.review.opened_by
    return session.answer(lines_spoken_of(done, Sort.QUESTION, whom))


def run_answer(session: Session) -> int:
    from kathodos.review.remarks import Sort

    return _said(session, Sort.ANSWER)


def run_comment(session: Session) -> int:
    from kathodos.review.remarks import Sort

    return _said(session, Sort.COMMENT)


def _said(session: Session, sort: str) -> int:
    from kathodos.report.reviews import lines_spoken_of
    from kathodos.review.passing import Say
    from kathodos.review.remarks import Sort

    authority = session.workspace.configuration.authority
    done = session.carry_out(Say(_wanted(session), Sort(sort), session.arguments.say, authority)).result
    return session.answer(lines_spoken_of(done, Sort(sort)))
