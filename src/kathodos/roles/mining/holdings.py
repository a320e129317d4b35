"""Who was given what, as rows and things, those that hold the same together."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from scipy.sparse import csr_array

from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.engine.compiled.index import Index
from kathodos.model.kinds import split_gives
from kathodos.model.references import name_in
from kathodos.model.times import NEVER


class Kinds(msgspec.Struct, frozen=True):
    """Rows that hold the same, together: which things each kind of row holds, and how many rows are of it."""

    held: csr_array
    counts: Ints

    def __len__(self) -> int:
        return len(self.counts)

    @property
    def things(self) -> int:
        """How many things there are."""
        return int(self.held.shape[1])

    @property
    def cells(self) -> int:
        """How often somebody holds something."""
        return int((np.diff(self.held.indptr) * self.counts).sum())


class Holdings(msgspec.Struct, frozen=True):
    """What is held of one system. A row is a holder on a scope (-1: everywhere); `kind` says which kind of row it is.

    `things`: what is given, as grants say it; `cell_row`, `cell_thing`, `cell_grant`: each grant that counts. `left`:
    how many grants are left as they are, for they deny, end, begin later or have a tier.
    """

    system: str
    things: Sequence[str]
    holders: Ints
    scopes: Ints
    kind: Ints
    kinds: Kinds
    cell_row: Ints
    cell_thing: Ints
    cell_grant: Ints
    left: int


def holdings_of(index: Index, moment: int, among: Bools | None = None, used: Bools | None = None) -> list[Holdings]:
    """What people, accounts and groups were given themselves, system by system; what everyone has is left out.

    `among`: only these people and accounts, by number; `used`: only these grants.
    """
    grants = index.grants
    own = grants.holder < index.holders.everyone
    if among is not None:
        own = np.append(among, np.zeros(index.holders.size - len(among), dtype=bool))[grants.holder]
    live = own & (grants.starts <= moment) & (moment < grants.ends)
    plain = live & ~grants.denies & (grants.tier == 0) & (grants.ends == NEVER)
    if used is not None:
        plain &= used
    gives = index.entitlements.gives[grants.entitlement].astype(np.int64)
    systems = _systems_of(index)[gives]
    return [
        _of_system(index, name, plain & (systems == number), int((live & ~plain & (systems == number)).sum()))
        for number, name in enumerate(sorted(index.systems))
        if (plain & (systems == number)).any()
    ]


def _systems_of(index: Index) -> Ints:
    """The system of each thing that is given, as a position among their names in order."""
    number = {name: at for at, name in enumerate(sorted(index.systems))}
    found = np.full(len(index.entitlements.gives_texts), -1, dtype=np.int64)
    for at, text in enumerate(index.entitlements.gives_texts):
        action, rest = split_gives(text)
        system = rest.partition(":")[0] if action else name_in("role", rest).partition("/")[0]
        found[at] = number.get(system, -1)
    return found


def _of_system(index: Index, system: str, which: Bools, left: int) -> Holdings:
    at = which.nonzero()[0]
    entitlement = index.grants.entitlement[at]
    gives, scope = (part[entitlement].astype(np.int64) for part in (index.entitlements.gives, index.entitlements.scope))
    things = distinct(gives)
    keys = index.grants.holder[at].astype(np.int64) * (len(index.entitlements.scope_texts) + 1) + scope + 1
    rows, row = np.unique(keys, return_inverse=True)
    thing = np.searchsorted(things, gives)
    cells = np.unique(row * len(things) + thing)
    kinds, kind = kinds_of(cells // len(things), cells % len(things), len(rows), len(things))
    width = len(index.entitlements.scope_texts) + 1
    return Holdings(
        system,
        [index.entitlements.gives_texts[number] for number in things.tolist()],
        rows // width,
        rows % width - 1,
        kind,
        kinds,
        row,
        thing,
        at,
        left,
    )


def kinds_of(rows: Ints, things: Ints, row_count: int, thing_count: int) -> tuple[Kinds, Ints]:
    """The kinds of row among pairs (row, thing), each pair once and in order of rows; and the kind of each row.

    Rows are told apart by two sums of random numbers, 106 bits together.
    """
    random = np.random.default_rng(1).integers(1, 1 << 53, size=(2, thing_count))
    sums = np.zeros((2, row_count), dtype=np.uint64)
    for number in (0, 1):
        np.add.at(sums[number], rows, random[number][things].astype(np.uint64))
    _, first, kind, counts = np.unique(sums, axis=1, return_index=True, return_inverse=True, return_counts=True)
    starts = np.searchsorted(rows, first)
    sizes = np.searchsorted(rows, first, "right") - starts
    indptr = np.concatenate([[0], np.cumsum(sizes)])
    positions = np.repeat(starts - indptr[:-1], sizes) + np.arange(indptr[-1])
    held = csr_array(
        (np.ones(len(positions), dtype=np.int32), things[positions], indptr), shape=(len(first), thing_count)
    )
    return Kinds(held, counts.astype(np.int64)), kind.reshape(-1).astype(np.int64)
