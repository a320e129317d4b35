"""`kathodos init`: makes a workspace."""

from __future__ import annotations

import argparse
from pathlib import Path

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session
from kathodos.report.answers import Answer
from kathodos.workspace.workspace import CONFIGURATION, Workspace


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "init",
        common,
        formatter,
        run,
        "make a workspace: configuration, store, signing key, folders for tables and rules",
        "  kathodos init harbour\n  cd harbour    # then put your CSV tables into tables/ and gather",
    )
    parser.add_argument("folder", nargs="?", default=".", metavar="DIR", help="where (default: here)")


def run(session: Session) -> int:
    workspace = Workspace.create(Path(session.arguments.folder))
    keys, store_file = workspace.keys, workspace.store.files[0].name
    made = {
        "workspace": str(workspace.folder),
        "configuration": CONFIGURATION,
        "store": store_file,
        "signing_key": keys.private_file.name,
        "public_key": keys.public_file.name,
    }
    text = [
        f"Made the workspace {workspace.folder}",
        f"  {CONFIGURATION:<16} what to gather, and where the store is",
        f"  {store_file:<16} the catalogue and its ledger, still empty",
        f"  {keys.private_file.name:<16} the signing key: keep a copy apart, give it to nobody",
        f"  {keys.public_file.name:<16} its public half: for auditors",
        "  tables/ rules/   your exported tables, your rules",
    ]
    hint = "Next: put CSV tables into tables/ and run `kathodos gather` there."
    return session.answer(Answer(text=text, document=made, rows=[made], hint=hint))
