"""`kathodos control`: compensating controls - what is done, by whom, how often, and whether it was."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, as_of, command
from kathodos.cli.session import Session
from kathodos.errors import CallError


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "control",
        help="compensating controls: list, add, confirm that one was carried out",
        description="Compensating controls, under which conflicts may be left standing; also those of controls.toml.",
        epilog="example:\n  kathodos control list        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
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
    from kathodos.report.controls import control_list

    return session.answer(control_list(session.view))


def run_add(session: Session) -> int:
    from kathodos.findings.conflicts.covers import Control
    from kathodos.report.controls import control_added
    from kathodos.review.covers import AddControl

    asked, configured = session.arguments, session.workspace.controls()
    owner = session.view.index.holders.identities[session.view.identity(asked.owner)]
    control = Control(asked.control, asked.title or asked.control, owner, asked.does, asked.every, asked.until)
    return session.answer(control_added(control, session.carry_out(AddControl(configured, control)).entry))


def run_confirm(session: Session) -> int:
    from kathodos.report.controls import control_confirmed
    from kathodos.review.covers import ConfirmControl

    if not session.reason:
        raise CallError("Say with --reason what was done and found.", "The register and the auditor show it.")
    done = session.carry_out(ConfirmControl(session.workspace.controls(), session.arguments.control))
    return session.answer(control_confirmed(done.result, session.actor, done.entry))
