"""Large arrays of which only the parts that somebody asks for are looked at.

An array that is mapped from a file is checked part by part before it is used. What asks for some of its numbers has
only the parts checked in which these stand; whatever else NumPy can do with an array has all of it checked first.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterator
from typing import Any, Literal

import numpy as np
import numpy.typing as npt
from numpy.lib.mixins import NDArrayOperatorsMixin

_FEW = 64  # values up to which they are searched one by one
_NO_PARTS: npt.NDArray[np.int64] = np.zeros(0, dtype=np.int64)
_MOST = 3  # one in so many parts is asked for, from which on all of it is checked, which is quicker by the number
_OFTEN = 4  # times that it is asked for each part, after which all of it is checked


class PartedArray(NDArrayOperatorsMixin):
    """An array of one dimension in parts of so many numbers. `check` raises where one of some parts is not as written,
    `check_whole` where anything is not.

    It stands wherever an array may stand: what it does not do itself, it does as the whole array.
    """

    def __init__(
        self,
        array: npt.NDArray[Any],
        size: int,
        check: Callable[[npt.NDArray[np.int64]], None],
        check_whole: Callable[[], None],
    ) -> None:
        self._array = array
        self._size = size
        self._check, self._check_whole = check, check_whole
        self._left = np.ones(-(-len(array) // size), dtype=bool)
        self._asked = 0
        self._is_whole = False

    @property
    def whole(self) -> npt.NDArray[Any]:
        """All of it."""
        if not self._is_whole:
            if self._left.any():
                self._check_whole()
            self._is_whole = True
        return self._array

    def _look_at(self, parts: npt.NDArray[np.int64]) -> None:
        if len(parts):
            self._check(parts)
            self._left[parts] = False

    def __getitem__(self, key: Any) -> Any:
        if not self._is_whole:
            self._asked += 1
            if self._asked > _OFTEN * len(self._left):
                return self.whole[key]
            parts = self._parts(key)
            if parts is None or _MOST * len(parts) > len(self._left):
                return self.whole[key]
            self._look_at(parts[self._left[parts]])
        return self._array[key]

    def _parts(self, key: Any) -> npt.NDArray[np.int64] | None:
        """The parts in which what is asked for stands; None where that may be all of them."""
        length = len(self._array)
        if isinstance(key, int | np.integer):
            at = int(key) + (length if key < 0 else 0)
            return np.array([at // self._size]) if 0 <= at < length else None
        if isinstance(key, slice):
            first, end, step = key.indices(length)
            if step != 1:
                return None
            return np.arange(first // self._size, -(-end // self._size)) if first < end else _NO_PARTS
        if isinstance(key, np.ndarray) and key.ndim == 1 and key.dtype.kind in "iu":
            if not len(key):
                return _NO_PARTS
            if int(key.min()) < 0 or int(key.max()) >= length:
                return None
            is_asked = np.zeros(len(self._left), dtype=bool)
            is_asked[key // self._size] = True
            return is_asked.nonzero()[0]
        return None

    def searchsorted(self, values: Any, side: Literal["left", "right"] = "left", sorter: Any = None) -> Any:
        """Where values would have to be put in for it to stay in order, as NumPy says it."""
        wanted = np.asarray(values)
        if self._is_whole or wanted.size > _FEW or sorter is not None:
            return self.whole.searchsorted(values, side, sorter)
        search = bisect_left if side == "left" else bisect_right
        found = [search(self, it) for it in wanted.ravel().tolist()]
        return np.array(found, dtype=np.int64).reshape(wanted.shape)[()]

    @property
    def shape(self) -> tuple[int, ...]:
        return self._array.shape

    @property
    def dtype(self) -> np.dtype[Any]:
        return self._array.dtype

    @property
    def size(self) -> int:
        return self._array.size

    @property
    def itemsize(self) -> int:
        return self._array.itemsize

    @property
    def nbytes(self) -> int:
        return self._array.nbytes

    def __len__(self) -> int:
        return len(self._array)

    def __iter__(self) -> Iterator[Any]:
        return iter(self.whole)

    def __contains__(self, value: object) -> bool:
        return value in self.whole

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> npt.NDArray[Any]:
        found = self.whole if dtype is None else self.whole.astype(dtype, copy=False)
        return found.copy() if copy else found

    def __array_ufunc__(self, ufunc: Any, method: str, *inputs: Any, **more: Any) -> Any:
        return getattr(ufunc, method)(*(it.whole if isinstance(it, PartedArray) else it for it in inputs), **more)

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):  # what an array may be asked for is known; its other ways to memory stay shut
            raise AttributeError(name)
        return getattr(self.whole, name)
