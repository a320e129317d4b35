"""`kathodos store`: where the catalogue and its ledger are kept, how it is protected, and how it moves."""

from __future__ import annotations

import argparse
from pathlib import Path

from kathodos.cli.options import Commands, Formatter, acting, command, confirming
from kathodos.cli.session import Session
from kathodos.errors import CallError


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "store",
        help="where the catalogue and its ledger are kept: set up a database, bring it up to this version, copy it",
        description="Where the catalogue and its ledger are kept: set up a database, bring a store up, copy it.",
        epilog="example:\n  kathodos store setup > setup.sql        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    _add_setup(steps, common, formatter)
    _add_upgrade(steps, common, formatter)
    _add_copy(steps, common, formatter)


def _add_setup(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    setting_up = command(
        steps,
        "setup",
        common,
        formatter,
        run_setup,
        "print the SQL that an administrator of PostgreSQL runs for a store, or check that it is in force",
        "  kathodos store setup --store postgresql+psycopg://db.harbour.example/kathodos > setup.sql\n"
        "  kathodos store setup --check",
    )
    setting_up.add_argument("--store", metavar="URL", help="of which database (default: the workspace's)")
    setting_up.add_argument("--check", action="store_true", help="check that what it sets up is in force")
    setting_up.add_argument(
        "--owner", metavar="ROLE", default="kathodos_owner", help="whose the tables are (default: kathodos_owner)"
    )
    setting_up.add_argument(
        "--working",
        metavar="ROLE",
        default="kathodos_working",
        help="the role of those who gather, decide and change (default: kathodos_working)",
    )
    setting_up.add_argument(
        "--reading", metavar="ROLE", default="kathodos_reading", help="the role of auditors (default: kathodos_reading)"
    )


def _add_upgrade(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    upgrading = command(
        steps,
        "upgrade",
        common,
        formatter,
        run_upgrade,
        "bring the store up to the version of this kathodos; what is signed stays as it is",
        "  kathodos store upgrade --dry-run     # what it would do\n"
        "  kathodos store upgrade --yes --reason 'kathodos 0.2 from today on'",
    )
    acting(upgrading)
    confirming(upgrading)


def _add_copy(steps: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    copying = command(
        steps,
        "copy",
        common,
        formatter,
        run_copy,
        "copy the workspace's store, with its history and ledger, to another place that is empty",
        "  kathodos store copy postgresql+psycopg://r.lund@db.harbour.example/kathodos --move\n"
        "  kathodos store copy sqlite:///copy-for-the-auditor.db",
    )
    copying.add_argument("url", metavar="URL", help="sqlite:///FILE or postgresql+psycopg://USER@HOST/DATABASE")
    copying.add_argument("--move", action="store_true", help="work there from now on: writes it into kathodos.toml")


def run_setup(session: Session) -> int:
    from kathodos.report.stores import setup_printed, store_checked
    from kathodos.store.opening import named_store
    from kathodos.workspace.stores import database

    asked = session.arguments
    store = database(named_store(asked.store, Path.cwd()) if asked.store else session.workspace.store)
    if asked.check:
        return session.answer(store_checked(store.checks(), store.place))
    return session.answer(setup_printed(store.setup_sql(asked.owner, asked.working, asked.reading)))


def run_upgrade(session: Session) -> int:
    from kathodos.ledger.upgrading import BringUp
    from kathodos.report.stores import store_upgraded, upgrade_planned
    from kathodos.workspace.stores import upgrade_of

    place, planned = session.workspace.store.place, upgrade_of(session.workspace)
    told = upgrade_planned(planned, place, session.arguments.dry_run)
    if session.arguments.dry_run or not planned.is_needed:
        return session.answer(told)
    if not session.arguments.yes:
        session.show_first(told)
        if not session.may_ask:
            raise CallError("Nothing was changed: nobody can be asked here.", "To bring the store up, say --yes.")
        if not session.agrees("Bring it up?"):
            raise CallError("Nothing was changed.", "To bring the store up, say y, or --yes.")
    done = session.carry_out(BringUp())
    return session.answer(store_upgraded(done.result, done.entry, place))


def run_copy(session: Session) -> int:
    from kathodos.report.stores import store_copied
    from kathodos.workspace.stores import copy_store

    asked = session.arguments
    workspace = session.workspace
    source = workspace.store
    target, found, verification = copy_store(workspace, asked.url, asked.move)
    is_moved = asked.move and not verification.discrepancies
    return session.answer(store_copied(found, verification, source, target, asked.url if is_moved else None))
