"""Straight looks through a solid: where does a ray first meet its surface?"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.part.solid import Solid

__all__ = ["Rays"]

MAX_CELLS = 400_000
_FACES_PER_CELL = 0.5

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True)
class Rays:
    """Triangles sorted into the cells of an even grid, so that a ray asks only those that it passes."""

    corners: Floats
    low: Floats
    cell_mm: Floats
    shape: Ints
    starts: Ints
    members: Ints

    @classmethod
    def of(cls, solid: Solid) -> Rays:
        """Sort a solid's triangles."""
        corners = np.ascontiguousarray(solid.vertices[solid.faces])
        low, high = solid.vertices.min(axis=0) - 1e-3, solid.vertices.max(axis=0) + 1e-3
        size = high - low
        requested = float(np.clip(len(corners) / _FACES_PER_CELL, 64, MAX_CELLS))
        side = float(np.prod(size) / requested) ** (1 / 3)
        shape = np.clip(np.ceil(size / side), 1, 512).astype(np.int64)
        cell = size / shape
        starts, members = _sort_in(corners, low, cell, shape)
        return cls(corners, low, cell, shape, starts, members)

    def first_hit(self, origin: Floats, direction: Floats) -> tuple[Floats, Ints]:
        """Distance along each ray to the first triangle, float64 (n,), and its number, int64 (n,).

        ``origin`` and ``direction`` are float64 (n, 3); directions need not be of unit length, distances are in
        theirs. Where nothing is met the distance is infinite and the number -1. Triangles are met by the test of
        T. Moeller and B. Trumbore (1997); cells are passed in the order of J. Amanatides and A. Woo (1987).
        """
        return _cast(  # type: ignore[no-any-return]
            np.ascontiguousarray(origin, dtype=np.float64),
            np.ascontiguousarray(direction, dtype=np.float64),
            self.corners,
            self.low,
            self.cell_mm,
            self.shape,
            self.starts,
            self.members,
        )


@numba.njit(cache=True, nogil=True)
def _span(corners, t, axis, low, cell, count):  # type: ignore[no-untyped-def]
    least = min(corners[t, 0, axis], corners[t, 1, axis], corners[t, 2, axis])
    most = max(corners[t, 0, axis], corners[t, 1, axis], corners[t, 2, axis])
    first = max(0, min(count - 1, int((least - low) / cell - 1e-9)))
    return first, max(first, min(count - 1, int((most - low) / cell + 1e-9)))


@numba.njit(cache=True, nogil=True)
def _sort_in(corners, low, cell, shape):  # type: ignore[no-untyped-def]
    """Cells in rows: where each cell's members start, int64 (cells + 1,), and the members."""
    cells = shape[0] * shape[1] * shape[2]
    starts = np.zeros(cells + 1, np.int64)
    for t in range(len(corners)):
        x0, x1 = _span(corners, t, 0, low[0], cell[0], shape[0])
        y0, y1 = _span(corners, t, 1, low[1], cell[1], shape[1])
        z0, z1 = _span(corners, t, 2, low[2], cell[2], shape[2])
        for x in range(x0, x1 + 1):
            for y in range(y0, y1 + 1):
                for z in range(z0, z1 + 1):
                    starts[(x * shape[1] + y) * shape[2] + z + 1] += 1
    for k in range(cells):
        starts[k + 1] += starts[k]
    members = np.empty(starts[-1], np.int64)
    used = starts[:-1].copy()
    for t in range(len(corners)):
        x0, x1 = _span(corners, t, 0, low[0], cell[0], shape[0])
        y0, y1 = _span(corners, t, 1, low[1], cell[1], shape[1])
        z0, z1 = _span(corners, t, 2, low[2], cell[2], shape[2])
        for x in range(x0, x1 + 1):
            for y in range(y0, y1 + 1):
                for z in range(z0, z1 + 1):
                    at = (x * shape[1] + y) * shape[2] + z
                    members[used[at]] = t
                    used[at] += 1
    return starts, members


@numba.njit(cache=True, nogil=True)
def _meets(corners, t, ox, oy, oz, dx, dy, dz):  # type: ignore[no-untyped-def]
    """Distance at which a ray meets a triangle, or infinity."""
    ax, ay, az = corners[t, 0]
    e1x, e1y, e1z = corners[t, 1, 0] - ax, corners[t, 1, 1] - ay, corners[t, 1, 2] - az
    e2x, e2y, e2z = corners[t, 2, 0] - ax, corners[t, 2, 1] - ay, corners[t, 2, 2] - az
    px, py, pz = dy * e2z - dz * e2y, dz * e2x - dx * e2z, dx * e2y - dy * e2x
    det = e1x * px + e1y * py + e1z * pz
    if det == 0.0:
        return np.inf
    tx, ty, tz = ox - ax, oy - ay, oz - az
    u = (tx * px + ty * py + tz * pz) / det
    if u < -1e-9 or u > 1 + 1e-9:
        return np.inf
    qx, qy, qz = ty * e1z - tz * e1y, tz * e1x - tx * e1z, tx * e1y - ty * e1x
    v = (dx * qx + dy * qy + dz * qz) / det
    if v < -1e-9 or u + v > 1 + 1e-9:
        return np.inf
    distance = (e2x * qx + e2y * qy + e2z * qz) / det
    return distance if distance > 0 else np.inf


@numba.njit(cache=True, nogil=True)
def _cast(origin, direction, corners, low, cell, shape, starts, members):  # type: ignore[no-untyped-def]
    count = len(origin)
    distances, faces = np.full(count, np.inf), np.full(count, -1, np.int64)
    at, step = np.zeros(3, np.int64), np.zeros(3, np.int64)
    next_at, pace = np.zeros(3), np.zeros(3)
    for k in range(count):
        o, d = origin[k], direction[k]
        # Enter the grid.
        enter, leave = 0.0, np.inf
        for axis in range(3):
            high = low[axis] + cell[axis] * shape[axis]
            if d[axis] == 0.0:
                if o[axis] < low[axis] or o[axis] > high:
                    leave = -1.0
                continue
            one, two = (low[axis] - o[axis]) / d[axis], (high - o[axis]) / d[axis]
            enter, leave = max(enter, min(one, two)), min(leave, max(one, two))
        if enter > leave:
            continue
        for axis in range(3):
            place = o[axis] + d[axis] * enter
            at[axis] = max(0, min(shape[axis] - 1, int((place - low[axis]) / cell[axis])))
            if d[axis] == 0.0:
                step[axis], next_at[axis], pace[axis] = 0, np.inf, np.inf
            else:
                step[axis] = 1 if d[axis] > 0 else -1
                edge = low[axis] + cell[axis] * (at[axis] + (1 if d[axis] > 0 else 0))
                next_at[axis] = (edge - o[axis]) / d[axis]
                pace[axis] = abs(cell[axis] / d[axis])
        best, face = np.inf, -1
        while True:
            here = (at[0] * shape[1] + at[1]) * shape[2] + at[2]
            for m in range(starts[here], starts[here + 1]):
                distance = _meets(corners, members[m], o[0], o[1], o[2], d[0], d[1], d[2])
                if distance < best:
                    best, face = distance, members[m]
            axis = 0
            if next_at[1] < next_at[axis]:
                axis = 1
            if next_at[2] < next_at[axis]:
                axis = 2
            if best <= next_at[axis]:
                break
            at[axis] += step[axis]
            if at[axis] < 0 or at[axis] >= shape[axis]:
                break
            next_at[axis] += pace[axis]
        distances[k], faces[k] = best, face
    return distances, faces
