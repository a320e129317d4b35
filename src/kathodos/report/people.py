"""People in words: lists by status with their days, tables that name people, and merges."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from kathodos.change.effect import Effect
from kathodos.change.merging import Merging
from kathodos.change.orders import pending_edits
from kathodos.columns.csr import Ints
from kathodos.connectors.mapping import read_raw
from kathodos.errors import CallError, DataError
from kathodos.formats.raw import Format
from kathodos.model.kinds import IDENTITIES
from kathodos.model.times import BEGINNING, day_text
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.store.attributes import AttributeColumns
from kathodos.workspace.view import View

_FIELDS = (
    Field("id", "Id", 9, least=8),
    Field("name", "Name", 8, least=12),
    Field("status", "Status", 9),
    Field("email", "Mail", 5, least=14),
    Field("department", "Department", 4),
    Field("invited", "Invited", 8, least=10),
    Field("last_login", "Last signed in", 7, least=10),
    Field("suspended", "Suspended", 6, least=10),
    Field("left", "Left", 6, least=10),
)


def rows_of_file(file: str) -> Iterator[tuple[Mapping[str, str | None], str]]:
    """The rows of a table of people, by header in small letters, and where each stands. Raises DataError."""
    path = Path(file)
    if not path.is_file():
        raise CallError(f"There is no file {file}.", "Name a table: CSV, XLSX or JSON Lines.")
    raw = read_raw(path, Format())
    if raw.problems:
        first = raw.problems[0]
        what = f"{first.file}, line {first.line}: {first.reason}."
        raise DataError(what, f"{first.remedy} Nothing was done.")
    header = [name.strip().lower() for name in raw.header]
    rows = zip(*(column.listed() for column in raw.columns), strict=True)
    for line, cells in zip(raw.lines.tolist(), rows, strict=True):
        texts = (None if cell is None else str(cell) for cell in cells)
        yield dict(zip(header, texts, strict=True)), f"{path.name}, line {line}"


def people_list(view: View, status: str | None, where: str | None, most: int | None, is_table: bool) -> Answer:
    """People by status: those invited, suspended or gone with the day, and when each last signed in."""
    positions, columns = view.selecting(IDENTITIES, where)
    people = columns.column("kind")
    is_person = np.array([*(it == "person" for it in people.values), False])[people.codes]
    positions = positions[is_person[positions]]
    if status is not None:
        positions = positions[view.catalogue.column(IDENTITIES, "status").holding(status)[positions]]
    shown = positions if most is None or not is_table else positions[:most]
    rows = _rows(view, columns, shown)
    more = len(positions) - len(shown)
    kind = f"{status} " if status else ""
    heading = plural(len(positions), f"{kind}person", f"{kind}people")
    never = sum(row["last_login"] is None for row in rows) if status == "invited" else 0
    text = [f"{never} of these never signed in."] if never and not more else []
    text += _ordered(view, status)
    hint = f"{more:,} more: --all shows them." if more else "One of them: kathodos show ID"
    return Answer(_FIELDS, rows, heading, text, hint=hint if rows else "")


def _ordered(view: View, status: str | None) -> list[str]:
    """That people are ordered to be of another status, where that is not assumed to be carried out."""
    if view.assumed is not None:
        return []
    edits = pending_edits(view.stored).of(IDENTITIES)
    states = [tuple(side["status"] if side is not None else None for side in (it.before, it.after)) for it in edits]
    changed = [it for it in states if it[0] != it[1] and status in (None, *it)]
    coming = sum(after == status for _, after in changed)
    words = ((coming, f"ordered to be {status}"), (len(changed) - coming, "ordered to be no longer so"))
    counts = ", ".join(f"{count:,} {word}" for count, word in words if count)
    if status is None and changed:
        counts = f"{len(changed):,} ordered to come, to go or to be of another status"
    return [f"Beside these, {counts}; --assume orders answers as if carried out."] if counts else []


def _rows(view: View, columns: AttributeColumns, positions: Ints) -> list[dict[str, Any]]:
    numbers = view.numbers_at(positions)
    last = _last_logins(view, numbers)
    days = {status: _days_of(view, status, positions) for status in ("invited", "suspended", "left")}
    names = ("id", "name", "status", "email", "department", "ends")
    cells = [view.catalogue.column(IDENTITIES, name).listed(positions) for name in names]
    said = columns.column("invited")
    rows = []
    for at, (one, name, status, mail, department, ends) in enumerate(zip(*cells, strict=True)):
        code = int(said.codes[positions[at]])
        invited = said.values[code] if code >= 0 else days["invited"][at]
        rows.append(
            {
                "id": one,
                "name": name,
                "status": status,
                "email": mail,
                "department": department,
                "invited": invited,
                "last_login": day_text(int(last[at])) if last[at] > BEGINNING else None,
                "suspended": days["suspended"][at] if status == "suspended" else None,
                "left": ends or days["left"][at] if status == "left" else None,
            }
        )
    return rows


def _last_logins(view: View, numbers: Ints) -> Ints:
    """When each identity last signed in, by any of its accounts."""
    holders, basis = view.index.holders, view.basis
    moments = basis.moments(basis.account("last_login"))
    origin, accounts = holders.accounts_of.of(numbers)
    found = np.full(len(numbers), BEGINNING, dtype=np.int64)
    np.maximum.at(found, origin, moments[accounts.astype(np.int64) - holders.people])
    return found


def _days_of(view: View, status: str, positions: Ints) -> list[str | None]:
    """The day of the entry by which each identity first came to have a status; None where it never had it here."""
    history = view.stored.history(IDENTITIES)
    having = history.column("status").holding(status).nonzero()[0]
    ids = history.column("id")
    codes = ids.codes[having]
    order = np.argsort(history.since[having], kind="stable")[::-1]
    first = np.zeros(len(ids.values) + 1, dtype=np.int64)
    first[codes[order]] = history.since[having][order]
    held = view.catalogue.column(IDENTITIES, "id")
    entries = [int(first[code]) if code >= 0 else 0 for code in (ids.code_of(it) for it in held.listed(positions))]
    times = {entry: view.histories.reader.time_of(entry) for entry in {*entries} if entry}
    return [str(times[entry])[:10] if entry else None for entry in entries]


# Merging


def merge_told(planned: Merging, effect: Effect) -> Answer:
    """What a merge would do, with what is to be warned of."""
    gone, stays = planned.gone, planned.stays
    heading = f"{gone['id']} ({gone['name']}) would be merged into {stays['id']} ({stays['name']}), for good."
    text = [f"Warning: {it}." for it in planned.warnings]
    moved = ", ".join(f"{count} {kind.replace('_', ' ')}" for kind, count in planned.moved.items())
    text.append(f"Moved to {stays['id']}: {moved or 'nothing points at it'}.")
    text.append(f"The id {gone['id']}{' and the mail ' + str(gone['email']) if gone['email'] else ''} stay as aliases.")
    for who, gained, lost in zip(
        effect.differences.askers, effect.differences.gained, effect.differences.lost, strict=True
    ):
        text.append(f"{who} gains {int(gained):,} and loses {int(lost):,} combinations of action and resource.")
    text += [f"{it.kind.capitalize()} made: {it.rule} by {it.who}: {it.title}" for it in effect.broken[0]]
    return Answer(heading=heading, text=text, document=_as_data(planned))


def _as_data(planned: Merging) -> dict[str, Any]:
    return {
        "gone": planned.gone["id"],
        "stays": planned.stays["id"],
        "moved": dict(planned.moved),
        "warnings": planned.warnings,
    }


def merged(done: Merging, entry: int | None) -> Answer:
    """What is said once two are one."""
    heading = f"{done.gone['id']} is {done.stays['id']} from now on (entry {entry} of the ledger), at every gather too."
    hint = f"kathodos show {done.stays['id']}"
    return Answer(heading=heading, hint=hint, document={**_as_data(done), "entry": entry})
