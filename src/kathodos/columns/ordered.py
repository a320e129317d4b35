"""The order of values, and where they stand among others that are in order, quick for few and for many."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Literal

import numpy as np
import numpy.typing as npt

from kathodos import thresholds

if TYPE_CHECKING:
    from kathodos.columns.csr import Ints

_BITS = 63


def insertion_points(
    ordered: Ints, values: Ints | Sequence[int] | int, side: Literal["left", "right"] = "left"
) -> Ints:
    """Where each value would have to be put in for `ordered` to stay in order (`side`: before or behind equals).

    NumPy makes both sides the same type, which copies a large array of small numbers to look up one large number;
    so values are made the type of `ordered` where they fit it.
    """
    wanted = np.asarray(values)
    if (
        wanted.ndim == 1
        and len(wanted) >= thresholds.MANY_ORDERED
        and len(ordered) >= thresholds.MANY_ORDERED
        and not (wanted[1:] >= wanted[:-1]).all()
    ):
        packed = _with_positions(wanted)
        if packed is not None:
            keys, low, bits = packed
            points = np.empty(len(keys), dtype=np.int64)
            points[keys & ((1 << bits) - 1)] = _points(ordered, (keys >> bits) + low, side)
            return points
    return _points(ordered, wanted, side)


def order_of(values: Ints | npt.NDArray[np.unsignedinteger]) -> Ints:
    """The positions of the values in ascending order, of equal ones the first first."""
    if (values[1:] >= values[:-1]).all():
        return np.arange(len(values))
    packed = _with_positions(values) if len(values) >= thresholds.MANY_ORDERED else None
    if packed is None:
        return np.argsort(values, kind="stable")
    keys, _, bits = packed
    keys &= (1 << bits) - 1
    return keys


def numbered(values: Ints | npt.NDArray[np.unsignedinteger]) -> tuple[Ints, Ints]:
    """The first position of each distinct value, in ascending order of these; and for each value which of them it is.

    >>> numbered(np.array([7, 3, 7]))
    (array([1, 0]), array([1, 0, 1]))
    """
    order = order_of(values)
    is_first = np.ones(len(order), dtype=bool)
    np.not_equal(values[order[1:]], values[order[:-1]], out=is_first[1:])
    number = np.empty(len(order), dtype=np.int64)
    number[order] = np.cumsum(is_first) - 1
    return order[is_first], number


def _points(ordered: Ints, values: Ints, side: Literal["left", "right"]) -> Ints:
    if values.dtype != ordered.dtype and len(ordered) > values.size and _fits(values, ordered.dtype):
        values = values.astype(ordered.dtype)
    points: Ints = np.searchsorted(ordered, values, side=side)
    return points


def _fits(values: Ints, dtype: np.dtype[np.signedinteger]) -> bool:
    if not np.issubdtype(dtype, np.signedinteger) or not np.issubdtype(values.dtype, np.signedinteger):
        return False
    limits = np.iinfo(dtype)
    return not values.size or (limits.min <= int(values.min()) and int(values.max()) <= limits.max)


def _with_positions(values: Ints | npt.NDArray[np.unsignedinteger]) -> tuple[Ints, int, int] | None:
    """Each value, less the lowest, and its position behind it in so many bits, in order; None where that is too much.

    Such numbers are sorted many times as quickly as positions are by what they stand for.
    """
    low, bits = int(values.min()), len(values).bit_length()
    if (int(values.max()) - low).bit_length() + bits > _BITS:
        return None
    keys = values.astype(np.int64)
    keys -= low
    keys <<= bits
    keys |= np.arange(len(keys))
    keys.sort()
    return keys, low, bits
