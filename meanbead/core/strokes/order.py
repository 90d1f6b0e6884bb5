"""Put loops and lines in the order in which the nozzle lays them, with the travel between.

Layer by layer; in a layer island by island, nearest first; in an island phase by phase (inner walls, outer wall,
skins, infill); in a phase always the nearest piece that is left.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.strokes.features import Feature

_TRAVEL = int(Feature.TRAVEL)
_SAME_PLACE_MM = 1e-6


@dataclass(frozen=True)
class Pieces:
    """Loops and lines not yet in order; arrays of length n but for ``points`` (p, 2) and ``offsets`` (n + 1).

    ``across_mm`` is the distance of a line from the origin across its direction ``angle_rad``; the search for the
    nearest piece uses it to stop early. Loops have 0 there, which stops nothing. ``reach_mm`` is how far the nozzle may
    hop from a line to the next of its kind and still be over the same filling; 0 for loops.
    """

    points: NDArray[np.float64]
    offsets: NDArray[np.int64]
    closed: NDArray[np.bool_]
    layer: NDArray[np.int64]
    island: NDArray[np.int64]
    phase: NDArray[np.int64]
    feature: NDArray[np.uint8]
    width_mm: NDArray[np.float64]
    across_mm: NDArray[np.float64]
    angle_rad: NDArray[np.float64]
    reach_mm: NDArray[np.float64]


def join_pieces(parts: list[Pieces]) -> Pieces:
    """Several sets of pieces as one."""
    shifts = np.cumsum([0] + [len(part.points) for part in parts])
    return Pieces(
        points=np.concatenate([part.points for part in parts]),
        offsets=np.concatenate(
            [[0], *(part.offsets[1:] + shift for part, shift in zip(parts, shifts, strict=False))]
        ).astype(np.int64),
        closed=np.concatenate([part.closed for part in parts]),
        layer=np.concatenate([part.layer for part in parts]),
        island=np.concatenate([part.island for part in parts]),
        phase=np.concatenate([part.phase for part in parts]),
        feature=np.concatenate([part.feature for part in parts]),
        width_mm=np.concatenate([part.width_mm for part in parts]),
        across_mm=np.concatenate([part.across_mm for part in parts]),
        angle_rad=np.concatenate([part.angle_rad for part in parts]),
        reach_mm=np.concatenate([part.reach_mm for part in parts]),
    )


@dataclass(frozen=True)
class Ordered:
    """Rows in order: ``xy`` float64 (n, 4) start and end, ``width_mm``, ``feature``, ``layer``, ``inside``."""

    xy: NDArray[np.float64]
    width_mm: NDArray[np.float64]
    feature: NDArray[np.uint8]
    layer: NDArray[np.int32]
    inside: NDArray[np.bool_]


def order_pieces(pieces: Pieces, seam_at_back: bool) -> Ordered:
    """Order pieces and write out every straight move, travel included. Deterministic."""
    rank = np.lexsort((pieces.across_mm, pieces.phase, pieces.island, pieces.layer))
    counts = np.diff(pieces.offsets)
    rows = int(np.sum(counts + np.where(pieces.closed, 0, -1))) + len(rank)
    xy, width, feature, layer, inside = _order(
        rows,
        np.ascontiguousarray(pieces.points),
        pieces.offsets,
        pieces.closed,
        rank,
        pieces.layer,
        pieces.island,
        pieces.phase,
        pieces.feature,
        pieces.width_mm,
        pieces.across_mm,
        pieces.angle_rad,
        pieces.reach_mm,
        seam_at_back,
    )
    return Ordered(xy, width, feature, layer, inside)


@numba.njit(cache=True, nogil=True)
def _nearest_entry(points, first, last, closed, x, y, seam_at_back):  # type: ignore[no-untyped-def]
    """Squared distance to a piece and the point at which it is entered.

    Lines are entered at an end. Loops at their corner furthest back (largest y), or at the nearest corner.
    """
    best = first
    if closed and seam_at_back:
        for k in range(first + 1, last):
            if points[k, 1] > points[best, 1] + 1e-9:
                best = k
        return (points[best, 0] - x) ** 2 + (points[best, 1] - y) ** 2, best
    distance = np.inf
    step = 1 if closed else max(1, last - first - 1)
    for k in range(first, last, step):
        d = (points[k, 0] - x) ** 2 + (points[k, 1] - y) ** 2
        if d < distance:
            distance = d
            best = k
    return distance, best


@numba.njit(cache=True, nogil=True)
def _order(  # type: ignore[no-untyped-def]
    rows, points, offsets, closed, rank, layer, island, phase, feature, width, across, angle, reach, seam_at_back
):
    xy = np.empty((rows, 4))
    out_width = np.empty(rows)
    out_feature = np.empty(rows, np.uint8)
    out_layer = np.empty(rows, np.int32)
    out_inside = np.zeros(rows, np.bool_)
    used = 0
    n = len(rank)
    x, y = 0.0, 0.0
    started = False
    above = np.empty(n, np.int64)
    below = np.empty(n, np.int64)
    group_at = 0
    while group_at < n:
        # The islands of this layer: runs of equal island number.
        this_layer = layer[rank[group_at]]
        layer_end = group_at
        islands = 0
        while layer_end < n and layer[rank[layer_end]] == this_layer:
            if layer_end == group_at or island[rank[layer_end]] != island[rank[layer_end - 1]]:
                islands += 1
            layer_end += 1
        island_first = np.empty(islands + 1, np.int64)
        at = 0
        for k in range(group_at, layer_end):
            if k == group_at or island[rank[k]] != island[rank[k - 1]]:
                island_first[at] = k
                at += 1
        island_first[islands] = layer_end
        left = np.ones(islands, np.bool_)
        for _turn in range(islands):
            chosen = -1
            nearest = np.inf
            for k in range(islands):
                if not left[k]:
                    continue
                lead = rank[island_first[k]]
                if island[lead] < 0:  # the skirt primes the nozzle, so it comes first
                    chosen = k
                    break
                p = offsets[lead]
                d = (points[p, 0] - x) ** 2 + (points[p, 1] - y) ** 2
                if d < nearest:
                    nearest = d
                    chosen = k
            left[chosen] = False
            first = island_first[chosen]
            while first < island_first[chosen + 1]:
                this_phase = phase[rank[first]]
                last = first
                while last < island_first[chosen + 1] and phase[rank[last]] == this_phase:
                    above[last] = last + 1
                    below[last] = last - 1
                    last += 1
                head = first
                here = -1
                for _piece in range(last - first):
                    best = np.inf
                    pick = -1
                    entry = 0
                    if here >= 0:
                        turn = angle[rank[here]]
                        q = np.cos(turn) * y - np.sin(turn) * x
                        up, down = above[here], below[here]
                    else:
                        q = 0.0
                        up, down = head, first - 1
                    # Walk away from the last piece on both sides until the distance across alone is too far.
                    while up < last:
                        piece = rank[up]
                        if here >= 0 and not closed[piece] and (across[piece] - q) ** 2 > best:
                            break
                        d, e = _nearest_entry(
                            points, offsets[piece], offsets[piece + 1], closed[piece], x, y, seam_at_back
                        )
                        if d < best:
                            best, pick, entry = d, up, e
                        up = above[up]
                    while down >= first:
                        piece = rank[down]
                        if here >= 0 and not closed[piece] and (across[piece] - q) ** 2 > best:
                            break
                        d, e = _nearest_entry(
                            points, offsets[piece], offsets[piece + 1], closed[piece], x, y, seam_at_back
                        )
                        if d < best:
                            best, pick, entry = d, down, e
                        down = below[down]
                    # Unlink the chosen piece.
                    if below[pick] >= first:
                        above[below[pick]] = above[pick]
                    else:
                        head = above[pick]
                    if above[pick] < last:
                        below[above[pick]] = below[pick]
                    hops = here >= 0
                    here = pick
                    piece = rank[pick]
                    if not started:
                        x, y = points[entry, 0], points[entry, 1]
                        started = True
                    if (points[entry, 0] - x) ** 2 + (points[entry, 1] - y) ** 2 > _SAME_PLACE_MM**2:
                        xy[used, 0], xy[used, 1] = x, y
                        xy[used, 2], xy[used, 3] = points[entry, 0], points[entry, 1]
                        out_width[used] = 0.0
                        out_feature[used] = _TRAVEL
                        out_layer[used] = this_layer
                        out_inside[used] = hops and best <= reach[piece] ** 2
                        used += 1
                        x, y = points[entry, 0], points[entry, 1]
                    low, high = offsets[piece], offsets[piece + 1]
                    size = high - low
                    steps = size if closed[piece] else size - 1
                    for k in range(1, steps + 1):
                        if closed[piece]:
                            p = low + (entry - low + k) % size
                        elif entry == low:
                            p = low + k
                        else:
                            p = high - 1 - k
                        xy[used, 0], xy[used, 1] = x, y
                        xy[used, 2], xy[used, 3] = points[p, 0], points[p, 1]
                        out_width[used] = width[piece]
                        out_feature[used] = feature[piece]
                        out_layer[used] = this_layer
                        used += 1
                        x, y = points[p, 0], points[p, 1]
                first = last
        group_at = layer_end
    return xy[:used], out_width[:used], out_feature[:used], out_layer[:used], out_inside[:used]
