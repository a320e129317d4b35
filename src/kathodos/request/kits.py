"""Kits: what is asked for and given together, who may ask for it, who approves it, and for how long."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Annotated, Literal

import msgspec

from kathodos.change.composition import Desk
from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.change.settling import records_held
from kathodos.errors import CallError
from kathodos.ledger.actors import normal_name
from kathodos.model.comparing import check_comparisons
from kathodos.model.filters import FilterError, parse_filter
from kathodos.model.json_text import json_text
from kathodos.model.kinds import GROUPS, IDENTITIES, KIT_ENTRIES, KITS, split_list
from kathodos.model.periods import parts_of
from kathodos.model.rows import Record
from kathodos.model.suggestions import nearest
from kathodos.store.attributes import AttributeColumns
from kathodos.store.naming import resolved
from kathodos.store.records import Records, columns_of

MANAGER, OWNER = "manager", "owner"
PERSON, ACCOUNT = "person", "account"
_REMEDY = "Correct the kit; docs/requests.md says what may stand in it."
_MARKS = ';"\\'


class KitEntry(msgspec.Struct, frozen=True, order=True):
    """One thing that is given: a role, a permission or a group; on which scope; to the person or their account."""

    gives: str
    on: str | None = None
    to: str = PERSON

    @property
    def text(self) -> str:
        """It in words."""
        scope = f" on {self.on}" if self.on else ""
        return f"{self.gives}{scope}{' (to their account)' if self.to == ACCOUNT else ''}"

    @property
    def system(self) -> str:
        """The system that it is given in."""
        return system_given(self.gives)


def system_given(gives: str) -> str:
    """The system in which a role, a group or a permission is given."""
    if gives.startswith(("role:", "group:")):
        return gives.partition(":")[2].partition("/")[0]
    return gives.partition(" ")[2].partition(":")[0]


class ApprovalStep(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One step of a chain: who approves (manager, owner, ids of people), and whether one of them does or all."""

    by: Annotated[list[str], msgspec.Meta(min_length=1)]
    takes: Literal["one", "all"] = "one"

    @property
    def text(self) -> str:
        """It in words."""
        words = [_WORDS.get(it, it) for it in self.by]
        if len(words) == 1:
            return words[0]
        return f"{', '.join(words[:-1])} {'and' if self.takes == 'all' else 'or'} {words[-1]}"


_WORDS = {MANAGER: "the manager", OWNER: "the owner"}


class Kit(msgspec.Struct, frozen=True):
    """A kit as it is kept. `receivers`: the filter over people that says who may ask; `says`: what a request must say.

    `hours`: how long an emergency gives it, 0 where it is not given so; `told`: who is told of one at once;
    `looked_at_by`: who looks back on it.
    """

    name: str
    steps: Sequence[ApprovalStep]
    entries: Sequence[KitEntry] = ()
    title: str = ""
    owner: str = ""
    receivers: str = ""
    domains: Sequence[str] = ()
    lasts: str = "P3M"
    longest: str = "P1Y"
    says: Sequence[str] = ()
    hours: int = 0
    told: Sequence[str] = ()
    looked_at_by: Sequence[str] = ()

    @property
    def record(self) -> Record:
        """It as a record, without its entries."""
        return {
            "kit": self.name,
            "title": self.title or None,
            "owner": self.owner or None,
            "for": self.receivers or None,
            "domains": ";".join(self.domains) or None,
            "approve": steps_text(self.steps),
            "lasts": self.lasts,
            "longest": self.longest,
            "says": ";".join(self.says) or None,
            "hours": self.hours or None,
            "told": ";".join(self.told) or None,
            "looked_at_by": ";".join(self.looked_at_by) or None,
        }

    @property
    def entry_records(self) -> list[Record]:
        """Its entries as records."""
        return [{"kit": self.name, "gives": it.gives, "on": it.on, "to": it.to} for it in self.entries]

    @property
    def approved_by(self) -> str:
        """Who approves it, step by step, in words."""
        return ", then ".join(it.text for it in self.steps)

    def may_be_asked_with(self, mail: str) -> bool:
        """Whether somebody who is not in the catalogue may ask for it, by the domain of a mail address."""
        domain = normal_name(mail.rpartition("@")[2])
        return "@" in mail and domain in {normal_name(it) for it in self.domains}


def steps_text(steps: Iterable[ApprovalStep]) -> str:
    """The steps of a chain as they are kept."""
    return json_text([msgspec.to_builtins(it) for it in steps])


def steps_from(text: str) -> list[ApprovalStep]:
    """The steps of a chain from what is kept of them."""
    return msgspec.json.decode(text, type=list[ApprovalStep])


def kit_from(record: Mapping[str, object], entries: Sequence[KitEntry]) -> Kit:
    """A kit from its records."""
    texts = {name: str(value) if value is not None else "" for name, value in record.items()}
    lists = {name: split_list(texts[name]) for name in ("domains", "says", "told", "looked_at_by")}
    own = (texts["title"], texts["owner"], texts["for"])
    return Kit(
        texts["kit"],
        steps_from(texts["approve"]),
        sorted(entries, key=lambda it: (it.gives, it.on or "", it.to)),
        *own,
        lists["domains"],
        texts["lasts"],
        texts["longest"],
        lists["says"],
        int(texts["hours"] or 0),
        lists["told"],
        lists["looked_at_by"],
    )


def kits_in(records: Records) -> list[Kit]:
    """All kits, by name."""
    entries: dict[str, list[KitEntry]] = {}
    for kit, gives, on, to in zip(*columns_of(records, KIT_ENTRIES, "kit", "gives", "on", "to"), strict=True):
        entries.setdefault(str(kit), []).append(KitEntry(str(gives), on, str(to)))
    columns = columns_of(records, KITS, *KITS.names)
    rows = (dict(zip(KITS.names, values, strict=True)) for values in zip(*columns, strict=True))
    return sorted((kit_from(row, entries.get(str(row["kit"]), [])) for row in rows), key=lambda it: it.name)


def find_kit(records: Records, name: str) -> Kit:
    """The kit of a name. Raises CallError with the nearest."""
    record = records.with_key(KITS, (name.removeprefix("kit:"),))
    if record is None:
        known = [str(it) for it in records.column(KITS, "kit").listed()]
        raise CallError(f"There is no kit {name}.", f"{nearest(name, known)} See `kathodos kit list`.")
    some = records.holding(KIT_ENTRIES, {"kit": [record["kit"]]}).records()
    return kit_from(record, [KitEntry(str(it["gives"]), it["on"], str(it["to"])) for it in some])


def is_kit(records: Records, name: str) -> bool:
    """Whether something is the name of a kit."""
    return records.with_key(KITS, (name.removeprefix("kit:"),)) is not None


def entry_named(desk: Desk, gives: str, on: str | None = None, to: str = PERSON) -> KitEntry:
    """The entry that some words mean. Raises CallError where there is no such role, permission, group or scope."""
    if gives.startswith("group:"):
        if on:
            raise CallError(f"{gives} is joined as a whole, and not on {on}.", "Leave the scope out.")
        reference = resolved(desk.records, gives, (GROUPS,))
        system, _, name = reference.partition(":")[2].partition("/")
        held = records_held(desk.records, GROUPS, [(system, name)])
        if any(it.record["filter"] for it in held.values()):
            raise CallError(f"The members of {reference} are those that a filter selects.", "Nobody joins it by hand.")
        return KitEntry(reference, None, to)
    (what,) = desk.given([gives])
    (scope,) = desk.scopes([on]) if on else (None,)
    return KitEntry(what, scope, to)


def person_named(records: Records, text: str) -> str:
    """The id of a person. Raises CallError where there is none."""
    found = resolved(records, text, (IDENTITIES,)).removeprefix("identity:")
    must_be_listable(found)
    return found


def must_be_listable(text: str) -> None:
    """Raises CallError where a text cannot stand in a list that is kept."""
    if any(mark in text for mark in _MARKS) or not text.strip():
        raise CallError(f"{text!r} cannot stand in a list of a kit.", 'Write it without ; " and \\.')


def checked_steps(records: Records, steps: Sequence[ApprovalStep]) -> list[ApprovalStep]:
    """A chain with the people it names by their ids. Raises CallError where one is not there, or nobody is named."""
    if not steps:
        raise CallError("It does not say who approves.", "Name manager, owner, or people: --approve manager owner")
    found = []
    for step in steps:
        by = [it if it in (MANAGER, OWNER) else person_named(records, it) for it in step.by]
        found.append(ApprovalStep(list(dict.fromkeys(by)), step.takes))
    return found


def checked_kit(desk: Desk, kit: Kit) -> Kit:
    """A kit as it is kept, with every name in it by its full reference. Raises CallError where something is wrong."""
    if not kit.name.strip() or any(mark in kit.name for mark in '/:;"\\') or kit.name != kit.name.strip():
        raise CallError(f"{kit.name!r} is no name of a kit.", 'Write one without / : ; " and \\, as in quay-summer.')
    records = desk.records
    if not kit.entries:
        raise CallError(f"The kit {kit.name} gives nothing.", "Name a role, a permission or a group: --gives WHAT")
    entries = [entry_named(desk, it.gives, it.on, it.to) for it in kit.entries]
    if kit.receivers:
        try:
            check_comparisons(parse_filter(kit.receivers), IDENTITIES.form, None)
        except FilterError as error:
            raise CallError(f"Who may ask for {kit.name} is no filter over people: {error}.", _REMEDY) from None
    for what, period in (("lasts", kit.lasts), ("longest", kit.longest)):
        try:
            parts_of(period)
        except ValueError as error:
            raise CallError(f"{kit.name}: {what} is wrong, for {error}.", _REMEDY) from None
    for text in (*kit.domains, *kit.says):
        must_be_listable(text)
    people = [*kit.told, *(it for it in kit.looked_at_by if it not in (MANAGER, OWNER))]
    named = {it: person_named(records, it) for it in people}
    if kit.hours < 0 or kit.hours > 24 * 31:
        raise CallError(f"{kit.name}: an emergency of {kit.hours} hours is none.", "Write 1 to 744 hours.")
    if kit.hours and not kit.looked_at_by:
        what = f"{kit.name} may be taken in an emergency, and nobody is named to look back on it."
        raise CallError(what, "Name manager, owner or people: looked_at_by")
    return Kit(
        kit.name,
        checked_steps(records, kit.steps),
        sorted(dict.fromkeys(entries), key=lambda it: (it.gives, it.on or "", it.to)),
        kit.title,
        person_named(records, kit.owner) if kit.owner else "",
        kit.receivers,
        kit.domains,
        kit.lasts,
        kit.longest,
        kit.says,
        kit.hours,
        [named[it] for it in kit.told],
        [named.get(it, it) for it in kit.looked_at_by],
    )


def kit_edits(before: Kit | None, after: Kit | None) -> EditSet:
    """What turns one kit into another; None: there is none."""
    found = EditSet()
    was, is_then = (None if it is None else it.record for it in (before, after))
    if was != is_then:
        found.put(edit_of(KITS, was, is_then))
    old, new = ([] if it is None else it.entry_records for it in (before, after))
    for record in old:
        if record not in new:
            found.put(edit_of(KIT_ENTRIES, record, None))
    for record in new:
        if record not in old:
            found.put(edit_of(KIT_ENTRIES, None, record))
    return found


def may_ask(records: Records, kit: Kit, person: str, moment: int) -> bool:
    """Whether somebody in the catalogue may ask for a kit."""
    if not kit.receivers:
        return True
    columns = AttributeColumns(records, IDENTITIES, today=moment)
    return bool(
        (columns.selected(parse_filter(kit.receivers)) & records.column(IDENTITIES, "id").holding(person)).any()
    )


def entries_text(entries: Iterable[KitEntry]) -> str:
    """Entries as they are kept with a request."""
    return json_text([[it.gives, it.on, it.to] for it in entries])


def entries_from(text: str | None) -> list[KitEntry]:
    """Entries from what is kept of them."""
    return [KitEntry(*it) for it in json.loads(text)] if text else []


def role_or_permission(desk: Desk, text: str, on: str | None) -> list[KitEntry]:
    """What is asked for without a kit: one role, permission or group."""
    return [entry_named(desk, text, on)]
