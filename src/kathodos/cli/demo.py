"""`kathodos demo`: lays out a made-up organisation and walks through the whole round."""

from __future__ import annotations

import argparse
from pathlib import Path

from kathodos.cli.options import Commands, Formatter, command
from kathodos.cli.session import Session


def add(commands: Commands, common: argparse.ArgumentParser, formatter: Formatter) -> None:
    parser = command(
        commands,
        "demo",
        common,
        formatter,
        run,
        "lay out a made-up harbour authority and walk through the whole round",
        "  kathodos demo my-demo\n  cd my-demo    # and repeat any line of it by hand",
    )
    parser.add_argument("folder", nargs="?", default="tarnholm", metavar="DIR", help="where (default: tarnholm)")
    parser.add_argument("--fresh", action="store_true", help="replace a demo that stands there already")


def run(session: Session) -> int:
    from kathodos.cli.main import main
    from kathodos.demo.story import describe

    return describe(Path(session.arguments.folder), session.arguments.fresh, main)
