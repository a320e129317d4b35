"""`kathodos mandates`: who may hand out what and administers which system; what somebody could hand out to whom."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, as_of, assuming, command, long_answer
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "mandates",
        help="say who may hand out what, and who administers which system",
        description="Mandates say who may give or take which roles to and from whom, in which area.",
        epilog="example:\n  kathodos mandates list --format csv\n  kathodos mandates try p0007",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    _add_list(steps, common, formatter)
    _add_try(steps, common, formatter)


def _add_list(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "list who may hand out roles or administers a system: through what, where, since when"
    listing = command(steps, "list", common, formatter, run_list, what, "  kathodos mandates list --by p0007")
    listing.add_argument("--by", metavar="WHO", help="the powers of one person")
    long_answer(listing)
    as_of(listing)
    assuming(listing)


def _add_try(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    what = "say what somebody could hand out to whom by the mandates that they hold; nothing is done"
    trying = command(steps, "try", common, formatter, run_try, what, "  kathodos mandates try p0007")
    trying.add_argument("who", metavar="WHO", help="whose mandates are tried")
    long_answer(trying)
    as_of(trying)
    assuming(trying)


def run_list(session: Session) -> int:
    from kathodos.report.mandates import overview

    return session.answer(overview(session.view, session.arguments.by, session.most, session.format == "table"))


def run_try(session: Session) -> int:
    from kathodos.model.kinds import IDENTITIES
    from kathodos.report.mandates import tried
    from kathodos.store.naming import resolved

    who = resolved(session.view.catalogue, session.arguments.who, (IDENTITIES,)).partition(":")[2]
    actor = session.workspace.acting(who).among(session.view.catalogue)
    return session.answer(tried(session.view, actor, session.most, session.format == "table"))
