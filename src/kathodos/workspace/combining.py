"""Roles put together, taken apart, compared, and made from a template, as edits of what is composed on."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import msgspec
import numpy as np

from kathodos.analysis.role_entries import DENY, Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import EditSet
from kathodos.columns.csr import Ints, distinct
from kathodos.engine.compiled.applying import compile_scopes
from kathodos.engine.decide import who_has
from kathodos.errors import CallError
from kathodos.findings.conflicts.states import broken_by
from kathodos.model.addresses import parse_pattern
from kathodos.model.kinds import AREAS, ROLES
from kathodos.roles.combine import Combined, Combining, combine
from kathodos.roles.compare import NearPair, ResourceLine, beside, near_pairs
from kathodos.roles.entries import RoleDraft, drafted, named_role, together
from kathodos.roles.replacing import replaced
from kathodos.roles.split import Split, by_area, by_rules, by_system
from kathodos.roles.trying import Trial
from kathodos.rules.targets import PermissionTargets
from kathodos.store.naming import resolved
from kathodos.workspace.configuration import read_toml
from kathodos.workspace.rehearsing import desk_view
from kathodos.workspace.shaping import roles_named

if TYPE_CHECKING:
    from kathodos.workspace.view import View


_NAME = re.compile(r"\{(\w+)\}")

# Put together


class CombinedRole(msgspec.Struct, frozen=True):
    """A role that was put together. `is_same`: whether as a union and as a hierarchy it reaches the same."""

    made: Combined
    is_same: bool


def combined_role(
    view: View, desk: Desk, name: str, parts: Sequence[str], way: Combining, title: str | None
) -> CombinedRole:
    """A role of others, which names and patterns mean; a pattern does not mean the role itself."""
    view, key = desk_view(view, desk), named_role(desk, name)
    keys = [RoleKey.of(it) for it in roles_named(desk, parts)] if parts else []
    if any("*" in it or "?" in it for it in parts):
        keys = [it for it in keys if it != key]
    table = RoleTable(desk.records)
    made = combine(desk, key, keys, way, title, table)
    other = Combining.HIERARCHY if way is not Combining.HIERARCHY else Combining.MERGE
    edits = [made.composition.edits, combine(desk, key, made.parts, other, title, table).composition.edits]
    trials = [Trial(view.index, view.catalogue, [key.reference], it, view.moment) for it in edits]
    return CombinedRole(made, trials[0].same_as(trials[1]))


# Taken apart


class SplitRole(msgspec.Struct, frozen=True):
    """A role taken apart: its parts by name, the edits, and the parts that break a rule all the same."""

    key: RoleKey
    split: Split
    parts: Mapping[RoleKey, Sequence[Entry]]
    composition: Composition
    breaking: Mapping[RoleKey, Sequence[str]]


def split_role(view: View, desk: Desk, name: str, by: str, replaces: bool) -> SplitRole:
    """A role by system, area or rule. `replaces`: whoever holds it gets all the parts in its place, and it ends."""
    view = desk_view(view, desk)
    key = RoleKey.of(resolved(desk.records, name, (ROLES,)))
    entries = sorted(RoleTable(desk.records).given_by(key))
    if not entries:
        raise CallError(f"{key.reference} gives nothing.", "There is nothing to take apart.")
    if by == "rule" and replaces:
        what = "Whoever held all parts would break the rule as before."
        raise CallError(what, "Leave --replace out, and give each person the part that is theirs.")
    found = _split(view, entries, by)
    if len(found.parts) == 1:
        raise CallError(f"All that {key.reference} gives is of one {by}.", "There is nothing to take apart.")
    parts = {RoleKey(key.system, f"{key.role}-{part}"): some for part, some in found.parts.items()}
    table = RoleTable(desk.records)
    for part in parts:
        if table.exists(part):
            raise CallError(f"There is a role {part.system}/{part.role} already.", "Rename it, or take it away first.")
    title = str(desk.records.column(ROLES, "title").value(table.number[key]) or key.role)
    drafts = [
        drafted(desk, RoleDraft(part, some, {}, f"{title}: {part.role.removeprefix(key.role + '-')}"))
        for part, some in parts.items()
    ]
    composition = together([*drafts, *([replaced(desk, key, list(parts))] if replaces else [])])
    breaking = _breaking(view, composition.edits, list(parts))
    return SplitRole(key, found, parts, composition, breaking)


def _split(view: View, entries: Sequence[Entry], by: str) -> Split:
    if by == "system":
        return by_system(entries)
    if by == "area":
        names = [str(it) for it in view.catalogue.column(AREAS, "area").listed()]
        scopes = compile_scopes(view.catalogue, [f"area:{name}" for name in names], view.index.tree)
        held = {name: scope.held(view.index.tree).nonzero()[0] for name, scope in zip(names, scopes, strict=True)}
        return by_area(view.index, entries, held)
    return by_rules(view.basis, entries, view.rules.conflicts)


def _breaking(view: View, edits: EditSet, parts: Sequence[RoleKey]) -> dict[RoleKey, list[str]]:
    """The rules that each part by itself breaks, by what somebody who holds nothing else reaches."""
    found: dict[RoleKey, list[str]] = {}
    for part in parts:
        trial = Trial(view.index, view.catalogue, [part.reference], edits, view.moment)
        targets = PermissionTargets(view.basis)
        broken = [it.id for it in view.rules.conflicts if broken_by(targets, it, list(trial.reached.values()))]
        if broken:
            found[part] = broken
    return found


# Compared


class Holding(NamedTuple):
    """How many people, and accounts of nobody, hold a role."""

    people: int
    accounts: int


class ComparedRoles(msgspec.Struct, frozen=True):
    """Two roles beside each other: what each says of each resource, and how many hold them."""

    first: RoleKey
    second: RoleKey
    lines: Sequence[ResourceLine]
    holding: tuple[Holding, Holding]


def compared_roles(view: View, desk: Desk, first: str, second: str) -> ComparedRoles:
    """Two roles that names mean, juniors included. Raises CallError where both mean the same one."""
    view = desk_view(view, desk)
    one, other = (RoleKey.of(resolved(desk.records, it, (ROLES,))) for it in (first, second))
    if one == other:
        raise CallError(f"Both names mean {one.reference}.", "Name two roles.")
    table = RoleTable(desk.records)
    holding = (_counted(view, one), _counted(view, other))
    return ComparedRoles(one, other, beside(table.given_by(one), table.given_by(other)), holding)


def _counted(view: View, key: RoleKey) -> Holding:
    numbers = holders_of_role(view, key)
    people = int((numbers < view.index.holders.people).sum())
    return Holding(people, len(numbers) - people)


def near_roles(view: View, desk: Desk, name: str | None, alike: float) -> list[tuple[NearPair, int, int]]:
    """The roles that are nearly the same as one, or all such pairs, with how many hold each of the two."""
    view = desk_view(view, desk)
    of = RoleKey.of(resolved(desk.records, name, (ROLES,))) if name is not None else None
    return [
        (pair, len(holders_of_role(view, pair.first)), len(holders_of_role(view, pair.second)))
        for pair in near_pairs(RoleTable(desk.records), alike, of)
    ]


def holders_of_role(view: View, key: RoleKey) -> Ints:
    """Who holds a role by a live grant, in whatever way: identities and accounts of nobody, by number."""
    index = view.index
    number = index.roles.find(f"{key.system}/{key.role}")
    entitlements = (index.entitlements.role == number).nonzero()[0] if number >= 0 else np.zeros(0, dtype=np.int64)
    grants = index.entitlement_grants.all_of(entitlements).astype(np.int64)
    live = (index.grants.starts[grants] <= view.moment) & (view.moment < index.grants.ends[grants])
    grants = grants[live & ~index.grants.denies[grants]]
    mask = who_has(index, distinct(index.grants.holder[grants]).astype(np.int64), view.moment)
    return (mask & index.holders.is_asker).nonzero()[0]


# Made anew


class Template(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A role to begin with: `{NAME}` in its title and entries stands for what is said when it is used."""

    entries: list[str]
    title: str = ""


class NewRole(msgspec.Struct, frozen=True):
    """A role that is made anew, and its entries."""

    key: RoleKey
    entries: Sequence[Entry]
    composition: Composition


def new_role(
    desk: Desk,
    name: str,
    entries: Sequence[str] = (),
    like: str | None = None,
    template: Path | None = None,
    values: Mapping[str, str] | None = None,
    title: str | None = None,
    owner: str | None = None,
    is_active: bool = True,
) -> NewRole:
    """A role that is not there yet: blank, with some entries, as another one, or from a template.

    Raises CallError where it is there already, or an entry names what there is not.
    """
    key = named_role(desk, name)
    table = RoleTable(desk.records)
    if table.exists(key):
        raise CallError(f"There is a role {key.system}/{key.role} already.", "Name another.")
    found = [entry_in(desk, text) for text in entries]
    if like is not None:
        found += sorted(table.own(RoleKey.of(resolved(desk.records, like, (ROLES,)))))
    if template is not None:
        content = read_toml(template, str(template)).as_type(Template, 'Write entries = ["view dues:/{site}/**"].')
        found += [entry_in(desk, _filled(text, values or {}, template)) for text in content.entries]
        title = title or _filled(content.title, values or {}, template) or None
    found = list(dict.fromkeys(found))
    return NewRole(key, found, drafted(desk, RoleDraft(key, found, {}, title, owner, is_active)))


def entry_in(desk: Desk, text: str) -> Entry:
    """The entry that a text says, as in `view dues:/tariffs` or `deny edit dues:/tariffs/**`. Raises CallError."""
    rest = text.removeprefix("deny ")
    (given,) = desk.given([rest])
    action, _, resource = given.partition(" ")
    if given.startswith("role:") or not resource:
        raise CallError(f"{text} is no entry of a role.", "Write an action and a resource: 'view dues:/tariffs/**'")
    return Entry(str(parse_pattern(resource)), action, DENY if rest != text else "permit")


def _filled(text: str, values: Mapping[str, str], template: Path) -> str:
    """A text of a template with what its names stand for. Raises CallError where one is not said."""

    def meant(found: re.Match[str]) -> str:
        if found[1] not in values:
            raise CallError(f"{template} asks for {found[1]}.", f"Say it: --set {found[1]}=VALUE")
        return values[found[1]]

    return _NAME.sub(meant, text)
