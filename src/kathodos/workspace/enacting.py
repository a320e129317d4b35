"""Orders carried out by tables: corrected copies of a source's files, for its side to put in place."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from kathodos.change.orders import Order, OrderState, orders_in
from kathodos.connectors.correcting import Corrections, can_be_corrected, cells_of, corrected
from kathodos.connectors.mapping import Mapped, files_of, read_raw, table_of
from kathodos.connectors.tables import mapping_of, place
from kathodos.errors import CallError, UnfitError
from kathodos.formats.raw import Raw
from kathodos.ingest.checking import check_table
from kathodos.model.kinds import GATHERED, RESOURCES, Kind
from kathodos.model.references import PREFIXES, Names
from kathodos.store.records import columns_of

if TYPE_CHECKING:
    from kathodos.connectors.settings import Source
    from kathodos.workspace.view import View

TABLES, WORKLIST = "tables", "worklist"


class CorrectedFile(msgspec.Struct, frozen=True):
    """A corrected copy: its name, what it holds, and how many rows were taken out, altered and added."""

    name: str
    content: bytes
    gone: int
    altered: int
    added: int


class Copies(msgspec.Struct):
    """Corrected copies of a source's files, the orders that they carry out, and those that they cannot, with why."""

    source: str
    files: list[CorrectedFile] = msgspec.field(default_factory=list)
    carried: list[Order] = msgspec.field(default_factory=list)
    left: list[tuple[Order, str]] = msgspec.field(default_factory=list)


def open_orders(view: View, system: str | None = None, change: str | None = None) -> list[Order]:
    """The orders that are to be carried out: open ones, of a system or a change. Raises CallError where it has none."""
    found = orders_in(view.stored, (OrderState.OPEN,))
    if system is not None:
        found = [it for it in found if str(it.values["system"] or "") == system]
    if change is not None:
        found = [it for it in found if it.values["change"] == change]
    return found


def copies_for(view: View, source: Source, orders: Sequence[Order]) -> Copies:
    """Corrected copies of the files of a source of tables. Raises CallError where it has no files of its own."""
    if source.kind != TABLES:
        what = f"The source {source.name} is of the kind {source.kind}, which has no tables that could be corrected."
        raise CallError(what, f"Hand its orders over as a worklist: kathodos enact --by {WORKLIST}")
    found, names = Copies(source.name), _names(view)
    by_kind: dict[Kind, list[Order]] = {}
    for order in orders:
        by_kind.setdefault(order.edit.kind, []).append(order)
    files = {kind: (path, mapped) for kind, path, mapped in files_of(Path(place(source)), mapping_of(source))}
    for kind, some in by_kind.items():
        if kind not in files or not can_be_corrected(files[kind][0]):
            why = (
                "it has no file of its own" if kind not in files else f"no copy of {files[kind][0].name} can be written"
            )
            found.left += [(order, why) for order in some]
        else:
            _correct(found, names, kind, *files[kind], some)
    return found


def _correct(found: Copies, names: Names, kind: Kind, path: Path, mapped: Mapped, orders: Sequence[Order]) -> None:
    raw = read_raw(path, mapped.format)
    lines = _lines_by_key(names, kind, path, raw, mapped)
    wanted = Corrections()
    for order in orders:
        edit = order.edit
        rows = lines.get(edit.key, [])
        if not rows and edit.before is not None:
            found.left.append((order, f"no row of {path.name} says it"))
            continue
        try:
            if edit.after is None:
                wanted.gone.update(rows)
            elif rows:
                cells = cells_of(kind, edit.after, edit.changed or list(kind.key), raw.header, mapped)
                for row in rows:
                    wanted.altered[row] = {**wanted.altered.get(row, {}), **cells}
            else:
                names_set = [name for name in kind.names if name != "attributes"]
                wanted.added.append(cells_of(kind, edit.after, names_set, raw.header, mapped))
        except UnfitError as error:
            found.left.append((order, f"{path.name}: {error.reason}"))
        else:
            found.carried.append(order)
    if len(wanted):
        content = corrected(path, mapped, raw.header, raw.lines.tolist(), wanted)
        counts = (len(wanted.gone), len(wanted.altered), len(wanted.added))
        found.files.append(CorrectedFile(path.name, content, *counts))


def _lines_by_key(
    names: Names, kind: Kind, path: Path, raw: Raw, mapped: Mapped
) -> dict[tuple[object, ...], list[int]]:
    """At which line each record of a file begins."""
    table, _ = table_of(kind, path.name, raw, mapped)
    checked = check_table(table, names)
    columns = checked.keys()
    keys = zip(*(column.listed() for column in columns), strict=True)
    found: dict[tuple[object, ...], list[int]] = {}
    for key, line in zip(keys, checked.lines.tolist(), strict=True):
        found.setdefault(key, []).append(line)
    return found


def _names(view: View) -> Names:
    """All that there is to point at."""
    names = Names()
    for kind in GATHERED:
        if kind is RESOURCES:
            names.addresses.add(map(str, columns_of(view.stored, kind, "resource")[0]))
        elif kind.name in PREFIXES:
            names.add(kind, zip(*columns_of(view.stored, kind, *kind.key), strict=True))
    names.addresses.add(
        f"{system}:/" for (system,) in zip(*columns_of(view.stored, GATHERED[0], "system"), strict=True)
    )
    return names
