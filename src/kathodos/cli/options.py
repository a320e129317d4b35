"""Options that several commands share, each declared once."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

from kathodos.cli.session import Session
from kathodos.output.answers import FORMATS

Commands = Any  # what argparse's add_subparsers gives; it has no public name
Formatter = Any


def command(
    commands: Commands,
    name: str,
    common: argparse.ArgumentParser,
    formatter: Formatter,
    run: Callable[[Session], int],
    help_text: str,
    example: str,
    for_whom: str = "",
) -> argparse.ArgumentParser:
    """A command with its help, an example, and the options that all have.

    `for_whom`: what `--for WHO` means to a command that is about somebody; to others it says for which program CSV is.
    """
    parser: argparse.ArgumentParser = commands.add_parser(
        name,
        parents=[common],
        help=help_text,
        description=help_text[0].upper() + help_text[1:] + ".",
        epilog=f"example:\n{example}",
        formatter_class=formatter,
    )
    parser.add_argument(
        "--format",
        choices=FORMATS,
        default="table",
        help="a table for people, or data with stable keys (default: table)",
    )
    if for_whom:
        parser.add_argument("--for", dest="whom", metavar="WHO", help=for_whom)
    else:
        program = "CSV that a spreadsheet opens by itself, in any language"
        parser.add_argument("--for", dest="spreadsheet", choices=("excel",), help=program)
    parser.add_argument("--separator", metavar="MARK", help="what stands between the cells of CSV (default: a comma)")
    parser.set_defaults(run=run)
    return parser


def acting(parser: argparse.ArgumentParser) -> None:
    """The options of a command that changes something."""
    parser.add_argument("--as", dest="actor", metavar="NAME", help="who acts (else KATHODOS_ACTOR, else the OS user)")
    parser.add_argument("--reason", metavar="TEXT", help="why; the ledger keeps it")
    clock = "write although the clock is behind the last entry, or is not the database's; needs --reason"
    parser.add_argument("--accept-clock", action="store_true", help=clock)


def confirming(parser: argparse.ArgumentParser) -> None:
    """The options of a command that shows first what it will do."""
    parser.add_argument("--yes", action="store_true", help="go on without asking")
    parser.add_argument("--dry-run", action="store_true", help="show what would be done, and stop")


def as_of(parser: argparse.ArgumentParser) -> None:
    """The option to ask about an earlier state."""
    parser.add_argument(
        "--as-of", metavar="POINT", help="ask about an earlier state: a baseline, a date, a time or a ledger number"
    )


def assuming(parser: argparse.ArgumentParser) -> None:
    """The option to ask as if some edits were made."""
    what = "answer as if a change, the edits of a TOML file, or all open `orders` were carried out"
    parser.add_argument("--assume", metavar="CHANGE", help=what)


def thorough(parser: argparse.ArgumentParser) -> None:
    """The option to look at what takes long as well."""
    parser.add_argument("--thorough", action="store_true", help="look at excess and risk however many people there are")


def collecting(parser: argparse.ArgumentParser) -> None:
    """The options of a command that composes edits: collected in a change, or rehearsed, asked about and applied."""
    parser.add_argument("--into", metavar="CHANGE", help="only collect it in a change of this name")
    rehearsing(parser)


def rehearsing(parser: argparse.ArgumentParser) -> None:
    """The options of a command whose edits are rehearsed, asked about and applied at once."""
    parser.add_argument("--despite", metavar="WHY", help="why it is done although it locks somebody out")
    thorough(parser)
    long_answer(parser)
    acting(parser)
    confirming(parser)


def remedying(parser: argparse.ArgumentParser, what: str) -> None:
    """The options of a finding whose remedies are edits: written to a file, or collected in a change."""
    kept = parser.add_mutually_exclusive_group()
    kept.add_argument("--into", metavar="CHANGE", help=f"collect {what} in a change of this name")
    kept.add_argument("--change", metavar="FILE", help=f"write {what} as a change file")
    acting(parser)


def about_state(parser: argparse.ArgumentParser) -> None:
    """The options of a question about a state: another moment, an earlier state, or one with some edits made."""
    at_time(parser)
    as_of(parser)
    assuming(parser)


def long_answer(parser: argparse.ArgumentParser) -> None:
    """The option of an answer that may have very many rows."""
    parser.add_argument("--all", action="store_true", help="show every row, not only the first ones")


def at_time(parser: argparse.ArgumentParser) -> None:
    """The option to ask about another moment."""
    parser.add_argument(
        "--at", dest="moment", metavar="TIME", help="ask about a moment: a date or an RFC 3339 time (default: now)"
    )
