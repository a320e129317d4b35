"""`kathodos tie`: whose account it is - a report of what ties the accounts, and a person's word on one of them."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, command, long_answer
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.references import name_in

_NOBODY = "nobody"


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "tie",
        common,
        formatter,
        run,
        "say whose account it is; with nothing else, show how each account is tied to a person",
        "  kathodos tie                              # counts by system and rule\n"
        "  kathodos tie --open                       # orphans and ambiguous ones, with candidates\n"
        "  kathodos tie dues/cashdesk2 p0059 --reason 'the cash desk is hers'\n"
        "  kathodos tie dues/cashdesk2 nobody --responsible p0059   # shared: p0059 answers for it\n"
        "  kathodos tie --duplicates                 # identities that may be one person",
    )
    parser.add_argument("account", nargs="?", metavar="ACCOUNT", help="as in dues/mmorag")
    parser.add_argument("identity", nargs="?", metavar="IDENTITY", help="whose it is, or `nobody`")
    parser.add_argument("--responsible", metavar="IDENTITY", help="who answers for an account that is nobody's")
    parser.add_argument("--open", action="store_true", help="list the accounts that are tied to nobody")
    parser.add_argument("--duplicates", action="store_true", help="list identities that may be one person")
    parser.add_argument(
        "--undo",
        action="store_true",
        help="forget what somebody said about ACCOUNT; its source and the rules count again",
    )
    long_answer(parser)
    acting(parser)


def run(session: Session) -> int:
    from kathodos.report.ties import duplicates, tie_counts, untied

    asked = session.arguments
    if (asked.undo and not asked.account) or (asked.account and bool(asked.identity) == bool(asked.undo)):
        example = "As in `kathodos tie dues/mmorag p0412`, or `kathodos tie dues/mmorag --undo`."
        raise CallError("Say which account, and whose it is.", example)
    if asked.account and (asked.open or asked.duplicates):
        raise CallError("--open and --duplicates list; they take no account.", "Leave one of the two out.")
    if asked.account:
        return _tie(session)
    if asked.open:
        return session.answer(untied(session.view, session.most, session.format == "table"))
    return session.answer((duplicates if asked.duplicates else tie_counts)(session.view))


def _tie(session: Session) -> int:
    from kathodos.ingest.tying import NOBODY, TieAccount, UntieAccount
    from kathodos.model.kinds import ACCOUNTS, IDENTITIES
    from kathodos.report.ties import tied, tied_again
    from kathodos.store.naming import resolved

    asked, records = session.arguments, session.view.catalogue
    account = name_in("account", resolved(records, asked.account, (ACCOUNTS,)))
    rules = session.workspace.configuration.tie_rules
    if asked.undo:
        return session.answer(tied_again(account, session.carry_out(UntieAccount(account, rules)).entry))
    identity, responsible = NOBODY, None
    if asked.identity != _NOBODY:
        identity = name_in("identity", resolved(records, asked.identity, (IDENTITIES,)))
    if asked.responsible is not None:
        if identity != NOBODY:
            what = "Only an account that is nobody's has somebody who answers for it."
            raise CallError(what, f"Write `kathodos tie {asked.account} nobody --responsible {asked.responsible}`.")
        responsible = name_in("identity", resolved(records, asked.responsible, (IDENTITIES,)))
    entry = session.carry_out(TieAccount(account, identity, rules, responsible)).entry
    return session.answer(tied(account, identity, responsible, entry))
