"""The frontier of two figures that are both to be small: who is on it, where it bends, and a few that stand for it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def non_dominated(points: Floats) -> NDArray[np.int64]:
    """Numbers of the points (n, 2) that no other point beats, by the first figure; of equal ones the first stands."""
    order = np.lexsort((points[:, 1], points[:, 0]))
    best, kept = np.inf, []
    for one in order:
        if points[one, 1] < best:
            best = points[one, 1]
            kept.append(int(one))
    return np.array(kept, dtype=np.int64)


def knee(points: Floats) -> int:
    """Number of the point of a frontier (n, 2), sorted by the first figure, that lies farthest below its chord: where
    saving more of one begins to cost much of the other. Of one or two points the first.

    Both figures are scaled to the frontier's own range (V. Satopää et al., *Finding a kneedle in a haystack*, 2011).
    """
    if len(points) < 3:
        return 0
    low, size = points.min(axis=0), np.maximum(np.ptp(points, axis=0), 1e-12)
    unit = (points - low) / size
    return int(np.argmin(unit.sum(axis=1)))


def spread_along(points: Floats, count: int) -> NDArray[np.int64]:
    """At most so many of a frontier's points (n, 2), its ends and its knee among them, the rest evenly along it."""
    if len(points) <= count:
        return np.arange(len(points))
    low, size = points.min(axis=0), np.maximum(np.ptp(points, axis=0), 1e-12)
    unit = (points - low) / size
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(unit, axis=0), axis=1))])
    wanted = np.linspace(0.0, along[-1], count)
    chosen = {int(np.argmin(np.abs(along - one))) for one in wanted} | {knee(points)}
    return np.array(sorted(chosen), dtype=np.int64)
