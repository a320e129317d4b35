"""`kathodos conflicts cure`: the smallest set of withdrawals that clears the chosen conflicts."""

from __future__ import annotations

import argparse

from kathodos.cli.changing import keep_remedies
from kathodos.cli.options import Commands, Formatter, as_of, assuming, command, remedying
from kathodos.cli.session import Session


def add(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    example = (
        "  kathodos conflicts cure --whose p0063\n"
        '  kathodos conflicts cure --topic "Dangerous goods" --protect role:permits/officer --into cure'
    )
    what = "find the fewest withdrawals that clear conflicts and take away the least that people use"
    parser = command(steps, "cure", common, formatter, run, what, example)
    parser.add_argument("--whose", metavar="REF", help="the conflicts of one identity")
    parser.add_argument("--topic", metavar="TOPIC", help="the conflicts of one topic")
    parser.add_argument("--rule", metavar="ID", help="the conflicts of one rule")
    parser.add_argument("--where", metavar="FILTER", help="the conflicts of the people that this filter selects")
    parser.add_argument(
        "--protect", metavar="REF", action="append", default=[], help="a grant, role, group or holder to leave alone"
    )
    parser.add_argument("--days", type=int, default=90, help="count the uses of the last N days (default: 90)")
    parser.add_argument(
        "--seconds",
        type=float,
        default=50.0,
        help="stop after N seconds and show the best that was found (default: 50)",
    )
    remedying(parser, "the first cure")
    as_of(parser)
    assuming(parser)


def run(session: Session) -> int:
    from kathodos.report.conflicts import ChosenConflicts, chosen_rules
    from kathodos.report.cures import CureQuestion, cured

    asked, view = session.arguments, session.view
    conflicts = ChosenConflicts(view, chosen_rules(view, asked.topic, asked.rule), asked.where)
    question = CureQuestion(conflicts, asked.whose, asked.protect, asked.days, asked.seconds, asked.change)
    answer, blocks = cured(question, session.format == "csv")
    return keep_remedies(session, answer, blocks, "conflicts cure")
