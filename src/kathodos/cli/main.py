"""The parser of the whole command, and the one place where errors become exit statuses."""

# PYTHON_ARGCOMPLETE_OK

from __future__ import annotations

import argparse
import contextlib
import difflib
import errno
import gc
import os
import re
import shutil
import sys
from collections.abc import Iterable, Sequence
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import Any, NoReturn, TextIO, cast

from kathodos.cli.session import Session
from kathodos.errors import CallError, DataError, KathodosError, Status, sentence

COMMANDS = (
    *("init", "gather", "sources", "tie", "returned"),
    *("find", "compare", "changed", "ending", "unused", "reach"),
    *("conflicts", "rules", "control", "check", "excess", "escalation", "risk", "chart"),
    *("change", "role", "people", "mandates", "orders", "enact", "review", "kit", "request"),
    *("baseline", "list", "show", "activity", "ledger", "store", "standin", "demo"),
)
_STOPPED = 130  # as a shell says of a command that was interrupted
_MOST_DAMAGED = 40  # files of one store, each of which may be
MODULES = {"list": "lists", "show": "shows"}
EPILOG = """\
exit status: 0 done and nothing found; 1 done and something found (a conflict, a "no", a failed verification);
2 the call is wrong; 3 the data or a system is wrong.

start: kathodos demo my-demo         lays out a made-up organisation and walks through the whole round
       kathodos init my-workspace    begins with your own exported tables
"""

_OBJECTS_AT_ONCE = 500_000  # more of them than before, until what is in cycles is looked for


class _Parser(argparse.ArgumentParser):
    """A parser whose errors are two lines: what is wrong, and where the help is."""

    def error(self, message: str) -> NoReturn:
        from kathodos.model.printing import harmless

        self.exit(CallError.status, f"{harmless(sentence(_nearest_choice(message)))}\nSee {self.prog} --help.\n")


def _nearest_choice(message: str) -> str:
    """argparse's message about a wrong choice, with the nearest right ones instead of all of them."""
    found = re.fullmatch(r"argument (.*): invalid choice: '(.*)' \(choose from (.*)\)", message, re.DOTALL)
    if not found:
        return message
    choices = re.findall(r"'([^']*)'", found[3])
    close = difflib.get_close_matches(found[2], choices, n=3, cutoff=0.5) or choices[:6]
    return f"{found[1]}: there is no {found[2]}; nearest: {', '.join(close)}"


class _Version(argparse.Action):
    """Looks the version up only when it is asked for."""

    def __call__(self, parser: argparse.ArgumentParser, *_: Any) -> None:
        from kathodos.store.upgrades import NEWEST
        from kathodos.version import __version__

        parser.exit(0, f"kathodos {__version__} (stores of version {NEWEST})\n")


def build_parser(names: Sequence[str] = COMMANDS) -> argparse.ArgumentParser:
    """The parser with all commands in it, or only some; nothing heavy is imported."""
    from kathodos.output.help import HelpFormatter

    formatter = partial(HelpFormatter, width=shutil.get_terminal_size().columns - 2)  # asked once, not for each option
    common = argparse.ArgumentParser(add_help=False)
    common.add_argument("--workspace", metavar="DIR", default=argparse.SUPPRESS, help="the workspace to work on")
    parser = _Parser(
        prog="kathodos",
        description="Who can reach what, through which path, whether they should, who decided so, and when.",
        epilog=EPILOG,
        formatter_class=cast(Any, formatter),
    )
    parser.add_argument("--workspace", metavar="DIR", help="the workspace to work on (else the nearest one upward)")
    parser.add_argument("--version", action=_Version, nargs=0, help="print the version and stop")
    commands = parser.add_subparsers(prog=parser.prog, dest="command", metavar="COMMAND", required=True)
    for name in names:
        module = import_module(f"kathodos.cli.{MODULES.get(name, name)}")
        module.add(commands, common, formatter)
    return parser


def commands_asked(words: Sequence[str]) -> Sequence[str]:
    """The command that a call names, so that no other has to be set up; all where it names none that there is."""
    if "_ARGCOMPLETE" in os.environ:
        return COMMANDS
    position = 0
    while position < len(words) and words[position].startswith("--w"):  # --workspace, or short for it
        position += 1 if "=" in words[position] else 2
    return [it for it in words[position : position + 1] if it in COMMANDS] or COMMANDS


def main(words: Sequence[str] | None = None) -> int:
    """Runs one command; gives its exit status. Errors become one or two lines on stderr."""
    words = sys.argv[1:] if words is None else words
    try:
        parser = build_parser(commands_asked(words))
        _complete(parser)
        arguments = parser.parse_args(words)
        _refuse_empty(arguments, words)
        status = _answered(arguments)
        sys.stdout.flush()
    except KathodosError as error:
        _say(error)
        return error.status
    except BrokenPipeError:
        _let_go()
        return Status.DONE
    except KeyboardInterrupt:
        sys.stderr.write("Stopped; nothing half-done was kept.\n")
        return _STOPPED
    except OSError as error:
        where = f"{error.filename}: " if error.filename else ""
        remedy = "Check that the file is there and may be used."
        if error.errno == errno.ENOSPC:
            _let_go()
            _say(f"{where}No room is left where the answer goes: make some, or let it go elsewhere.")
            return Status.WRONG_DATA
        _say(DataError(f"{where}{error.strerror or error}.", remedy))
        return Status.WRONG_DATA
    return status


class _Noted:
    """A stream that notes whether anything was written to it."""

    def __init__(self, stream: Any) -> None:
        self.stream = stream
        self.is_begun = False

    def write(self, text: str) -> int:
        self.is_begun = True
        written: int = self.stream.write(text)
        return written

    def writelines(self, lines: Iterable[str]) -> None:
        for line in lines:
            self.write(line)

    def __getattr__(self, name: str) -> Any:
        return getattr(self.stream, name)


def _answered(arguments: argparse.Namespace) -> int:
    """Runs the command; once more where a computed file turns out to be altered, which is put aside and made anew."""
    noted = _Noted(sys.stdout)
    with contextlib.redirect_stdout(cast(TextIO, noted)):
        for _ in range(_MOST_DAMAGED):
            with Session(arguments) as session:
                try:
                    status: int = arguments.run(session)
                    session.keep_up()
                    return status
                except Exception as error:
                    file = getattr(error, "damaged_file", None)
                    if file is None:
                        raise
                    aside = session.workspace.store.computed.put_aside(file.name)
                    what = f"{file.name}, computed from the store, was altered by somebody or by a fault."
                    session.complain(f"{what} It is kept as {aside} and not used.")
                    if noted.is_begun:
                        break
    what = "A file computed from the store turned out to be altered in the middle of the answer."
    raise DataError(what, "Ask again; it is made anew. `kathodos ledger verify` looks at the store itself.")


def _refuse_empty(arguments: argparse.Namespace, words: Sequence[str]) -> None:
    """Nothing in quotes is no name: it would be taken for everything, or for a name that nobody can write."""
    for name, value in vars(arguments).items():
        if any(isinstance(it, str) and not it.strip() for it in (value if isinstance(value, list) else [value])):
            if name == "url":
                raise CallError("The URL is empty.", "Name one.")
            names = {"actor": "as", "moment": "at"}
            option = f"--{names.get(name, name).replace('_', '-')}"
            is_option = option in {word.partition("=")[0] for word in words}
            raise CallError(f"{option if is_option else name.upper()} is empty.", "Name it, or leave it out.")


def _let_go() -> None:
    """Lets what is still to be written go nowhere: where it was to go takes nothing any more."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _complete(parser: argparse.ArgumentParser) -> None:
    if "_ARGCOMPLETE" in os.environ:
        import argcomplete

        argcomplete.autocomplete(parser)


def _say(error: KathodosError | str) -> None:
    from kathodos.output.answers import say

    for line in str(error).splitlines():
        say(line)


def run() -> None:
    """The installed command."""
    for name in ("stdin", "stdout", "stderr"):  # one that was closed before is as one that goes nowhere
        if getattr(sys, name) is None:
            setattr(sys, name, Path(os.devnull).open("r" if name == "stdin" else "w"))  # noqa: SIM115  # to the end
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    gc.set_threshold(_OBJECTS_AT_ONCE, 20, 20)  # looking for cycles took a third of a command with 50,000 edits
    status = main()
    gc.freeze()  # nothing is looked for any more: the system takes all memory back at once
    sys.exit(status)
