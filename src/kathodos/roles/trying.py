"""What a role gives by itself, tried on somebody made up who holds nothing else than what everybody has."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.columns.csr import Ints, distinct, ints, reachable
from kathodos.columns.dictionary import always, dictionary_column
from kathodos.engine.compiled.among import index_among
from kathodos.engine.compiled.index import Grants, Index
from kathodos.engine.compiled.patch import updated
from kathodos.engine.compiled.policy import compile_policy
from kathodos.engine.compiled.resources import Resources
from kathodos.engine.reach import Reached, what_reached_by
from kathodos.model.kinds import (
    ACTIONS,
    IDENTITIES,
    ROLE_JUNIORS,
    ROLE_PARTS,
    ROLE_PERMISSIONS,
    ROLES,
    Kind,
    split_gives,
)
from kathodos.model.references import reference_to
from kathodos.model.times import BEGINNING, NEVER
from kathodos.store.edited import Edited, Edits, KindEdits, edited
from kathodos.store.records import Records, columns_of

_NOBODY = "somebody made up for a trial"


class Trial:
    """Somebody who holds some roles and nothing else, after some edits. `now`: the moment asked about."""

    def __init__(self, index: Index, records: Records, roles: Sequence[str], edits: EditSet, now: int) -> None:
        name = _NOBODY
        while index.holders.find(reference_to("identity", name)) >= 0:
            name += "'"
        who = reference_to("identity", name)
        person = {**dict.fromkeys(IDENTITIES.names), "id": name, "kind": "person", "status": "active"}
        whole = EditSet([*edits, edit_of(IDENTITIES, None, person)]).edits
        self.index = _index_of(index, whole, edited(records, whole), who, roles)
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


_OF_ROLES = (ROLES, ROLE_JUNIORS, ROLE_PERMISSIONS)
_OF_ROLES_ALONE = {kind.name for kind in (*_OF_ROLES, ROLE_PARTS)}


def _index_of(index: Index, edits: Edits, records: Records, who: str, roles: Sequence[str]) -> Index:
    """An index in which only one person is, who has come by edits and holds some roles; `records`: with the edits.

    Of what roles and grants mean only that is compiled which bears on the person, so that it is quick among thousands.
    """
    nobody = index_among(index, ints([]), ints([]))
    held = {name: edit for name, edit in edits.items() if name not in _OF_ROLES_ALONE}
    found = updated(nobody, held, records)
    holder = found.holders.find(who)
    above = np.append(reachable(found.holders.edges, ints([holder])), found.holders.everyone)
    at = np.sort(found.holder_grants.all_of(above)).astype(np.int64)
    used, entitlement = np.unique(found.grants.entitlement[at], return_inverse=True)
    old = found.entitlements
    (gives, given), (scopes, within) = (
        np.unique(numbers[used], return_inverse=True) for numbers in (old.gives, old.scope)
    )
    is_scoped = scopes >= 0
    texts = [old.gives_texts[number] for number in gives.tolist()]
    keys = [*zip(given.tolist(), (within - int((~is_scoped).sum())).tolist(), strict=True)]
    own = ints(range(len(keys), len(keys) + len(roles)))  # what is given by the trial itself comes last
    keys += [(len(texts) + number, -1) for number in range(len(roles))]
    texts += roles
    few = Edited(records, _without_others(records, texts, index.actions))
    return compile_policy(
        few,
        Resources(index.tree, index.type_names, index.types, index.node_rows),
        found.holders,
        Grants(
            ids=found.grants.ids.picked(at).without(ints([]), [f"{who} {number}" for number in range(len(roles))]),
            rows=np.append(found.grants.rows[at], -1 - np.arange(len(roles))),
            holder=np.append(found.grants.holder[at], np.full(len(roles), holder)),
            entitlement=np.append(entitlement, own),
            denies=np.append(found.grants.denies[at], np.zeros(len(roles), dtype=bool)),
            tier=np.append(found.grants.tier[at], np.zeros(len(roles), dtype=np.int64)),
            starts=np.append(found.grants.starts[at], np.full(len(roles), BEGINNING)),
            ends=np.append(found.grants.ends[at], np.full(len(roles), NEVER)),
        ),
        texts,
        [old.scope_texts[number] for number in scopes[is_scoped].tolist()],
        keys,
    )


def _without_others(records: Records, gives: Sequence[str], actions: Sequence[tuple[str, str]]) -> dict[str, KindEdits]:
    """The roles that are not given, with all they have, taken out; all actions that there are stay."""
    table = RoleTable(records)
    named = [RoleKey.of(rest) for action, rest in map(split_gives, gives) if not action]
    below = reachable(table.juniors, distinct(ints(table.number[key] for key in named if key in table.number)))
    goes = np.ones(len(table.keys) + 1, dtype=bool)
    goes[below] = False
    found = {kind.name: _edits(kind, records.rows(kind)[goes[table.roles_of_rows(kind)]], []) for kind in _OF_ROLES}
    listed = set(zip(*columns_of(records, ACTIONS, "system", "action"), strict=True))
    further = [{"system": system, "action": name} for system, name in actions if (system, name) not in listed]
    found[ACTIONS.name] = _edits(ACTIONS, ints([]), further)
    return found


def _edits(kind: Kind, gone: Ints, come: Sequence[Mapping[str, str]]) -> KindEdits:
    columns = [dictionary_column([it.get(name) for it in come]) for name in kind.names]
    return KindEdits(gone, columns, always(None, len(come)))
