"""One role replaced by others wherever it is held: by grants, by roles that have it below them; then it goes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from fnmatch import fnmatchcase

from kathodos.analysis.role_entries import RoleKey
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import RecordEdit, edit_of
from kathodos.change.settling import records_held
from kathodos.model.cells import IN_AN_ID, derived_id
from kathodos.model.kinds import GRANTS, MANDATES, ROLE_JUNIORS, ROLE_PERMISSIONS, ROLES, Kind, split_list
from kathodos.model.rows import Record
from kathodos.store.records import columns_of, positions_holding


def replaced(desk: Desk, old: RoleKey, others: Sequence[RoleKey], keeps_role: bool = False) -> Composition:
    """Whoever holds one role gets others in its place, on the same scope, until the same end, and it ends.

    `keeps_role`: the role itself stays, held by nobody.
    """
    found = Composition()
    for grant in _records(desk, GRANTS, {"gives": old.reference}):
        found.asked += 1
        found.edits.put(edit_of(GRANTS, grant, None))
        for other in others:
            made = {**grant, "gives": other.reference, "given_by": desk.author or grant["given_by"]}
            made["given_at"] = desk.now.date().isoformat()
            made["grant"] = derived_id([made[name] for name in IN_AN_ID])
            if not records_held(desk.records, GRANTS, [(made["grant"],)]):
                found.edits.put(edit_of(GRANTS, None, made))
    for line in _records(desk, ROLE_JUNIORS, {"junior": old.reference}):
        found.edits.put(edit_of(ROLE_JUNIORS, line, None))
        senior = RoleKey(str(line["system"]), str(line["role"]))
        for other in others:
            key = (senior.system, senior.role, other.reference)
            if other != senior and not records_held(desk.records, ROLE_JUNIORS, [key]):
                found.edits.put(edit_of(ROLE_JUNIORS, None, dict(zip(ROLE_JUNIORS.names, key, strict=True))))
    if not keeps_role:
        for edit in _ending(desk, old):
            found.edits.put(edit)
    naming = _mandates_naming(desk, old)
    if naming:
        found.notes.append(f"Mandates of {', '.join(naming)} name {old.reference}; they stay as they are written.")
    return found


def _ending(desk: Desk, key: RoleKey) -> Iterator[RecordEdit]:
    """The role, its entries and its juniors end."""
    own = {"system": key.system, "role": key.role}
    for kind in (ROLE_PERMISSIONS, ROLE_JUNIORS, ROLES):
        yield from (edit_of(kind, record, None) for record in _records(desk, kind, own))


def _records(desk: Desk, kind: Kind, wanted: dict[str, str]) -> list[Record]:
    at = positions_holding(desk.records, kind, wanted)
    columns = [desk.records.column(kind, name).listed(at) for name in kind.names]
    return [dict(zip(kind.names, values, strict=True)) for values in zip(*columns, strict=True)]


def _mandates_naming(desk: Desk, key: RoleKey) -> list[str]:
    holders, patterns = columns_of(desk.records, MANDATES, "holder", "roles")
    name = f"{key.system}/{key.role}"
    pairs = zip(holders, patterns, strict=True)
    return sorted({holder for holder, some in pairs if any(fnmatchcase(name, it) for it in split_list(some))})
