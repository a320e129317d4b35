"""Combined roles that are no longer what they were combined of."""

from __future__ import annotations

from collections.abc import Sequence

from kathodos.analysis.combined import Stale, stale_roles
from kathodos.analysis.role_entries import Entry
from kathodos.findings.excess.batches import Batch, Edit, ExcessContext, FindingText, nobodys
from kathodos.model.words import plural

STALE_ROLE = "stale-role"
_MOST_NAMED = 4


def stale_combined(context: ExcessContext) -> Batch:
    """Roles that lack what a part has got since, or have what all their parts have lost."""
    found = stale_roles(context.basis.records)
    return nobodys(STALE_ROLE, [it.key.reference for it in found], [_text(it) for it in found], 1)


def _text(it: Stale) -> FindingText:
    told = [f"lacks {_named(it.lacks)}, which a part has got since"] * bool(it.lacks)
    told += [f"still has {_named(it.lost)}, which its parts have lost"] * bool(it.lost)
    rebuild = f"Rebuild it: kathodos role combine {it.key.system}/{it.key.role} --rebuild"
    edits = [_edit("add", it, entry) for entry in it.lacks] + [_edit("end", it, entry) for entry in it.lost]
    parts = ", ".join(part.reference for part in it.parts)
    return FindingText(parts, " and ".join(told), rebuild, tuple(edits))


def _named(entries: Sequence[Entry]) -> str:
    if len(entries) > _MOST_NAMED:
        return plural(len(entries), "entry", "entries")
    return ", ".join(entry.text for entry in entries)


def _edit(verb: str, it: Stale, entry: Entry) -> Edit:
    cells = {"system": it.key.system, "role": it.key.role, "action": entry.action, "resource": entry.resource}
    return Edit(verb, "role_permissions", {**cells, "effect": entry.effect})
