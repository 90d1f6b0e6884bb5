"""The frontier of two figures that are both to be small: who is on it, and where it bends."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

__all__ = ["knee", "non_dominated"]

Floats = NDArray[np.float64]


def non_dominated(points: Floats) -> NDArray[np.int64]:
    """Numbers of the points (n, 2) that no other point beats, by the first figure; of equal ones the first stands."""
    if not len(points):
        return np.zeros(0, dtype=np.int64)
    order = np.lexsort((points[:, 1], points[:, 0]))
    second = points[order, 1]
    before = np.concatenate(([np.inf], np.minimum.accumulate(second)[:-1]))
    kept: NDArray[np.int64] = order[second < before]
    return kept


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
