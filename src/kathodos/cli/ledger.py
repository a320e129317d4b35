"""`kathodos ledger`: the audit trail, its verification, and its signed head."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "ledger",
        help="the audit trail: who did what, when, why, and the proof that nothing was altered",
        description="The audit trail: list entries, verify that nothing was altered, print the signed head.",
        epilog="example:\n  kathodos ledger verify        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    _add_listing(steps, common, formatter)
    _add_proof(steps, common, formatter)


def _add_listing(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    """What is in it."""
    listing = command(
        steps,
        "list",
        common,
        formatter,
        run_list,
        "list entries, all or those that the options select",
        "  kathodos ledger list --from 2026-06-01 --to 2026-06-30 --actor p0101\n"
        "  kathodos ledger list --subject identity:p0017 --format json",
    )
    listing.add_argument("--from", dest="first", metavar="DATE", help="not before this date or time")
    listing.add_argument("--to", dest="last", metavar="DATE", help="not after this date (all of the day) or time")
    listing.add_argument("--kind", metavar="KIND", help="as in gather, 'review decide', 'review close'")
    listing.add_argument("--actor", metavar="NAME", help="who did it")
    listing.add_argument("--subject", metavar="REF", help="what it was about, or whose records it opened or closed")
    showing = command(
        steps,
        "show",
        common,
        formatter,
        run_show,
        "show one entry in full, in words",
        "  kathodos ledger show 12",
    )
    showing.add_argument("number", type=int, metavar="ENTRY", help="its number, as `ledger list` shows it")


def _add_proof(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    """That it is whole."""
    verifying = command(
        steps,
        "verify",
        common,
        formatter,
        run_verify,
        "check every entry, signed head and catalogue row",
        "  kathodos ledger verify\n  kathodos ledger verify --head kept-by-the-auditor.json",
    )
    verifying.add_argument("--anchor", metavar="PLACE", help="where heads were sent to: a file, a git folder, a URL")
    verifying.add_argument("--head", metavar="FILE", help="a head printed earlier, one a line, that must still be true")
    command(
        steps,
        "head",
        common,
        formatter,
        run_head,
        "print the newest signed head, for an auditor to keep",
        "  kathodos ledger head --format jsonl > kept-by-the-auditor.json",
    )


def run_list(session: Session) -> int:
    from kathodos.report.ledger import EntryChoice, entry_list

    asked = session.arguments
    choice = EntryChoice(asked.first, asked.last, asked.kind, asked.actor, asked.subject)
    return session.answer(entry_list(session.view.histories, choice, session.format == "table"))


def run_show(session: Session) -> int:
    from kathodos.report.ledger import entry_shown

    return session.answer(entry_shown(session.view.histories, session.arguments.number, session.format))


def run_verify(session: Session) -> int:
    from kathodos.ledger.keys import kept_heads
    from kathodos.report.ledger import verified

    kept = kept_heads(session.arguments.head) if session.arguments.head else []
    workspace, named = session.workspace, session.arguments.anchor
    anchor = workspace.anchor_at(named) if named else None
    return session.answer(verified(workspace.verify(kept, anchor)))


def run_head(session: Session) -> int:
    from kathodos.ledger.entries import read_heads
    from kathodos.report.ledger import newest_head

    with session.workspace.store.reading() as reader:
        return session.answer(newest_head(read_heads(reader), session.format))
