"""What requests give, as edits: each entry comes once, and goes when no request that runs gives it any more.

A grant or membership that a request put there belongs to the requests that run and name it. What somebody holds already
by a grant of their own, that lasts as long, is left as it is, and stays when the request is over.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

import msgspec

from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import EditSet, Key, edit_of, key_from, key_text
from kathodos.change.fulfilled import alike
from kathodos.change.giving import told
from kathodos.change.settling import records_held
from kathodos.errors import CallError
from kathodos.ledger.operations import Plan
from kathodos.model.cells import IN_AN_ID, derived_id
from kathodos.model.kinds import ACCOUNTS, BY_NAME, GRANTS, MEMBERS, REQUEST_ITEMS, Kind
from kathodos.model.references import reference_to
from kathodos.model.requests import RequestState
from kathodos.model.rows import Record
from kathodos.model.times import end_moment, first_moment
from kathodos.request.kits import ACCOUNT, KitEntry
from kathodos.request.records import Request, items_of_requests, requests_holding
from kathodos.store.records import Records


class Item(msgspec.Struct, frozen=True):
    """One entry of a request as somebody holds it: by which record, and whether a request put it there."""

    kind: Kind
    key: Key
    holder: str
    gives: str
    on: str | None
    brought: bool

    def row(self, request: int, number: int) -> tuple[str | int | None, ...]:
        """It as it is kept."""
        start = (request, number, self.kind.name, key_text(self.key))
        return (*start, self.holder, self.gives, self.on, int(self.brought))


def item_from(record: Record) -> Item:
    """An item from what is kept of it."""
    own = (str(record["holder"]), str(record["gives"]), record["on"], bool(record["brought"]))
    return Item(BY_NAME[str(record["kind"])], key_from(str(record["record"])), *own)


class Given(msgspec.Struct):
    """What it takes to give something: the edits, and the items that are held then."""

    composition: Composition = msgspec.field(default_factory=Composition)
    items: list[Item] = msgspec.field(default_factory=list)


def holder_of(desk: Desk, entry: KitEntry, person: str, holder: str = "") -> str:
    """Who holds an entry: the account that was named, the person's account in its system, or the person.

    Raises CallError where the person has no account there that is enabled, or several.
    """
    if holder:
        return holder
    if entry.to != ACCOUNT:
        return reference_to("identity", person)
    wanted = {"identity": [person], "system": [entry.system], "status": ["enabled"]}
    logins = [str(it) for it in desk.records.holding(ACCOUNTS, wanted)["login"]]
    if len(logins) != 1:
        has = f"has {len(logins)} accounts" if logins else "has no account that is enabled"
        what = f"{entry.text} is held by an account, and {person} {has} in {entry.system}."
        raise CallError(what, "Ask for it with --for account:SYSTEM/LOGIN." if logins else "Have one made first.")
    return reference_to("account", entry.system, logins[0])


def give_entries(
    desk: Desk, wanted: Sequence[tuple[KitEntry, str]], until: str, brought: set[tuple[str, str]], reason: str
) -> Given:
    """What it takes that each holder has each entry until then. `brought`: the records, as kind and key, that requests
    which run have put there."""
    found = Given()
    holders = [holder for _, holder in wanted]
    desk.must_be_there(holders)
    held = _held(desk, [it for it in wanted if not it[0].gives.startswith("group:")])
    for entry, holder in wanted:
        found.composition.asked += 1
        if entry.gives.startswith("group:"):
            _join(desk, entry, holder, brought, found)
        else:
            _grant(desk, entry, holder, until, held, brought, found, reason)
    return found


def _held(desk: Desk, wanted: Sequence[tuple[KitEntry, str]]) -> Mapping[tuple[str, str, str | None], list[Record]]:
    """The grants in force or to come that permit the same to the same, by holder, what and scope."""
    found: dict[tuple[str, str, str | None], list[Record]] = {}
    if not wanted:
        return found
    for record in _granted(desk, [holder for _, holder in wanted], [entry.gives for entry, _ in wanted]):
        if _counts(desk, record):
            found.setdefault((record["holder"], record["gives"], record["on"]), []).append(record)
    return found


def _granted(desk: Desk, holders: Sequence[str], gives: Sequence[str]) -> Iterator[Record]:
    """The grants of some of some holders; only these are read in full."""
    yield from desk.records.holding(GRANTS, {"holder": holders, "gives": gives}).records()


def _counts(desk: Desk, grant: Record) -> bool:
    is_plain = grant["effect"] != "deny" and not grant["tier"]
    return is_plain and first_moment(grant["from"]) <= desk.moment < end_moment(grant["until"])


def _grant(
    desk: Desk,
    entry: KitEntry,
    holder: str,
    until: str,
    held: Mapping[tuple[str, str, str | None], list[Record]],
    brought: set[tuple[str, str]],
    found: Given,
    reason: str,
) -> None:
    alike = held.get((holder, entry.gives, entry.on), [])
    own = [it for it in alike if (GRANTS.name, key_text((it["grant"],))) in brought]
    lasting = [it for it in alike if it not in own and end_moment(it["until"]) >= end_moment(until)]
    if lasting:
        found.composition.standing += 1
        found.items.append(_of_grant(lasting[0], False))
    elif own:
        longest = max(own, key=lambda it: end_moment(it["until"]))
        found.items.append(_of_grant(longest, True))
        if end_moment(longest["until"]) >= end_moment(until):
            found.composition.standing += 1
        else:
            found.composition.edits.put(edit_of(GRANTS, longest, {**longest, "until": until}))
    else:
        record = _new_grant(desk, entry, holder, until, reason)
        found.composition.edits.put(edit_of(GRANTS, None, record))
        found.items.append(_of_grant(record, True))


def _of_grant(record: Record, brought: bool) -> Item:
    return Item(GRANTS, (record["grant"],), record["holder"], record["gives"], record["on"], brought)


def _new_grant(desk: Desk, entry: KitEntry, holder: str, until: str, reason: str) -> Record:
    record: dict[str, Any] = dict.fromkeys(GRANTS.names)
    record |= {"holder": holder, "gives": entry.gives, "on": entry.on, "effect": "permit", "tier": 0, "until": until}
    record |= {"given_by": desk.author or None, "given_at": desk.now.date().isoformat(), "reason": reason or None}
    return {**record, "grant": derived_id([record[name] for name in IN_AN_ID])}


def _join(desk: Desk, entry: KitEntry, holder: str, brought: set[tuple[str, str]], found: Given) -> None:
    system, _, group = entry.gives.partition(":")[2].partition("/")
    key = (system, group, holder)
    is_there = bool(records_held(desk.records, MEMBERS, [key]))
    if is_there:
        found.composition.standing += 1
    else:
        found.composition.edits.put(edit_of(MEMBERS, None, dict(zip(MEMBERS.names, key, strict=True))))
    is_brought = not is_there or (MEMBERS.name, key_text(key)) in brought
    found.items.append(Item(MEMBERS, key, holder, entry.gives, None, is_brought))


def brought_by(records: Records, requests: Iterable[Request]) -> set[tuple[str, str]]:
    """The records, as kind and key, that some requests have put there."""
    numbers = [it.number for it in requests]
    items = items_of_requests(records, numbers) if numbers else {}
    return {(str(it["kind"]), str(it["record"])) for some in items.values() for _, it in some if it["brought"]}


def put_items(plan: Plan, request: int, items: Sequence[Item], before: Sequence[tuple[int, Record]] = ()) -> None:
    """Writes what a request gives, in the place of what was kept of it."""
    plan.close_rows(REQUEST_ITEMS, [row for row, _ in before])
    plan.open_rows(REQUEST_ITEMS, [it.row(request, number) for number, it in enumerate(items, 1)])


# Ending


class Ending(msgspec.Struct):
    """What it takes to end something: the edits, and what stays although it was given, with why."""

    edits: EditSet = msgspec.field(default_factory=EditSet)
    notes: list[str] = msgspec.field(default_factory=list)


def end_items(
    desk: Desk, stored: Records, ended: Sequence[tuple[Request, Item]], going: set[int] | None = None
) -> Ending:
    """What it takes that some requests no longer give some items: what no other that runs gives goes.

    `going`: the numbers of requests that count as over.
    """
    found = Ending()
    over = {request.number for request, _ in ended} if going is None else going
    ours: dict[tuple[Kind, Key], list[Request]] = {}
    for request, item in ended:
        if item.brought:
            ours.setdefault((item.kind, item.key), []).append(request)
    others = _others(stored, list(ours), over)
    by_kind: dict[Kind, list[Key]] = {}
    for kind, key in ours:
        by_kind.setdefault(kind, []).append(key)
    items = {(item.kind, item.key): item for _, item in ended}
    for kind, keys in by_kind.items():
        held = {key: it.record for key, it in records_held(desk.records, kind, keys).items()}
        if kind is GRANTS:
            held |= _called_otherwise(
                desk, [(key, items[kind, key], ours[kind, key]) for key in keys if key not in held]
            )
        for key in keys:
            record = held.get(key)
            if record is not None:
                _end_one(kind, record, ours[kind, key], others.get((kind, key), []), found)
    return found


def _end_one(kind: Kind, record: Record, ours: Sequence[Request], others: Sequence[Request], found: Ending) -> None:
    if kind is not GRANTS:
        if not others:
            found.edits.put(edit_of(kind, record, None))
        else:
            found.notes.append(_stays(f"the membership of {record['member']}", others))
        return
    latest = max(end_moment(it.ends) for it in (*ours, *others))
    what = f"{record['gives']} of {record['holder']}"
    if end_moment(record["until"]) > latest:
        until = record["until"] or "no day"
        found.notes.append(f"{what} stays: somebody has prolonged it otherwise, and it ends on {until}")
    elif others:
        until = max((it.ends for it in others), key=end_moment)
        found.notes.append(_stays(what, others))
        if end_moment(until) < end_moment(record["until"]):
            found.edits.put(edit_of(GRANTS, record, {**record, "until": until}))
    else:
        found.edits.put(edit_of(GRANTS, record, None))


def _stays(what: str, others: Sequence[Request]) -> str:
    by = told([f"request {it.number} ({it.what})" for it in others])
    return f"{what} stays, for it is given by {by}"


def _others(
    stored: Records, wanted: Sequence[tuple[Kind, Key]], over: set[int]
) -> dict[tuple[Kind, Key], list[Request]]:
    """The requests in force, beside those that are over, that have put the same records there."""
    if not wanted:
        return {}
    texts = {key_text(key): key for _, key in wanted}
    pairs = [
        (int(it["request"]), BY_NAME[it["kind"]], texts[it["record"]])
        for it in stored.holding(REQUEST_ITEMS, {"record": list(texts)}).records()
        if it["brought"] and int(it["request"]) not in over
    ]
    numbers = list(dict.fromkeys(number for number, _, _ in pairs))
    found: dict[tuple[Kind, Key], list[Request]] = {}
    if not numbers:
        return found
    running = {
        it.number: it for it in requests_holding(stored, {"request": numbers, "state": [RequestState.GRANTED.value]})
    }
    for number, kind, key in pairs:
        if number in running:
            found.setdefault((kind, key), []).append(running[number])
    return found


def _called_otherwise(desk: Desk, wanted: Sequence[tuple[Key, Item, Sequence[Request]]]) -> dict[Key, Record]:
    """Grants that a source brings under a name of its own: the same, to the same, until the same moment."""
    found: dict[Key, Record] = {}
    for key, item, requests in wanted:
        for request in requests:
            record = dict.fromkeys(GRANTS.names) | {"grant": key[0], "effect": "permit", "tier": 0}
            record |= {"holder": item.holder, "gives": item.gives, "on": item.on, "until": request.ends}
            other = alike(desk.records, [(GRANTS, record)]).get((GRANTS.name, key))
            if other is not None and not other.differs:
                found[key] = other.record
    return found
