"""Spread array work over the machine's cores.

Shapely's and Numba's compiled functions release the interpreter's lock, so plain threads are enough.

Nothing here can wait for itself: whoever asks works along, and waits only for pieces that others have begun; pieces
are arithmetic and wait for nothing; items, which may wait for another thread's result, have threads of their own.
"""

from __future__ import annotations

import itertools
import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from threading import current_thread
from typing import Any, TypeVar

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.runtime.alike import equal_elements

__all__ = [
    "CORES",
    "Objects",
    "free_cores",
    "halves",
    "ordered_map",
    "parallel_apply",
    "parallel_floats",
    "parallel_map",
    "steered_map",
]

_NAME = "meanbead-core"
CORES = int(os.environ.get("MEANBEAD_THREADS") or max(2, os.cpu_count() or 2))
"""Threads that share work; one, where several processes share the cores already."""

_PIECES = ThreadPoolExecutor(CORES, thread_name_prefix=f"{_NAME}-piece")
_ITEMS = ThreadPoolExecutor(CORES, thread_name_prefix=f"{_NAME}-item")
_SMALL = 8
_FEW = 4
_HEAVY_CORNERS = 1000
"""Even two geometries are shared out where each has so many corners."""
_MANY = 20_000
Item = TypeVar("Item")
Result = TypeVar("Result")
Objects = NDArray[np.object_]


def parallel_apply(function: Callable[..., Any], *arrays: NDArray[Any]) -> Objects:
    """Apply an element-wise function to arrays of equal length, in pieces on several threads.

    Elements that are alike in all arrays are worked out once: upright parts repeat their sections. The result does not
    depend on that, nor on how the pieces are cut. ``function`` must take and return arrays.
    """
    count = len(arrays[0])
    if _SMALL <= count <= _MANY:
        first, which = equal_elements(*arrays)
        if len(first) < count:
            return _apply(function, *(array[first] for array in arrays))[which]
    return _apply(function, *arrays)


def parallel_floats(function: Callable[..., Any], *arrays: NDArray[Any]) -> NDArray[np.float64]:
    """Apply an element-wise function that gives numbers, in pieces on several threads."""
    count = len(arrays[0])
    if count < _SMALL:
        return np.asarray(function(*arrays), dtype=np.float64)
    pieces = np.array_split(np.arange(count), 4)
    return np.concatenate(parallel_map(lambda piece: function(*(array[piece] for array in arrays)), pieces))


def _apply(function: Callable[..., Any], *arrays: NDArray[Any]) -> Objects:
    count = len(arrays[0])
    if CORES < 2 or _on_our_threads() or (count < _FEW and not _heavy(arrays)):
        return np.asarray(function(*arrays), dtype=object)
    # More pieces than threads, for layers differ in cost from the bottom of a part to its top.
    pieces = np.array_split(np.arange(count), min(8, count))

    def work(piece: NDArray[np.int64]) -> Objects:
        return np.asarray(function(*(array[piece] for array in arrays)), dtype=object)

    return np.concatenate(parallel_map(work, pieces))


def _heavy(arrays: tuple[NDArray[Any], ...]) -> bool:
    if len(arrays[0]) < 2:
        return False
    shapes = [array for array in arrays if array.dtype == object and shapely.is_geometry(array).all()]
    return any(int(shapely.get_num_coordinates(array).min()) > _HEAVY_CORNERS for array in shapes)


def halves(count: int) -> list[tuple[int, int]]:
    """Ranges that share a count between two threads; one range where that is not worth it."""
    return [(0, count)] if count < 50_000 or CORES < 2 else [(0, count // 2), (count // 2, count)]


def parallel_map(function: Callable[[Item], Result], items: Iterable[Item]) -> list[Result]:
    """``[function(item) for item in items]``, side by side; one after the other when already on one of our threads.

    The asking thread takes items, too, so that all of them are done even when no other thread is free. Where items
    fail, all are tried, and the first one's error is raised.
    """
    work = list(items)
    if len(work) < 2 or CORES < 2 or _on_our_threads():
        return [function(item) for item in work]
    done: dict[int, Result] = {}
    failed: dict[int, BaseException] = {}
    turns = itertools.count()

    def take() -> None:
        while (turn := next(turns)) < len(work):
            try:
                done[turn] = function(work[turn])
            except BaseException as error:
                failed[turn] = error

    helpers = [_PIECES.submit(take) for _ in range(min(CORES, len(work)) - 1)]
    take()
    for helper in helpers:
        # One that has not begun has nothing left to do; one that has is at its last item.
        if not helper.cancel():
            helper.result()
    if failed:
        raise failed[min(failed)]
    return [done[turn] for turn in range(len(work))]


def free_cores() -> int:
    """Threads that a library may use of its own: one where others of ours are at work already."""
    return 1 if _on_our_threads() else CORES


def _on_our_threads() -> bool:
    return current_thread().name.startswith(_NAME)


def ordered_map(function: Callable[[Item], Result], items: Iterable[Item]) -> Iterator[Result]:
    """Results one after the other, in the items' order, each as soon as it and those before it are ready.

    A few items ahead are at work on several threads; whoever stops asking lets no more begin. What they do in turn
    through :func:`parallel_apply` stays on their own thread. An item may wait for what other threads are computing.
    """
    if CORES < 2 or _on_our_threads():
        yield from map(function, items)
        return
    ahead = CORES + 1
    pending: deque[Future[Result]] = deque()
    try:
        for item in items:
            pending.append(_ITEMS.submit(function, item))
            if len(pending) >= ahead:
                yield pending.popleft().result()
        while pending:
            yield pending.popleft().result()
    finally:
        for job in pending:
            job.cancel()


def steered_map(
    function: Callable[[Item], Result], choose: Callable[[], Item | None], take: Callable[[Result], None], at_once: int
) -> None:
    """Items that are chosen one by one by what came of those before them, ``at_once`` of them under way.

    ``choose`` names the next item, or None while there is none: asked again after each result, until nothing is under way.
    ``take`` is handed the results in the order of choosing. An item is chosen when all but the last ``at_once - 1``
    before it were taken, so that choices do not depend on the number of cores.
    """
    alone = CORES < 2 or _on_our_threads()
    pending: deque[Future[Result]] = deque()
    try:
        while True:
            item = choose() if len(pending) < at_once else None
            if item is not None:
                pending.append(_done(function, item) if alone else _ITEMS.submit(function, item))
            elif pending:
                take(pending.popleft().result())
            else:
                return
    finally:
        for job in pending:
            job.cancel()


def _done(function: Callable[[Item], Result], item: Item) -> Future[Result]:
    future: Future[Result] = Future()
    future.set_result(function(item))
    return future
