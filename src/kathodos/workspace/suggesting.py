"""Roles suggested by what people hold, or use: explained by attributes, and with the change that moves them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TYPE_CHECKING

import msgspec
import numpy as np
from msgspec.structs import replace

from kathodos.analysis.evidence.asked import Asked
from kathodos.analysis.evidence.units import UnitEvidence
from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import edit_of
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.engine.compiled.index import Index
from kathodos.engine.decide import who_has
from kathodos.errors import CallError
from kathodos.model.cells import IN_AN_ID, derived_id
from kathodos.model.kinds import GRANTS, ROLE_JUNIORS, split_gives
from kathodos.model.names import bare_text
from kathodos.model.rows import Record
from kathodos.model.suggestions import nearest
from kathodos.roles.entries import RoleDraft, drafted, together
from kathodos.roles.mining.candidates import candidates_of
from kathodos.roles.mining.cover import Cover, MiningTerms, cover_of
from kathodos.roles.mining.criteria import Criteria, Criterion
from kathodos.roles.mining.holdings import Holdings, holdings_of
from kathodos.workspace.rehearsing import desk_view

if TYPE_CHECKING:
    from kathodos.workspace.view import View


class SuggestedRole(msgspec.Struct, frozen=True):
    """One role: what it gives, to which rows of the holdings, and the attributes that tell its holders.

    `extras`: what it would give to whoever does not hold it, by row. `people` and `accounts`: who they are.
    """

    key: RoleKey
    things: Ints
    rows: Ints
    criterion: Criterion | None
    extras: Sequence[tuple[int, Ints]]
    people: int
    accounts: int


class SystemSuggestion(msgspec.Struct, frozen=True):
    """The roles suggested for one system, what they cost, and what stays given by itself."""

    holdings: Holdings
    cover: Cover
    roles: Sequence[SuggestedRole]


class Suggested(msgspec.Struct, frozen=True):
    """What is suggested, system by system. `index`: of what is composed on."""

    systems: Sequence[SystemSuggestion]
    index: Index
    is_by_use: bool = False

    @property
    def roles(self) -> list[SuggestedRole]:
        """All roles, those of one system after those of another."""
        return [role for it in self.systems for role in it.roles]


def suggested(
    view: View,
    desk: Desk,
    terms: MiningTerms,
    systems: Sequence[str] = (),
    where: str | None = None,
    used_since: int | None = None,
) -> Suggested:
    """Roles for what people and accounts hold by grants of their own. `used_since`: only what was used since then.

    Raises CallError where nothing is held so, or a system is unknown.
    """
    view = desk_view(view, desk)
    index = view.index
    for name in systems:
        if name not in index.systems:
            raise CallError(f"There is no system {name}.", nearest(name, sorted(index.systems)))
    among = _among(view, where)
    used = _used(view, used_since) if used_since is not None else None
    found = [it for it in holdings_of(index, view.moment, among, used) if not systems or it.system in systems]
    if not found:
        what = "Nobody was given anything without an end"
        what += " and was used since then" if used is not None else ""
        raise CallError(f"{what}.", "There is nothing to bundle.")
    people = np.zeros(index.holders.people, dtype=bool)
    people[: len(people)] = index.holders.is_active[: len(people)]
    criteria = Criteria(view.basis, people)
    names = _Names(RoleTable(desk.records))
    made = [_of_system(index, it, terms, criteria, names, view.moment) for it in found]
    return Suggested(made, index, used is not None)


def _among(view: View, where: str | None) -> Bools | None:
    """The holders whom a filter selects: people with all their accounts."""
    if where is None:
        return None
    holders = view.index.holders
    mask = np.zeros(holders.first_group, dtype=bool)
    selected = view.askers_selected(where)
    mask[selected] = True
    mask[holders.accounts_of.all_of(selected[selected < holders.people])] = True
    return mask


def _used(view: View, since: int) -> Bools:
    """Which grants somebody used since a moment."""
    evidence = UnitEvidence(view.basis, view.context.usage.units, Asked())
    found = np.zeros(len(view.index.grants), dtype=bool)
    grants = evidence.units.grant
    used = (grants >= 0) & (evidence.used.last >= since)
    found[grants[used]] = True
    return found


def _askers(index: Index, holders: Ints, moment: int) -> Bools:
    """Which people and accounts some holders are, or count as members of, or own."""
    found = who_has(index, holders[holders >= index.holders.first_group], moment)
    own = holders[holders < index.holders.first_group]
    found[own] = True
    owners = index.holders.asker_of[own]
    found[owners] = True
    return found


def _of_system(
    index: Index, holdings: Holdings, terms: MiningTerms, criteria: Criteria, names: _Names, moment: int
) -> SystemSuggestion:
    candidates = candidates_of(holdings.kinds, terms.fewest)
    cover = cover_of(holdings.kinds, candidates, terms)
    roles = []
    for things, kinds in zip(cover.roles, cover.assigned, strict=True):
        rows = np.isin(holdings.kind, kinds).nonzero()[0]
        askers = _askers(index, distinct(holdings.holders[rows]), moment)
        people = askers[: index.holders.people]
        criterion = criteria.best(people & criteria.among)
        key = RoleKey(holdings.system, names.free(holdings.system, criterion))
        accounts = int((askers[index.holders.people :] & index.holders.is_asker[index.holders.people :]).sum())
        extras = _extras(holdings, things, rows)
        roles.append(SuggestedRole(key, things, rows, criterion, extras, int(people.sum()), accounts))
    return SystemSuggestion(holdings, cover, roles)


def _extras(holdings: Holdings, things: Ints, rows: Ints) -> list[tuple[int, Ints]]:
    """What a role would give to whoever does not hold it, row by row."""
    kinds, of = np.unique(holdings.kind[rows], return_inverse=True)
    held = holdings.kinds.held[kinds][:, things].toarray() > 0
    lacking = [things[~has] for has in held]
    some = np.array([len(it) > 0 for it in lacking], dtype=bool)[of]
    return [(row, lacking[kind]) for row, kind in zip(rows[some].tolist(), of[some].tolist(), strict=True)]


class _Names:
    """Names for roles: by what tells their holders, and none that there is already."""

    def __init__(self, table: RoleTable) -> None:
        self.taken = {(key.system, key.role) for key in table.keys}

    def free(self, system: str, criterion: Criterion | None) -> str:
        """A name that is free in a system."""
        values = [value for _, value in criterion.terms] if criterion is not None else ["shared"]
        start = re.sub(r"[^a-z0-9]+", "-", bare_text("-".join(values))).strip("-")[:50] or "shared"
        number, name = 1, start
        while (system, name) in self.taken:
            number += 1
            name = f"{start}-{number}"
        self.taken.add((system, name))
        return name


def only_named(found: Suggested, names: Sequence[str]) -> Suggested:
    """The suggestion with only some of its roles. Raises CallError where it has none of a name."""
    known = {f"{it.key.system}/{it.key.role}": it.key for it in found.roles}
    wanted = set()
    for name in names:
        key = known.get(name.removeprefix("role:"))
        if key is None:
            raise CallError(f"No role {name} is suggested.", nearest(name.removeprefix("role:"), list(known)))
        wanted.add(key)
    systems = [replace(it, roles=[role for role in it.roles if role.key in wanted]) for it in found.systems]
    return replace(found, systems=[it for it in systems if it.roles])


def moving(desk: Desk, found: Suggested, is_active: bool = True) -> Composition:
    """The edits that make the roles, give them, and end the grants that they stand in for."""
    table = RoleTable(desk.records)
    return together(_moving(desk, found.index, table, it, role, is_active) for it in found.systems for role in it.roles)


def _moving(
    desk: Desk, index: Index, table: RoleTable, of: SystemSuggestion, role: SuggestedRole, is_active: bool
) -> Composition:
    holdings = of.holdings
    texts = [holdings.things[at] for at in role.things.tolist()]
    entries = [Entry(rest, action) for action, rest in map(split_gives, texts) if action]
    title = criterion_text(role) if role.criterion is not None else None
    made = drafted(desk, RoleDraft(role.key, entries, {}, title, None, is_active), table)
    for text in texts:
        action, rest = split_gives(text)
        if not action:
            junior = {"system": role.key.system, "role": role.key.role, "junior": rest}
            made.edits.put(edit_of(ROLE_JUNIORS, None, junior))
    made.asked, made.standing = len(role.rows), 0
    if not is_active:
        made.notes.append(f"{role.key.reference} is made, but gives nothing yet; nobody is moved onto it.")
        return made
    in_role = np.isin(holdings.cell_thing, role.things) & np.isin(holdings.cell_row, role.rows)
    rows = index.grants.rows[holdings.cell_grant[in_role]].tolist()
    held = desk.records.some(GRANTS, rows).values()
    ended: list[Record] = [dict(zip(GRANTS.names, values, strict=True)) for values in held]
    for record in ended:
        made.edits.put(edit_of(GRANTS, record, None))
    for row in role.rows.tolist():
        record = _given(desk, index, holdings, role, row)
        made.edits.put(edit_of(GRANTS, None, record))
    return made


def _given(desk: Desk, index: Index, holdings: Holdings, role: SuggestedRole, row: int) -> Record:
    scope = int(holdings.scopes[row])
    record: dict[str, str | int | None] = dict.fromkeys(GRANTS.names)
    record |= {
        "holder": index.holders.references[int(holdings.holders[row])],
        "gives": role.key.reference,
        "on": index.entitlements.scope_texts[scope] if scope >= 0 else None,
        "effect": "permit",
        "tier": 0,
        "given_by": desk.author or None,
        "given_at": desk.now.date().isoformat(),
        "reason": "in place of what it bundles",
    }
    return {**record, "grant": derived_id([record[name] for name in IN_AN_ID])}


def criterion_text(role: SuggestedRole) -> str:
    """Whom a role is for, by what tells them."""
    assert role.criterion is not None
    return ", ".join(value for _, value in role.criterion.terms)
