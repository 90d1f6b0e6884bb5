"""Open strokes of a filling joined along the wall, so that the nozzle need not stop, pull and travel between them."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.geometry.offsets import rings_of
from meanbead.core.geometry.polyline import with_room
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.pieces import Curves, Islands, Pieces, curve_pieces, join_pieces
from meanbead.core.strokes.sequence import sequence

__all__ = ["Joined", "join_along_wall"]

Floats = NDArray[np.float64]

LONGEST_PITCHES = 1.5
"""Neighbouring lines of one family end so far apart along a wall that they meet at 45 degrees, and a little."""

_ON_EDGE_MM = 1e-3


@dataclass(frozen=True)
class Joined:
    """Pieces, strokes chained where they could be, and the length of the links by island, mm."""

    pieces: Pieces
    links_mm: Floats


def join_along_wall(pieces: Pieces, regions: Objects, islands: Islands, pitch_mm: Floats, spacing_mm: Floats) -> Joined:
    """Chain open pieces of one feature and phase, in the order in which they would be laid, wherever the end of one and
    the beginning of the next lie on one edge of their region, at most :data:`LONGEST_PITCHES` of ``pitch_mm`` (islands,)
    apart along it; ``spacing_mm`` is between lines without a gap. No stretch of an edge is laid twice: where another link runs
    already, strokes are not joined.

    Links follow the edge, the inner side of the innermost wall, so half of their bead lies on that wall.
    """
    links = np.zeros(len(islands))
    rank = np.lexsort((np.arange(len(pieces)), pieces.closed, pieces.island))
    open_ones = rank[~pieces.closed[rank]]
    if not len(open_ones):
        return Joined(pieces, links)
    points, ends, source = rings_of(regions)
    ring_first = np.searchsorted(source, np.arange(len(regions) + 1))
    made_points, made_source, counts, links = _chain(
        np.ascontiguousarray(pieces.points),
        pieces.offsets,
        open_ones,
        pieces.island,
        points,
        ends,
        ring_first,
        LONGEST_PITCHES * pitch_mm,
    )
    island = pieces.island[made_source]
    first = open_ones[:1]
    width = np.full(len(regions), 0.0)
    width[pieces.island] = pieces.width_mm[pieces.offsets[:-1]]
    curves = Curves(made_points, np.concatenate([[0], np.cumsum(counts)]).astype(np.int64), island)
    made = curve_pieces(
        curves,
        islands,
        Feature(int(pieces.feature[first[0]])),
        int(pieces.phase[first[0]]),
        width[np.repeat(island, counts)],
        spacing_mm,
    )
    if not pieces.closed.any():
        return Joined(made, links)
    return Joined(join_pieces([made, _only(pieces, np.flatnonzero(pieces.closed))]), links)


def _only(pieces: Pieces, chosen: NDArray[np.int64]) -> Pieces:
    """Some of the pieces."""
    counts = np.diff(pieces.offsets)[chosen]
    rows = np.concatenate([np.arange(pieces.offsets[k], pieces.offsets[k + 1]) for k in chosen.tolist()])
    return Pieces(
        points=pieces.points[rows],
        width_mm=pieces.width_mm[rows],
        offsets=np.concatenate([[0], np.cumsum(counts)]).astype(np.int64),
        **{
            name: getattr(pieces, name)[chosen]
            for name in (
                "closed",
                "one_way",
                "swept",
                "layer",
                "island",
                "phase",
                "feature",
                "height_mm",
                "across_mm",
                "angle_rad",
                "reach_mm",
            )
        },
    )


@numba.njit(cache=True, nogil=True)
def _place(points, first, last, x, y):  # type: ignore[no-untyped-def]
    """Where a ring (first point repeated as its last) is nearest to a place: distance, edge, share of that edge."""
    best, edge, share = np.inf, first, 0.0
    for k in range(first, last - 1):
        dx, dy = points[k + 1, 0] - points[k, 0], points[k + 1, 1] - points[k, 1]
        size = dx * dx + dy * dy
        t = ((x - points[k, 0]) * dx + (y - points[k, 1]) * dy) / size if size > 0 else 0.0
        t = max(0.0, min(1.0, t))
        distance = np.hypot(points[k, 0] + t * dx - x, points[k, 1] + t * dy - y)
        if distance < best:
            best, edge, share = distance, k, t
    return best, edge, share


@numba.njit(cache=True, nogil=True)
def _walk(points, first, last, edge, share, to_edge, to_share, forward, way, limit):  # type: ignore[no-untyped-def]
    """Corners between two places of a ring going one way, into ``way``: their count and the length; -1 beyond a limit."""
    x = points[edge, 0] + share * (points[edge + 1, 0] - points[edge, 0])
    y = points[edge, 1] + share * (points[edge + 1, 1] - points[edge, 1])
    count, length = 0, 0.0
    at = edge
    ahead = to_edge == edge and (to_share >= share if forward else to_share <= share)
    while not ahead:
        corner = at + 1 if forward else at
        if corner == last - 1 and forward:
            corner = first
        length += np.hypot(points[corner, 0] - x, points[corner, 1] - y)
        if length > limit or count == len(way):
            return -1, np.inf
        x, y = points[corner, 0], points[corner, 1]
        way[count, 0], way[count, 1] = x, y
        count += 1
        at = corner if forward else (at - 1 if at > first else last - 2)
        ahead = at == to_edge
    tx = points[to_edge, 0] + to_share * (points[to_edge + 1, 0] - points[to_edge, 0])
    ty = points[to_edge, 1] + to_share * (points[to_edge + 1, 1] - points[to_edge, 1])
    length += np.hypot(tx - x, ty - y)
    return (count, length) if length <= limit else (-1, np.inf)


_SAME_MM = 0.02
"""Links that have less than this in common only touch."""


@numba.njit(cache=True, nogil=True)
def _mark(points, first, last, edge, share, to_edge, to_share, forward, corners, head, links, used, write):  # type: ignore[no-untyped-def]
    """Go along a ring over a count of corners. With ``write`` note each edge's stretch in ``links`` (m, 3: share from, share
    to, number of the edge's stretch before it), beginning with ``head`` of the edge; without, ask whether any is noted
    already. The stretches noted so far, or -1 where one is."""
    for k in range(corners + 1):
        if forward:
            low, high = share if k == 0 else 0.0, to_share if k == corners else 1.0
        else:
            low, high = to_share if k == corners else 0.0, share if k == 0 else 1.0
        if write:
            links[used, 0], links[used, 1], links[used, 2] = low, high, head[edge]
            head[edge] = used
            used += 1
        else:
            size = np.hypot(points[edge + 1, 0] - points[edge, 0], points[edge + 1, 1] - points[edge, 1])
            other = head[edge]
            while other >= 0:
                if (min(high, links[other, 1]) - max(low, links[other, 0])) * size > _SAME_MM:
                    return -1
                other = int(links[other, 2])
        step = 1 if forward else -1
        edge = first + (edge + step - first) % (last - 1 - first)
    return used


@numba.njit(cache=True, nogil=True)
def _chain(points, offsets, strokes, island, ring_points, ring_end, ring_first, longest):  # type: ignore[no-untyped-def]
    """Points (p, 2), the first stroke of each chain (c,), points a chain (c,), and length of links by island."""
    capacity = 2 * len(points) + 1024
    out = np.empty((capacity, 2))
    source = np.empty(len(strokes), np.int64)
    counts = np.zeros(len(strokes), np.int64)
    links = np.zeros(len(longest))
    way, back = np.empty((512, 2)), np.empty((512, 2))
    head, stretches, noted = np.full(len(ring_points), -1, np.int64), np.empty((1024, 3)), 0
    used = chains = 0
    at = 0
    while at < len(strokes):
        here = island[strokes[at]]
        stop = at
        while stop < len(strokes) and island[strokes[stop]] == here:
            stop += 1
        count = stop - at
        ends = np.empty((count, 4))
        for k in range(count):
            low, high = offsets[strokes[at + k]], offsets[strokes[at + k] + 1] - 1
            ends[k, 0], ends[k, 1] = points[low, 0], points[low, 1]
            ends[k, 2], ends[k, 3] = points[high, 0], points[high, 1]
        order, backwards = sequence(ends, ends[0, 0], ends[0, 1])
        for number in range(count):
            stroke = strokes[at + order[number]]
            low, high = offsets[stroke], offsets[stroke + 1]
            linked = False
            if number > 0:
                ex, ey = (
                    (ends[order[number], 2], ends[order[number], 3])
                    if backwards[number]
                    else (
                        ends[order[number], 0],
                        ends[order[number], 1],
                    )
                )
                x, y = out[used - 1, 0], out[used - 1, 1]
                if np.hypot(ex - x, ey - y) <= longest[here]:
                    for ring in range(ring_first[here], ring_first[here + 1]):
                        first, last = ring_end[ring - 1] if ring else 0, ring_end[ring]
                        near, edge, share = _place(ring_points, first, last, x, y)
                        if near > _ON_EDGE_MM:
                            continue
                        near, to_edge, to_share = _place(ring_points, first, last, ex, ey)
                        if near > _ON_EDGE_MM:
                            continue
                        a, ahead = _walk(
                            ring_points, first, last, edge, share, to_edge, to_share, True, way, longest[here]
                        )
                        b, behind = _walk(
                            ring_points, first, last, edge, share, to_edge, to_share, False, back, longest[here]
                        )
                        forward = ahead <= behind
                        corners = a if forward else b
                        if corners < 0:
                            break
                        place = (ring_points, first, last, edge, share, to_edge, to_share, forward, corners, head)
                        if _mark(*place, stretches, noted, False) < 0:
                            break
                        stretches = with_room(stretches, noted, corners + 1)
                        noted = _mark(*place, stretches, noted, True)
                        for k in range(corners):
                            if used == capacity:
                                bigger = np.empty((2 * capacity, 2))
                                bigger[:capacity] = out
                                out, capacity = bigger, 2 * capacity
                            corner = way[k] if forward else back[k]
                            out[used, 0], out[used, 1] = corner[0], corner[1]
                            used += 1
                        counts[chains - 1] += corners
                        links[here] += min(ahead, behind)
                        linked = True
                        break
            if not linked:
                source[chains] = stroke
                chains += 1
            while used + (high - low) > capacity:
                bigger = np.empty((2 * capacity, 2))
                bigger[:capacity] = out
                out, capacity = bigger, 2 * capacity
            for k in range(high - low):
                p = high - 1 - k if backwards[number] else low + k
                out[used, 0], out[used, 1] = points[p, 0], points[p, 1]
                used += 1
            counts[chains - 1] += high - low
        at = stop
    return out[:used].copy(), source[:chains].copy(), counts[:chains].copy(), links
