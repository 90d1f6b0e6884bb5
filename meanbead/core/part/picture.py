"""A picture of a solid: a small drawing in ink, from its own mesh, by a z-buffer.

Kept on the server, so that the list of parts shows at once and weighs little.
"""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.part.solid import Solid

__all__ = ["draw_mesh", "draw_solid"]

_TURN_DEG = 35.0
_TILT_DEG = 28.0
_INK = np.array([58.0, 52.0, 46.0])
_PAPER = np.array([250.0, 246.0, 238.0])
_MARK = np.array([200.0, 60.0, 10.0])
_LIGHT = np.array([-0.45, -0.55, 0.70])


def draw_solid(solid: Solid, width_px: int = 480, height_px: int = 360, oversample: int = 2) -> NDArray[np.uint8]:
    """Draw a solid; see :func:`draw_mesh`."""
    return draw_mesh(solid.vertices, solid.faces, width_px, height_px, oversample)


def draw_mesh(
    vertices: NDArray[np.float64],
    faces: NDArray[np.int64],
    width_px: int = 480,
    height_px: int = 360,
    oversample: int = 2,
    marked: NDArray[np.int64] | None = None,
) -> NDArray[np.uint8]:
    """Draw a surface from the front, right and above, without perspective; ``marked`` edges int64 (k, 2) stand out, even
    behind it.

    Returns RGBA uint8 (height, width, 4): ink shades with transparency instead of white, so that it sits on any paper.
    """
    wide, high = width_px * oversample, height_px * oversample
    corners = _project(vertices, wide, high)
    triangles = corners[faces]
    sides = vertices[faces]
    normals = np.cross(sides[:, 1] - sides[:, 0], sides[:, 2] - sides[:, 0])
    lengths = np.linalg.norm(normals, axis=1)
    normals = normals / np.where(lengths > 0, lengths, 1.0)[:, None]
    depth, face = _rasterise(np.ascontiguousarray(triangles), wide, high)
    covered = face >= 0
    light = _LIGHT / np.linalg.norm(_LIGHT)
    ink = np.zeros((high, wide), np.float32)
    # Of the light that a face gets: the less, the more ink.
    ink[covered] = (0.10 + 0.62 * (0.5 - 0.5 * (normals @ light)))[face[covered]]
    edges = _edges(depth, face, normals)
    ink[edges] = np.maximum(ink[edges], 0.92)
    opaque = covered | edges
    ink[~opaque] = 0.0
    # Paper under the part, so that lines behind it do not show through; the ink darkens it. What is drawn is mixed of two
    # colours only, so that shares can be averaged in their place.
    shares = [_smaller(one, oversample) for one in (ink, opaque)]
    colour = _PAPER * (shares[1] - shares[0])[..., None] + _INK * shares[0][..., None]
    alpha = shares[1]
    if marked is not None and len(marked):
        lines = _lines(corners, marked, wide, high, oversample)
        over, hidden = _smaller(lines, oversample), [_smaller(one * lines, oversample) for one in (ink, opaque)]
        colour += _MARK * over[..., None] - _PAPER * (hidden[1] - hidden[0])[..., None] - _INK * hidden[0][..., None]
        alpha = _smaller(opaque | lines, oversample)
    shown = np.divide(colour, alpha[..., None], out=np.zeros_like(colour), where=alpha[..., None] > 0)
    rgba = np.dstack([shown, alpha * 255.0])
    picture: NDArray[np.uint8] = np.clip(np.round(rgba), 0, 255).astype(np.uint8)
    return picture


def _smaller(sheet: NDArray[np.float32] | NDArray[np.bool_], by: int) -> NDArray[np.float64]:
    """Means of squares of ``by`` times ``by`` pixels."""
    high, wide = sheet.shape
    small: NDArray[np.float64] = sheet.reshape(high // by, by, wide // by, by).mean(axis=(1, 3), dtype=np.float64)
    return small


def _lines(
    corners: NDArray[np.float64], edges: NDArray[np.int64], wide: int, high: int, oversample: int
) -> NDArray[np.bool_]:
    """Where edges lie, bool (high, wide), about three pixels wide in the end."""
    start, end = corners[edges[:, 0], :2], corners[edges[:, 1], :2]
    steps = np.maximum(1, np.ceil(np.abs(end - start).max(axis=1)).astype(np.int64))
    of = np.repeat(np.arange(len(edges)), steps + 1)
    along = (np.arange(len(of)) - np.repeat(np.cumsum(steps + 1) - steps - 1, steps + 1)) / steps[of]
    at = np.round(start[of] + along[:, None] * (end - start)[of]).astype(np.int64)
    sheet = np.zeros((high, wide), dtype=bool)
    sheet[np.clip(at[:, 1], 0, high - 1), np.clip(at[:, 0], 0, wide - 1)] = True
    from scipy import ndimage  # a third of a second that only this needs

    found: NDArray[np.bool_] = ndimage.binary_dilation(sheet, iterations=oversample)
    return found


def _project(vertices: NDArray[np.float64], wide: int, high: int) -> NDArray[np.float64]:
    """Turn, tilt, and fit into the frame: x right, y down, z towards the eye; float64 (n, 3)."""
    turn, tilt = np.radians(_TURN_DEG), np.radians(_TILT_DEG)
    x, y, z = vertices.T
    right = np.cos(turn) * x + np.sin(turn) * y
    away = -np.sin(turn) * x + np.cos(turn) * y
    up = np.cos(tilt) * z + np.sin(tilt) * away
    near = np.sin(tilt) * z - np.cos(tilt) * away
    flat: NDArray[np.float64] = np.column_stack([right, -up, near])
    low, span = flat.min(axis=0), np.ptp(flat, axis=0)
    scale = 0.88 * min(wide / max(span[0], 1e-9), high / max(span[1], 1e-9))
    flat = (flat - low - span / 2) * scale
    flat[:, 0] += wide / 2
    flat[:, 1] += high / 2
    return flat


def _edges(depth: NDArray[np.float64], face: NDArray[np.int64], normals: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Where neighbouring pixels differ sharply in facing or depth, shape (high, wide)."""
    table = np.vstack([normals, np.zeros(3)])  # the last row stands for "nothing here"
    lines = np.zeros(face.shape, dtype=bool)
    for axis in (0, 1):
        first, second = (slice(None, -1), slice(1, None))
        one, other = (first, second) if axis == 0 else ((slice(None), first), (slice(None), second))
        bend = np.zeros(face[one].shape, dtype=bool)
        # Within a face nothing bends; few pixels lie where two meet.
        meet = face[one] != face[other]
        bend[meet] = np.sum((table[face[one][meet]] - table[face[other][meet]]) ** 2, axis=1) > 0.35
        step = np.abs(np.diff(np.where(face >= 0, depth, -1e6), axis=axis)) > 14.0
        mark = bend | step
        lines[one] |= mark
        lines[other] |= mark
    return lines


@numba.njit(cache=True, nogil=True)
def _rasterise(triangles, wide, high):  # type: ignore[no-untyped-def]
    """Nearest triangle at each pixel's centre: depth (high, wide) and triangle index, -1 for none."""
    depth = np.full((high, wide), -np.inf)
    face = np.full((high, wide), -1, np.int64)
    for t in range(len(triangles)):
        ax, ay, az = triangles[t, 0]
        bx, by, bz = triangles[t, 1]
        cx, cy, cz = triangles[t, 2]
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-12:
            continue
        left = max(0, int(np.floor(min(ax, bx, cx) - 0.5)))
        right = min(wide - 1, int(np.ceil(max(ax, bx, cx))))
        top = max(0, int(np.floor(min(ay, by, cy) - 0.5)))
        bottom = min(high - 1, int(np.ceil(max(ay, by, cy))))
        for row in range(top, bottom + 1):
            y = row + 0.5
            for column in range(left, right + 1):
                x = column + 0.5
                wa = ((bx - x) * (cy - y) - (cx - x) * (by - y)) / area
                wb = ((cx - x) * (ay - y) - (ax - x) * (cy - y)) / area
                wc = 1.0 - wa - wb
                if wa < 0 or wb < 0 or wc < 0:
                    continue
                z = wa * az + wb * bz + wc * cz
                if z > depth[row, column]:
                    depth[row, column] = z
                    face[row, column] = t
    return depth, face
