"""`kathodos escalation`: who could make more of the rights it holds, who can unseat whom, and who is the last."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "escalation",
        common,
        formatter,
        run,
        "find who can reach more by using the rights it holds, and administrators among themselves",
        "  kathodos escalation\n  kathodos reach --by p0007 --potential      # all steps of one of them",
    )
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.report.escalation import escalation

    return session.found(escalation(session.view, session.format))
