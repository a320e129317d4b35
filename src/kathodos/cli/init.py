"""`kathodos init`: makes a workspace."""

from __future__ import annotations

import argparse
from pathlib import Path

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session
from kathodos.report.stores import workspace_made
from kathodos.workspace.workspace import Workspace


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "init",
        common,
        formatter,
        run,
        "make a workspace: configuration, store, signing key, folders for tables and rules",
        "  kathodos init harbour\n  cd harbour    # then put your CSV tables into tables/ and gather\n"
        "  kathodos init harbour --store postgresql+psycopg://r.lund@db.harbour.example/kathodos",
    )
    parser.add_argument("folder", nargs="?", default=".", metavar="DIR", help="where (default: here)")
    parser.add_argument(
        "--store",
        metavar="URL",
        help="where the catalogue and its ledger are: sqlite:///FILE (default: catalogue.db), "
        "or postgresql+psycopg://USER@HOST/DATABASE",
    )
    parser.add_argument(
        "--keys",
        metavar="DIR",
        help="join the workspace that the store holds already, with the keys that lie in this folder",
    )


def run(session: Session) -> int:
    asked = session.arguments
    workspace = Workspace.create(Path(asked.folder), asked.store, Path(asked.keys) if asked.keys else None)
    return session.answer(workspace_made(workspace, is_joined=asked.keys is not None))
