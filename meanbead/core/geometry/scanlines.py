"""Straight strokes across regions: sparse lines at a fixed pitch, or skins fitted to fill without gaps."""

from __future__ import annotations

import numba
import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import rings_of
from meanbead.core.runtime.parallel import Objects

__all__ = ["Lines", "scan_lines"]

_SHORTEST_MM = 0.05
"""Strokes shorter than this are left out: no machine lays them."""


class Lines:
    """Segments across regions, arrays of length n.

    ``start``, ``end`` float64 (n, 2) mm; ``region`` int64, index into the regions given; ``offset_mm`` float64,
    distance of the line from the origin across the strokes; ``pitch_mm`` float64, distance between lines as laid.
    """

    def __init__(self, segments: NDArray[np.float64], region: NDArray[np.int64], pitch_mm: NDArray[np.float64]) -> None:
        self.start = segments[:, 0:2]
        self.end = segments[:, 2:4]
        self.offset_mm = segments[:, 4]
        self.region = region
        self.pitch_mm = pitch_mm

    def __len__(self) -> int:
        return len(self.region)


def scan_lines(
    regions: Objects,
    angle_rad: NDArray[np.float64],
    pitch_mm: NDArray[np.float64],
    fit: bool,
    shift_mm: NDArray[np.float64] | None = None,
) -> Lines:
    """Parallel strokes across each region at its own angle and pitch.

    With ``fit`` the pitch of a region is stretched or squeezed so that a whole number of lines spans it, which fills
    it without gap or heap; without, lines lie at multiples of the pitch from the origin, so that layers stack, moved
    across by ``shift_mm`` (one value a region).
    """
    filled = np.flatnonzero(~shapely.is_empty(regions))
    points, ring_end, source = rings_of(regions[filled])
    if not len(points):
        return Lines(np.empty((0, 5)), np.empty(0, np.int64), np.empty(0))
    region_end = np.cumsum(np.bincount(source, minlength=len(filled)))
    segments, region, pitch = _scan_all(
        np.ascontiguousarray(points),
        ring_end,
        region_end.astype(np.int64),
        angle_rad[filled].astype(np.float64),
        pitch_mm[filled].astype(np.float64),
        np.zeros(len(filled)) if shift_mm is None else shift_mm[filled].astype(np.float64),
        fit,
    )
    return Lines(segments, filled[region], pitch)


@numba.njit(cache=True, nogil=True)
def _scan_all(points, ring_end, region_end, angle, pitch, shift, fit):  # type: ignore[no-untyped-def]
    """Segments (n, 5: x0 y0 x1 y1 offset), region (n,), pitch (n,) of all regions."""
    capacity = 1024
    out = np.empty((capacity, 5))
    out_region = np.empty(capacity, np.int64)
    out_pitch = np.empty(capacity)
    used = 0
    for region in range(len(region_end)):
        ring_first = region_end[region - 1] if region else 0
        point_first = ring_end[ring_first - 1] if ring_first else 0
        point_last = ring_end[region_end[region] - 1]
        cos, sin = np.cos(angle[region]), np.sin(angle[region])
        count = point_last - point_first
        u = np.empty(count)
        v = np.empty(count)
        for k in range(count):
            x, y = points[point_first + k, 0], points[point_first + k, 1]
            u[k] = cos * x + sin * y
            v[k] = cos * y - sin * x
        low, high = v.min(), v.max()
        step = pitch[region]
        if fit:
            lines = max(1, int(np.round((high - low) / step)))
            step = (high - low) / lines
            if step < 0.3 * pitch[region]:
                continue
            base = low + step / 2
        else:
            base = (np.ceil((low - shift[region]) / step - 0.5) + 0.5) * step + shift[region]
            lines = int(np.floor((high - base) / step)) + 1
        if lines <= 0:
            continue
        # Count crossings by line, then place them: two passes instead of growing lists.
        starts = np.zeros(lines + 1, np.int64)
        for _pass in range(2):
            if _pass == 1:
                for k in range(lines):
                    starts[k + 1] += starts[k]
                crossings = np.empty(starts[lines])
                fill = starts[:lines].copy()
            ring_start = point_first
            for r in range(ring_first, region_end[region]):
                for k in range(ring_start, ring_end[r] - 1):
                    a, b = k - point_first, k - point_first + 1
                    v0, v1 = v[a], v[b]
                    if v0 == v1:
                        continue
                    bottom, top = min(v0, v1), max(v0, v1)
                    # Half-open rule: a corner on a line counts for one of its edges only.
                    first = max(0, int(np.ceil((bottom - base) / step)))
                    last = min(lines - 1, int(np.ceil((top - base) / step)) - 1)
                    for line in range(first, last + 1):
                        if _pass == 0:
                            starts[line + 1] += 1
                        else:
                            at = base + line * step
                            crossings[fill[line]] = u[a] + (at - v0) * (u[b] - u[a]) / (v1 - v0)
                            fill[line] += 1
                ring_start = ring_end[r]
        for line in range(lines):
            row = np.sort(crossings[starts[line] : starts[line + 1]])
            at = base + line * step
            for k in range(0, len(row) - 1, 2):
                if row[k + 1] - row[k] < _SHORTEST_MM:
                    continue
                if used == capacity:
                    capacity *= 2
                    bigger = np.empty((capacity, 5))
                    bigger[:used] = out
                    out = bigger
                    bigger_region = np.empty(capacity, np.int64)
                    bigger_region[:used] = out_region
                    out_region = bigger_region
                    bigger_pitch = np.empty(capacity)
                    bigger_pitch[:used] = out_pitch
                    out_pitch = bigger_pitch
                out[used, 0] = cos * row[k] - sin * at
                out[used, 1] = sin * row[k] + cos * at
                out[used, 2] = cos * row[k + 1] - sin * at
                out[used, 3] = sin * row[k + 1] + cos * at
                out[used, 4] = at
                out_region[used] = region
                out_pitch[used] = step
                used += 1
    return out[:used].copy(), out_region[:used].copy(), out_pitch[:used].copy()
