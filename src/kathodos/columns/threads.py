"""Array work on several processors: what NumPy and Arrow do to blocks, each in a thread."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from typing import TypeVar

Block = TypeVar("Block")
Worked = TypeVar("Worked")
_MOST = 4  # threads: each holds a block of its own in memory


def in_threads(work: Callable[[Block], Worked], blocks: Sequence[Block]) -> list[Worked]:
    """What the work makes of each block, in their order. The work may not read from the store, nor change anything."""
    if len(blocks) < 2:
        return [work(block) for block in blocks]
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(min(_MOST, os.cpu_count() or 1)) as pool:
        return list(pool.map(work, blocks))
