"""Orders carried out by tables: corrected copies of a source's files, for its side to put in place."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from kathodos.change.edit_sets import RecordEdit
from kathodos.change.orders import Order, orders_in
from kathodos.connectors.correcting import Corrections, can_be_corrected, cells_of, corrected, header_of, made
from kathodos.connectors.mapping import Mapped, files_of, read_raw, table_of
from kathodos.connectors.tables import mapping_of, place
from kathodos.errors import CallError, DataError, UnfitError
from kathodos.formats.raw import Raw
from kathodos.ingest.checking import check_table
from kathodos.model.kinds import CHANGES, GATHERED, GROUPS, MEMBERS, RESOURCES, SYSTEMS, Kind
from kathodos.model.orders import OrderState
from kathodos.model.references import PREFIXES, Names, reference_to
from kathodos.model.suggestions import nearest
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


class HandedOver(msgspec.Struct, frozen=True):
    """How orders are carried out: as copies of files, as worklists, and which are left, with why."""

    copies: Sequence[Copies]
    listed: Sequence[Order]
    left: Sequence[tuple[Order, str]]

    @property
    def carried(self) -> list[Order]:
        """The orders that are handed over."""
        return [*(order for some in self.copies for order in some.carried), *self.listed]


def open_orders(view: View, system: str | None = None, change: str | None = None) -> list[Order]:
    """The orders that are to be carried out: open ones, of a system or a change. Raises CallError where there is no
    such system or change."""
    found = orders_in(view.stored, (OrderState.OPEN,))
    if system is not None:
        found = [it for it in found if str(it.values["system"] or "") == system]
    if change is not None:
        found = [it for it in found if it.values["change"] == change]
    if not found:
        _must_be_there(view, system, change)
    return found


def _must_be_there(view: View, system: str | None, change: str | None) -> None:
    for name, kind, column in ((system, SYSTEMS, "system"), (change, CHANGES, "change")):
        if name is not None and view.stored.with_key(kind, (name,)) is None:
            known = [str(it) for (it,) in zip(*columns_of(view.stored, kind, column), strict=True)]
            raise CallError(f"There is no {kind.one} {name}.", nearest(name, known))


def handed_over(view: View, by_source: Sequence[tuple[Source, Sequence[Order]]], listed: Sequence[Order]) -> HandedOver:
    """Orders as corrected copies of the files of sources, and, those of `listed`, as worklists.

    Orders that belong together are carried out as a whole or not at all: who is to be in a group instead of having a
    grant would else have neither.
    """
    copies = [_copies_for(view, source, orders) for source, orders in by_source]
    left = [it for some in copies for it in some.left]
    whole = _wholes([*listed, *(order for _, orders in by_source for order in orders)])
    torn = {whole[order.number]: order for order, _ in left}
    tangled = [it for it in (*listed, *(it for some in copies for it in some.carried)) if whole[it.number] in torn]
    left += [(it, _goes_with(torn[whole[it.number]])) for it in tangled]
    apart = {order.number for order, _ in left}
    for at, (source, orders) in enumerate(by_source):
        some = [it for it in orders if it.number not in apart]
        if len(some) < len(copies[at].carried):
            copies[at] = _copies_for(view, source, some)
    return HandedOver(copies, [it for it in listed if it.number not in apart], left)


def _goes_with(order: Order) -> str:
    return (
        f"order {order.number} of the same change, {order.values['change']}, is left, and they are carried out together"
    )


def _wholes(orders: Sequence[Order]) -> dict[int, int]:
    """Which orders belong together, by their numbers: those of one change that are about one system, or that give or
    take something of the same person, account or group, and whatever belongs together with these."""
    names: dict[tuple[str, str], int] = {}
    pairs = [
        (at, names.setdefault((str(order.values["change"] or f"order {order.number}"), name), len(names)))
        for at, order in enumerate(orders)
        for name in (str(order.values["system"] or ""), *_concerned(order.edit))
    ]
    rows, columns = np.array(pairs, dtype=np.int64).reshape(-1, 2).T
    size = len(orders) + len(names)
    graph = coo_array((np.ones(len(rows)), (rows, len(orders) + columns)), shape=(size, size))
    _, labels = connected_components(graph.tocsr(), directed=False)
    return {order.number: int(label) for order, label in zip(orders, labels, strict=False)}


def _concerned(edit: RecordEdit) -> Iterator[str]:
    """The people, accounts and groups of whom an edit gives or takes something."""
    record = edit.after or edit.before or {}
    yield from (str(record[name]) for name in ("holder", "member") if record.get(name))
    if edit.kind in (GROUPS, MEMBERS):
        yield reference_to("group", record["system"], record["group"])


def _copies_for(view: View, source: Source, orders: Sequence[Order]) -> Copies:
    """Corrected copies of the files of one source, as far as it has any."""
    found, names = Copies(source.name), _names(view)
    if source.kind != TABLES:
        why = f"its source {source.name} is of the kind {source.kind}, which has no tables that could be corrected"
        found.left = [(order, why) for order in orders]
        return found
    folder, mapping = Path(place(source)), mapping_of(source)
    try:
        files = {kind: (path, mapped) for kind, path, mapped in files_of(folder, mapping)}
    except DataError as error:
        found.left = [(order, f"{error.what[:1].lower()}{error.what[1:].rstrip('.')}") for order in orders]
        return found
    by_kind: dict[Kind, list[Order]] = {}
    for order in orders:
        by_kind.setdefault(order.edit.kind, []).append(order)
    for kind, some in by_kind.items():
        path, mapped = files.get(kind) or (folder / f"{kind.name}.csv", mapping.get(kind.name, Mapped()))
        if not can_be_corrected(path):
            found.left += [(order, f"no copy of {path.name} can be written") for order in some]
        else:
            _correct(found, names, kind, path, mapped, some)
    return found


def _correct(found: Copies, names: Names, kind: Kind, path: Path, mapped: Mapped, orders: Sequence[Order]) -> None:
    is_there = path.is_file()
    if is_there:
        raw = read_raw(path, mapped.format)
        lines, header, starts = _lines_by_key(names, kind, path, raw, mapped), raw.header, raw.lines.tolist()
    else:
        lines, header, starts = {}, header_of(kind, [it.edit.after for it in orders if it.edit.after], mapped), []
    wanted = Corrections()
    for order in orders:
        edit = order.edit
        rows = lines.get(edit.key, [])
        if not rows and edit.after is None and order.calls_back is not None:
            found.carried.append(order)  # nobody has carried out what is called back
            continue
        if not rows and edit.before is not None and order.calls_back is None:
            found.left.append((order, f"no row of {path.name} says it"))
            continue
        try:
            if edit.after is None:
                wanted.gone.update(rows)
            elif rows:
                cells = cells_of(kind, edit.after, edit.changed or list(kind.key), header, mapped)
                for row in rows:
                    wanted.altered[row] = {**wanted.altered.get(row, {}), **cells}
            else:
                names_set = [name for name in kind.names if name != "attributes"]
                wanted.added.append(cells_of(kind, edit.after, names_set, header, mapped))
        except UnfitError as error:
            found.left.append((order, f"{path.name}: {error.reason}"))
        else:
            found.carried.append(order)
    if len(wanted):
        content = corrected(path, mapped, header, starts, wanted) if is_there else made(header, mapped, wanted.added)
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
