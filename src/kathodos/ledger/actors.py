"""Who acts: the name that somebody gives, found among the identities, their accounts and the names that are listed.

Names are compared without blanks at their ends and without regard to case or to how a letter is put together
(Unicode NFC). A name that is only like one is never taken for it.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Mapping
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.errors import CallError
from kathodos.model.filters import Comparison, Mask
from kathodos.model.kinds import ACCOUNTS, IDENTITIES, KITS, split_list
from kathodos.model.references import name_in
from kathodos.model.suggestions import nearest
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import Records

_MOST_COMPARED = 5000
_LISTING = "List who may act besides the people in the catalogue in kathodos.toml: [actors] names = [...]."


def normal_name(text: str) -> str:
    """A name as it is compared with others."""
    return unicodedata.normalize("NFC", text).strip().casefold()


class Acting(msgspec.Struct, frozen=True):
    """The name that somebody gives. `listed`: names that may act, each with the identity that it is (empty: none)."""

    text: str
    listed: Mapping[str, str]

    def among(self, records: Records) -> Actor:
        """Who that is. Raises CallError where it is nobody, or may be several."""
        text = self.text.strip()
        prefix, _, rest = text.partition(":")
        exact = rest if prefix == "identity" else text
        if prefix != "account" and records.with_key(IDENTITIES, (exact,)):
            return Actor(exact, records)
        for name, identity in self.listed.items():
            if normal_name(name) == normal_name(text):
                return Actor(name, records, is_listed=True, is_identity=identity)
        people = set() if prefix == "account" else identities_called(records, exact, ("id", "email"))
        accounts = accounts_called(records, rest if prefix == "account" else text) if prefix != "identity" else _NONE
        found = sorted(people | _owners(records, accounts))
        if len(found) == 1:
            return Actor(found[0], records)
        if found:
            raise CallError(f"{self.text!r} may be {' or '.join(found)}.", "Name one of them with --as.")
        if len(accounts):
            raise CallError(f"The account {text} is tied to nobody, and acts for nobody.", _LISTING)
        if prefix == text and is_guest(records, text):
            return Actor(normal_name(text), records, is_guest=True)
        raise CallError(f"There is nobody called {self.text!r} who could act.", f"{self._nearest(records)} {_LISTING}")

    def _nearest(self, records: Records) -> str:
        """A sentence with the nearest who may act; whoever bears it as a name of their own comes first."""
        named = identities_called(records, self.text, ("name",))
        if named:
            return f"That is the name of {' and of '.join(sorted(named)[:3])}: write that."
        some = records.column(IDENTITIES, "id").listed(np.arange(min(_MOST_COMPARED, len(records.rows(IDENTITIES)))))
        return nearest(normal_name(self.text), [*self.listed, *map(str, some)])


class Actor(msgspec.Struct, frozen=True, dict=True):
    """Who acts. `name` is what is kept of them: the id of an identity, a name that is listed, or the mail of a guest.

    A guest is nobody in the catalogue, and may only ask for what is offered to people with mail of its domain.
    """

    name: str
    records: Records
    is_listed: bool = False
    is_identity: str = ""
    is_guest: bool = False

    @cached_property
    def identities(self) -> frozenset[str]:
        """Every identity that this may be, so that what nobody may do to themselves holds under each of their names.

        That is the identity, and others with the same mail; of a listed name the one that the configuration says, and
        each that bears it as id, name, mail or login.
        """
        mails = _mails_of(self.records, self.own)
        return self.own | {it for mail in mails for it in identities_called(self.records, mail, ("email",))}

    @cached_property
    def own(self) -> frozenset[str]:
        """Every identity that this may be by its name alone, whatever its mail."""
        own = {self.is_identity or self.name}
        if self.is_listed:
            own |= identities_called(self.records, self.name, ("id", "name", "email"))
            accounts = accounts_called(self.records, self.name)
            own |= _owners(self.records, accounts)
        return frozenset(own)

    def is_one_with(self, other: Actor) -> bool:
        """Whether two may be the same person: by an identity of their own, or by the mail of one.

        So it is where one of all the names of one is one of all those of the other; nobody else is looked at for that.
        """
        mine, theirs = (it.own | {it.name} for it in (self, other))
        first, second = (
            {normal_name(it) for it in (*_mails_of(who.records, who.own), *names) if "@" in it}
            for who, names in ((self, mine), (other, theirs))
        )
        return bool(mine & theirs or first & second)

    @property
    def names(self) -> frozenset[str]:
        """Every name under which something may be said of them."""
        return self.identities | {self.name}

    def is_called(self, name: str) -> bool:
        """Whether a name that is written somewhere is theirs."""
        wanted = normal_name(name_in("identity", name))
        if wanted in {normal_name(it) for it in (self.name, *self.own)}:  # for others all mails are looked through
            return True
        return wanted in {normal_name(it) for it in self.names}


_NONE: Ints = np.zeros(0, dtype=np.int64)


def is_guest(records: Records, mail: str) -> bool:
    """Whether a text is a mail address of a domain whose people may ask without being in the catalogue."""
    name, at, domain = mail.rpartition("@")
    if not at or not name or any(mark.isspace() for mark in mail.strip()):
        return False
    lists = records.column(KITS, "domains").values
    return normal_name(domain) in {normal_name(it) for text in lists for it in split_list(str(text))}


def identities_called(records: Records, name: str, attributes: Iterable[str]) -> set[str]:
    """The ids of the identities that bear a name in one of some attributes: `id`, `name` or `email`."""
    columns = AttributeColumns(records, IDENTITIES)
    found = np.zeros(len(columns), dtype=bool)
    for attribute in attributes:
        found |= _where(columns, attribute, name)
    return _texts(records.column(IDENTITIES, "id"), found.nonzero()[0])


def accounts_called(records: Records, name: str) -> Ints:
    """The positions of the accounts with a login, or with `system/login`."""
    columns = AttributeColumns(records, ACCOUNTS)
    found = _where(columns, "login", name)
    system, _, login = name.partition("/")
    if login:
        found |= _where(columns, "login", login) & _where(columns, "system", system)
    return found.nonzero()[0]


def _owners(records: Records, accounts: Ints) -> set[str]:
    """The identities to which some accounts are tied; one that is not there owns nothing."""
    named = _texts(records.column(ACCOUNTS, "identity"), accounts)
    return set(records.holding(IDENTITIES, {"id": list(named)})["id"]) if named else named


def _mails_of(records: Records, ids: Iterable[str]) -> set[str]:
    """The mails of some identities."""
    held = records.holding(IDENTITIES, {"id": list(ids)})["email"]
    return {str(mail) for mail in held if mail and mail.strip()}


def _where(columns: AttributeColumns, attribute: str, value: str) -> Mask:
    composed = unicodedata.normalize("NFC", value.strip())
    found = columns.selected(Comparison(attribute, "eq", value.strip()))
    return found | columns.selected(Comparison(attribute, "eq", composed)) if composed != value.strip() else found


def _texts(column: DictionaryColumn, positions: Ints) -> set[str]:
    return {str(value) for value in column.listed(positions) if value is not None}
