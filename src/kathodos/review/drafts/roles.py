"""Reviews of roles: a line is a role as it is defined, or one of its entries."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from kathodos.analysis.evidence.usual import counted
from kathodos.analysis.role_entries import RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.columns.csr import Bools, Ints, csr_from_pairs, distinct, ints, reachable
from kathodos.columns.dictionary import DictionaryColumn, dictionary_column
from kathodos.engine.decide import who_has
from kathodos.model.kinds import ROLES
from kathodos.model.words import plural
from kathodos.review.drafts.draft import Asked, Draft, things_of
from kathodos.review.drafts.standing_out import Sentences, Speaks
from kathodos.review.lines import numbered
from kathodos.review.owners import owners_of_roles
from kathodos.store.records import Records


def draft_roles(asked: Asked) -> Draft:
    """The lines of some roles, given by the positions of their records: one for each, and for each of its entries."""
    basis, table = asked.context.basis, RoleTable(asked.context.basis.records)
    keys = [table.keys[at] for at in asked.chosen.tolist()]
    sizes = table.lines.sizes()[asked.chosen] + 1
    of_role = np.repeat(np.arange(len(keys)), sizes)
    starts = np.cumsum(sizes) - sizes
    is_itself = np.zeros(len(of_role), dtype=bool)
    is_itself[starts] = True
    _, entry = table.lines.of(asked.chosen)
    texts = [("never " if it.effect == "deny" else "") + f"{it.action} {it.resource}" for it in table.entries]
    part, effect = np.full(len(of_role), -1, dtype=np.int32), np.full(len(of_role), -1, dtype=np.int32)
    part[~is_itself] = entry
    effects = ["permit", "deny"]
    effect[~is_itself] = [effects.index(table.entries[at].effect) for at in entry.tolist()]
    having = _having(asked, keys)
    names = [it.reference for it in keys]
    described = [
        {
            "gives": name,
            "brings": [it.reference for it in _juniors(table, at)],
            "contains": sorted(texts[it] for it in table.lines[at].tolist()),
            "having": count,
            "counted": int((counted(basis) & basis.is_person).sum()),
        }
        for name, at, count in zip(names, asked.chosen.tolist(), having.tolist(), strict=True)
    ]
    excess = dictionary_column(";".join(sorted(asked.found.of_things.get(name, ()))) or None for name in names)
    columns = {
        "holder": DictionaryColumn(of_role.astype(np.int32), names),
        "part": DictionaryColumn(part, texts),
        "value": DictionaryColumn(effect, effects),
        "thing": numbered(of_role),
        "status": _status(basis.records, asked.chosen).taken(of_role),
        "excess": excess.taken(of_role),
    }
    said = Sentences({**columns, "having": numbered(having[of_role])}, len(of_role))
    _say(said, columns, having[of_role], is_itself, sizes[of_role] == 1)
    stands_out, speaks = said.columns()
    columns |= {"stands_out": stands_out, "speaks": speaks}
    nobody = np.full(len(of_role), -1, dtype=np.int64)
    return Draft(nobody, lambda: owners_of_roles(basis, asked.chosen)[of_role], columns, things_of(described))


def _say(
    said: Sentences, columns: dict[str, DictionaryColumn], having: Ints, is_itself: Bools, is_empty: Bools
) -> None:
    off = columns["status"].holding("off")
    denies = columns["value"].holding("deny")
    said.add(denies, Speaks.FOR, "It denies: without it more is open to those who hold the role.")
    said.add(is_itself & off, Speaks.AGAINST, "It is switched off.")
    said.add(is_itself & is_empty, Speaks.AGAINST, "It has no entry of its own.")
    said.add(is_itself & (having == 0), Speaks.AGAINST, "Nobody holds it.")
    said.add(is_itself & (columns["excess"].codes >= 0), Speaks.AGAINST, "Found of it: {}.", "excess")
    said.add(is_itself, Speaks.FOR, lambda it: f"{plural(int(it), 'person holds', 'people hold')} it.", "having")


def _juniors(table: RoleTable, at: int) -> Sequence[RoleKey]:
    return [table.keys[it] for it in table.juniors[at].tolist()]


def _status(records: Records, chosen: Ints) -> DictionaryColumn:
    held = records.column(ROLES, "active").taken(chosen)
    return DictionaryColumn(np.where(held.holding(0), 0, 1).astype(np.int32), ["off", "on"])


def _having(asked: Asked, keys: Sequence[RoleKey]) -> Ints:
    """How many people hold each role, by whatever way."""
    basis, index = asked.context.basis, asked.context.basis.index
    number = {name: at for at, name in enumerate(index.roles)}
    live = (basis.live & ~index.grants.denies).nonzero()[0]
    role = index.entitlements.role[index.grants.entitlement[live]]
    given = csr_from_pairs(role[role >= 0].astype(np.int64), live[role >= 0], len(index.roles))
    found = []
    for key in keys:
        at = number.get(f"{key.system}/{key.role}", -1)
        above = reachable(index.seniors, ints([at])) if at >= 0 else ints([])
        holders = distinct(index.grants.holder[given.all_of(above)].astype(np.int64))
        some = who_has(index, holders, basis.moment) if len(holders) else np.zeros(basis.size, dtype=bool)
        found.append(int((some[: basis.people] & counted(basis) & basis.is_person).sum()))
    return ints(found)
