"""Spread array work over the machine's cores.

Shapely's and Numba's compiled functions release the interpreter's lock, so plain threads are enough.
"""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from threading import current_thread
from typing import Any, TypeVar

import numpy as np
import shapely
from numpy.typing import NDArray

_NAME = "meanbead-core"
_POOL = ThreadPoolExecutor(max(2, os.cpu_count() or 2), thread_name_prefix=_NAME)
_SMALL = 8
_FEW = 4
_MANY = 20_000
_WORTH = 0.8
"""Alike elements are looked for only where that leaves less than this share of the work."""

Item = TypeVar("Item")
Result = TypeVar("Result")
Objects = NDArray[np.object_]


def spread(function: Callable[..., Any], *arrays: NDArray[Any]) -> Objects:
    """Apply an element-wise function to arrays of equal length, in pieces on several threads.

    Elements that are alike in all arrays are worked out once: upright parts repeat their sections. The result does not
    depend on that, nor on how the pieces are cut. ``function`` must take and return arrays.
    """
    count = len(arrays[0])
    if _SMALL <= count <= _MANY:
        first, which = _alike(arrays)
        if len(first) < _WORTH * count:
            return _spread(function, *(array[first] for array in arrays))[which]
    return _spread(function, *arrays)


def _spread(function: Callable[..., Any], *arrays: NDArray[Any]) -> Objects:
    count = len(arrays[0])
    if count < _FEW or _on_pool():
        return np.asarray(function(*arrays), dtype=object)
    # More pieces than threads, for layers differ in cost from the bottom of a part to its top.
    pieces = np.array_split(np.arange(count), min(8, count))
    jobs = [_POOL.submit(function, *(array[piece] for array in arrays)) for piece in pieces]
    return np.concatenate([np.asarray(job.result(), dtype=object) for job in jobs])


def _alike(arrays: tuple[NDArray[Any], ...]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The first of each set of elements that are alike, int64 (k,), and the set of each element, int64 (n,).

    Geometries are told apart by their area and count of corners first, which is quick, and only where many agree by
    their bytes, which is certain.
    """
    count = len(arrays[0])
    if not all(array.dtype != object or shapely.is_geometry(array).all() for array in arrays):
        return np.arange(count), np.arange(count)
    quick = [part for array in arrays for part in _quick(array)]
    if len(set(zip(*quick, strict=True))) >= _WORTH * count:
        return np.arange(count), np.arange(count)
    exact = [shapely.to_wkb(array) if array.dtype == object else array for array in arrays]
    places: dict[Any, int] = {}
    first: list[int] = []
    which = np.empty(count, dtype=np.int64)
    for k, key in enumerate(zip(*(part.tolist() for part in exact), strict=True)):
        if key not in places:
            places[key] = len(first)
            first.append(k)
        which[k] = places[key]
    return np.array(first, dtype=np.int64), which


def _quick(array: NDArray[Any]) -> list[list[Any]]:
    if array.dtype == object:
        return [shapely.area(array).tolist(), shapely.get_num_coordinates(array).tolist()]
    return [array.tolist()]


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


def each(function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
    """Results one after the other, in the items' order, each as soon as it and those before it are ready.

    A few items ahead are at work on several threads; whoever stops asking lets no more begin. What they do in turn
    through :func:`spread` stays on their own thread.
    """
    ahead = (os.cpu_count() or 2) + 1
    pending: deque[Future[Result]] = deque()
    try:
        for item in items:
            pending.append(_POOL.submit(function, item))
            if len(pending) >= ahead:
                yield pending.popleft().result()
        while pending:
            yield pending.popleft().result()
    finally:
        for job in pending:
            job.cancel()
