"""Edges of regions, sorted into strips, so that a compiled loop looks only at those nearby; distances to them."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import rings_of
from meanbead.core.runtime.parallel import Objects

__all__ = ["RegionEdges", "edge_distance_mm", "edges_in_strips", "strip_at"]

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

_MOST_STRIPS = 1024


@dataclass(frozen=True)
class RegionEdges:
    """Rings of regions in flat arrays: ``points`` (p, 2), each ring's first again as its last; ``ring_end`` the end of each
    ring in the points; ``last_ring`` the end of each region in the rings."""

    points: Floats
    ring_end: Whole
    last_ring: Whole

    @classmethod
    def of(cls, regions: Objects) -> RegionEdges:
        """Of all regions; an empty one has no ring."""
        points, ring_end, source = rings_of(regions)
        return cls(np.ascontiguousarray(points), ring_end, np.cumsum(np.bincount(source, minlength=len(regions))))


def edge_distance_mm(points: Floats, source: Whole, regions: Objects, within_mm: Floats) -> Floats:
    """How far each point (n, 2) is from the outline of its region, mm (n,), ``source`` int64 (n,) being the region's number;
    infinite where that is more than ``within_mm`` (n,), up to which is looked. Quickest where points of a region stand together."""
    used, which = np.unique(source, return_inverse=True)
    edges = RegionEdges.of(regions[used])
    found: Floats = _distances(
        np.ascontiguousarray(points),
        which,
        np.asarray(within_mm, np.float64),
        edges.points,
        edges.ring_end,
        edges.last_ring,
    )
    return found


@numba.njit(cache=True, nogil=True)
def edges_in_strips(points, ring_end, last_ring, region):  # type: ignore[no-untyped-def]
    """A region's edges by strips of equal height: how many strips, where the lowest begins, their height; then the end of each
    in the list of edges, after a 0, and the list: numbers of the points that edges begin with."""
    ring_first = last_ring[region - 1] if region else 0
    point_first = ring_end[ring_first - 1] if ring_first else 0
    if ring_first == last_ring[region]:
        return 1, 0.0, 1.0, np.zeros(2, np.int64), np.empty(0, np.int64)
    point_last = ring_end[last_ring[region] - 1]
    low, high = points[point_first, 1], points[point_first, 1]
    for k in range(point_first, point_last):
        low, high = min(low, points[k, 1]), max(high, points[k, 1])
    strips = min(_MOST_STRIPS, max(1, (point_last - point_first) // 2))
    rise = max((high - low) / strips, 1e-9)
    ends = np.zeros(strips + 1, np.int64)
    edges = np.empty(0, np.int64)
    fill = ends
    for filling in range(2):
        if filling:
            for k in range(strips):
                ends[k + 1] += ends[k]
            edges = np.empty(ends[strips], np.int64)
            fill = ends[:strips].copy()
        start = point_first
        for ring in range(ring_first, last_ring[region]):
            for k in range(start, ring_end[ring] - 1):
                y0, y1 = points[k, 1], points[k + 1, 1]
                for strip in range(
                    strip_at(min(y0, y1), low, rise, strips), strip_at(max(y0, y1), low, rise, strips) + 1
                ):
                    if filling:
                        edges[fill[strip]] = k
                        fill[strip] += 1
                    else:
                        ends[strip + 1] += 1
            start = ring_end[ring]
    return strips, low, rise, ends, edges


@numba.njit(cache=True, nogil=True)
def strip_at(y, low, rise, strips):  # type: ignore[no-untyped-def]
    """Number of the strip at a height; of the first or the last one beyond them."""
    return min(max(int(np.floor((y - low) / rise)), 0), strips - 1)


@numba.njit(cache=True, nogil=True)
def _distances(asked, region, within, points, ring_end, last_ring):  # type: ignore[no-untyped-def]
    found = np.full(len(asked), np.inf)
    present = -1
    strips, low, rise, ends, edges = (
        edges_in_strips(points, ring_end, last_ring, 0)
        if len(asked)
        else (1, 0.0, 1.0, np.zeros(2, np.int64), np.empty(0, np.int64))
    )
    for n in range(len(asked)):
        if region[n] != present:
            present = region[n]
            strips, low, rise, ends, edges = edges_in_strips(points, ring_end, last_ring, present)
        x, y, reach = asked[n, 0], asked[n, 1], within[n]
        best = reach * reach
        any_near = False
        for strip in range(strip_at(y - reach, low, rise, strips), strip_at(y + reach, low, rise, strips) + 1):
            for number in range(ends[strip], ends[strip + 1]):
                k = edges[number]
                ax, ay, bx, by = points[k, 0], points[k, 1], points[k + 1, 0], points[k + 1, 1]
                if min(ax, bx) > x + reach or max(ax, bx) < x - reach:
                    continue
                wx, wy = bx - ax, by - ay
                length2 = wx * wx + wy * wy
                share = ((x - ax) * wx + (y - ay) * wy) / length2 if length2 > 0 else 0.0
                share = min(1.0, max(0.0, share))
                dx, dy = x - ax - share * wx, y - ay - share * wy
                off = dx * dx + dy * dy
                if off <= best:
                    best, any_near = off, True
        if any_near:
            found[n] = np.sqrt(best)
    return found
