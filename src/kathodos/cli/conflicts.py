"""`kathodos conflicts`: who holds duties that one person must not hold together."""

from __future__ import annotations

import argparse

from kathodos.cli import covering, curing
from kathodos.cli.options import Commands, Formatter, about_state, command, long_answer
from kathodos.cli.session import Session

_PER = ("person", "severity", "topic", "department")


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "conflicts",
        common,
        formatter,
        run,
        "find who holds duties that must be kept apart, by the rules in rules/*.toml",
        "  kathodos conflicts\n  kathodos conflicts --by p0017        # both sides, and what gives them\n"
        "  kathodos conflicts --rule DUES-1     # one rule, its sides beside each other\n"
        '  kathodos conflicts --topic "Harbour dues" --format csv\n'
        "  kathodos conflicts cover PERMIT-1/p0096 --control DG-4 --until 2026-12-31 --reason 'no second officer'\n"
        '  kathodos conflicts cure --topic "Dangerous goods"',
    )
    parser.allow_abbrev = False  # else --as of a step is taken for --as-of here
    parser.add_argument("--by", metavar="REF", help="one identity, or an account that nobody owns, in detail")
    parser.add_argument("--rule", metavar="ID", help="one rule: everyone who breaks it, both sides beside each other")
    parser.add_argument("--topic", metavar="TOPIC", help="only the rules of one topic")
    parser.add_argument("--where", metavar="FILTER", help="only people that this filter selects")
    parser.add_argument("--per", choices=_PER, default="person", help="count by person (default), severity ...")
    parser.add_argument("--latent", action="store_true", help="also what people could bring themselves into")
    long_answer(parser)
    about_state(parser)
    steps = parser.add_subparsers(
        prog=parser.prog, dest="step", metavar="STEP", help="cover, covers, cure: each has its own --help"
    )
    covering.add(steps, common, formatter)
    curing.add(steps, common, formatter)


def run(session: Session) -> int:
    from kathodos.report import conflict_answers as answers
    from kathodos.report.conflicts import ChosenConflicts, chosen_rules

    asked, view, is_table = session.arguments, session.view, session.format == "table"
    rules = chosen_rules(view, asked.topic, asked.rule)
    found = ChosenConflicts(view, rules, asked.where, asked.latent)
    if asked.by is not None:
        return session.found(answers.conflicts_of_one(found, view.asker(asked.by), is_table))
    if not is_table:
        return session.found(answers.conflict_records(found))
    if asked.rule is not None:
        return session.found(answers.conflicts_of_rule(found, session.most))
    return session.found(answers.conflict_counts(found, asked.per, session.most))
