"""`kathodos init`: makes a workspace."""

from __future__ import annotations

import argparse
from pathlib import Path

from msgspec.structs import replace

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session
from kathodos.cli.sources import check_sources
from kathodos.errors import CallError
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
        "  kathodos init harbour --from exports/*   # looks at the files, proposes how to read them, tries it\n"
        "  kathodos init harbour --store postgresql+psycopg://r.lund@db.harbour.example/kathodos",
    )
    parser.add_argument("folder", nargs="?", default=".", metavar="DIR", help="where (default: here)")
    parser.add_argument(
        "--from",
        dest="files",
        type=Path,
        nargs="+",
        metavar="FILE",
        help="exports to begin with: how they are to be read is proposed, and tried without keeping anything",
    )
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
    keys, files = Path(asked.keys) if asked.keys else None, asked.files or []
    if not files:
        workspace = Workspace.create(Path(asked.folder), asked.store, keys)
        return session.answer(workspace_made(workspace, is_joined=asked.keys is not None))
    from kathodos.ingest.proposing.sources import proposed
    from kathodos.report.sources import mapping_written
    from kathodos.workspace.proposals import write_proposal

    for file in files:
        if not file.is_file():
            raise CallError(f"{file} is no file.", "Name the exports to begin with; nothing was made.")
    found = proposed(files, Path(asked.folder))
    workspace = Workspace.create(Path(asked.folder), asked.store, keys, has_files=True)
    made = workspace_made(workspace, is_joined=asked.keys is not None)
    session.answer(replace(made, hint=""))
    write_proposal(workspace, found)
    session.answer(mapping_written(found))
    again = Workspace.find(workspace.folder)
    return check_sources(session, again, again.configuration.sources, is_whole=False)
