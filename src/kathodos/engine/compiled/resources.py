"""Resources compiled: the forest of their addresses, and what is known of each node."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from kathodos.columns.csr import (
    Ints,
    ints,
    small,
)
from kathodos.engine.compiled.index import NO_ROW
from kathodos.engine.compiled.tree import Tree, grow_tree
from kathodos.model import kinds
from kathodos.store.records import Records, columns_of


class Resources(msgspec.Struct, frozen=True):
    """The resources: the tree, and the type of each node."""

    tree: Tree
    type_names: Sequence[str]
    types: Ints
    rows: Ints


def compile_resources(records: Records) -> Resources:
    """The resources of all known systems, with every ancestor."""
    (systems,) = columns_of(records, kinds.SYSTEMS, "system")
    addresses, types, detached = columns_of(records, kinds.RESOURCES, "resource", "type", "detached")
    known = set(systems)
    listed = [at for at, address in enumerate(addresses) if address.partition(":")[0] in known]
    tree, nodes = grow_tree(systems, (addresses[at] for at in listed), (detached[at] for at in listed))
    names = sorted({types[at] for at in listed if types[at]})
    number = {name: at for at, name in enumerate(names)}
    of_node, rows = np.full(len(tree), -1), np.full(len(tree), NO_ROW)
    of_node[nodes] = ints(number.get(types[at], -1) for at in listed)
    rows[nodes] = records.rows(kinds.RESOURCES)[listed]
    return Resources(tree, names, small(of_node), rows)
