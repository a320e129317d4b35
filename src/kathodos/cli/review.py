"""`kathodos review`: open a certification, see its lines with evidence, decide, follow, sign off."""

from __future__ import annotations

import argparse
import sys
from typing import TYPE_CHECKING

from kathodos.cli import review_chasing, review_deciding, review_packets, review_results, review_walk
from kathodos.cli.options import Commands, Formatter, acting, assuming, command, confirming, thorough
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.output.answers import window

if TYPE_CHECKING:
    from kathodos.workspace.declared import OpeningTerms

_ABOUT = ("access", "accounts", "resources", "roles", "identity-data", "covers")


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "review",
        help="certify access: open, lines, walk, decide, pass, status, close ...",
        description="Certify: open a review, decide its lines with the evidence beside them, sign it off, prove it.",
        epilog="example:\n  kathodos review status        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    for add_step in (
        _add_open,
        _add_due,
        _add_lines,
        review_deciding.add,
        review_walk.add,
        review_chasing.add,
        review_packets.add,
        _add_status,
        _add_close,
        _add_removals,
        review_results.add,
    ):
        add_step(steps, common, formatter)


def _add_open(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "make the lines of a new review: of access, accounts, resources, roles, identity data or covers"
    example = (
        "  kathodos review open autumn --where 'department eq \"Dues office\"' --by-manager --due 2026-07-31\n"
        "  kathodos review open spring --where 'risk ge 50' --reviewers owner manager p0001 --due 2027-03-31\n"
        "  kathodos review open doors --about resources --where 'sensitivity ge 3' --due 2026-07-31\n"
        "  kathodos review open dues --where 'status ne left' --only 'system eq \"dues\"' --due 2026-07-31"
    )
    opening = command(steps, "open", common, formatter, run_open, what, example)
    named = "a name for the review; without --where the name of one that reviews/NAME.toml declares"
    opening.add_argument("name", metavar="NAME", help=named)
    about = "what is reviewed (default: access)"
    opening.add_argument("--about", choices=_ABOUT, help=about)
    where = "of whom, or of which accounts, resources or roles: a filter"
    opening.add_argument("--where", metavar="FILTER", help=where)
    only = 'only lines that this filter selects, as in: system eq "dues" and sensitivity ge 2'
    opening.add_argument("--only", metavar="FILTER", help=only)
    attributes = "identity-data: the attributes that are reviewed (default: department title manager location)"
    opening.add_argument("--attributes", nargs="+", metavar="NAME", help=attributes)
    who = opening.add_mutually_exclusive_group()
    who.add_argument("--by-manager", action="store_true", help="each line is decided by the manager")
    chain = "who decides, the first who is active and not concerned: manager, owner, person, or the ids of people"
    who.add_argument("--reviewers", nargs="+", metavar="WHO", help=chain)
    opening.add_argument("--due", metavar="DATE", help="the day by which all is to be decided")
    changed = "only what has changed since it was certified is to be decided; the rest is carried over"
    undecided = "what becomes of lines that nobody decided in time (default: they stay open)"
    opening.add_argument("--undecided", choices=("certify", "revoke"), help=undecided)
    opening.add_argument("--changed", action="store_true", help=changed)
    thorough(opening)
    assuming(opening)
    acting(opening)
    confirming(opening)


def _add_due(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "say which of the reviews that reviews/*.toml declares are to be opened"
    command(steps, "due", common, formatter, run_due, what, "  kathodos review due")


def _add_lines(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "show the lines of a review with their evidence"
    example = "  kathodos review lines autumn --reviewer p0101 --undecided"
    lines = command(steps, "lines", common, formatter, run_lines, what, example)
    lines.add_argument("name", nargs="?", metavar="NAME", help="which review (default: the one that is open)")
    lines.add_argument("--reviewer", metavar="ID", help="only the lines of one reviewer")
    lines.add_argument("--whose", metavar="ID", help="only the lines about one person")
    lines.add_argument("--where", metavar="FILTER", help="only lines that this filter selects")
    lines.add_argument("--undecided", action="store_true", help="only what is left to decide")


def _add_status(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "say who has decided how much, and how many days are left"
    example = "  kathodos review status autumn\n  kathodos review status autumn --measures"
    status = command(steps, "status", common, formatter, run_status, what, example)
    status.add_argument("name", nargs="?", metavar="NAME", help="which review (default: all)")
    measures = "how it was decided: how fast, how much at once, against what evidence, how much was taken away"
    status.add_argument("--measures", action="store_true", help=measures)


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
    from kathodos.report.reviews import review_opened, what_is_drafted
    from kathodos.review.opening import OpenReview
    from kathodos.workspace.reviewing import drafted

    asked, terms = session.arguments, _terms(session)
    if asked.assume is not None and not asked.dry_run:
        raise CallError("What is only assumed cannot be certified.", "See what the review would hold: add --dry-run.")
    draft = drafted(session.view, terms, session.actor, asked.thorough)
    is_meant = not asked.dry_run and session.agrees(f"Open {terms.name} with {what_is_drafted(draft)}?")
    if is_meant:
        session.carry_out(OpenReview(terms.name, terms.where or "", terms.due, draft, terms.declared, terms.undecided))
    return session.answer(review_opened(terms.name, draft, terms.due, session.actor, is_meant))


def _terms(session: Session) -> OpeningTerms:
    """What is to be opened, as the call says or as it is declared. Raises CallError where something is missing."""
    from kathodos.model.kinds import IDENTITIES
    from kathodos.model.times import normal_moment, now
    from kathodos.review.lines import reviews_in
    from kathodos.review.subjects import MANAGER, SUBJECTS, About
    from kathodos.workspace.declared import OpeningTerms, declared_review

    asked, view = session.arguments, session.view
    chain, due = [MANAGER] if asked.by_manager else asked.reviewers, ""
    try:
        due = normal_moment(asked.due) if asked.due is not None else ""
    except ValueError as error:
        raise CallError(f"--due {asked.due} is no day: {error}.") from None
    about = About(asked.about or About.ACCESS)
    if asked.attributes and about != About.IDENTITY_DATA:
        raise CallError("--attributes are of identity data.", "Say --about identity-data, or leave them out.")
    if asked.where is not None or asked.about is not None:
        if not asked.due:
            raise CallError("--due DATE is missing.", "Or declare the review in reviews/NAME.toml.")
        if asked.where is None and SUBJECTS[about].selected is IDENTITIES and about != About.COVERS:
            raise CallError("--where FILTER is missing, which says of whom.", "For everybody: 'status ne left'.")
        more = (about, asked.only, asked.attributes or (), asked.undecided)
        terms = (asked.name, asked.where, due, chain or SUBJECTS[about].chain, None, asked.changed)
        return OpeningTerms(*terms, *more)
    found = declared_review(session.workspace.folder, reviews_in(view.catalogue), asked.name)
    own = found.terms
    if found.waits_for:
        what = f"{found.waits_for} comes before {found.name}, and is not signed off yet."
        raise CallError(what, f"See kathodos review status, and kathodos review open {found.waits_for}.")
    chain = chain or own.reviewers or SUBJECTS[own.about].chain
    name, due = found.name_at(now()), due or found.due_at(now())
    more = (own.about, asked.only or own.only or None, own.attributes, asked.undecided or own.undecided)
    return OpeningTerms(name, own.where or None, due, chain, found.name, asked.changed or own.changed, *more)


def run_due(session: Session) -> int:
    from kathodos.report.declared import reviews_due

    return session.answer(reviews_due(session.view))


def run_lines(session: Session) -> int:
    from kathodos.report.review_lines import LineChoice, review_lines

    asked = session.arguments
    choice = LineChoice(asked.name, asked.reviewer, asked.whose, asked.undecided, asked.where)
    return session.answer(review_lines(session.view, choice, session.format, window(sys.stdout)))


def run_status(session: Session) -> int:
    if session.arguments.measures:
        from kathodos.report.review_measures import review_measures

        return session.answer(review_measures(session.view, session.arguments.name))
    from kathodos.report.review_status import review_status

    return session.answer(review_status(session.view, session.arguments.name, session.format))


def run_close(session: Session) -> int:
    from kathodos.report.reviews import review_closed, what_is_closed, would_close
    from kathodos.review.closing import CloseReview

    asked = session.arguments
    settings = session.workspace.configuration
    takes_two = "close reviews" in settings.powers.four_eyes
    closing = CloseReview(asked.name, asked.undecided, settings.order_terms, takes_two, settings.thresholds)
    _, planned = session.view.plan(closing, session.actor, session.reason)
    if asked.dry_run or not session.agrees(f"Sign off {planned.lines.review.name}: {what_is_closed(planned)}?"):
        return session.answer(would_close(planned))
    return session.answer(review_closed(session.carry_out(closing).result))
