"""`kathodos conflicts cover` and `covers`: conflicts left standing under a compensating control, and their register."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, as_of, command, confirming
from kathodos.cli.session import Session
from kathodos.errors import CallError


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    example = (
        "  kathodos conflicts cover PERMIT-1/p0096 --control DG-4 --until 2026-12-31 --reason 'no second officer'\n"
        "  kathodos conflicts cover PERMIT-1/p0096 --end --reason 'the second officer is here'"
    )
    what = "leave a conflict standing under a compensating control; only the control's owner may"
    cover = command(steps, "cover", common, formatter, run_cover, what, example)
    cover.add_argument("conflict", metavar="CONFLICT", help="the rule and the identity, as in PERMIT-1/p0096")
    cover.add_argument("--control", metavar="NAME", help="the control under which it is left")
    cover.add_argument("--until", metavar="DATE", help="the last day of the cover")
    cover.add_argument("--end", action="store_true", help="end the cover that holds, before its time")
    acting(cover)
    confirming(cover)
    what = "the register of all covers, past and present: who, why, since when"
    register = command(steps, "covers", common, formatter, run_covers, what, "  kathodos conflicts covers --format csv")
    as_of(register)


def run_cover(session: Session) -> int:
    from kathodos.report.controls import conflict_named, covered, what_is_covered, would_cover
    from kathodos.review.covers import CoverConflict, EndCover

    asked, configured = session.arguments, session.workspace.controls()
    if not session.reason:
        raise CallError("A cover needs a reason.", "Say --reason TEXT: the register and the auditor show it.")
    if not asked.end and not (asked.control and asked.until):
        raise CallError("--control and --until are needed.", "Controls: kathodos control list")
    conflict = conflict_named(session.view, asked.conflict, must_stand=not asked.end)
    control, until = (None, None) if asked.end else (asked.control, asked.until)
    what = what_is_covered(conflict, control, until)
    if asked.dry_run or not session.agrees(f"{'End' if asked.end else 'Leave'} {what}?"):
        return session.answer(would_cover(what, asked.end))
    ending, leaving = EndCover(configured, conflict), CoverConflict(configured, conflict, asked.control, asked.until)
    entry = session.carry_out(ending if asked.end else leaving).entry
    return session.answer(covered(what, conflict, control, until, entry))


def run_covers(session: Session) -> int:
    from kathodos.report.controls import cover_list

    return session.answer(cover_list(session.view))
