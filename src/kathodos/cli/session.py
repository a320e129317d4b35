"""What every command needs: the workspace it works on, who acts, the state it asks about, and how it answers."""

from __future__ import annotations

import argparse
import contextlib
import getpass
import os
import sys
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kathodos.errors import CallError, DataError, UnfitError, sentence
from kathodos.model.words import plural as plural
from kathodos.output.answers import Answer, show
from kathodos.workspace.workspace import Workspace, read_toml

if TYPE_CHECKING:
    from kathodos.analysis.snapshot import Snapshot
    from kathodos.connectors.settings import Source
    from kathodos.engine.index import Index
    from kathodos.findings.conflicts.covers import Control, Register
    from kathodos.findings.excess.batches import ExcessContext
    from kathodos.findings.risk.scores import Floats, Judged
    from kathodos.model.kinds import Kind
    from kathodos.model.references import Names
    from kathodos.model.rows import Rows, State
    from kathodos.rules.reading import Rules
    from kathodos.workspace.saved_index import View


@dataclass(frozen=True)
class Asked:
    """What a question is about: the catalogue as it is or would be, at a moment in microseconds since 1970."""

    view: View
    moment: int
    entry: int | None


@dataclass(frozen=True)
class Point:
    """A state of the catalogue: the number of its last ledger entry (None for the present), and the moment it means."""

    entry: int | None
    moment: datetime


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

    @property
    def actor(self) -> str:
        """Who acts: `--as`, else `KATHODOS_ACTOR`, else the user of the operating system."""
        named = getattr(self.arguments, "actor", None) or os.environ.get("KATHODOS_ACTOR")
        if named:
            return str(named)
        try:
            return getpass.getuser()
        except (OSError, KeyError):
            return f"uid:{os.getuid()}"

    @property
    def reason(self) -> str:
        return str(getattr(self.arguments, "reason", None) or "")

    @property
    def format(self) -> str:
        return str(self.arguments.format)

    def answer(self, answer: Answer) -> int:
        return show(answer, self.format)

    def agrees(self, question: str) -> bool:
        """Whether to go on: yes with `--yes` or where nobody can be asked, else as the person at the terminal says."""
        if getattr(self.arguments, "yes", False) or not sys.stdin.isatty():
            return True
        sys.stderr.write(f"{question} [y/N] ")
        sys.stderr.flush()
        return sys.stdin.readline().strip().lower() in ("y", "yes")

    def sources(self, name: str | None) -> list[Source]:
        """The configured sources, or only the named one."""
        from kathodos.model.suggestions import nearest

        sources = self.workspace.sources()
        if not sources:
            raise DataError("kathodos.toml names no source.", "Add a [[source]]; `kathodos init` shows one.")
        chosen = [source for source in sources if name in (None, source.name)]
        if not chosen:
            raise CallError(f"There is no source {name}.", nearest(str(name), [source.name for source in sources]))
        return chosen

    def state(self, kinds: Iterable[Kind], point: int | None = None) -> State:
        """The rows of some kinds at a point."""
        from kathodos.store.tables import read_state

        with self.workspace.store.connect() as connection:
            return read_state(connection, tuple(kinds), point)

    def view(self, point: int | None = None) -> View:
        """The catalogue at a point, to the end of the call; as it would be with the edits that `--assume` names."""
        from kathodos.workspace.saved_index import view_at

        store = self.workspace.store
        view = view_at(store, self._open.enter_context(store.connect()), point)
        assumed = getattr(self.arguments, "assume", None)
        if assumed is None:
            return view
        from kathodos.change.edits import edits_in

        return view.with_edits(edits_in(assumed, read_toml(Path(assumed)), view.records, view.index))

    def asked(self) -> Asked:
        """The state and the moment that the options of a question name."""
        from kathodos.model.times import microseconds

        point = self.point(getattr(self.arguments, "as_of", None))
        at = microseconds(self.moment(getattr(self.arguments, "moment", None)) or point.moment)
        return Asked(self.view(point.entry), at, point.entry)

    def snapshot(self, view: View, moment: int, point: int | None = None) -> Snapshot:
        """What findings are made of: the records of a view at a moment in microseconds since 1970."""
        from kathodos.analysis.snapshot import Snapshot

        snapshot = Snapshot(view.records, view.index, moment)
        snapshot.risks = lambda: self.risks(view, moment, point)
        return snapshot

    def context(self, view: View, moment: int, point: int | None) -> ExcessContext:
        """What excess is found from at a moment, with the departments that the history of the catalogue shows."""
        from kathodos.findings.excess.batches import ExcessContext
        from kathodos.model.kinds import IDENTITIES
        from kathodos.store.records import earlier_values

        snapshot = self.snapshot(view, moment, point)
        with self.workspace.store.connect() as connection:
            snapshot.former = earlier_values(connection, IDENTITIES, "department", point)
        return ExcessContext(snapshot, self.rules().needs, self.workspace.thresholds())

    def judged(self, view: View, moment: int, point: int | None) -> Judged:
        """Everything that has been found and counts for risk, at a moment."""
        from kathodos.findings.conflicts.covers import uncovered
        from kathodos.findings.conflicts.roles import roles_at_fault
        from kathodos.findings.conflicts.states import find_conflicts
        from kathodos.findings.escalation import climbers, latent_conflicts
        from kathodos.findings.excess.kinds import find_excess
        from kathodos.findings.risk.scores import Judged

        context, rules, register = self.context(view, moment, point), self.rules().conflicts, self.register(point)
        climbing = climbers(context.snapshot)
        found = find_conflicts(context.snapshot, rules)
        found += latent_conflicts(context.snapshot, rules, found, climbing)
        names = context.snapshot.index.holders.identities
        left = {id(it) for it in uncovered(found, register, names, moment)}
        return Judged(
            context,
            found,
            [it for it in found if id(it) not in left],
            roles_at_fault(context.snapshot, rules),
            list(find_excess(context, register=register)),
            climbing,
            self.workspace.weights(),
        )

    def risks(self, view: View, moment: int, point: int | None) -> Floats:
        """The risk of every identity, by number."""
        from kathodos.findings.risk.scores import Risk

        return Risk(self.judged(view, moment, point)).identities().totals

    def risk_column(self, rows: Rows, text: str | None, point: Point) -> dict[str, list[Any]]:
        """The risk of each identity of some rows, if a filter asks for it and no record has an attribute so named."""
        from kathodos.model.filters import FilterError, parse_filter
        from kathodos.model.times import microseconds
        from kathodos.store.attributes import Attributes

        try:
            named = {name.lower() for name in parse_filter(text).attributes()} if text else set()
        except FilterError:  # told where the filter is used
            return {}
        if "risk" not in named or "risk" in Attributes(rows).known():
            return {}
        view = self.view(point.entry)
        totals = self.risks(view, microseconds(point.moment), point.entry).tolist()
        by_name = dict(zip(view.index.holders.identities, totals, strict=True))
        return {"risk": [by_name.get(name) for name in rows["id"]]}

    def controls(self) -> list[Control]:
        """The compensating controls that `controls.toml` says."""
        from kathodos.review.covers import controls_in

        file = self.workspace.folder / "controls.toml"
        return controls_in(file.name, read_toml(file)) if file.exists() else []

    def register(self, point: int | None = None) -> Register:
        """Controls, covers and confirmations at a point."""
        from kathodos.review.covers import read_register

        with self.workspace.store.connect() as connection:
            return read_register(connection, self.controls(), point)

    def asker(self, view: View, text: str, among: Sequence[Kind]) -> int:
        """The identity or account that the user named. Raises CallError with the nearest names."""
        holders = view.index.holders
        kinds = {kind.name for kind in among}
        found = [at for at in holders.askers_named(text) if ("identities", "accounts")[at >= holders.people] in kinds]
        if len(found) == 1:
            return found[0]
        from kathodos.model.kinds import ACCOUNTS, IDENTITIES
        from kathodos.model.references import Names

        names = Names()
        names.add(IDENTITIES, ((name,) for name in holders.identities))
        names.add(ACCOUNTS, (tuple(name.split("/", 1)) for name in holders.accounts))
        return holders.find(_resolved(names, text, among))

    def thing(self, view: View, reference: str) -> tuple[str, int]:
        """What the user named: identities, accounts, roles, groups, systems or resources, and its number in the index.

        Accounts and groups are numbered from the first of them. Raises CallError with the nearest names.
        """
        from kathodos.model.addresses import parse_address
        from kathodos.model.kinds import ACCOUNTS, IDENTITIES
        from kathodos.model.suggestions import nearest

        index = view.index
        if ":/" in reference:
            try:
                node = index.tree.node(parse_address(reference))
            except ValueError as error:
                raise CallError(f"{reference} is no address.", sentence(error)) from None
            if node < 0:
                raise CallError(f"There is no resource {reference}.", "See `kathodos list resources`.")
            return "resources", node
        prefix, _, name = reference.partition(":")
        known: dict[str, Sequence[str]] = {"role": index.roles, "group": index.holders.groups}
        known["system"] = [it.name for it in index.systems_in_order]
        if prefix in known:
            names = list(known[prefix])
            if name not in names:
                raise CallError(f"There is no {prefix} {name}.", nearest(name, names))
            return f"{prefix}s", names.index(name)
        asker, people = self.asker(view, reference, (IDENTITIES, ACCOUNTS)), index.holders.people
        return ("identities", asker) if asker < people else ("accounts", asker - people)

    def index(self, state: State) -> Index:
        from kathodos.engine.compile import compile_index
        from kathodos.store.records import InMemory

        return compile_index(InMemory(state))

    def rules(self) -> Rules:
        from kathodos.rules.reading import read_rules

        return read_rules(self.workspace.rule_files())

    def point(self, text: str | None) -> Point:
        """The state that a baseline's name, a date, a time or a ledger number means. A date means its last moment."""
        from kathodos.model.times import last_moment_of, normal_moment, now

        if text is None:
            return Point(None, now())
        from kathodos.ledger.entries import point_at

        with self.workspace.store.connect() as connection:
            if text.isdecimal():
                return self._entry_point(int(text))
            try:
                moment = last_moment_of(normal_moment(text))
            except ValueError:
                return self._entry_point(self._baseline_entry(text))
            return Point(point_at(connection, moment), moment)

    def moment(self, text: str | None, option: str = "--at") -> datetime | None:
        """The moment that an option names: a date means its first one."""
        from kathodos.model.times import moment_of, normal_moment

        if text is None:
            return None
        try:
            return moment_of(normal_moment(text))
        except ValueError as error:
            raise CallError(f"{option} {text} is no moment.", sentence(error)) from None

    def _entry_point(self, number: int) -> Point:
        from kathodos.ledger.entries import read_entries
        from kathodos.model.times import moment_of, now
        from kathodos.store.tables import LEDGER, latest

        with self.workspace.store.connect() as connection:
            if number > latest(connection):
                raise CallError(f"The ledger has no entry {number}.", f"Its last is {latest(connection)}.")
            entries = read_entries(connection, LEDGER.c.number == number)
            return Point(number, moment_of(entries[0].time) if entries else now())

    def _baseline_entry(self, name: str) -> int:
        from kathodos.model.kinds import BASELINES
        from kathodos.model.suggestions import nearest
        from kathodos.store.tables import read_rows

        with self.workspace.store.connect() as connection:
            rows = read_rows(connection, BASELINES)
        entries = dict(zip(rows["baseline"], rows["entry"], strict=True))
        if name not in entries:
            remedy = f"Write a baseline, a date, a time or a ledger number. {nearest(name, list(entries))}"
            raise CallError(f"There is no baseline {name}.", remedy)
        return int(entries[name])

    def resolve(self, text: str, state: State, among: Iterable[Kind]) -> str:
        """The full reference of what the user named. Raises CallError with the nearest names."""
        from kathodos.model.references import Names

        names, among = Names(), list(among)
        for kind in among:
            names.add(kind, state[kind.name].record_keys())
        return _resolved(names, text, among)


def _resolved(names: Names, text: str, among: Iterable[Kind]) -> str:
    try:
        return names.resolve(text, [kind.name for kind in among])
    except UnfitError as error:
        raise CallError(sentence(error.reason), error.remedy) from None
