"""Roles as they are to be, and the edits that make them so."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import msgspec

from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import edit_of
from kathodos.errors import CallError
from kathodos.model.kinds import IDENTITIES, ROLE_PERMISSIONS, ROLES, SYSTEMS
from kathodos.model.references import name_in
from kathodos.model.suggestions import nearest
from kathodos.store.naming import resolved


class RoleDraft(msgspec.Struct, frozen=True):
    """A role as it is to be: its entries, why each is there, and what else is said of it where it is new.

    `is_whole`: entries that it has and that are not among these go.
    """

    key: RoleKey
    entries: Sequence[Entry]
    why: Mapping[Entry, str] = msgspec.field(default_factory=dict)
    title: str | None = None
    owner: str | None = None
    is_active: bool = True
    is_whole: bool = False


def named_role(desk: Desk, text: str) -> RoleKey:
    """The role, there already or to be made, that `system/name` means. Raises CallError where no system is so."""
    system, slash, name = text.removeprefix("role:").partition("/")
    if not slash or not name or not system:
        raise CallError(f"{text} is no role of a system.", "Write it as in berths/planner.")
    systems = [str(it) for it in desk.records.column(SYSTEMS, "system").listed()]
    if system not in systems:
        raise CallError(f"There is no system {system}.", nearest(system, systems))
    return RoleKey(system, name)


def drafted(desk: Desk, draft: RoleDraft, table: RoleTable | None = None) -> Composition:
    """The edits that make a role what a draft says: those entries come that it lacks; of a whole one others go.

    `table`: the roles as they are, where many are drafted. Raises CallError where the owner is nobody.
    """
    table = table or RoleTable(desk.records)
    key, wanted = draft.key, list(dict.fromkeys(draft.entries))
    found = Composition(asked=len(wanted))
    held = table.record(key)
    if held is None:
        owner = None if draft.owner is None else name_in("identity", resolved(desk.records, draft.owner, (IDENTITIES,)))
        record = {"title": draft.title, "owner": owner, "active": int(draft.is_active)}
        found.edits.put(edit_of(ROLES, None, {**record, "system": key.system, "role": key.role}))
    elif draft.title is not None and held["title"] != draft.title:
        found.edits.put(edit_of(ROLES, held, {**held, "title": draft.title}))
    there = set(table.own(key))
    found.standing = len(there.intersection(wanted))
    for entry in wanted:
        if entry not in there:
            found.edits.put(edit_of(ROLE_PERMISSIONS, None, _record(key, entry), draft.why.get(entry, "")))
    if draft.is_whole:
        for entry in sorted(there.difference(wanted)):
            found.edits.put(edit_of(ROLE_PERMISSIONS, _record(key, entry), None, draft.why.get(entry, "")))
    return found


def together(parts: Iterable[Composition]) -> Composition:
    """Several compositions as one."""
    found = Composition()
    notes: dict[str, None] = {}
    for part in parts:
        for edit in part.edits:
            found.edits.put(edit)
        found.asked += part.asked
        found.standing += part.standing
        notes |= dict.fromkeys(part.notes)
    found.notes = list(notes)
    return found


def _record(key: RoleKey, entry: Entry) -> dict[str, str]:
    return {
        "system": key.system,
        "role": key.role,
        "action": entry.action,
        "resource": entry.resource,
        "effect": entry.effect,
    }
