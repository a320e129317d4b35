"""Traces of what somebody did, from gathered activity or from files read for this purpose."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from kathodos.analysis.activity import Activity
from kathodos.columns.csr import Bools
from kathodos.columns.dictionary import tabled_texts
from kathodos.columns.strings import starting_with
from kathodos.connectors.recordings import Recording, Through, read_activity
from kathodos.engine.reach import Reached, what_reached_by
from kathodos.errors import CallError, DataError
from kathodos.formats.raw import SET_ASIDE, Problem
from kathodos.ingest.checking import check_table
from kathodos.model.addresses import parse_address
from kathodos.model.kinds import ACCOUNTS, ACTIONS, IDENTITIES, RESOURCES, SYSTEMS
from kathodos.model.references import Names, reference_to
from kathodos.model.suggestions import nearest
from kathodos.model.times import BEGINNING, NEVER
from kathodos.roles.uses import SplitBy, Touched, Uses, activity_columns, all_uses, folded, uses_in
from kathodos.store.records import columns_of

if TYPE_CHECKING:
    from kathodos.connectors.postgres_audit import Gathered
    from kathodos.connectors.settings import Source
    from kathodos.workspace.view import View


class Chosen(msgspec.Struct, frozen=True):
    """Which uses a trace is of. `first` and `end`: moments in microseconds; the rest: only these, None for any."""

    by: str | None = None
    first: int = BEGINNING
    end: int = NEVER
    on: str | None = None
    record: str | None = None
    task: str | None = None


class Traced(msgspec.Struct, frozen=True):
    """Uses of one trace or several, folded, and what is to be told of how they were read."""

    touched: Sequence[Touched]
    traces: Sequence[str]
    uses: int
    refused: Sequence[Touched] = ()
    through: Sequence[Through] = ()
    doubtful: Sequence[Through] = ()
    passed_over: Sequence[tuple[str, int]] = msgspec.field(default_factory=list)
    problems: Sequence[Problem] = ()


def gathered_trace(view: View, chosen: Chosen, split: SplitBy | None) -> Traced:
    """What gathered activity shows, as one trace or split into several. Raises CallError where a name is unknown."""
    activity = Activity(view.catalogue, view.index.holders)
    return _traced(uses_in(activity, _which(view, activity, chosen), "gathered activity", split))


def recorded_trace(view: View, files: Sequence[Path], source: Source | None, chosen: Chosen) -> Traced:
    """What some files show, each a trace by itself. `source`: as whose logs they are read; None: as our activity.

    Raises DataError where a file cannot be read, or holds nothing that fits.
    """
    parts, refused, found = [], [], []
    for path in files:
        recording = _read(view, path, source)
        uses, problems = _uses(view, recording, path.name, chosen)
        parts.append(uses)
        found.append((recording, problems))
        if recording.refused is not None:
            refused.append(_uses(view, Recording(recording.refused), path.name, chosen)[0])
    told = _traced(all_uses(parts))
    recordings = [recording for recording, _ in found]
    return Traced(
        told.touched,
        told.traces,
        told.uses,
        folded(all_uses(refused)) if refused else (),
        [it for recording in recordings for it in recording.through],
        [it for recording in recordings for it in recording.doubtful],
        [it for recording in recordings for it in recording.passed_over],
        [it for recording, more in found for it in (*recording.problems, *more)],
    )


def _traced(uses: Uses) -> Traced:
    return Traced(folded(uses), uses.traces, int(uses.counts.sum()))


def _read(view: View, path: Path, source: Source | None) -> Recording:
    if source is None or source.kind == "activity":
        return read_activity(path, source)
    if not path.is_file():
        raise DataError(f"{path} is not there.", "Name a file that was recorded.")
    if source.kind == "posix":
        from kathodos.connectors.posix_calls import read_recording

        addresses = view.index.tree.addresses
        return read_recording(path, source, lambda address: addresses.find(address) >= 0)
    if source.kind == "postgres":
        from kathodos.connectors import postgres_audit

        return postgres_audit.read_recording(path, _database(view, source))
    what = f"The source {source.name} is of the kind {source.kind}, which leaves no recording that can be read."
    raise CallError(what, "Leave --like out for a table of activity, or name a source of logs.")


def _database(view: View, source: Source) -> Gathered:
    """A database as it was gathered, for what its audit lines mean."""
    from kathodos.connectors.postgres import database_of
    from kathodos.connectors.postgres_audit import Gathered, Relation, function_without_arguments, relation_of
    from kathodos.connectors.postgres_catalogs import OWNER, RUNS_AS

    system = source.settings.text("system")
    relations: dict[str, Relation] = {}
    functions: dict[str, list[str]] = {}
    of_owners: list[str] = []
    addresses = view.catalogue.column(RESOURCES, "resource")
    is_of_system = np.append(starting_with(tabled_texts(addresses), f"{system}:/"), False)
    at = is_of_system[addresses.codes].nonzero()[0]
    columns = [view.catalogue.column(RESOURCES, name).listed(at) for name in ("resource", "type", "attributes")]
    for address, kind, further in (map(str, row) for row in zip(*columns, strict=True)):
        attributes = json.loads(further) if further.startswith("{") else {}
        if kind == "function":
            functions.setdefault(function_without_arguments(address), []).append(address)
            of_owners += [address] * (attributes.get(RUNS_AS) == OWNER)
        elif kind in ("table", "view", "sequence"):
            relations[address] = relation_of(kind, attributes)
    reached: dict[str, dict[str, Reached]] = {}

    def reaches(login: str, action: str, address: str) -> bool:
        if login not in reached:
            at = view.index.holders.find(reference_to("account", system, login))
            some = what_reached_by(view.index, at, view.moment) if at >= 0 else []
            reached[login] = {it.system.name: it for it in some}
        node, number = view.index.tree.addresses.find(address), view.index.action_number.get((system, action))
        found = reached[login].get(system)
        if found is None or node < 0 or number is None:
            return False
        return found.holds(int(number - found.system.actions[0]), node)

    return Gathered(system, database_of(source), relations, functions, frozenset(of_owners), reaches)


def _uses(view: View, recording: Recording, name: str, chosen: Chosen) -> tuple[Uses, list[Problem]]:
    """The uses that a recording says, each cell read as a gather would read it, and what could not be."""
    checked = check_table(recording.table, _names(view, recording))
    aside = [it for it in checked.problems if it.outcome == SET_ASIDE]
    if not len(checked):
        first = aside[0]
        what = f"{name}, line {first.line}: {first.column} {first.value!r} {first.reason}"
        what = f"{what}; so it is with all {len(recording.table)} rows." if len(recording.table) > 1 else f"{what}."
        raise DataError(what, first.remedy)
    activity = Activity(activity_columns(checked.columns), view.index.holders)
    return uses_in(activity, _which(view, activity, chosen), name), aside


def _names(view: View, recording: Recording) -> Names:
    """What a recording may point at: the systems and their actions, and those people and accounts that it names."""
    names, holders = Names(), view.index.holders
    names.add(SYSTEMS, [(it,) for it in view.index.systems])
    names.add(ACTIONS, zip(*columns_of(view.catalogue, ACTIONS, "system", "action"), strict=True))
    for column in ("account", "identity"):
        for cell in recording.table.column(column).values:
            for at in holders.askers_named(str(cell)):
                if at < holders.people:
                    names.add(IDENTITIES, [(holders.identities[at],)])
                else:
                    names.add(ACCOUNTS, [tuple(holders.accounts[at - holders.people].split("/", 1))])
    return names


def _which(view: View, activity: Activity, chosen: Chosen) -> Bools:
    """Which of the uses are chosen."""
    found = np.ones(len(activity.column("time")), dtype=bool)
    if chosen.first > BEGINNING or chosen.end < NEVER:
        found &= activity.between(chosen.first, chosen.end)
    if chosen.by is not None:
        if not (activity.column("account").codes >= 0).any() and not (activity.column("identity").codes >= 0).any():
            raise CallError("The recording does not say who acted.", "Leave --by out.")
        found &= activity.by(view.asker(chosen.by))
    if chosen.on is not None:
        found &= uses_below(view, activity, chosen.on)
    for name, value in (("record", chosen.record), ("task", chosen.task)):
        if value is not None:
            column = activity.column(name)
            if column.code_of(value) < 0:
                raise CallError(f"No use has the {name} {value}.", nearest(value, [str(it) for it in column.values]))
            found &= column.holding(value)
    return found


def uses_below(view: View, activity: Activity, text: str) -> Bools:
    """The uses of a resource and what lies below. Raises CallError where there is no such resource and no use of it."""
    try:
        address = parse_address(text)
    except ValueError as error:
        raise CallError(f"--on {text} is no resource: {error}.", nearest(text, view.index.tree.addresses)) from None
    found = activity.below(f"{address}/".replace("//", "/"))
    if view.index.tree.node(address) < 0 and not found.any():
        raise CallError(f"There is no resource {text}.", nearest(text, view.index.tree.addresses))
    return found
