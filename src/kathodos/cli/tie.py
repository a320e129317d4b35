"""`kathodos tie`: whose account it is - a report of what ties the accounts, and a person's word on one of them."""

from __future__ import annotations

import argparse

from kathodos.cli.options import Commands, Formatter, acting, command
from kathodos.cli.session import Session
from kathodos.errors import CallError
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field

_COUNTS = (
    Field("system", "System", 9),
    Field("how", "Tied by", 9),
    Field("accounts", "Accounts", 9, is_number=True),
)
_OPEN = (
    Field("account", "Account", 9, least=16),
    Field("how", "State", 8, least=9),
    Field("candidates", "May be", 7),
)
_DUPLICATES = (
    Field("first", "One", 9, least=14),
    Field("second", "Other", 9, least=14),
    Field("reasons", "What speaks for it", 8, least=24),
)
_NOBODY = "nobody"


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "tie",
        common,
        formatter,
        run,
        "say whose account it is; without arguments, how all accounts are tied",
        "  kathodos tie                              # counts by system and rule\n"
        "  kathodos tie --open                       # orphans and ambiguous ones, with candidates\n"
        "  kathodos tie dues/cashdesk2 p0059 --reason 'the cash desk is hers'\n"
        "  kathodos tie dues/cashdesk2 nobody        # a shared account: to no one person\n"
        "  kathodos tie --duplicates                 # identities that may be one person",
    )
    parser.add_argument("account", nargs="?", metavar="ACCOUNT", help="as in dues/mmorag")
    parser.add_argument("identity", nargs="?", metavar="IDENTITY", help="whose it is, or `nobody`")
    parser.add_argument("--open", action="store_true", help="list the accounts that are tied to nobody")
    parser.add_argument("--duplicates", action="store_true", help="list identities that may be one person")
    parser.add_argument("--undo", action="store_true", help="take a person's word on ACCOUNT back")
    acting(parser)


def run(session: Session) -> int:
    asked = session.arguments
    if (asked.undo and not asked.account) or (asked.account and bool(asked.identity) == bool(asked.undo)):
        example = "As in `kathodos tie dues/mmorag p0412`, or `kathodos tie dues/mmorag --undo`."
        raise CallError("Say which account, and whose it is.", example)
    if asked.account and (asked.open or asked.duplicates):
        raise CallError("--open and --duplicates list; they take no account.", "Leave one of the two out.")
    if asked.account:
        return _tie(session)
    return _duplicates(session) if asked.duplicates else _report(session)


def _report(session: Session) -> int:
    view = session.view
    counts, untied = view.findings.ties
    if session.arguments.open:
        rows = [{"account": account, "how": how, "candidates": some} for account, how, some in untied]
        hint = "Next: `kathodos tie ACCOUNT IDENTITY --reason WHY`, or `nobody` for a shared one." if rows else ""
        return session.answer(Answer(_OPEN, rows, f"{plural(len(rows), 'account')} tied to nobody.", hint=hint))
    counted = [{"system": system, "how": how, "accounts": count} for system, how, count, _ in counts]
    total, tied = sum(count for _, _, count, _ in counts), sum(tied for *_, tied in counts)
    heading = f"{tied} of {plural(total, 'account')} tied to an identity."
    hint = "The others: `kathodos tie --open`." if tied < total else ""
    return session.answer(Answer(_COUNTS, counted, heading, hint=hint))


def _duplicates(session: Session) -> int:
    from kathodos.analysis.duplicates import likely_duplicates

    found = likely_duplicates(session.view.catalogue)
    rows = [
        {"first": f"identity:{it.first}", "second": f"identity:{it.second}", "reasons": "; ".join(it.reasons)}
        for it in found
    ]
    heading = f"{plural(len(rows), 'pair')} of identities that may be one person."
    hint = "Look at both: `kathodos show REF`. A namesake is no duplicate." if rows else ""
    return session.answer(Answer(_DUPLICATES, rows, heading, hint=hint))


def _tie(session: Session) -> int:
    from kathodos.ingest.tying import NOBODY, TieAccount, UntieAccount
    from kathodos.model.kinds import ACCOUNTS, IDENTITIES
    from kathodos.store.naming import resolved

    asked, records = session.arguments, session.view.catalogue
    account = resolved(records, asked.account, (ACCOUNTS,)).removeprefix("account:")
    identity = NOBODY
    if not asked.undo and asked.identity != _NOBODY:
        identity = resolved(records, asked.identity, (IDENTITIES,)).removeprefix("identity:")
    rules = session.workspace.configuration.tie_rules
    operation = UntieAccount(account, rules) if asked.undo else TieAccount(account, identity, rules)
    number = session.carry_out(operation).entry
    done = "is tied by its source and the rules again" if asked.undo else f"is {identity or 'nobody'}'s"
    return session.answer(Answer((), [], f"account:{account} {done}; entry {number} of the ledger."))
