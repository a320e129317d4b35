"""`kathodos conflicts cover` and `covers`: conflicts left standing under a compensating control, and their register."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, as_of, command, confirming
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

_REGISTER = (
    Field("conflict", "Conflict", 9, least=14),
    Field("name", "Name", 5, least=12),
    Field("state", "State", 9, least=8, style=lambda value: "" if value == "holds" else "yellow"),
    Field("control", "Control", 8),
    Field("until", "Until", 8, least=10),
    Field("covered_by", "By", 7),
    Field("covered_at", "Since", 7, least=10, shown=lambda value: str(value or "")[:10]),
    Field("reason", "Why", 6, least=16),
    Field("ended_by", "Ended by", 3),
)


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
    from kathodos.report.conflicts import ChosenConflicts, chosen_rules
    from kathodos.review.covers import CoverConflict, EndCover

    asked = session.arguments
    if not session.reason:
        raise CallError("A cover needs a reason.", "Say --reason TEXT: the register and the auditor show it.")
    rule, _, identity = asked.conflict.partition("/")
    if not identity:
        raise CallError(f"{asked.conflict} names no conflict.", "Write the rule and the identity: PERMIT-1/p0096.")
    if not asked.end and not (asked.control and asked.until):
        raise CallError("--control and --until are needed.", "Controls: kathodos control list")
    configured, view = session.workspace.controls(), session.view
    found, number = ChosenConflicts(view, chosen_rules(view, None, rule)), view.identity(identity)
    identity = view.index.holders.identities[number]
    name = f"{rule}/{identity}"
    if not asked.end and not found.of(number):
        raise CallError(f"There is no conflict {name} now.", "See `kathodos conflicts --format csv`.")
    what = f"the cover of {name}" if asked.end else f"{name} under {asked.control} until {asked.until}"
    if asked.dry_run or not session.agrees(f"{'End' if asked.end else 'Leave'} {what}?"):
        return session.answer(Answer(heading=f"Would {'end' if asked.end else 'leave'} {what}."))
    covered = (rule, identity)
    ending = EndCover(configured, covered)
    entry = session.carry_out(
        ending if asked.end else CoverConflict(configured, covered, asked.control, asked.until)
    ).entry
    heading = f"{'Ended' if asked.end else 'Left standing:'} {what}; entry {entry} of the ledger."
    document = {"conflict": name, "control": asked.control, "until": asked.until, "entry": entry}
    return session.answer(Answer(heading=heading, hint="The register: kathodos conflicts covers", document=document))


def run_covers(session: Session) -> int:
    from kathodos.findings.conflicts.covers import HOLDS

    view = session.view
    register, identities = view.register, view.index.holders.identities
    concerned = [identities.find(cover.identity) for cover in register.covers]
    names = {str(it["id"]): it["name"] for it in view.people([at for at in concerned if at >= 0]).values()}
    rows = [
        {
            **vars(cover),
            "conflict": f"{cover.rule}/{cover.identity}",
            "name": names.get(cover.identity),
            "state": register.state(cover, view.moment),
        }
        for cover in reversed(register.covers)
    ]
    held = sum(row["state"] == HOLDS for row in rows)
    heading = f"{plural(len(rows), 'cover')}, of which {held} {'holds' if held == 1 else 'hold'}"
    hint = "What is to be confirmed of the controls: kathodos control list" if rows else ""
    return session.answer(Answer(_REGISTER, rows, heading, hint=hint))
