"""What charts of roles show: how far roles overlap, and what is held, ordered by the roles that are suggested."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from fnmatch import fnmatchcase

import msgspec
import numpy as np
import numpy.typing as npt
from scipy.sparse import csr_array

from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.columns.csr import Ints
from kathodos.errors import CallError
from kathodos.model.kinds import GRANTS
from kathodos.roles.extents import Extents, given
from kathodos.workspace.combining import holders_of_role
from kathodos.workspace.suggesting import SystemSuggestion
from kathodos.workspace.view import View

_MOST_ROLES, _MOST_LOOKED_AT = 14, 200


class Overlap(msgspec.Struct, frozen=True):
    """How far roles overlap: `share[r, c]`, of what role r gives by itself the share that role c gives as well.

    `holders`: how many hold each.
    """

    roles: Sequence[str]
    holders: Sequence[int]
    share: npt.NDArray[np.float64]


def overlap(view: View, pattern: str | None = None) -> Overlap:
    """The roles that overlap most with others, by what they give; of very many those that are given most often.

    `pattern`: only such as are called so.

    Raises CallError where there is none that permits anything.
    """
    table = RoleTable(view.catalogue)
    keys = [it for it in table.keys if pattern is None or fnmatchcase(f"{it.system}/{it.role}", pattern)]
    if len(keys) > _MOST_LOOKED_AT:
        given = Counter(
            str(it) for it in view.catalogue.column(GRANTS, "gives").listed() if str(it).startswith("role:")
        )
        keys = sorted(keys, key=lambda key: (-given[key.reference], key))[:_MOST_LOOKED_AT]
    named = {key: sorted(table.given_by(key)) for key in keys}
    masks = _masks(view, {key: some for key, some in named.items() if some})
    if not masks:
        raise CallError(f"No role {f'like {pattern} ' if pattern else ''}gives anything.", "See: kathodos list roles")
    found = list(masks)
    sizes = np.array([len(masks[key]) for key in found], dtype=np.float64)
    pairs, at = np.unique(np.concatenate([masks[key] for key in found]), return_inverse=True)
    starts = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)
    held = csr_array((np.ones(len(at), dtype=np.int64), at, starts), shape=(len(found), len(pairs)))
    common = np.asarray((held @ held.T).todense())
    share = common / np.maximum(sizes[:, None], 1.0)
    beside = share - np.eye(len(found))
    chosen: dict[int, None] = {}
    for at in np.argsort(-beside, axis=None, kind="stable").tolist():  # pairs, those that overlap most first
        one, other = divmod(at, len(found))
        fresh = [it for it in (one, other) if it not in chosen]
        if beside[one, other] <= 0 or len(chosen) + len(fresh) > _MOST_ROLES:
            break
        chosen |= dict.fromkeys(fresh)
    best = sorted(chosen or range(min(len(found), _MOST_ROLES)), key=lambda at: found[at])
    holders = [len(holders_of_role(view, found[at])) for at in best]
    return Overlap([f"{found[at].system}/{found[at].role}" for at in best], holders, share[np.ix_(best, best)])


def _masks(view: View, entries: dict[RoleKey, list[Entry]]) -> dict[RoleKey, Ints]:
    """What each role gives by itself, as numbers of pairs of action and resource."""
    extents = Extents(view.index, (it.resource for some in entries.values() for it in some))
    found: dict[RoleKey, Ints] = {}
    for key, some in entries.items():
        parts = []
        for name in sorted({it.system for it in some} & view.index.systems.keys()):
            system = view.index.systems[name]
            action, node = given(view.index, system, some, extents).nonzero()
            parts.append(system.actions[action].astype(np.int64) * len(view.index.tree) + node + system.root)
        pairs = np.sort(np.concatenate(parts)) if parts else np.zeros(0, dtype=np.int64)
        if len(pairs):
            found[key] = pairs
    return found


class HoldingsMatrix(msgspec.Struct, frozen=True):
    """What is held in one system: `cells[r, c]` is 0 for nothing, 1 for an exception, 2 and more by a suggested role.

    Rows are kinds of row in the order of the roles, each so many times as there are of it, `rows` in all.
    """

    system: str
    things: Sequence[str]
    cells: npt.NDArray[np.int64]
    roles: Sequence[str]
    held: int
    bundled: int


def holdings_matrix(found: SystemSuggestion, most_rows: int = 600) -> HoldingsMatrix:
    """What is held, rows and columns in the order of the suggested roles; of very many rows a part of each kind."""
    kinds = found.holdings.kinds
    held = np.asarray(kinds.held.todense()) > 0 if kinds.held.shape[0] * kinds.things < 1 << 26 else None
    if held is None:
        raise CallError("So much is held that no picture can show it.", "Name fewer people with --where.")
    cells = held.astype(np.int64)
    for number, (things, some) in enumerate(zip(found.cover.roles, found.cover.assigned, strict=True), 2):
        block = np.ix_(some, things)
        cells[block] = np.where(held[block] & (cells[block] < 2), number, cells[block])
    column = np.lexsort((np.arange(kinds.things), -held.sum(axis=0), _first_role(cells.T)))
    row = np.lexsort((-held.sum(axis=1), _first_role(cells)))
    shares = np.maximum(np.round(kinds.counts * min(1.0, most_rows / kinds.counts.sum())), 1).astype(np.int64)
    ordered = np.repeat(row, shares[row])
    roles = [f"{it.key.role} ({len(it.rows)})" for it in found.roles]
    step = found.cover.steps[-1]
    names = [found.holdings.things[at] for at in column.tolist()]
    bundled = kinds.cells - step.exceptions
    return HoldingsMatrix(found.holdings.system, names, cells[ordered][:, column], roles, kinds.cells, bundled)


def _first_role(cells: npt.NDArray[np.int64]) -> npt.NDArray[np.int64]:
    """The first role that each row has; those without one last."""
    last = int(cells.max(initial=0)) + 1
    first: npt.NDArray[np.int64] = np.where(cells > 1, cells, last).min(axis=1, initial=last)
    return first
