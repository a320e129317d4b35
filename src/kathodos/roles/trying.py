"""What a role gives by itself, tried on somebody made up who holds nothing else than what everybody has."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from kathodos.analysis.role_entries import Entry
from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.columns.csr import ints
from kathodos.engine.compiled.among import index_among
from kathodos.engine.compiled.index import Index
from kathodos.engine.compiled.patch import updated
from kathodos.engine.reach import Reached, what_reached_by
from kathodos.model.kinds import GRANTS, IDENTITIES
from kathodos.model.references import reference_to
from kathodos.store.records import Records, edited

_NOBODY = "somebody made up for a trial"


class Trial:
    """Somebody who holds some roles and nothing else, after some edits. `now`: the moment asked about."""

    def __init__(self, index: Index, records: Records, roles: Sequence[str], edits: EditSet, now: int) -> None:
        name = _NOBODY
        while index.holders.find(reference_to("identity", name)) >= 0:
            name += "'"
        who = reference_to("identity", name)
        person = {**dict.fromkeys(IDENTITIES.names), "id": name, "kind": "person", "status": "active"}
        more = [edit_of(IDENTITIES, None, person)]
        for number, role in enumerate(roles):
            grant = {**dict.fromkeys(GRANTS.names), "grant": f"{name} {number}", "holder": who, "gives": role}
            more.append(edit_of(GRANTS, None, {**grant, "effect": "permit", "tier": 0}))
        whole = EditSet([*edits, *more]).edits
        self.index = updated(index_among(index, ints([]), ints([])), whole, edited(records, whole))
        found = what_reached_by(self.index, self.index.holders.find(who), now)
        self.reached: Mapping[str, Reached] = {it.system.name: it for it in found}

    def same_as(self, other: Trial) -> bool:
        """Whether somebody reaches exactly the same in another trial."""
        if self.reached.keys() != other.reached.keys():
            return False
        pairs = (zip(it.pairs, other.reached[name].pairs, strict=True) for name, it in self.reached.items())
        return all(np.array_equal(one, two) for pair in pairs for one, two in pair)

    def reaches(self, entry: Entry) -> bool:
        """Whether the action is reached on the resource, which is an address; no where there is no such resource."""
        node = self.index.tree.addresses.find(entry.resource)
        found, number = self.reached.get(entry.system), self.index.action_number.get((entry.system, entry.action))
        if found is None or node < 0 or number is None:
            return False
        return found.holds(int(number - found.system.actions[0]), node)

    def lacking(self, entries: Iterable[Entry]) -> list[Entry]:
        """Those of some uses that are of a resource that there is, and are not reached."""
        return [it for it in entries if self.index.tree.addresses.find(it.resource) >= 0 and not self.reaches(it)]
