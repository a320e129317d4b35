"""Periods in days, weeks, months and years, as ISO 8601 writes durations: `P7D`, `P2W`, `P1M`, `P1Y`."""

from __future__ import annotations

import re
from datetime import datetime
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from dateutil.relativedelta import relativedelta

_PERIOD = re.compile(r"P(?:(\d{1,3})Y)?(?:(\d{1,4})M)?(?:(\d{1,4})W)?(?:(\d{1,5})D)?\Z", re.ASCII)


def parts_of(period: str) -> tuple[int, int, int, int]:
    """The years, months, weeks and days of a period such as P1M or P7D. Raises ValueError for anything else."""
    found = _PERIOD.match(period)
    years, months, weeks, days = (int(part or 0) for part in found.groups()) if found else (0, 0, 0, 0)
    if not any((years, months, weeks, days)):
        raise ValueError(f"{period!r} is no duration in days: write P7D, P2W, P1M or P1Y")
    return years, months, weeks, days


def later(moment: datetime, period: str, sign: int = 1) -> datetime:
    """The moment so much later (`sign` -1: earlier); a day that a month does not have is its last.

    Raises ValueError where the period is none, or leads out of the calendar.
    """
    step = _step(period)
    try:
        return moment + step if sign > 0 else moment - step
    except OverflowError as error:
        raise ValueError(str(error)) from None


def _step(period: str) -> relativedelta:
    from dateutil.relativedelta import relativedelta

    years, months, weeks, days = parts_of(period)
    return relativedelta(years=years, months=months, weeks=weeks, days=days)
