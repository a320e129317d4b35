"""Dates and times: read in, kept as text, compared as microseconds since 1970 in UTC.

A date without a time counts from its first moment as `from` and includes the whole day as `until`
(meaning of reach, "Deciding", step 2).
"""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta

from kathodos.errors import CallError, sentence

BEGINNING = -(2**62)
NEVER = 2**62
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)
DAY = 86_400_000_000  # microseconds
_DATE = re.compile(r"\d{4}-\d{2}-\d{2}\Z")
_TIME = re.compile(r"\d{4}-\d{2}-\d{2}[Tt ]\d{2}:\d{2}:\d{2}(\.\d{1,6})?([Zz]|[+-]\d{2}:\d{2})\Z")


def normal_moment(text: str, forms: Sequence[str] = ()) -> str:
    """`text` as a date (`2026-03-01`) or an RFC 3339 time in UTC (`2026-03-01T08:00:00Z`).

    `forms` are further forms in the notation of strptime that the source is known to use.
    Raises ValueError with a remedy where it is neither.
    """
    with contextlib.suppress(ValueError, OverflowError):
        if _DATE.match(text):
            return date.fromisoformat(text).isoformat()
        if _TIME.match(text):
            return time_text(datetime.fromisoformat(text.upper()).astimezone(UTC))
    for form in forms:
        try:
            read = datetime.strptime(text, form)
        except ValueError:
            continue
        has_time = any(mark in form for mark in ("%H", "%I", "%c", "%X"))
        return time_text(read.replace(tzinfo=read.tzinfo or UTC)) if has_time else read.date().isoformat()
    raise ValueError("write a date as 2026-03-01 or a time as 2026-03-01T08:00:00Z")


def is_moment(text: str) -> bool:
    """Whether a text is a date or a time as we keep them."""
    if not _DATE.match(text) and not _TIME.match(text):
        return False
    with contextlib.suppress(ValueError, OverflowError):
        return normal_moment(text) == text
    return False


def time_text(moment: datetime) -> str:
    """`moment` as RFC 3339 text in UTC, without needless fractions."""
    text = moment.astimezone(UTC).isoformat(timespec="microseconds")[:-6].rstrip("0").rstrip(".")
    return text + "Z"


def microseconds(moment: datetime) -> int:
    """Microseconds from 1970-01-01T00:00:00Z to `moment`."""
    return (moment - _EPOCH) // _MICROSECOND


def first_moment(text: str | None) -> int:
    """The first microsecond of a kept date or time; an absent one began before everything."""
    if not text:
        return BEGINNING
    if len(text) == 10:
        return (date.fromisoformat(text).toordinal() - _EPOCH.toordinal()) * DAY
    return microseconds(datetime.fromisoformat(text))


def end_moment(text: str | None) -> int:
    """The first microsecond that is no longer before a kept `until`; an absent one never ends."""
    if not text:
        return NEVER
    return first_moment(text) + (DAY if len(text) == 10 else 0)


def day_text(moment: int) -> str:
    """The day of a moment in microseconds since 1970."""
    return (_EPOCH + moment * _MICROSECOND).date().isoformat()


def moment_text(moment: int) -> str:
    """A moment in microseconds since 1970 as RFC 3339 text; midnight as a date."""
    return time_text(_EPOCH + moment * _MICROSECOND) if moment % DAY else day_text(moment)


def machine_now() -> datetime:
    """The present by the machine's clock."""
    return datetime.now(UTC)


def is_set() -> bool:
    """Whether `KATHODOS_NOW` stands in for the machine's clock."""
    return bool(os.environ.get("KATHODOS_NOW"))


def now() -> datetime:
    """The present, or the moment in `KATHODOS_NOW` where tests and demos fix the clock."""
    fixed = os.environ.get("KATHODOS_NOW")
    if not fixed:
        return machine_now()
    try:
        return moment_of(normal_moment(fixed))
    except ValueError as error:
        raise CallError(f"KATHODOS_NOW is {fixed!r}, which is no time.", sentence(error)) from None


def moment_of(text: str) -> datetime:
    """A kept date (its first moment) or time as a datetime in UTC."""
    return _EPOCH + first_moment(text) * _MICROSECOND


def last_moment_of(text: str) -> datetime:
    """The last moment that a kept date includes; a time is itself."""
    return _EPOCH + (end_moment(text) - (1 if len(text) == 10 else 0)) * _MICROSECOND
