"""What `--assume` means: a kept change, all open orders, or the edits that a file says."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from kathodos.change.edit_sets import EditSet
from kathodos.change.edits import edits_in
from kathodos.change.kept import change_called, edits_kept
from kathodos.change.orders import decided
from kathodos.change.settling import settled
from kathodos.errors import CallError, DataError
from kathodos.store.edited import edited
from kathodos.workspace.configuration import read_toml

if TYPE_CHECKING:
    from kathodos.workspace.view import View

ORDERS = "orders"


def assumed_view(view: View, assumed: str) -> View:
    """A view with what a text names made: `orders`, a change or a file. Raises CallError where it is none of these."""
    edits = assumed_edits(view, assumed)
    return view.assuming(edited(view.stored, edits.edits)) if len(edits) else view


def assumed_edits(view: View, assumed: str) -> EditSet:
    """The edits that a text names, of the records as they are."""
    if assumed == ORDERS:
        return view.pending
    if change_called(view.stored, assumed) is not None:
        found = settled(edits_kept(view.stored, assumed), decided(view.stored))
        return EditSet([*view.pending, *found.edits])
    file = Path(assumed)
    try:
        return edits_in(read_toml(file, assumed), view.catalogue, view.index)
    except DataError:
        if file.exists() or file.suffix == ".toml":
            raise
        what = f"There is no change {assumed}, and no file of that name."
        raise CallError(what, "Write a change (kathodos change list), a TOML file, or `orders`.") from None
