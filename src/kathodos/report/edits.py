"""Edits as sentences that a manager reads, and as data."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from kathodos.change.edit_sets import RecordEdit, Verb
from kathodos.change.settling import records_held
from kathodos.errors import sentence
from kathodos.model.kinds import (
    GRANTS,
    IDENTITIES,
    KIT_ENTRIES,
    MEMBERS,
    ROLE_JUNIORS,
    ROLE_PARTS,
    ROLE_PERMISSIONS,
    ROLES,
    Form,
)
from kathodos.model.references import PREFIXES, reference_to
from kathodos.model.rows import Record
from kathodos.store.records import Records

_SILENT = ("attributes", "given_by", "given_at", "given_for", "last_used", "tier")


class Wording:
    """Puts edits into words; people are called by name and id. All names are looked up together."""

    def __init__(self, records: Records, edits: Sequence[RecordEdit]) -> None:
        wanted = {name for edit in edits for name in _people_in(edit)}
        held = records_held(records, IDENTITIES, [(name,) for name in sorted(wanted)])
        self._titles = _titles_of(records, edits)
        self._names: Mapping[str, object] = {str(key[0]): it.record["name"] for key, it in held.items()}

    def holder(self, reference: str) -> str:
        """A holder as people read it."""
        if not reference.startswith("identity:"):
            return reference
        identity = reference.partition(":")[2]
        name = self._names.get(identity)
        return f"{name} ({identity})" if name else reference

    def sentence(self, edit: RecordEdit) -> str:
        """What an edit does."""
        record = edit.record
        if edit.kind is GRANTS:
            return self._of_grant(edit)
        if edit.kind is MEMBERS:
            group = reference_to("group", record["system"], record["group"])
            return f"{self.holder(record['member'])} {'joins' if edit.after else 'leaves'} {group}"
        if edit.kind in (ROLE_PERMISSIONS, ROLE_JUNIORS):
            return self._of_role(edit)
        if edit.kind is ROLE_PARTS:
            known = "is known to be combined of" if edit.before is None else "is known as it now is in"
            return f"{record['whole']} {known if edit.after else 'is no longer combined of'} {record['part']}"
        if edit.kind is KIT_ENTRIES:
            scope = f" on {record['on']}" if record["on"] else ""
            verb = "gives" if edit.after else "no longer gives"
            to = " to the person's account" if record["to"] == "account" else ""
            return f"the kit {record['kit']} {verb} {record['gives']}{scope}{to}"
        return self._of_thing(edit)

    def instruction(self, edit: RecordEdit) -> str:
        """What whoever keeps a system is to do, as somebody would ask for it."""
        record, kind = edit.record, edit.kind
        if kind is GRANTS and edit.verb is not Verb.SET:
            what = f"{self._given(record['gives'])}{f' on {scope}' if (scope := record['on']) else ''}"
            who, denies = self.holder(record["holder"]), record["effect"] == "deny"
            if edit.after is None:
                return f"Lift the denial of {what} for {who}." if denies else f"Take {what} away from {who}."
            until = f", until {record['until']}" if record["until"] else ""
            begins = f", from {record['from']} on" if record["from"] else ""
            return f"{'Deny' if denies else 'Give'} {who} {what}{begins}{until}."
        if kind is MEMBERS:
            group = reference_to("group", record["system"], record["group"])
            who = self.holder(record["member"])
            return f"Add {who} to {group}." if edit.after else f"Remove {who} from {group}."
        return f"{sentence(self.sentence(edit))} Enter it so."

    def _given(self, gives: str) -> str:
        """What is given, a role with its title."""
        title = self._titles.get(gives)
        return f"{gives} ({title})" if title else gives

    def _of_grant(self, edit: RecordEdit) -> str:
        record = edit.record
        what = f"{record['gives']}{f' on {record_scope}' if (record_scope := record['on']) else ''}"
        who, denies = self.holder(record["holder"]), record["effect"] == "deny"
        if edit.after is None:
            return f"{who} is no longer denied {what}" if denies else f"{who} loses {what}"
        if edit.before is None:
            until = f" until {record['until']}" if record["until"] else ""
            begins = f" from {record['from']}" if record["from"] else ""
            return f"{who} {'is denied' if denies else 'gets'} {what}{begins}{until}"
        if edit.changed == ["until"]:
            until = record["until"]
            return f"{what} of {who} ends on {until}" if until else f"{what} of {who} ends on no day any more"
        return f"{what} of {who}: {_changes(edit)}"

    def _of_role(self, edit: RecordEdit) -> str:
        record = edit.record
        role = reference_to("role", record["system"], record["role"])
        if edit.kind is ROLE_JUNIORS:
            verb = "takes in" if edit.after else "no longer takes in"
            return f"{role} {verb} {record['junior']}"
        denies = record["effect"] == "deny"
        verb = ("denies" if denies else "permits") if edit.after else f"no longer {'denies' if denies else 'permits'}"
        return f"{role} {verb} {record['action']} {record['resource']}"

    def _of_thing(self, edit: RecordEdit) -> str:
        kind = edit.kind
        name = reference_to(PREFIXES[kind.name], *edit.key) if kind.name in PREFIXES else ""
        name = self.holder(name) if kind is IDENTITIES else name or f"the {kind.one} {_key(edit)}"
        if edit.before is None:
            inactive = ", not active: it gives nothing yet" if kind is ROLES and not edit.record["active"] else ""
            return f"{name} comes: {_holds(edit.record)}" if kind is IDENTITIES else f"{name} comes{inactive}"
        return f"{name} goes" if edit.after is None else f"{name}: {_changes(edit)}"


def _titles_of(records: Records, edits: Sequence[RecordEdit]) -> dict[str, str]:
    """The titles of the roles that edits give or take, by reference, where they say more than the name."""
    roles = {str(edit.record["gives"]) for edit in edits if edit.kind is GRANTS}
    keys = [tuple(it.partition(":")[2].split("/", 1)) for it in roles if it.startswith("role:") and "/" in it]
    held = records_held(records, ROLES, keys)
    return {reference_to("role", *key): str(it.record["title"]) for key, it in held.items() if it.record["title"]}


def _people_in(edit: RecordEdit) -> Iterable[str]:
    for name in ("holder", "member"):
        value = str(edit.record.get(name) or "")
        if value.startswith("identity:"):
            yield value.partition(":")[2]
    if edit.kind is IDENTITIES:
        yield str(edit.key[0])


def _key(edit: RecordEdit) -> str:
    return " ".join(str(part) for part in edit.key if part is not None)


def _holds(record: Record) -> str:
    named = ("name", "email", "department", "title", "status")
    return ", ".join(str(record[name]) for name in named if record[name])


def _changes(edit: RecordEdit) -> str:
    before, after = edit.before, edit.after
    assert before is not None
    assert after is not None
    told = []
    for name in edit.changed:
        old, new = (_value(edit, name, it[name]) for it in (before, after))
        told.append(f"{name.replace('_', ' ')} becomes {new} (was {old})")
    return "; ".join(told)


def _value(edit: RecordEdit, name: str, value: object) -> str:
    if value is None or value == "":
        return "empty"
    return ("no", "yes")[int(str(value))] if edit.kind.form(name) is Form.YES_NO else str(value)


def does(edits: Iterable[RecordEdit]) -> str:
    """How many records edits add, end and alter, as a part of a sentence."""
    named = {Verb.ADD: "adds", Verb.END: "ends", Verb.SET: "alters"}
    counts = Counter(named[edit.verb] for edit in edits)
    return ", ".join(f"{verb} {count}" for verb, count in counts.items())


def edit_row(edit: RecordEdit, wording: Wording) -> dict[str, Any]:
    """An edit as data: what is done to which record, the record before and after, the sentence, and why."""
    return {
        "verb": str(edit.verb),
        "kind": edit.kind.name,
        "record": list(edit.key),
        "before": _told(edit.before),
        "after": _told(edit.after),
        "what": wording.sentence(edit),
        "why": edit.why or None,
    }


def _told(record: Record | None) -> dict[str, Any] | None:
    return None if record is None else {name: value for name, value in record.items() if value is not None}
