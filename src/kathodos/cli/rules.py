"""`kathodos rules`: the rules at hand - listed, shown, checked against the catalogue, tried as drafts."""

from __future__ import annotations

import argparse
from pathlib import Path

from kathodos.cli.options import Commands, Formatter, as_of, at_time, command, confirming, long_answer
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "rules",
        help="the rules: list, show, check, try a draft, start with the library",
        description="The rules in rules/*.toml: conflicts, fences and needs, one topic a file.",
        epilog="example:\n  kathodos rules check        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    listing = command(steps, "list", common, formatter, run_list, "list the rules", "  kathodos rules list --topic IT")
    listing.add_argument("--topic", metavar="TOPIC", help="only those of one topic")
    what = "show one rule in full"
    showing = command(steps, "show", common, formatter, run_show, what, "  kathodos rules show DUES-1")
    showing.add_argument("rule", metavar="ID", help="the rule")
    what = "find rules that can never match, duties that overlap, and duplicates"
    checking = command(steps, "check", common, formatter, run_check, what, "  kathodos rules check")
    as_of(checking)
    what = "show whom the rules of a file would hit, before the file is put into rules/"
    trying = command(steps, "try", common, formatter, run_try, what, "  kathodos rules try drafts/payments.toml")
    trying.add_argument("file", metavar="FILE", help="a file of rules")
    at_time(trying)
    as_of(trying)
    long_answer(trying)
    example = "  kathodos rules start               # then say in rules/duties.toml what gives each duty\n"
    example += "  kathodos rules start --topic payables"
    what = "lay out the library of ready-made rules, and the file that says what their duties mean here"
    starting = command(steps, "start", common, formatter, run_start, what, example)
    starting.add_argument("--topic", metavar="FILE", action="append", help="only these files of the library")
    confirming(starting)


def run_list(session: Session) -> int:
    from kathodos.report.rules import rule_list

    return session.answer(rule_list(session.workspace.rules(), session.arguments.topic))


def run_show(session: Session) -> int:
    from kathodos.report.rules import rule_shown

    return session.answer(rule_shown(session.workspace.rules(), session.arguments.rule))


def run_check(session: Session) -> int:
    from kathodos.report.rules import rules_checked

    return session.answer(rules_checked(session.view))


def run_try(session: Session) -> int:
    from kathodos.report.rules import rules_tried

    file, is_table = session.arguments.file, session.format == "table"
    draft = session.workspace.draft_rules(Path(file))
    return session.answer(rules_tried(session.view, draft, file, session.most if is_table else None))


def run_start(session: Session) -> int:
    from kathodos.report.rules import laid_out, would_lay_out
    from kathodos.workspace.library import library_for

    asked = session.arguments
    laying = library_for(session.workspace.folder / "rules", asked.topic)
    if asked.dry_run or not session.agrees(f"Lay out {', '.join(laying.fresh)} in {laying.folder}?"):
        return session.answer(would_lay_out(laying))
    laying.write()
    return session.answer(laid_out(laying))
