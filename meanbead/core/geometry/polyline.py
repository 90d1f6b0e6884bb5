"""Compiled helpers for polylines in flat arrays: arrays that grow, and the points that a polyline needs."""

from __future__ import annotations

import numba
import numpy as np

__all__ = ["needed_points", "with_room"]


@numba.njit(cache=True, nogil=True)
def with_room(rows, used, more):  # type: ignore[no-untyped-def]
    """Rows (n, ...) of which the first ``used`` count, with room for ``more``: the same array, or one twice as long."""
    capacity = len(rows)
    if used + more <= capacity:
        return rows
    while used + more > capacity:
        capacity *= 2
    bigger = np.empty((capacity, *rows.shape[1:]), rows.dtype)
    bigger[:used] = rows[:used]
    return bigger


@numba.njit(cache=True, nogil=True)
def needed_points(points, tolerance):  # type: ignore[no-untyped-def]
    """Which points of a polyline (n, dimensions) have to stay so that all others lie within ``tolerance`` of a chord, bool
    (n,): Ramer's (1972) and Douglas and Peucker's (1973) choice."""
    count, dimensions = points.shape
    keep = np.zeros(count, np.bool_)
    keep[0] = keep[count - 1] = True
    stack = [(0, count - 1)]
    while len(stack) > 0:
        low, high = stack.pop()
        span2 = 0.0
        for axis in range(dimensions):
            span2 += (points[high, axis] - points[low, axis]) ** 2
        span = np.sqrt(span2)
        farthest, at = tolerance, -1
        for k in range(low + 1, high):
            off2, along = 0.0, 0.0
            for axis in range(dimensions):
                off = points[k, axis] - points[low, axis]
                off2 += off * off
                along += off * (points[high, axis] - points[low, axis])
            along = along / span if span > 0 else 0.0
            distance = np.sqrt(max(0.0, off2 - along * along))
            if distance > farthest:
                farthest, at = distance, k
        if at >= 0:
            keep[at] = True
            stack.append((low, at))
            stack.append((at, high))
    return keep
