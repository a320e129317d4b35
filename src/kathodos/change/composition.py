"""What composing comes to, and what it rests on: names meant by a person, and what is held already."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import datetime
from typing import Any

import msgspec

from kathodos.change.edit_sets import EditSet, Key
from kathodos.change.settling import records_held
from kathodos.columns.dictionary import positions_among
from kathodos.errors import CallError
from kathodos.model.addresses import parse_pattern
from kathodos.model.kinds import (
    ACCOUNTS,
    ACTIONS,
    AREAS,
    GRANTS,
    GROUPS,
    IDENTITIES,
    ROLE_PERMISSIONS,
    ROLES,
    SYSTEMS,
    Kind,
    split_gives,
)
from kathodos.model.references import PREFIXES, reference_to
from kathodos.model.rows import Record
from kathodos.model.suggestions import nearest
from kathodos.model.times import end_moment, microseconds
from kathodos.store.naming import resolved
from kathodos.store.records import Records, positions_holding

HOLDERS = (IDENTITIES, ACCOUNTS, GROUPS)
EVERYONE = "everyone"
_MOST_TOLD = 10


class Composition(msgspec.Struct):
    """Edits that were composed: how many were asked for, how many stand already, and what is to be said of them."""

    edits: EditSet = msgspec.field(default_factory=EditSet)
    asked: int = 0
    standing: int = 0
    notes: list[str] = msgspec.field(default_factory=list)

    def joined(self, other: Composition) -> Composition:
        """Both together."""
        edits = EditSet([*self.edits, *other.edits])
        notes = list(dict.fromkeys([*self.notes, *other.notes]))
        return Composition(edits, self.asked + other.asked, self.standing + other.standing, notes)


class Desk(msgspec.Struct, frozen=True):
    """What is composed on: the records as decided, the moment, and who composes."""

    records: Records
    now: datetime
    author: str = ""

    @property
    def moment(self) -> int:
        return microseconds(self.now)

    # Names

    def holders(self, texts: Sequence[str], among: Sequence[Kind] = HOLDERS, with_everyone: bool = True) -> list[str]:
        """The references that some names mean. Raises CallError that tells all that are unknown or ambiguous."""
        known = self._known_at_once(texts, among)
        found, wrong = [], []
        for text in texts:
            if text == EVERYONE and with_everyone:
                found.append(text)
            elif text in known:
                found.append(known[text])
            else:
                try:
                    found.append(resolved(self.records, text, among))
                except CallError as error:
                    wrong.append(error)
        _raise_all(wrong)
        return list(dict.fromkeys(found))

    def _known_at_once(self, texts: Sequence[str], among: Sequence[Kind]) -> dict[str, str]:
        """Those of many names that are full references, or plain ids that no login is called by; looked up together."""
        found: dict[str, str] = {}
        for kind in among:
            start = f"{PREFIXES[kind.name]}:"
            by_key: dict[Key, str] = {}
            for text in texts:
                rest = text.removeprefix(start)
                parts = (rest,) if len(kind.key) == 1 else tuple(rest.split("/", 1))
                if text.startswith(start) and len(parts) == len(kind.key):
                    by_key[parts] = text
            found |= {text: text for key, text in self._there(kind, by_key)}
        if IDENTITIES in among:
            plain = {(text,): text for text in texts if ":" not in text and "/" not in text}
            people = {text: reference_to("identity", text) for _, text in self._there(IDENTITIES, plain)}
            for kind in (it for it in among if it is not IDENTITIES):  # whose last part is called so is meant as well
                column = self.records.column(kind, kind.key[-1])
                for text, at in zip(people, positions_among(list(people), column.values).tolist(), strict=True):
                    if at >= 0:
                        plain.pop((text,))
            found |= {text: people[text] for (text,) in plain if text in people}
        return found

    def _there(self, kind: Kind, by_key: dict[Key, str]) -> Iterable[tuple[Key, str]]:
        held = records_held(self.records, kind, list(by_key)) if by_key else {}
        return ((key, by_key[key]) for key in held)

    def group_to_be(self, text: str) -> str:
        """The reference of a group that is there, or is to be made. Raises CallError where there is no such system."""
        name = text.removeprefix("group:")
        try:
            return resolved(self.records, text, (GROUPS,))
        except CallError:
            system, _, short = name.partition("/")
            if not short:
                raise
            self._must_have_system(system)
            return reference_to("group", name)

    def given(self, texts: Sequence[str]) -> list[str]:
        """What some words mean that can be given: roles, or an action and a pattern. Raises CallError as above."""
        found, wrong = [], []
        for text in texts:
            try:
                found.append(self._given(text))
            except CallError as error:
                wrong.append(error)
        _raise_all(wrong)
        return list(dict.fromkeys(found))

    def _given(self, text: str) -> str:
        action, _, pattern = text.partition(" ")
        if ":/" in pattern and not text.startswith("role:"):
            pattern = self._pattern(pattern.strip())
            system = pattern.partition(":")[0]
            names = {str(it) for it in self.actions(system)}
            if action != "*" and action not in names:
                raise CallError(f"The system {system} has no action {action}.", nearest(action, sorted(names)))
            return f"{action} {pattern}"
        return resolved(self.records, text, (ROLES,))

    def actions(self, system: str) -> set[str]:
        """The actions of a system: those listed, and those that permissions name."""
        at = positions_holding(self.records, ACTIONS, {"system": system})
        names = set(map(str, self.records.column(ACTIONS, "action").listed(at)))
        at = positions_holding(self.records, ROLE_PERMISSIONS, {"system": system})
        names |= set(map(str, self.records.column(ROLE_PERMISSIONS, "action").listed(at)))
        gives = (split_gives(str(it)) for it in self.records.column(GRANTS, "gives").values)
        return (names | {action for action, pattern in gives if pattern.startswith(f"{system}:")}) - {"*", ""}

    def _pattern(self, text: str) -> str:
        try:
            pattern = str(parse_pattern(text))
        except ValueError as error:
            raise CallError(f"{text} is no resource: {error}.", "Write it as in dues:/waivers/2026.") from None
        self._must_have_system(pattern.partition(":")[0])
        return pattern

    def _must_have_system(self, system: str) -> None:
        names = [str(it) for it in self.records.column(SYSTEMS, "system").listed()]
        if system not in names:
            raise CallError(f"There is no system {system}.", nearest(system, names))

    def scopes(self, texts: Sequence[str]) -> list[str | None]:
        """The scopes that some words mean; the whole system where there is none. Raises CallError as above."""
        found: list[str | None] = []
        wrong = []
        for text in texts:
            try:
                found.append(resolved(self.records, text, (AREAS,)) if ":/" not in text else self._pattern(text))
            except CallError as error:
                wrong.append(error)
        _raise_all(wrong)
        return list(dict.fromkeys(found)) or [None]

    # Who may be given anything

    def must_be_there(self, holders: Sequence[str]) -> None:
        """Raises CallError where one of some holders has left."""
        gone = self.left_among(holders)
        if gone:
            what = f"{_listed(gone)} {'has' if len(gone) == 1 else 'have'} left, and nothing is given to who has."
            raise CallError(what, "Bring them back first: kathodos people back ID")

    def left_among(self, holders: Sequence[str]) -> list[str]:
        """The ids of those of some holders who have left."""
        people = [(it.partition(":")[2],) for it in holders if it.startswith("identity:")]
        held = records_held(self.records, IDENTITIES, people)
        return [str(key[0]) for key, it in held.items() if self.has_left(it.record)]

    def has_left(self, identity: Record) -> bool:
        """Whether somebody has left, by status or by last day."""
        return identity["status"] == "left" or end_moment(identity["ends"]) <= self.moment


def all_named(*parts: Callable[[], Any]) -> list[Any]:
    """What several lists of names mean. Raises one CallError that tells what is wrong in any of them."""
    found, wrong = [], []
    for part in parts:
        try:
            found.append(part())
        except CallError as error:
            wrong.append(error)
    _raise_all(wrong)
    return found


def _raise_all(wrong: Sequence[CallError]) -> None:
    """Raises one error that tells all of some."""
    if len(wrong) == 1:
        raise wrong[0]
    if wrong:
        told = " ".join(it.what for it in wrong[:_MOST_TOLD])
        more = f" And {len(wrong) - _MOST_TOLD} more." if len(wrong) > _MOST_TOLD else ""
        raise CallError(f"{told}{more}", "Nothing was composed. Correct these names, or leave them out.")


def _listed(names: Sequence[object]) -> str:
    more = f" and {len(names) - _MOST_TOLD} more" if len(names) > _MOST_TOLD else ""
    return ", ".join(map(str, names[:_MOST_TOLD])) + more
