"""`kathodos sources`: list, check and sample the sources; propose how a file is mapped."""

from __future__ import annotations

import argparse
import contextlib
import time
from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session
from kathodos.errors import CallError, DataError, Status

if TYPE_CHECKING:
    from kathodos.connectors.settings import Source
    from kathodos.model.kinds import Kind
    from kathodos.workspace.workspace import Workspace


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = commands.add_parser(
        "sources",
        help="list and check the sources; see how a file would be read",
        description="The sources of kathodos.toml: list, check and sample them; propose how a new file is mapped.",
        epilog="example:\n  kathodos sources list        # each step has its own --help",
        formatter_class=formatter,
    )
    steps = parser.add_subparsers(prog=parser.prog, dest="step", metavar="STEP", required=True)
    for name, run, what, example in (
        ("list", _list, "list the sources, and when each last brought something new", "kathodos sources list"),
        ("check", _check, "read every source as a gather would; change nothing", "kathodos sources check harbour"),
        ("sample", _sample, "show the first records as they would be read", "kathodos sources sample --kind grants"),
    ):
        step = command(steps, name, common, formatter, run, what, f"  {example}")
        step.add_argument("name", nargs="?", metavar="SOURCE", help="only this source")
        if name == "check":
            step.add_argument(
                "--all", action="store_true", help="name everything that is wrong, not only the first ten"
            )
        if name == "sample":
            step.add_argument("--kind", metavar="KIND", help="only this kind of record")
            step.add_argument(
                "--lines",
                metavar="N",
                type=_positive,
                default=5,
                help="how many records of each kind to show (default: 5)",
            )
    proposing = command(
        steps,
        "propose",
        common,
        formatter,
        _propose,
        "look at files together and propose how they are mapped, to be corrected",
        "  kathodos sources propose exports/staff.csv\n  kathodos sources propose exports/*\n"
        "  kathodos sources propose rights.xlsx --kind grants\n"
        "  kathodos sources propose exports/* --write   # into kathodos.toml; what stands there stays",
    )
    proposing.add_argument(
        "file", type=Path, nargs="+", metavar="FILE", help="CSV, XLSX, JSON, JSON Lines, Parquet, LDIF or syslog"
    )
    proposing.add_argument("--write", action="store_true", help="add it to kathodos.toml; what you wrote there stays")
    proposing.add_argument("--kind", metavar="KIND", help="what it holds, if that is known")


def _positive(text: str) -> int:
    if not text.isdecimal() or not int(text):
        raise argparse.ArgumentTypeError(f"{text} is no number of lines")
    return int(text)


def _kind(session: Session) -> Kind | None:
    """The kind of record that `--kind` names. Raises CallError with the nearest."""
    from kathodos.model.kinds import GATHERED
    from kathodos.model.suggestions import nearest

    named, kinds = session.arguments.kind, {kind.name: kind for kind in GATHERED}
    if named not in (None, *kinds):
        raise CallError(f"There is no kind of record {named}.", nearest(named, list(kinds)))
    return kinds.get(named)


def _list(session: Session) -> int:
    from kathodos.report.sources import source_list

    with session.workspace.store.reading() as reader:
        return session.answer(source_list(session.sources(session.arguments.name), reader))


def _check(session: Session) -> int:
    return check_sources(
        session, session.workspace, session.sources(session.arguments.name), is_whole=session.arguments.all
    )


def check_sources(session: Session, workspace: Workspace, sources: list[Source], is_whole: bool) -> int:
    """Reads every source as a gather would, and changes nothing. `is_whole`: everything that is wrong is named."""
    from kathodos.model.references import Names
    from kathodos.report.sources import Tried, sources_checked
    from kathodos.workspace.gathering import rehearse_source

    tried, beside = [], Names()
    for source in sources:
        began = time.monotonic()
        try:
            found, waited = rehearse_source(workspace, source, beside=beside)
        except DataError as error:
            session.complain(f"{source.name}: {error.what} {error.remedy}")
            continue
        tried.append(Tried(source.name, found, time.monotonic() - began, waited))
    session.answer(sources_checked(tried, len(sources), is_whole))
    return DataError.status if len(tried) < len(sources) else Status.DONE


def _sample(session: Session) -> int:
    from kathodos.report.sources import source_sample
    from kathodos.workspace.gathering import tables_of

    asked, is_json = session.arguments, session.format == "json"
    return session.answer(source_sample(tables_of(session.sources(asked.name)), _kind(session), asked.lines, is_json))


def _propose(session: Session) -> int:
    from kathodos.ingest.proposing.sources import proposed
    from kathodos.report.sources import mapping_proposed, mapping_written
    from kathodos.workspace.proposals import write_proposal

    asked = session.arguments
    paths: list[Path] = asked.file
    for path in paths:
        if not path.is_file():
            raise CallError(f"{path} is no file.", "Name a CSV, XLSX, JSON, JSON Lines, Parquet, LDIF or syslog file.")
    folder = Path.cwd()
    with contextlib.suppress(CallError):  # what a file holds can be asked anywhere
        folder = session.workspace.folder
    found = proposed(paths, folder, _kind(session))
    if asked.write:
        write_proposal(session.workspace, found)
        return session.answer(mapping_written(found))
    return session.answer(mapping_proposed(found, session.format == "csv"))
