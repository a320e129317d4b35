"""What the value of a filter means in a column of dates, of numbers or of yes and no, and whether it can mean anything.

A value for a date stands for a stretch of time: `2026` is a year, `2026-05` a month, `2026-05-31` a day, a time itself;
`today` is the day of the question, `today+30d` and `today-P6M` days from there. A held date is compared by its first
moment: `le "2026-05"` is true of every moment of May and of all before.
"""

from __future__ import annotations

import contextlib
import re
from calendar import monthrange
from collections.abc import Callable

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos.model.filters import Combination, Comparison, Day, FilterError, Negation, Node, Value
from kathodos.model.kinds import Form
from kathodos.model.periods import later
from kathodos.model.times import DAY, end_moment, first_moment, microseconds, moment_of, moment_text, normal_moment

_PART = re.compile(r"(\d{4})(?:-(\d{2}))?\Z", re.ASCII)
_OFFSET = re.compile(r"(\d{1,5})([dwmy])\Z", re.ASCII | re.IGNORECASE)
_DATES = 'write a date as "2026-05-31", a month as "2026-05", a year as "2026", or today, today+30d, today-P6M'


class Stretch(msgspec.Struct, frozen=True):
    """A stretch of time in microseconds since 1970: from `begin`, up to `end` and without it."""

    begin: int
    end: int


def stretch_of(value: Value, today: int | None) -> Stretch:
    """The time that a value stands for; `today` is the moment of the question. Raises FilterError where it is none."""
    text = value.text if isinstance(value, Day) else str(value)
    if isinstance(value, Day | str) and text.lower().startswith("today"):
        return _relative(text.lower(), today)
    found = _PART.match(text) if not isinstance(value, bool | float) else None
    if found and (not found[2] or 1 <= int(found[2]) <= 12) and int(found[1]):
        year, month = int(found[1]), int(found[2] or 12)
        last = f"{year:04}-{month:02}-{monthrange(year, month)[1]:02}"
        return Stretch(first_moment(f"{year:04}-{int(found[2] or 1):02}-01"), end_moment(last))
    with contextlib.suppress(ValueError):
        moment = normal_moment(text)
        return Stretch(first_moment(moment), max(end_moment(moment), first_moment(moment) + 1))
    raise FilterError(f"{_shown(value)} is no date; {_DATES}")


def _relative(text: str, today: int | None) -> Stretch:
    """The day that `today`, `today+30d` or `today-P6M` names."""
    if today is None:
        raise FilterError(f"{text} is another day every day, and this is kept and not asked; write a date")
    sign, offset = text[5:6], text[6:]
    found = _OFFSET.match(offset)
    period = f"P{found[1]}{found[2].upper()}" if found else offset.upper()
    try:
        if sign and sign not in "+-":
            raise ValueError(text)
        day = moment_of(moment_text(today // DAY * DAY))
        begin = microseconds(day if not sign or _is_nothing(period) else later(day, period, 1 if sign == "+" else -1))
    except ValueError:
        raise FilterError(f"{text} is no day; write today, today+30d or today-P6M") from None
    return Stretch(begin, begin + DAY)


def _is_nothing(period: str) -> bool:
    return bool(re.fullmatch(r"P0+[DWMY]", period))


def is_true_of(held: npt.NDArray[np.int64], operator: str, wanted: Stretch) -> npt.NDArray[np.bool_]:
    """Which of the held moments compare so with a stretch of time."""
    found: npt.NDArray[np.bool_] = {
        "eq": (wanted.begin <= held) & (held < wanted.end),
        "gt": held >= wanted.end,
        "ge": held >= wanted.begin,
        "lt": held < wanted.begin,
        "le": held < wanted.end,
    }[operator]
    return found


def number_of(value: Value) -> float:
    """The number that a value is. Raises FilterError where it is none."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        return float(value)
    with contextlib.suppress(ValueError):
        if isinstance(value, str):
            return float(value)
    raise FilterError(f"{_shown(value)} is no number")


def yes_or_no(value: Value) -> bool:
    """Whether a value says yes. Raises FilterError where it says neither yes nor no."""
    text = str(value).lower()
    if text in ("true", "yes", "1", "false", "no", "0"):
        return text in ("true", "yes", "1")
    raise FilterError(f"{_shown(value)} is neither true nor false")


def check_comparisons(node: Node, form_of: Callable[[str], Form | None], today: int | None) -> None:
    """Raises FilterError where a filter compares what cannot be compared, by the form of each attribute it names."""
    if isinstance(node, Combination):
        for part in node.parts:
            check_comparisons(part, form_of, today)
    elif isinstance(node, Negation):
        check_comparisons(node.part, form_of, today)
    elif node.value is not None:
        try:
            _check(node, form_of(node.attribute), today)
        except FilterError as error:
            raise FilterError(f"{node.attribute} {node.operator}: {error}") from None


def _check(node: Comparison, form: Form | None, today: int | None) -> None:
    is_part = node.operator in ("co", "sw", "ew")
    if form is Form.MOMENT and not is_part:
        stretch_of(node.value, today)
    elif isinstance(node.value, Day):
        what = "compares dates in part only as text" if form is Form.MOMENT else "is compared here with what is no date"
        raise FilterError(f"{node.value.text} {what}; {_DATES}")
    elif form is Form.NUMBER:
        if is_part:
            raise FilterError("numbers have no parts; write eq, ne, gt, ge, lt or le")
        number_of(node.value)
    elif form is Form.YES_NO:
        if node.operator not in ("eq", "ne"):
            raise FilterError("yes and no have no order; write eq or ne")
        yes_or_no(node.value)


def _shown(value: Value) -> str:
    return value.text if isinstance(value, Day) else f'"{value}"' if isinstance(value, str) else str(value).lower()
