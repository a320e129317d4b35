"""The states of the catalogue that people name: by a baseline, a date, a time or a ledger number."""

from __future__ import annotations

from datetime import datetime

import msgspec

from kathodos.errors import CallError, sentence
from kathodos.model.kinds import BASELINES
from kathodos.model.suggestions import nearest
from kathodos.model.times import last_moment_of, moment_of, normal_moment, now
from kathodos.store.blocks import FOREVER
from kathodos.store.history import Histories
from kathodos.store.records import Stored, columns_of

_DIGITS = 19  # that the number of an entry cannot have


class NamedPoint(msgspec.Struct, frozen=True):
    """A state of the catalogue: the number of its last ledger entry (None: the present), and the moment it means."""

    entry: int | None
    moment: datetime


def point_in(histories: Histories, text: str | None) -> NamedPoint:
    """The state that a text names. A date means its last moment. Raises CallError where it names none."""
    if text is None:
        return NamedPoint(None, now())
    if text.isascii() and text.isdecimal():
        return _entry_point(histories, int(text) if len(text) < _DIGITS else FOREVER)
    try:
        moment = last_moment_of(normal_moment(text))
    except ValueError:
        return _entry_point(histories, _baseline_entry(histories, text))
    return NamedPoint(histories.reader.entry_before(moment), moment)


def moment_in(text: str | None, option: str = "--at") -> datetime | None:
    """The moment that a date (its first one) or a time means. Raises CallError where it is neither."""
    if text is None:
        return None
    try:
        return moment_of(normal_moment(text))
    except ValueError as error:
        raise CallError(f"{option} {text} is no moment.", sentence(error)) from None


def _entry_point(histories: Histories, number: int) -> NamedPoint:
    newest = histories.newest.entry
    if number > newest:
        called = str(number) if number < FOREVER else "of so large a number"
        raise CallError(f"The ledger has no entry {called}.", f"Its last is {newest}.")
    time = histories.reader.time_of(number)
    return NamedPoint(number, moment_of(time) if time else now())


def _baseline_entry(histories: Histories, name: str) -> int:
    names, entries = columns_of(Stored(histories), BASELINES, "baseline", "entry")
    known = dict(zip(names, entries, strict=True))
    if name not in known:
        remedy = f"Write a baseline, a date, a time or a ledger number. {nearest(name, list(known))}"
        raise CallError(f"There is no baseline {name}.", remedy)
    return int(known[name])
