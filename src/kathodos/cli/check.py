"""`kathodos check`: fences and needs, as a gate that a pipeline can stand behind."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, about_state, command
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "check",
        common,
        formatter,
        run,
        "check the fences and needs of rules/*.toml; the exit status is 1 if one is broken",
        "  kathodos check\n  kathodos check --assume change.toml     # would the change still pass?\n"
        "  kathodos check --by m006                # one identity; of an agent also what it holds beyond its needs",
    )
    parser.add_argument("--by", metavar="REF", help="one identity")
    parser.add_argument("--rule", metavar="ID", help="one fence or need")
    parser.add_argument("--topic", metavar="TOPIC", help="only the rules of one topic")
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.report.check import checked

    asked = session.arguments
    return session.found(checked(session.view, asked.by, asked.rule, asked.topic, session.format == "table"))
