"""People invited, activated, suspended, brought back and let go, as edits of their records and of what they hold."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import EditSet, RecordEdit, edit_of, key_text
from kathodos.change.restoring import Part, accounts_of, restoring
from kathodos.change.settling import records_held
from kathodos.columns.dictionary import tabled_texts
from kathodos.columns.matching import folded_as, which
from kathodos.errors import CallError, DataError, UnfitError
from kathodos.model.cells import read_record, read_record_text
from kathodos.model.kinds import ACCOUNTS, GRANTS, IDENTITIES, MEMBERS, MERGES, ORDERS, Kind
from kathodos.model.names import name_skeleton
from kathodos.model.orders import OrderState
from kathodos.model.references import Names, reference_to
from kathodos.model.rows import Record
from kathodos.model.times import end_moment
from kathodos.store.records import Records, Stored, columns_of

_INVITED = "invited"
_WANTED = ("name", "email")


class Invitation(msgspec.Struct, frozen=True):
    """Somebody to be invited: cells by column, and where they were said."""

    cells: Mapping[str, str]
    where: str = ""


def invitation_of(line: str) -> Invitation:
    """An invitation from a line as in `Ane Holm, ane.holm@example.org`. Raises CallError where it is none."""
    name, comma, mail = line.rpartition(",")
    if not comma or not name.strip() or not mail.strip():
        raise CallError(f"{line!r} says nobody.", "Write it as in 'Ane Holm, ane.holm@example.org'.")
    return Invitation({"name": name.strip(), "email": mail.strip()}, repr(line))


def invite(desk: Desk, invitations: Sequence[Invitation], may_be_alike: bool = False) -> Composition:
    """Identities with the status invited. Raises DataError that tells every wrong mail and every duplicate.

    `may_be_alike`: somebody of the same name may be there already.
    """
    names, found, wrong = _Names(desk.records), Composition(asked=len(invitations)), []
    read: list[tuple[Invitation, Record | UnfitError]] = []
    for invitation in invitations:
        try:
            read.append((invitation, _invited(desk, invitation, names)))
        except UnfitError as error:
            read.append((invitation, error))
    known = _Known(desk.records, [it for _, it in read if not isinstance(it, UnfitError)])
    for invitation, record in read:
        try:
            if isinstance(record, UnfitError):
                raise record
            known.must_be_new(record, may_be_alike)
        except UnfitError as error:
            wrong.append(f"{invitation.where}: {error.reason}.")
            continue
        known.note(record)
        found.edits.put(edit_of(IDENTITIES, None, record))
    if wrong:
        more = f" And {len(wrong) - 10} more." if len(wrong) > 10 else ""
        raise DataError(" ".join(wrong[:10]) + more, "Nobody was invited. Correct these lines, or take them out.")
    return found


class _Names:
    """The identities that an invitation may name, made when one does."""

    def __init__(self, records: Records) -> None:
        self._records = records

    @cached_property
    def all(self) -> Names:
        names = Names()
        names.add(IDENTITIES, zip(self._records.column(IDENTITIES, "id").values, strict=True))
        return names

    def for_cells(self, cells: Mapping[str, str]) -> Names:
        """All of them where some cells name one."""
        return self.all if any(column.refers and column.name in cells for column in IDENTITIES.columns) else Names()


def _invited(desk: Desk, invitation: Invitation, names: _Names) -> Record:
    from email_validator import EmailNotValidError, validate_email

    cells = {name.lower(): cell for name, cell in invitation.cells.items() if cell and cell.strip()}
    missing = [name for name in _WANTED if name not in cells]
    if missing:
        raise UnfitError(f"{' and '.join(missing)} is missing", "Fill it in.")
    try:
        mail = validate_email(cells["email"], check_deliverability=False, allow_smtputf8=True).normalized
    except EmailNotValidError as error:
        raise UnfitError(f"{cells['email']!r} is no mail address: {str(error).rstrip('.')}", "Correct it.") from None
    status = {"status": _INVITED, "email": mail, "id": cells.get("id", mail.casefold())}
    told = {**cells, **status, "invited": desk.now.date().isoformat()}
    return read_record(IDENTITIES, told, names.for_cells(cells))


class _Known:
    """Who bears the mails, the ids and the names of some new records already, those of merged identities with them."""

    def __init__(self, records: Records, new: Sequence[Record]) -> None:
        self._records = records
        ids = [str(it["id"]) for it in new]
        held = records.column(IDENTITIES, "id")
        self._ids = set(held.listed(held.holding_any(ids).nonzero()[0]))
        mails = list(dict.fromkeys(str(it["email"]).casefold() for it in new))
        self._by_mail = dict(self._bearing("email", mails, str.casefold))
        gone, into, aliases = columns_of(records, MERGES, "identity", "into", "email")
        self._by_mail |= {str(mail).casefold(): str(to) for mail, to in zip(aliases, into, strict=True) if mail}
        self._ids |= set(gone)
        self._fresh: dict[str, str] = {}
        self._few = len(new) <= thresholds.FEW_INVITED

    def must_be_new(self, record: Record, may_be_alike: bool) -> None:
        """Raises UnfitError where somebody has the mail or the id, or may be the same."""
        mail = str(record["email"]).casefold()
        if mail in self._by_mail:
            raise UnfitError(f"{record['email']} is the mail of {self._by_mail[mail]} already", "Take it out.")
        if record["id"] in self._ids:
            raise UnfitError(f"there is an identity {record['id']} already", "Give another id.")
        alike = "" if may_be_alike else self._alike(name_skeleton(str(record["name"])))
        if alike:
            raise UnfitError(f"{record['name']} may be {alike}, who bears the same name", "If not, say --namesake.")

    def _bearing(self, column: str, wanted: Sequence[str], fold: Callable[[str], str]) -> Iterator[tuple[str, str]]:
        """Which of some folded texts somebody bears in a column, and who."""
        held = self._records.column(IDENTITIES, column)
        number = np.append(folded_as(tabled_texts(held), wanted, fold), -1)[held.codes]
        at = (number >= 0).nonzero()[0]
        ids = self._records.column(IDENTITIES, "id").listed(at)
        yield from zip((wanted[it] for it in number[at].tolist()), map(str, ids), strict=True)

    def _alike(self, skeleton: str) -> str:
        if skeleton in self._fresh:
            return self._fresh[skeleton]
        if not self._few:
            return self._by_skeleton.get(skeleton, "")
        held = self._records.column(IDENTITIES, "name")
        table = tabled_texts(held)
        same = np.arange(len(table))
        for part in _kept_parts(skeleton):
            same = same[which(table.picked(same), "co", part, lambda text: name_skeleton(text) == skeleton)]
        same = same[[name_skeleton(text) == skeleton for text in table.taken(same)]]
        at = np.isin(held.codes, same).nonzero()[0][:1]
        return "".join(map(str, self._records.column(IDENTITIES, "id").listed(at)))

    @cached_property
    def _by_skeleton(self) -> dict[str, str]:
        names, ids = columns_of(self._records, IDENTITIES, "name", "id")
        return {name_skeleton(str(it)): str(one) for it, one in zip(names, ids, strict=True) if it}

    def note(self, record: Record) -> None:
        """Knows from now on of somebody who is to come."""
        self._ids.add(record["id"])
        self._by_mail[str(record["email"]).casefold()] = str(record["id"])
        self._fresh[name_skeleton(str(record["name"]))] = str(record["id"])


def _kept_parts(skeleton: str) -> list[str]:
    """What every ASCII name with a skeleton holds, the longest first: in these parts no letter is spelled out."""
    parts = {part for part in re.split(r"(?<=[aous])| ", skeleton) if len(part) > 1}
    return sorted(parts, key=lambda it: (-len(it), it))


# Status


class _People(msgspec.Struct, frozen=True):
    """Some identities as they are, with their accounts."""

    records: Records
    ids: Sequence[str]
    held: Mapping[str, Record] = msgspec.field(default_factory=dict)

    @classmethod
    def of(cls, records: Records, ids: Sequence[str]) -> _People:
        """Those with these ids."""
        found = records_held(records, IDENTITIES, [(it,) for it in ids])
        return cls(records, ids, {str(key[0]): it.record for key, it in found.items()})

    def accounts(self) -> Iterator[Record]:
        """All accounts that are theirs."""
        yield from records_holding(self.records, ACCOUNTS, "identity", list(self.ids))


def holders_of(records: Records, ids: Sequence[str]) -> list[str]:
    """Some identities and all their accounts, by reference."""
    accounts = records_holding(records, ACCOUNTS, "identity", ids)
    owned = [reference_to("account", it["system"], it["login"]) for it in accounts]
    return [*(reference_to("identity", it) for it in ids), *owned]


def records_holding(records: Records, kind: Kind, column: str, values: Sequence[str]) -> Iterator[Record]:
    """The records of a kind that hold one of some values in a column."""
    at = records.column(kind, column).holding_any(list(values)).nonzero()[0]
    columns = [records.column(kind, name).listed(at) for name in kind.names]
    for row in zip(*columns, strict=True):
        yield dict(zip(kind.names, row, strict=True))


def activate(desk: Desk, ids: Sequence[str]) -> Composition:
    """Those who were invited become active. Raises CallError where somebody was suspended or has left."""
    people = _People.of(desk.records, ids)
    wrong = [it for it in ids if people.held[it]["status"] in ("suspended", "left")]
    if wrong:
        what = f"{', '.join(wrong[:10])} {'is' if len(wrong) == 1 else 'are'} {people.held[wrong[0]]['status']}."
        raise CallError(what, f"Bring them back with what they held: kathodos people back {wrong[0]}")
    return _with_status(people, "active")


def _with_status(people: _People, status: str) -> Composition:
    found = Composition(asked=len(people.ids))
    for one in people.ids:
        record = people.held[one]
        if record["status"] == status:
            found.standing += 1
        else:
            found.edits.put(edit_of(IDENTITIES, record, {**record, "status": status}))
    return found


def suspend(desk: Desk, ids: Sequence[str]) -> Composition:
    """They are suspended and their accounts disabled; what they hold stays theirs, and comes back with them."""
    people = _People.of(desk.records, ids)
    found = _with_status(people, "suspended")
    for edit in _disabling(people):
        found.edits.put(edit)
    return found


def _disabling(people: _People) -> Iterator[RecordEdit]:
    for account in people.accounts():
        if account["status"] != "disabled":
            yield edit_of(ACCOUNTS, account, {**account, "status": "disabled"})


def depart(desk: Desk, ids: Sequence[str], day: str | None) -> Composition:
    """They have left on a day: accounts are disabled, and all that they and their accounts hold themselves ends.

    `day`: None for the last day that is known already, or else the day of the desk.
    """
    people = _People.of(desk.records, ids)
    found = Composition(asked=len(ids))
    for one in ids:
        record = people.held[one]
        if record["status"] == "left":
            found.standing += 1
        is_over = record["ends"] is not None and end_moment(record["ends"]) <= desk.moment
        last = day or (record["ends"] if is_over else desk.now.date().isoformat())
        found.edits.put(edit_of(IDENTITIES, record, {**record, "status": "left", "ends": last}))
    for edit in _disabling(people):
        found.edits.put(edit)
    holders = holders_of(desk.records, ids)
    for kind, column in ((GRANTS, "holder"), (MEMBERS, "member")):
        for record in records_holding(desk.records, kind, column, holders):
            found.edits.put(edit_of(kind, record, None))
    return found


def bring_back(desk: Desk, records: Stored, before: Mapping[str, Stored]) -> Composition:
    """They are active again with what they held: accounts that were enabled, and what ended with them, as it was.

    `before`: for each who is suspended or has left the catalogue as it was just before. What they were given since
    stays, and what others have altered since is not turned back.
    """
    found = Composition(asked=len(before))
    for one, then in before.items():
        part = Part(reference_to("identity", one), tuple({*accounts_of(records, one), *accounts_of(then, one)}))
        for edit in _coming_back(restoring(records, then, part)):
            found.edits.put(edit)
        now = records_held(desk.records, IDENTITIES, [(one,)])[one,].record
        was = records_held(then, IDENTITIES, [(one,)]).get((one,))
        ends = was.record["ends"] if was is not None else None
        found.edits.put(edit_of(IDENTITIES, now, {**now, "status": "active", "ends": ends}))
    return found


def _coming_back(edits: EditSet) -> Iterable[RecordEdit]:
    """Of what differs since somebody was suspended or left, what they lost by it."""
    for edit in edits:
        if edit.kind is ACCOUNTS and edit.before is not None and edit.after is not None:
            if edit.before["status"] == "disabled" and edit.after["status"] == "enabled":
                yield edit_of(ACCOUNTS, edit.before, {**edit.before, "status": "enabled"})
        elif edit.kind in (GRANTS, MEMBERS) and edit.before is None:
            yield edit


def last_there(records: Stored, decided: Records, one: str) -> int | None:
    """The entry after which an identity was still there before it was suspended or left; None where it is there.

    `decided`: the records with all pending orders carried out. What was ordered together with its going may have been
    confirmed before or behind it: the state before that change was applied counts.
    """
    held = records_held(decided, IDENTITIES, [(one,)]).get((one,))
    if held is None or held.record["status"] not in _ABSENT:
        return None
    entries = [entry - 1 for entry in (_absent_since(records, one), _ordered_since(records, one)) if entry is not None]
    return min(entries, default=records.histories.newest.entry)


_ABSENT = ("suspended", "left")


def _ordered_since(records: Stored, one: str) -> int | None:
    """The entry that ordered somebody to be suspended or to have left, the last one."""
    history = records.history(ORDERS)
    mine = history.column("record").holding(key_text((one,))) & history.column("kind").holding(IDENTITIES.name)
    found = None
    for at in mine.nonzero()[0].tolist():
        after = history.column("after").value(at)
        record = read_record_text(IDENTITIES, str(after)) if after else {}
        is_first = history.column("state").value(at) == OrderState.OPEN
        if record.get("status") in _ABSENT and is_first:
            found = int(history.since[at])
    return found


def _absent_since(records: Stored, one: str) -> int | None:
    """The entry by which an identity came to be suspended or to have left; None where it is neither."""
    history = records.history(IDENTITIES)
    mine = history.column("id").holding(one).nonzero()[0]
    mine = mine[history.since[mine].argsort(kind="stable")]
    statuses = history.column("status").listed(mine)
    since = None
    for status, entry in zip(statuses, history.since[mine].tolist(), strict=True):
        since = (entry if since is None else since) if status in _ABSENT else None
    return since
