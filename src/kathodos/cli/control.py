"""`kathodos control`: compensating controls - what is done, by whom, how often, and whether it was."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, as_of, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

_LIST = (
    Field("control", "Control", 9),
    Field("title", "Title", 6, least=12),
    Field("owner", "Owner", 8),
    Field("period", "Every", 7),
    Field("covers", "Covers", 7, is_number=True),
    Field("last", "Confirmed", 8, least=10, shown=lambda value: str(value or "never")[:10]),
    Field("due", "Due", 8, least=10),
    Field("state", "State", 9, style=lambda value: "red" if value == "late" else ""),
    Field("does", "What is done", 4, least=20),
)


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "control",
        help="compensating controls: list, add, confirm that one was carried out",
        description="Compensating controls, under which conflicts may be left standing; also those of controls.toml.",
        epilog="example:\n  kathodos control list        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(dest="step", metavar="STEP", required=True)
    what = "list the controls, what they cover and which are late"
    listing = command(steps, "list", common, formatter, run_list, what, "  kathodos control list --format json")
    as_of(listing)
    example = (
        "  kathodos control add DG-4 --owner p0001 --every P7D --does 'samples a tenth of the permits' "
        "--title 'Weekly sample'"
    )
    adding = command(steps, "add", common, formatter, run_add, "add a control", example)
    adding.add_argument("control", metavar="NAME", help="a name for it")
    adding.add_argument("--owner", metavar="REF", required=True, help="the identity that answers for it")
    adding.add_argument("--does", metavar="TEXT", required=True, help="what is done")
    adding.add_argument("--every", metavar="PERIOD", required=True, help="how often: P7D, P2W, P1M, P1Y")
    adding.add_argument("--title", metavar="TEXT", help="a title (default: its name)")
    adding.add_argument("--until", metavar="DATE", help="its own last day")
    acting(adding)
    example = "  kathodos control confirm DG-4 --as p0001 --reason '14 of 131 permits looked at, nothing found'"
    what = "say that a control was carried out; only its owner may"
    confirming = command(steps, "confirm", common, formatter, run_confirm, what, example)
    confirming.add_argument("control", metavar="NAME", help="the control")
    acting(confirming)


def run_list(session: Session) -> int:
    from kathodos.model.times import day_text

    register = session.view.register
    dues = {due.control.id: due for due in register.dues(session.view.moment)}
    rows = []
    for control in register.controls.values():
        due = dues.get(control.id)
        said = [it.confirmed_at for it in register.confirmations if it.control == control.id]
        rows.append(
            {
                **vars(control),
                "control": control.id,
                "covers": due.covers if due else 0,
                "last": max(said, default=None),
                "due": day_text(due.due) if due else None,
                "state": ("late" if due.is_late else "in time") if due else "covers nothing",
            }
        )
    late = sum(row["state"] == "late" for row in rows)
    heading = f"{plural(len(rows), 'control')}, {late} late"
    hint = "Confirm one: kathodos control confirm NAME --as OWNER --reason TEXT" if late else ""
    if not rows:
        hint = "Add one with `kathodos control add`, or write controls.toml."
    return session.answer(Answer(_LIST, rows, heading, hint=hint, status=1 if late else 0))


def run_add(session: Session) -> int:
    from kathodos.findings.conflicts.covers import Control
    from kathodos.review.covers import AddControl

    asked = session.arguments
    owner = session.view.index.holders.identities[session.view.identity(asked.owner)]
    control = Control(asked.control, asked.title or asked.control, owner, asked.does, asked.every, asked.until)
    if asked.control in {it.id for it in session.workspace.controls()}:
        raise CallError(f"controls.toml has a control {asked.control} already.", "Give this one another name.")
    entry = session.carry_out(AddControl(control)).entry
    heading = f"Added the control {control.id}, which {owner} answers for; entry {entry} of the ledger."
    hint = f"Use it: kathodos conflicts cover RULE/IDENTITY --control {control.id} --until DATE --reason TEXT"
    return session.answer(Answer(heading=heading, hint=hint, document={"control": control.id, "entry": entry}))


def run_confirm(session: Session) -> int:
    from kathodos.review.covers import ConfirmControl

    if not session.reason:
        raise CallError("Say with --reason what was done and found.", "The register and the auditor show it.")
    done = session.carry_out(ConfirmControl(session.workspace.controls(), session.arguments.control))
    heading = f"{done.result.id} was carried out, says {session.actor}; entry {done.entry} of the ledger."
    return session.answer(Answer(heading=heading, document={"control": done.result.id, "entry": done.entry}))
