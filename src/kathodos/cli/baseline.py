"""`kathodos baseline`: mark a state by name, list the marks, compare two states."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, assuming, command
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "baseline",
        help="mark a state by name, and compare states",
        description="Mark a state of the catalogue by name, list the marks, and compare two states.",
        epilog="example:\n  kathodos baseline mark before-summer\n  kathodos baseline compare before-summer",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    marking = command(
        steps,
        "mark",
        common,
        formatter,
        run_mark,
        "give the present state a name",
        "  kathodos baseline mark before-summer --reason 'before the summer review'",
    )
    marking.add_argument("name", metavar="NAME", help="the name; not a number or a date")
    acting(marking)
    command(steps, "list", common, formatter, run_list, "list the baselines", "  kathodos baseline list")
    comparing = command(
        steps,
        "compare",
        common,
        formatter,
        run_compare,
        "say what differs between two states, by kind of record and by person",
        "  kathodos baseline compare before-summer\n  kathodos baseline compare 2026-01-01 2026-06-30 --format json",
    )
    comparing.add_argument("first", metavar="A", help="a baseline, a date, a time or a ledger number")
    comparing.add_argument("second", nargs="?", metavar="B", help="the same (default: the present state)")
    assuming(comparing)


def run_mark(session: Session) -> int:
    from kathodos.ledger.baselines import MarkBaseline
    from kathodos.report.baselines import marked

    name = session.arguments.name
    return session.answer(marked(name, session.carry_out(MarkBaseline(name)).result))


def run_list(session: Session) -> int:
    from kathodos.report.baselines import baselines

    return session.answer(baselines(session.view))


def run_compare(session: Session) -> int:
    from kathodos.report.baselines import compared

    asked = session.arguments
    first, second = session.view_of(asked.first), session.view_of(asked.second, assume=asked.assume)
    return session.answer(compared(first, second, session.format))
