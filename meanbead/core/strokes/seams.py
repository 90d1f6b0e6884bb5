"""Where walls begin and end: their seams."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.recipe import SeamPlace
from meanbead.core.strokes.features import WALL_FEATURES
from meanbead.core.strokes.pieces import Pieces

__all__ = ["entries"]

_BACK, _CORNER, _SCATTERED = 1, 2, 3
_RULES: dict[SeamPlace, int] = {"nearest": 0, "back": _BACK, "corner": _CORNER, "scattered": _SCATTERED}


def entries(pieces: Pieces, seam: SeamPlace) -> NDArray[np.int64]:
    """The point at which each piece has to be entered, as an index into its points; -1 where any will do; (n,).

    Closed walls begin at their seam: furthest back (largest y), at the sharpest corner (of equal ones the furthest
    back), or at a point that a fixed scramble of layer and piece number picks. One-way strokes begin at their start.
    """
    wall = pieces.closed & np.isin(pieces.feature, WALL_FEATURES)
    fixed: NDArray[np.int64] = _entries(
        np.ascontiguousarray(pieces.points), pieces.offsets, wall, pieces.one_way, pieces.layer, _RULES[seam]
    )
    return fixed


@numba.njit(cache=True, nogil=True)
def _entries(points, offsets, wall, one_way, layer, rule):  # type: ignore[no-untyped-def]
    fixed = np.full(len(wall), -1, np.int64)
    for piece in range(len(wall)):
        first, last = offsets[piece], offsets[piece + 1]
        if one_way[piece]:
            fixed[piece] = first
        elif wall[piece] and rule == _BACK:
            best = first
            for k in range(first + 1, last):
                if points[k, 1] > points[best, 1] + 1e-9:
                    best = k
            fixed[piece] = best
        elif wall[piece] and rule == _CORNER:
            fixed[piece] = _sharpest(points, first, last)
        elif wall[piece] and rule == _SCATTERED:
            # A multiplicative scramble: neighbours in layer and number land far from each other.
            mixed = (layer[piece] * 2654435761 + (piece - piece // 97) * 40503) % 4294967296
            fixed[piece] = first + (mixed >> 7) % (last - first)
    return fixed


@numba.njit(cache=True, nogil=True)
def _sharpest(points, first, last):  # type: ignore[no-untyped-def]
    best, sharpest = first, 2.0
    for k in range(first, last):
        before = points[k - 1 if k > first else last - 1]
        after = points[k + 1 if k + 1 < last else first]
        ax, ay = points[k, 0] - before[0], points[k, 1] - before[1]
        bx, by = after[0] - points[k, 0], after[1] - points[k, 1]
        size = np.sqrt((ax * ax + ay * ay) * (bx * bx + by * by))
        cosine = (ax * bx + ay * by) / size if size > 0 else 1.0
        if cosine < sharpest - 1e-6 or (cosine < sharpest + 1e-6 and points[k, 1] > points[best, 1]):
            best, sharpest = k, min(cosine, sharpest)
    return best
