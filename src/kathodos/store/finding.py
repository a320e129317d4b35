"""Records found by a part of any of their names, in whatever way their letters are written."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.matching import which
from kathodos.columns.strings import StringTable, string_table
from kathodos.model.kinds import (
    ACCOUNTS,
    ACTIONS,
    AREAS,
    BASELINES,
    CONTROLS,
    GRANTS,
    GROUPS,
    IDENTITIES,
    KITS,
    MERGES,
    RESOURCES,
    REVIEWS,
    ROLES,
    SYSTEMS,
    Kind,
)
from kathodos.model.names import bare_text, written_forms
from kathodos.store.attributes import AttributeColumns, Distinct
from kathodos.store.records import Records

NAMED: dict[Kind, tuple[str, ...]] = {
    IDENTITIES: ("id", "name", "email"),
    ACCOUNTS: ("login", "name", "displayname", "email", "mail"),
    GROUPS: ("group", "title"),
    ROLES: ("role", "title"),
    SYSTEMS: ("system", "title"),
    RESOURCES: ("resource", "title"),
    AREAS: ("area",),
    ACTIONS: ("action",),
    GRANTS: ("grant",),
    REVIEWS: ("review",),
    CONTROLS: ("control", "title"),
    BASELINES: ("baseline",),
    KITS: ("kit", "title"),
}

_FORMER = "former id or mail"  # of somebody merged with another


class Found(msgspec.Struct, frozen=True):
    """Records of a kind: the positions, and the name of each in which the text was found."""

    kind: Kind
    positions: Ints
    by: Sequence[str]


def find(records: Records, text: str) -> Iterator[Found]:
    """The records of all kinds that bear every word of a text in one of their names."""
    words = text.split()
    for kind, own in NAMED.items():
        columns, names = AttributeColumns(records, kind), (*own, _FORMER)
        by = np.full(len(columns), len(names), dtype=np.int64)
        if kind is IDENTITIES:
            by[_merged_with(records, words)] = len(own)
        for number, name in reversed(list(enumerate(own))):
            if columns.has(name):
                by[_bearing(columns.column(name), words)] = number
        positions = (by < len(names)).nonzero()[0]
        if len(positions):
            yield Found(kind, positions, [names[at] for at in by[positions].tolist()])


def _merged_with(records: Records, words: Sequence[str]) -> Bools:
    """The identities that another one, whose id or mail was such, is merged into."""
    merges = AttributeColumns(records, MERGES)
    bearing = _bearing(merges.column("identity"), words) | _bearing(merges.column("email"), words)
    into = records.column(MERGES, "into").listed(bearing.nonzero()[0])
    return records.column(IDENTITIES, "id").holding_any(into)


def people_called(records: Records, text: str) -> Ints:
    """The positions of the identities that somebody may mean by a name, a mail, or words of a name in any order.

    Whoever is called exactly so comes before those who are called so in part.
    """
    columns = AttributeColumns(records, IDENTITIES)
    mail, name = columns.column("email"), columns.column("name")
    whole = _holding(mail, "eq", text) | _holding(name, "eq", text)
    if not whole.any():
        whole = _bearing(name, text.split(), is_whole=True)
    return whole.nonzero()[0]


def _bearing(held: Distinct, words: Sequence[str], is_whole: bool = False) -> Bools:
    """The rows whose text holds all of some words, or (`is_whole`) has them among its own words."""
    found = np.ones(len(held.codes), dtype=bool)
    for word in words:
        found &= _holding(held, "co", word, is_whole)
    return found & bool(words)


def _holding(held: Distinct, operator: str, word: str, is_whole: bool = False) -> Bools:
    """The rows whose text is, or holds, a word, in any of the ways in which either may be written."""
    table = held.values
    if not isinstance(table, StringTable):
        table = string_table(str(value) if value is not None else "" for value in table)
    forms = written_forms(word)

    def is_meant(text: str) -> bool:
        return any(_compared(ours, operator, form) for ours in written_forms(text) for form in forms)

    mask = np.zeros(len(table), dtype=bool)
    for form in forms | {bare_text(word)}:
        mask |= which(table, operator, form, is_meant)
    if is_whole:
        some = mask.nonzero()[0]
        inside = [forms & {it for form in written_forms(text) for it in _words(form)} for text in table.taken(some)]
        mask[some] = np.array([bool(it) for it in inside], dtype=bool)
    return np.append(mask, False)[held.codes]


def _words(text: str) -> list[str]:
    return "".join(mark if mark.isalnum() else " " for mark in text).split()


def _compared(held: str, operator: str, wanted: str) -> bool:
    return wanted in held if operator == "co" else wanted == held
