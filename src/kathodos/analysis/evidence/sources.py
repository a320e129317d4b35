"""By what each asker has what it has: own grants, the groups that it is in directly, by list or filter, and everyone.

Each of these is a *source*, and is a thing. Askers of the same sources are alike and looked at once.
"""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.evidence.things import Things
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_pairs, distinct
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import BY_FILTER, LISTED
from kathodos.engine.decide import direct_principals_of_each, is_live
from kathodos.engine.everyone import alike


class Sources(msgspec.Struct, frozen=True, dict=True):
    """The sources of some askers, one element each: the position of the asker, and the thing. A thing may stand twice
    with one asker, who then has it in two ways."""

    things: Things
    askers: Ints
    position: Ints
    thing: Ints

    @cached_property
    def used(self) -> Ints:
        """The things that are sources, in order."""
        return distinct(self.thing).astype(np.int64)

    @cached_property
    def of_asker(self) -> CSRList:
        """For each asker its things, by position in `used`, in order; one that it has twice stands there twice."""
        order = np.lexsort((self.thing, self.position))
        return csr_from_pairs(self.position[order], insertion_points(self.used, self.thing[order]), len(self.askers))

    @cached_property
    def _alike(self) -> tuple[Ints, Ints]:
        return alike(self.of_asker)

    @property
    def alike(self) -> Ints:
        """The class of each asker: of those who have the same sources."""
        return self._alike[0]

    @cached_property
    def classes(self) -> CSRList:
        """The things of each class, as `of_asker`."""
        return self.of_asker.picked(self._alike[1])

    def units_of(self, position: Ints, thing: Ints) -> Ints:
        """Where in `classes` the source stands that is a thing of an asker; -1 where it is none of its sources."""
        classes, used = self.classes, self.used
        row = self.alike[position]
        width = max(len(used), 1)
        codes = classes.rows().astype(np.int64) * width + classes.items
        at = insertion_points(used, thing)
        known = (at < len(used)) & (used[np.minimum(at, max(len(used) - 1, 0))] == thing) if len(used) else at < 0
        wanted = row * width + np.where(known, at, 0)
        found = np.minimum(insertion_points(codes, wanted), max(len(codes) - 1, 0))
        return np.where(known & (codes[found] == wanted), found, -1) if len(codes) else np.full(len(thing), -1)


def sources_of(things: Things, askers: Ints, wanted: Bools | None = None) -> Sources:
    """The sources of some askers at the moment of the things; only such as are `wanted`, where that is said."""
    index, holders, moment = things.index, things.index.holders, things.moment
    if wanted is None:
        wanted = np.ones(things.total, dtype=bool)
        wanted[: things.holders] = index.granted_above.sizes()[: things.holders] > 0
    position, principal = direct_principals_of_each(index, askers, moment)
    origin, grant = index.holder_grants.of(principal)
    own = things.of_grants(grant.astype(np.int64))
    kept = is_live(index, grant.astype(np.int64), moment) & wanted[own]
    at, edge = holders.edges.positions(principal)
    group = holders.edges.items[edge].astype(np.int64) - holders.first_group
    why = holders.why[edge]
    parts = [(position[origin[kept]], own[kept])]
    for reason in (LISTED, BY_FILTER):
        here = (why & reason > 0) & wanted[group]
        parts.append((position[at[here]], group[here]))
    everyone = things.holders - 1
    able = distinct(position) if wanted[everyone] else position[:0]
    parts.append((able, np.full(len(able), everyone)))
    whose, thing = (np.concatenate([part[side] for part in parts]).astype(np.int64) for side in (0, 1))
    return Sources(things, askers, whose, thing)
