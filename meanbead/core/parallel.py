"""Spread array work over the machine's cores.

Shapely's and Numba's compiled functions release the interpreter's lock, so plain threads are enough.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from threading import current_thread
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

_NAME = "meanbead-core"
_POOL = ThreadPoolExecutor(max(2, os.cpu_count() or 2), thread_name_prefix=_NAME)
_SMALL = 8

Item = TypeVar("Item")
Result = TypeVar("Result")
Objects = NDArray[np.object_]


def spread(function: Callable[..., Any], *arrays: NDArray[Any]) -> Objects:
    """Apply an element-wise function to arrays of equal length, in pieces on several threads.

    The result does not depend on how the pieces are cut. ``function`` must take and return arrays.
    """
    count = len(arrays[0])
    if count < _SMALL or _on_pool():
        return np.asarray(function(*arrays), dtype=object)
    # More pieces than threads, for layers differ in cost from the bottom of a part to its top.
    pieces = np.array_split(np.arange(count), 8)
    jobs = [_POOL.submit(function, *(array[piece] for array in arrays)) for piece in pieces]
    return np.concatenate([np.asarray(job.result(), dtype=object) for job in jobs])


def halves(count: int) -> list[tuple[int, int]]:
    """Ranges that share a count between two threads; one range where that is not worth it."""
    return [(0, count)] if count < 50_000 else [(0, count // 2), (count // 2, count)]


def in_threads(function: Callable[[Item], Result], items: Iterable[Item]) -> list[Result]:
    """``[function(item) for item in items]``, side by side; one after the other when already on one of our threads,
    for a thread that waits for its own pool waits for ever."""
    work = list(items)
    if len(work) < 2 or _on_pool():
        return [function(item) for item in work]
    return list(_POOL.map(function, work))


def _on_pool() -> bool:
    return current_thread().name.startswith(_NAME)
