"""Spread array work over the machine's cores.

Shapely's and Numba's compiled functions release the interpreter's lock, so plain threads are enough.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

_POOL = ThreadPoolExecutor(max(2, os.cpu_count() or 2), thread_name_prefix="core")
_SMALL = 64

Item = TypeVar("Item")
Result = TypeVar("Result")
Objects = NDArray[np.object_]


def spread(function: Callable[..., Any], *arrays: NDArray[Any]) -> Objects:
    """Apply an element-wise function to arrays of equal length, in pieces on several threads.

    The result does not depend on how the pieces are cut. ``function`` must take and return arrays.
    """
    count = len(arrays[0])
    if count < _SMALL:
        return np.asarray(function(*arrays), dtype=object)
    # More pieces than threads, for layers differ in cost from the bottom of a part to its top.
    pieces = np.array_split(np.arange(count), 8)
    jobs = [_POOL.submit(function, *(array[piece] for array in arrays)) for piece in pieces]
    return np.concatenate([np.asarray(job.result(), dtype=object) for job in jobs])


def in_threads(function: Callable[[Item], Result], items: Iterable[Item]) -> list[Result]:
    """``[function(item) for item in items]``, side by side. Not for use inside :func:`spread`'s functions."""
    return list(_POOL.map(function, items))
