"""Which corners of a mesh hang together by its triangles."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["surfaces_of"]


def surfaces_of(faces: NDArray[np.int64], corners: int) -> tuple[int, NDArray[np.int64]]:
    """How many sets of corners hang together, lone corners included, and the number of each corner's set, int64 (corners,).

    ``faces`` int64 (m, 3). Sets are numbered in the order of their first corners.
    """
    label = _labels(np.ascontiguousarray(faces), corners)
    return int(label.max(initial=-1)) + 1, label


@numba.njit(cache=True, nogil=True)
def _labels(faces, corners):  # type: ignore[no-untyped-def]
    # Disjoint sets (Tarjan 1975): each corner points towards the first of its set; paths are halved on the way.
    above = np.arange(corners)
    for k in range(len(faces)):
        for other in range(1, 3):
            a, b = faces[k, 0], faces[k, other]
            while above[a] != a:
                above[a] = above[above[a]]
                a = above[a]
            while above[b] != b:
                above[b] = above[above[b]]
                b = above[b]
            if a < b:
                above[b] = a
            else:
                above[a] = b
    label = np.empty(corners, np.int64)
    used = 0
    for k in range(corners):
        if above[k] == k:
            label[k] = used
            used += 1
        else:
            label[k] = label[above[k]]
    return label
