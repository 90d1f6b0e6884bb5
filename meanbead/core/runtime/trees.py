"""Nearest points. SciPy's trees, loaded when one is grown: that takes a third of a second, and many a part needs none."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from scipy.spatial import cKDTree

__all__ = ["tree_of"]


def tree_of(points: NDArray[np.float64]) -> cKDTree:
    """A tree of points (n, dimensions), for questions by distance."""
    from scipy.spatial import cKDTree

    return cKDTree(points)
