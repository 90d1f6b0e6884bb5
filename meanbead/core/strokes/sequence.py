"""The order of open strokes that may be laid in any order and either way: the nearest end next, then improved.

All strokes of a filling take part, whatever their direction, so that the nozzle goes on along the wall from the end of
one family to the beginning of the next.
"""

from __future__ import annotations

import numba
import numpy as np

__all__ = ["nearest_ends", "sequence"]

_WINDOW = 20
"""Stretches of up to so many strokes are tried the other way round; after long hops all are."""

_LONG_HOPS = 3.0
_ROUNDS = 2


@numba.njit(cache=True, nogil=True)
def sequence(ends, x, y):  # type: ignore[no-untyped-def]
    """Order (n,) and whether each stroke of that order is laid backwards (n,), from a place; ``ends`` (n, 4) are x and y
    of both ends."""
    order, backwards = nearest_ends(ends, x, y)
    _improve(ends, order, backwards, x, y)
    return order, backwards


@numba.njit(cache=True, nogil=True)
def nearest_ends(ends, x, y):  # type: ignore[no-untyped-def]
    """Always the stroke that has the nearest end, entered there; found on a grid of about two ends a cell."""
    n = len(ends)
    order = np.empty(n, np.int64)
    backwards = np.zeros(n, np.bool_)
    low_x = min(ends[:, 0].min(), ends[:, 2].min())
    low_y = min(ends[:, 1].min(), ends[:, 3].min())
    wide = max(ends[:, 0].max(), ends[:, 2].max()) - low_x
    deep = max(ends[:, 1].max(), ends[:, 3].max()) - low_y
    cell = max(np.sqrt(wide * deep / n), max(wide, deep) / 512, 1e-3)
    columns, rows = int(wide / cell) + 1, int(deep / cell) + 1
    head = np.full(columns * rows, -1, np.int64)
    after = np.full(2 * n, -1, np.int64)
    before = np.full(2 * n, -1, np.int64)
    home = np.empty(2 * n, np.int64)
    for end in range(2 * n - 1, -1, -1):
        px, py = ends[end // 2, 2 * (end % 2)], ends[end // 2, 2 * (end % 2) + 1]
        home[end] = int((px - low_x) / cell) + columns * int((py - low_y) / cell)
        after[end] = head[home[end]]
        if head[home[end]] >= 0:
            before[head[home[end]]] = end
        head[home[end]] = end
    for k in range(n):
        cx = min(columns - 1, max(0, int((x - low_x) / cell)))
        cy = min(rows - 1, max(0, int((y - low_y) / cell)))
        best, pick = np.inf, -1
        ring = 0
        while ring <= max(columns, rows) and (pick < 0 or ((ring - 1) * cell) ** 2 <= best or ring == 0):
            for row in range(max(0, cy - ring), min(rows - 1, cy + ring) + 1):
                edge = row == cy - ring or row == cy + ring
                step = 1 if edge or ring == 0 else 2 * ring
                for column in range(cx - ring, cx + ring + 1, step):
                    if column < 0 or column >= columns:
                        continue
                    end = head[column + columns * row]
                    while end >= 0:
                        px, py = ends[end // 2, 2 * (end % 2)], ends[end // 2, 2 * (end % 2) + 1]
                        distance = (px - x) ** 2 + (py - y) ** 2
                        if distance < best or (distance == best and end < pick):
                            best, pick = distance, end
                        end = after[end]
            ring += 1
        stroke = pick // 2
        order[k], backwards[k] = stroke, pick % 2 == 1
        for end in (2 * stroke, 2 * stroke + 1):
            if before[end] >= 0:
                after[before[end]] = after[end]
            else:
                head[home[end]] = after[end]
            if after[end] >= 0:
                before[after[end]] = before[end]
        leave = 0 if backwards[k] else 2
        x, y = ends[stroke, leave], ends[stroke, leave + 1]
    return order, backwards


@numba.njit(cache=True, nogil=True)
def _improve(ends, order, backwards, x, y):  # type: ignore[no-untyped-def]
    """Turn stretches round while that shortens the way between strokes (2-opt); in place."""
    n = len(order)
    entry, leave = np.empty((n, 2)), np.empty((n, 2))
    for k in range(n):
        one = ends[order[k]]
        first, last = (2, 0) if backwards[k] else (0, 2)
        entry[k, 0], entry[k, 1] = one[first], one[first + 1]
        leave[k, 0], leave[k, 1] = one[last], one[last + 1]
    for _round in range(_ROUNDS):
        whole = 0.0
        for k in range(1, n):
            whole += np.hypot(entry[k, 0] - leave[k - 1, 0], entry[k, 1] - leave[k - 1, 1])
        long_hop = _LONG_HOPS * whole / max(1, n - 1)
        improved = False
        for i in range(n):
            ax = x if i == 0 else leave[i - 1, 0]
            ay = y if i == 0 else leave[i - 1, 1]
            hop = np.hypot(entry[i, 0] - ax, entry[i, 1] - ay)
            if hop < 1e-6:
                continue
            last = n if hop > long_hop else min(n, i + _WINDOW)
            gain, pick = 1e-7, -1
            for j in range(i, last):
                before = hop
                now = np.hypot(leave[j, 0] - ax, leave[j, 1] - ay)
                if j + 1 < n:
                    before += np.hypot(entry[j + 1, 0] - leave[j, 0], entry[j + 1, 1] - leave[j, 1])
                    now += np.hypot(entry[j + 1, 0] - entry[i, 0], entry[j + 1, 1] - entry[i, 1])
                if before - now > gain:
                    gain, pick = before - now, j
            if pick >= 0:
                improved = True
                low, high = i, pick
                while low <= high:
                    order[low], order[high] = order[high], order[low]
                    way = backwards[low]
                    backwards[low] = not backwards[high]
                    backwards[high] = not way
                    for axis in range(2):
                        first, second = entry[low, axis], leave[low, axis]
                        entry[low, axis], leave[low, axis] = leave[high, axis], entry[high, axis]
                        entry[high, axis], leave[high, axis] = second, first
                    low += 1
                    high -= 1
        if not improved:
            break
