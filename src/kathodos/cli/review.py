"""`kathodos review`: open a certification, see its lines with evidence, decide, follow, sign off."""

from __future__ import annotations

import argparse
import sys

from kathodos.cli.options import Commands, Formatter, acting, assuming, command, confirming
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.output.answers import window


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "review",
        help="certify access: open, lines, decide, status, close, removals",
        description="Certify access: open a review, decide its lines with the evidence beside them, sign it off.",
        epilog="example:\n  kathodos review status        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)
    for add_step in (_add_open, _add_lines, _add_decide, _add_status, _add_close, _add_removals):
        add_step(steps, common, formatter)


def _add_open(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make the lines of a new review from the grants that people hold"
    example = "  kathodos review open autumn --where 'department eq \"Dues office\"' --by-manager --due 2026-07-31"
    opening = command(steps, "open", common, formatter, run_open, what, example)
    opening.add_argument("name", metavar="NAME", help="a name for the review")
    opening.add_argument("--where", metavar="FILTER", required=True, help="whose access: a filter over identities")
    opening.add_argument("--by-manager", action="store_true", required=True, help="each line is decided by the manager")
    opening.add_argument("--due", metavar="DATE", required=True, help="the day by which all is to be decided")
    assuming(opening)
    acting(opening)
    confirming(opening)


def _add_lines(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "show the lines of a review with their evidence"
    example = "  kathodos review lines autumn --reviewer p0101 --undecided"
    lines = command(steps, "lines", common, formatter, run_lines, what, example)
    lines.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    lines.add_argument("--reviewer", metavar="ID", help="only the lines of one reviewer")
    lines.add_argument("--whose", metavar="ID", help="only the lines about one person")
    lines.add_argument("--where", metavar="FILTER", help="only lines that this filter selects")
    lines.add_argument("--undecided", action="store_true", help="only what is left to decide")


def _add_decide(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "certify or revoke lines that are yours to decide; nobody decides about themselves"
    example = (
        "  kathodos review decide 4 7-9 revoke --as p0101 --reason 'left the pilots in May'\n"
        "  kathodos review decide all certify --review autumn --as p0101\n"
        "  kathodos review decide --where 'last_used lt today-P1Y' revoke --as p0101 --reason 'not used for a year'"
    )
    deciding = command(steps, "decide", common, formatter, run_decide, what, example)
    deciding.add_argument("lines", nargs="*", metavar="LINE", help="numbers, ranges as 7-9, or all that is left")
    deciding.add_argument("--where", metavar="FILTER", help="what is left to decide and this filter selects")
    deciding.add_argument("decision", choices=("certify", "revoke"), help="keep the access, or take it away")
    deciding.add_argument("--review", metavar="NAME", help="which review (default: the one that is open)")
    acting(deciding)


def _add_status(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "say who has decided how much, and how many days are left"
    status = command(steps, "status", common, formatter, run_status, what, "  kathodos review status autumn")
    status.add_argument("name", nargs="?", metavar="NAME", help="which review (default: all)")


def _add_close(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "sign off what is decided: what is revoked ends, what is undecided stays open"
    example = "  kathodos review close autumn --undecided revoke --as p0001 --reason 'no answer by the due day'"
    closing = command(steps, "close", common, formatter, run_close, what, example)
    closing.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    closing.add_argument("--undecided", choices=("certify", "revoke"), help="what to do with lines nobody decided")
    acting(closing)
    confirming(closing)


def _add_removals(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "list what was revoked, system by system, for the owners of the systems to take away"
    example = "  kathodos review removals autumn --format csv"
    listing = command(steps, "removals", common, formatter, run_removals, what, example)
    listing.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the open one, or the newest)")


def run_removals(session: Session) -> int:
    from kathodos.report.reviews import removals

    return session.answer(removals(session.view, session.arguments.name, session.format))


def run_open(session: Session) -> int:
    from kathodos.model.times import normal_moment
    from kathodos.report.reviews import review_opened, what_is_drafted
    from kathodos.review.opening import OpenReview, draft_review

    asked, view = session.arguments, session.view
    try:
        due = normal_moment(asked.due)
    except ValueError as error:
        raise CallError(f"--due {asked.due} is no day: {error}.") from None
    if asked.assume is not None and not asked.dry_run:
        raise CallError("What is only assumed cannot be certified.", "See what the review would hold: add --dry-run.")
    chosen = view.askers_selected(asked.where)
    drafted = draft_review(view.context, view.findings.conflicts, chosen, view.rules, session.actor)
    is_meant = not asked.dry_run and session.agrees(f"Open {asked.name} with {what_is_drafted(drafted)}?")
    if is_meant:
        session.carry_out(OpenReview(asked.name, asked.where, due, drafted))
    return session.answer(review_opened(asked.name, drafted, due, session.actor, is_meant))


def run_lines(session: Session) -> int:
    from kathodos.report.reviews import LineChoice, review_lines

    asked = session.arguments
    choice = LineChoice(asked.name, asked.reviewer, asked.whose, asked.undecided, asked.where)
    return session.answer(review_lines(session.view, choice, session.format, window(sys.stdout)))


def run_decide(session: Session) -> int:
    from kathodos.report.reviews import lines_decided
    from kathodos.review.deciding import Decide
    from kathodos.review.lines import REVOKE

    asked = session.arguments
    if asked.decision == REVOKE and not session.reason:
        raise CallError("To revoke, say why: --reason TEXT is missing.", "The person and the auditor will ask.")
    if bool(asked.lines) == (asked.where is not None):
        raise CallError("Say which lines.", "Write their numbers, `all`, or --where FILTER: one of these.")
    authority = session.workspace.configuration.authority
    deciding = Decide(asked.review, asked.lines, asked.decision, authority, asked.where)
    return session.answer(lines_decided(session.carry_out(deciding).result, asked.decision, session.actor))


def run_status(session: Session) -> int:
    from kathodos.report.reviews import review_status

    return session.answer(review_status(session.view, session.arguments.name, session.format))


def run_close(session: Session) -> int:
    from kathodos.report.reviews import review_closed, what_is_closed, would_close
    from kathodos.review.closing import CloseReview

    asked = session.arguments
    settings = session.workspace.configuration
    takes_two = "close reviews" in settings.powers.four_eyes
    closing = CloseReview(asked.name, asked.undecided, settings.order_terms, takes_two)
    _, planned = session.view.plan(closing, session.actor, session.reason)
    if asked.dry_run or not session.agrees(f"Sign off {planned.lines.review.name}: {what_is_closed(planned)}?"):
        return session.answer(would_close(planned))
    return session.answer(review_closed(session.carry_out(closing).result))
