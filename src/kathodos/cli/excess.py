"""`kathodos excess`: privilege beyond need, by kind, with its evidence and what to do."""

from __future__ import annotations

import argparse

from kathodos.cli.changing import keep_remedies
from kathodos.cli.options import Commands, Formatter, about_state, command, remedying
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "excess",
        common,
        formatter,
        run,
        "find privilege beyond need, of more than twenty kinds, with evidence and what to do",
        "  kathodos excess                          # how much of each kind\n"
        "  kathodos excess --kind leaver-account\n"
        "  kathodos excess --by p0039               # all that concerns one identity\n"
        '  kathodos excess --all --where \'severity eq "high" and department eq "Pilotage"\'\n'
        "  kathodos excess --kind redundant --into tidy",
    )
    parser.add_argument("--kind", metavar="KIND", action="append", help="one kind, in detail; may be repeated")
    parser.add_argument("--by", metavar="REF", help="what concerns one identity or account")
    parser.add_argument(
        "--where",
        metavar="FILTER",
        help="over kind, severity, subject, confidence, days; an identity's attributes",
    )
    parser.add_argument("--all", action="store_true", help="every finding instead of the counts")
    remedying(parser, "the remedies that are edits")
    about_state(parser)


def run(session: Session) -> int:
    from kathodos.report.excess import ExcessQuestion, excess_counts, excess_list, excess_remedies

    asked, is_table = session.arguments, session.format == "table"
    if not (asked.change or asked.into or asked.kind or asked.by or asked.where or asked.all) and is_table:
        return session.found(excess_counts(session.view))
    question = ExcessQuestion(session.view, asked.kind, asked.by, asked.where)
    if not (asked.change or asked.into):
        return session.found(excess_list(question, is_table, asked.all))
    answer, blocks = excess_remedies(question, asked.change)
    return keep_remedies(session, answer, blocks, "excess")
