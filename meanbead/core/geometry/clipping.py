"""Curves cut to regions: what of each polyline lies inside, compiled, for general overlay takes ten times as long."""

from __future__ import annotations

import numba
import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.geometry.edges import RegionEdges, edges_in_strips, strip_at
from meanbead.core.geometry.polyline import with_room
from meanbead.core.runtime.parallel import CORES, Objects, parallel_map

__all__ = ["clip_curves"]

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

_FEW_POINTS = 20_000
_ASIDE_MM = (1.1e-9, 0.7e-9)
"""Curves are looked at a millionth of a micrometre aside: what runs through a corner or along an edge is on one side of it."""


def clip_curves(points: Floats, offsets: Whole, source: Whole, regions: Objects) -> tuple[Floats, Whole, Whole]:
    """What of each curve lies inside its region.

    ``points`` float64 (p, 2), mm, and ``offsets`` int64 (n + 1) hold the curves, ``source`` int64 (n,), rising, the number
    of the region of each. Every curve has to begin and end outside of its region. The answer is made up alike: points,
    offsets, and the region of each piece. Pieces follow the curves' order and direction.

    A curve changes sides at each edge that it crosses (even-odd rule). Where rounding lets a curve cross an odd number of
    edges, it is cut by general overlay.
    """
    filled, which = np.unique(source, return_inverse=True)
    edges = RegionEdges.of(regions[filled])

    def cut(lines: slice) -> tuple[Floats, Whole, Whole, Whole]:
        return _clip(  # type: ignore[no-any-return]
            points, offsets[lines.start : lines.stop + 1], which[lines], edges.points, edges.ring_end, edges.last_ring
        )

    pieces = 4 * CORES if len(points) > _FEW_POINTS else 1
    ends = np.searchsorted(offsets, np.linspace(0, len(points), pieces + 1)).tolist()
    spans = [slice(a, b) for a, b in zip(ends[:-1], [*ends[1:-1], len(source)], strict=True) if b > a]
    parts = parallel_map(cut, spans)
    found: list[tuple[Floats, Whole, Whole]] = []
    for span, (xy, ends_at, line, odd) in zip(spans, parts, strict=True):
        found.append((xy, ends_at, source[span][line]))
        found += [_overlaid(points[slice(*offsets[k : k + 2])], int(source[k]), regions) for k in odd + span.start]
    return (
        np.concatenate([np.empty((0, 2)), *(xy for xy, _, _ in found)]),
        np.concatenate([[0], np.cumsum(np.concatenate([np.empty(0, np.int64), *(n for _, n, _ in found)]))]),
        np.concatenate([np.empty(0, np.int64), *(region for _, _, region in found)]),
    )


def _overlaid(curve: Floats, region: int, regions: Objects) -> tuple[Floats, Whole, Whole]:
    parts = shapely.get_parts(shapely.intersection(shapely.linestrings(curve), shapely.make_valid(regions[region])))
    parts = parts[shapely.get_type_id(parts) == shapely.GeometryType.LINESTRING]
    return (
        shapely.get_coordinates(parts),
        np.asarray(shapely.get_num_coordinates(parts), dtype=np.int64),
        np.full(len(parts), region),
    )


@numba.njit(cache=True, nogil=True)
def _clip(points, offsets, region, ring_points, ring_end, last_ring):  # type: ignore[no-untyped-def]
    """Pieces of curves: points (m, 2), the number of points of each piece, the number of its curve; then the numbers of the
    curves that cross an odd number of edges, which have no pieces here."""
    out = np.empty((4096, 2))
    used = 0
    count = np.empty(1024, np.int64)
    line_of = np.empty(1024, np.int64)
    pieces = 0
    odd = np.empty(len(region), np.int64)
    odds = 0
    crossing = np.empty(64)
    present = -1
    strips, low, rise = 1, 0.0, 1.0
    first_edge = np.zeros(2, np.int64)
    edges = np.empty(0, np.int64)
    for line in range(len(region)):
        if region[line] != present:
            present = region[line]
            # A curve looks only at the edges of the strips that it is in.
            strips, low, rise, first_edge, edges = edges_in_strips(ring_points, ring_end, last_ring, present)
        begin, end = offsets[line], offsets[line + 1]
        crossings = 0
        for at in range(begin, end - 1):
            px, py = points[at, 0] + _ASIDE_MM[0], points[at, 1] + _ASIDE_MM[1]
            qx, qy = points[at + 1, 0] + _ASIDE_MM[0], points[at + 1, 1] + _ASIDE_MM[1]
            if max(py, qy) < low or min(py, qy) > low + strips * rise:
                continue
            lower, upper = strip_at(min(py, qy), low, rise, strips), strip_at(max(py, qy), low, rise, strips)
            for strip in range(lower, upper + 1):
                for number in range(first_edge[strip], first_edge[strip + 1]):
                    k = edges[number]
                    ax, ay, bx, by = ring_points[k, 0], ring_points[k, 1], ring_points[k + 1, 0], ring_points[k + 1, 1]
                    if max(ax, bx) < min(px, qx) or min(ax, bx) > max(px, qx):
                        continue
                    from_p = (bx - ax) * (py - ay) - (by - ay) * (px - ax)
                    from_q = (bx - ax) * (qy - ay) - (by - ay) * (qx - ax)
                    if (from_p > 0) == (from_q > 0):
                        continue
                    from_a = (qx - px) * (ay - py) - (qy - py) * (ax - px)
                    from_b = (qx - px) * (by - py) - (qy - py) * (bx - px)
                    if (from_a > 0) == (from_b > 0):
                        continue
                    share = from_p / (from_p - from_q)
                    # Both may run through several strips together: the crossing counts in its own alone.
                    bottom, top = strip_at(min(ay, by), low, rise, strips), strip_at(max(ay, by), low, rise, strips)
                    own = strip_at(py + share * (qy - py), low, rise, strips)
                    if min(max(own, lower, bottom), upper, top) != strip:
                        continue
                    crossing = with_room(crossing, crossings, 1)
                    crossing[crossings] = at - begin + share
                    crossings += 1
        if crossings % 2:
            odd[odds] = line
            odds += 1
            continue
        crossing[:crossings].sort()
        for number in range(0, crossings, 2):
            enter, leave = crossing[number], crossing[number + 1]
            if leave - enter < 1e-12:
                continue
            first, last = int(np.floor(enter)) + 1, int(np.ceil(leave)) - 1
            size = max(0, last - first + 1) + 2
            out = with_room(out, used, size)
            count, line_of = with_room(count, pieces, 1), with_room(line_of, pieces, 1)
            _at(points, begin, end, enter, out, used)
            for k in range(first, last + 1):
                out[used + 1 + k - first] = points[begin + k]
            _at(points, begin, end, leave, out, used + size - 1)
            used += size
            count[pieces], line_of[pieces] = size, line
            pieces += 1
    return out[:used].copy(), count[:pieces].copy(), line_of[:pieces].copy(), odd[:odds].copy()


@numba.njit(cache=True, nogil=True)
def _at(points, begin, end, place, out, row):  # type: ignore[no-untyped-def]
    """Put the point at a place of a curve, its stroke's number plus the share of that, into a row."""
    k = min(int(np.floor(place)), end - begin - 2)
    share = place - k
    for axis in range(2):
        out[row, axis] = points[begin + k, axis] + share * (points[begin + k + 1, axis] - points[begin + k, axis])
