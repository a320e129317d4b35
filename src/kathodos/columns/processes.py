"""Work that is shared out to several processes, each started anew: what it is given, and what it gives, is pickled."""

from __future__ import annotations

import os
from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from kathodos import thresholds

Worked = TypeVar("Worked")
_MOST = 4  # processes: each loads the libraries anew, and holds its share in memory


def process_count(size: int, least: int) -> int:
    """To how many processes work of some size is shared out; 1, which is this one, where that does not pay.

    `least`: the size from which on it pays.
    """
    processors = os.cpu_count() or 1
    if thresholds.SET == thresholds.PROCESSES:
        processors = max(processors, 2)
    return min(processors, _MOST) if size >= least else 1


def in_processes(work: Callable[..., Worked], calls: Sequence[Sequence[Any]], count: int) -> list[Worked]:
    """What the work gives for each call, in their order; the first calls are begun first. `count`: of processes."""
    import multiprocessing
    from concurrent.futures import ProcessPoolExecutor

    with ProcessPoolExecutor(count, multiprocessing.get_context("spawn")) as pool:
        return [it.result() for it in [pool.submit(work, *call) for call in calls]]
