"""What every command needs: the workspace it works on, who acts, the view it asks about, and how it answers."""

from __future__ import annotations

import argparse
import contextlib
import os
import sys
from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any, TypeVar

from msgspec.structs import replace

from kathodos.errors import CallError, DataError
from kathodos.ledger.origin import system_user
from kathodos.output.answers import CsvForm, rows_of_window, say, show
from kathodos.report.answers import Answer
from kathodos.workspace.workspace import Workspace

if TYPE_CHECKING:
    from kathodos.connectors.settings import Source
    from kathodos.ledger.actors import Actor
    from kathodos.ledger.operations import Done, Operation
    from kathodos.workspace.view import View

R = TypeVar("R")


class Session:
    """One call of the command."""

    def __init__(self, arguments: argparse.Namespace) -> None:
        self.arguments = arguments
        self._open = contextlib.ExitStack()

    def __enter__(self) -> Session:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: Any) -> None:
        self._open.__exit__(kind, error, trace)

    @cached_property
    def workspace(self) -> Workspace:
        return Workspace.find(getattr(self.arguments, "workspace", None))

    @cached_property
    def actor(self) -> str:
        """Who acts, as it is kept. Raises CallError where that is nobody who may."""
        return self.acts.name

    @property
    def said_actor(self) -> str:
        """Who is said to act: `--as`, `KATHODOS_ACTOR`, the login where that proves it, or the system's user."""
        named = getattr(self.arguments, "actor", None) or os.environ.get("KATHODOS_ACTOR")
        if named:
            return str(named)
        return self.workspace.login if self.workspace.configuration.is_actor_the_login else system_user()

    @property
    def reason(self) -> str:
        return str(getattr(self.arguments, "reason", None) or "")

    @property
    def accepts_clock(self) -> bool:
        """Whether to write although the clock is behind the last entry."""
        return bool(getattr(self.arguments, "accept_clock", False))

    @property
    def format(self) -> str:
        return str(self.arguments.format)

    @property
    def most(self) -> int | None:
        """How many rows of a long answer a person is shown: as many as the window holds; None for all."""
        if getattr(self.arguments, "all", False):
            return None
        return rows_of_window(sys.stdout)

    def answer(self, answer: Answer) -> int:
        return show(answer, self.format, csv_form=self.csv_form)

    @property
    def csv_form(self) -> CsvForm:
        """How CSV is to be written. Raises CallError where it is not CSV that is asked for."""
        program, delimiter = (getattr(self.arguments, name, None) for name in ("spreadsheet", "separator"))
        if self.format != "csv" and (program or delimiter):
            raise CallError("--for and --separator say how CSV is written.", "Add --format csv.")
        if delimiter is not None and (len(delimiter) != 1 or delimiter in '"\r\n\0'):
            raise CallError(f"--separator {delimiter!r} cannot stand between cells.", "Write one mark: ; or a tab.")
        return CsvForm(delimiter or ",", program is not None)

    def found(self, answer: Answer) -> int:
        """As `answer`, of what was found by the rules, whose digest is said with it."""
        return self.answer(replace(answer, rules=self.view.rules_digest))

    def answer_with_file(self, answer: Answer, file: str | None, content: str) -> int:
        """As `answer`, once a file that is not there yet has been written; none where there is nothing to write."""
        if file and content:
            from kathodos.output.files import write_new

            write_new(file, content)
        return self.found(answer)

    def complain(self, text: str) -> None:
        """Says on stderr what went wrong with a part while the rest goes on."""
        say(text)

    def agrees(self, question: str) -> bool:
        """Whether to go on: yes with `--yes`, else as the person at the terminal says. Raises CallError where there is
        nobody who could be asked."""
        if getattr(self.arguments, "yes", False):
            return True
        if not sys.stdin.isatty():
            raise CallError(f"{question} Nobody is here to be asked, so nothing was done.", "To do it, say --yes.")
        sys.stderr.write(f"{question} [y/N] ")
        sys.stderr.flush()
        return sys.stdin.readline().strip().lower() in ("y", "yes")

    @property
    def may_ask(self) -> bool:
        """Whether there is somebody at a terminal who can be asked."""
        return sys.stdin.isatty()

    def show_first(self, answer: Answer) -> None:
        """Shows what would be done before somebody is asked; data formats hold only what was done."""
        if self.format == "table":
            self.answer(answer)

    def choice(self, question: str, choices: Sequence[str]) -> str | None:
        """Which of some words the person at the terminal says; None where there is nobody, or none of them is said."""
        if not sys.stdin.isatty():
            return None
        sys.stderr.write(f"{question} [{'/'.join(choices)}] ")
        sys.stderr.flush()
        said = sys.stdin.readline().strip().lower()
        return said if said in choices else None

    def sources(self, name: str | None) -> list[Source]:
        """The configured sources, or only the named one."""
        if name is not None:
            return [self.workspace.source(name)]
        sources = self.workspace.configuration.sources
        if not sources:
            raise DataError("kathodos.toml names no source.", "Add a [[source]]; `kathodos init` shows one.")
        return sources

    @cached_property
    def view(self) -> View:
        """What the call asks about, to its end: by `--as-of`, `--at` and `--assume`."""
        return self.view_of(*(getattr(self.arguments, name, None) for name in ("as_of", "moment", "assume")))

    def carry_out(self, operation: Operation[R]) -> Done[R]:
        """Does what is asked, as who acts and for the reason given."""
        return self.workspace.carry_out(operation, self.said_actor, self.reason, self.accepts_clock)

    def keep_up(self) -> None:
        """What the answer, which is out, need not wait for: what is computed is brought up to date."""
        if "workspace" in self.__dict__:
            sys.stdout.flush()
            self.workspace.keep_up()

    @cached_property
    def acts(self) -> Actor:
        """Who acts, with all names. Raises CallError where that is nobody who may."""
        return self.workspace.acting(self.said_actor).among(self.view.stored)

    def view_of(self, as_of: str | None, at: str | None = None, assume: str | None = None) -> View:
        """Another state, to the end of the call."""
        view = self._open.enter_context(self.workspace.view(as_of, at))
        if assume is None:
            return view
        from kathodos.workspace.assuming import assumed_view

        return assumed_view(view, assume)
