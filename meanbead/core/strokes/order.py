"""Put loops and lines in the order in which the nozzle lays them, with the travel between.

Layer by layer; in a layer island by island, nearest first with improvement; in an island phase by phase (inner walls, outer wall,
skins, infill); in a phase always the nearest piece that is left, of open infill improved, of skins stroke beside stroke.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.recipe import SeamPlace
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.pieces import HOP_PITCHES, Pieces
from meanbead.core.strokes.seams import entries
from meanbead.core.strokes.sequence import sequence
from meanbead.core.strokes.sweep import sweep

__all__ = ["Ordered", "order_pieces"]

_TRAVEL, _INFILL = int(Feature.TRAVEL), int(Feature.INFILL)
_SAME_PLACE_MM = 1e-6


@dataclass(frozen=True)
class Ordered:
    """Rows in order: ``xy`` float64 (n, 4) start and end, ``width_mm``, ``height_mm``, ``feature``, ``layer``,
    ``inside``."""

    xy: NDArray[np.float64]
    width_mm: NDArray[np.float64]
    height_mm: NDArray[np.float64]
    feature: NDArray[np.uint8]
    layer: NDArray[np.int32]
    inside: NDArray[np.bool_]


def order_pieces(pieces: Pieces, seam: SeamPlace) -> Ordered:
    """Order pieces and write out every straight move, travel included. Deterministic."""
    # Those of a face that are swept come first, row by row, and in a row along it.
    along = _along_mm(pieces)
    rank = np.lexsort((along, pieces.across_mm, ~pieces.swept, pieces.phase, pieces.island, pieces.layer))
    counts = np.diff(pieces.offsets)
    rows = int(np.sum(counts + np.where(pieces.closed, 0, -1))) + len(rank)
    return Ordered(
        *_order(
            rows,
            np.ascontiguousarray(pieces.points),
            pieces.offsets,
            pieces.closed,
            entries(pieces, seam),
            rank,
            pieces.layer,
            pieces.island,
            pieces.phase,
            pieces.feature,
            pieces.width_mm,
            pieces.height_mm,
            pieces.across_mm,
            pieces.angle_rad,
            pieces.reach_mm,
            pieces.swept,
            pieces.one_way,
            along,
        )
    )


def _along_mm(pieces: Pieces) -> NDArray[np.float64]:
    """Where each swept piece begins along its direction, mm; 0 for others."""
    first = pieces.points[pieces.offsets[:-1]]
    along = np.cos(pieces.angle_rad) * first[:, 0] + np.sin(pieces.angle_rad) * first[:, 1]
    return np.where(pieces.swept, along, 0.0)


@numba.njit(cache=True, nogil=True)
def _nearest_entry(points, first, last, closed, fixed, x, y):  # type: ignore[no-untyped-def]
    """Squared distance to a piece and the point at which it is entered: the fixed one where there is one, else the
    nearest corner of a loop, or the nearer end of a line."""
    if fixed >= 0:
        return (points[fixed, 0] - x) ** 2 + (points[fixed, 1] - y) ** 2, fixed
    best = first
    distance = np.inf
    step = 1 if closed else max(1, last - first - 1)
    for k in range(first, last, step):
        d = (points[k, 0] - x) ** 2 + (points[k, 1] - y) ** 2
        if d < distance:
            distance = d
            best = k
    return distance, best


_MAX_IMPROVED = 150
"""Islands of a layer up to which their order is improved; beyond, nearest first has to do."""


@numba.njit(cache=True, nogil=True)
def _tour(x, y, place):  # type: ignore[no-untyped-def]
    """An order of places (n, 2) from (x, y): nearest first, then stretches turned round while that shortens the way."""
    n = len(place)
    tour = np.arange(n)
    at_x, at_y = x, y
    for k in range(n):
        best, pick = np.inf, k
        for j in range(k, n):
            d = (place[tour[j], 0] - at_x) ** 2 + (place[tour[j], 1] - at_y) ** 2
            if d < best:
                best, pick = d, j
        tour[k], tour[pick] = tour[pick], tour[k]
        at_x, at_y = place[tour[k], 0], place[tour[k], 1]
    if n > _MAX_IMPROVED:
        return tour
    improved = True
    rounds = 0
    while improved and rounds < 20:
        improved = False
        rounds += 1
        for i in range(n - 1):
            ax = x if i == 0 else place[tour[i - 1], 0]
            ay = y if i == 0 else place[tour[i - 1], 1]
            for j in range(i + 1, n):
                first, last = place[tour[i]], place[tour[j]]
                before = np.hypot(first[0] - ax, first[1] - ay)
                after = np.hypot(last[0] - ax, last[1] - ay)
                if j + 1 < n:
                    follows = place[tour[j + 1]]
                    before += np.hypot(follows[0] - last[0], follows[1] - last[1])
                    after += np.hypot(follows[0] - first[0], follows[1] - first[1])
                if after < before - 1e-9:
                    tour[i : j + 1] = tour[i : j + 1][::-1].copy()
                    improved = True
    return tour


@numba.njit(cache=True, nogil=True)
def _order(  # type: ignore[no-untyped-def]
    rows,
    points,
    offsets,
    closed,
    fixed,
    rank,
    layer,
    island,
    phase,
    feature,
    width,
    height,
    across,
    angle,
    reach,
    swept,
    one_way,
    along,
):
    xy = np.empty((rows, 4))
    out_width = np.empty(rows)
    out_height = np.empty(rows)
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
        place = np.empty((islands, 2))
        ahead = 0
        for k in range(islands):
            lead = rank[island_first[k]]
            entry = fixed[lead] if fixed[lead] >= 0 else offsets[lead]
            place[k, 0], place[k, 1] = points[entry, 0], points[entry, 1]
            if island[lead] < 0:  # the skirt primes the nozzle, so it comes first; it has the lowest number
                ahead = 1
        tour = np.zeros(islands, np.int64)
        tour[ahead:] = ahead + _tour(x, y, place[ahead:])
        for turn in range(islands):
            chosen = tour[turn]
            first = island_first[chosen]
            while first < island_first[chosen + 1]:
                this_phase = phase[rank[first]]
                last = first
                in_sweep = swept[rank[first]]
                while (
                    last < island_first[chosen + 1]
                    and phase[rank[last]] == this_phase
                    and swept[rank[last]] == in_sweep
                ):
                    above[last] = last + 1
                    below[last] = last - 1
                    last += 1
                head = first
                here = -1
                free = in_sweep or feature[rank[first]] == _INFILL
                for k in range(first, last):
                    free = free and not closed[rank[k]] and (in_sweep or fixed[rank[k]] < 0)
                if free:
                    ends = np.empty((last - first, 4))
                    for k in range(first, last):
                        begin, end = offsets[rank[k]], offsets[rank[k] + 1] - 1
                        ends[k - first, 0], ends[k - first, 1] = points[begin, 0], points[begin, 1]
                        ends[k - first, 2], ends[k - first, 3] = points[end, 0], points[end, 1]
                    if in_sweep:
                        size = last - first
                        low, high = np.empty(size), np.empty(size)
                        beside, apart = np.empty(size), np.empty(size)
                        for k in range(size):
                            piece = rank[first + k]
                            low[k], beside[k], apart[k] = along[piece], across[piece], reach[piece] / HOP_PITCHES
                            high[k] = low[k] + np.hypot(ends[k, 2] - ends[k, 0], ends[k, 3] - ends[k, 1])
                        only = one_way[rank[first]]
                        in_turn, backwards = sweep(ends, low, high, beside, apart, only, x, y)
                    else:
                        in_turn, backwards = sequence(ends, x, y)
                else:
                    in_turn, backwards = np.empty(0, np.int64), np.empty(0, np.bool_)
                for number in range(last - first):
                    best = np.inf
                    pick = -1
                    entry = 0
                    up, down, q = last, first - 1, 0.0
                    if free:
                        pick = first + in_turn[number]
                        piece = rank[pick]
                        entry = offsets[piece + 1] - 1 if backwards[number] else offsets[piece]
                        best = (points[entry, 0] - x) ** 2 + (points[entry, 1] - y) ** 2
                    elif here >= 0:
                        lean = angle[rank[here]]
                        q = np.cos(lean) * y - np.sin(lean) * x
                        up, down = above[here], below[here]
                    else:
                        up, down = head, first - 1
                    # Walk away from the last piece on both sides until the distance across alone is too far.
                    while up < last:
                        piece = rank[up]
                        if here >= 0 and (across[piece] - q) ** 2 > best:
                            break
                        d, e = _nearest_entry(
                            points, offsets[piece], offsets[piece + 1], closed[piece], fixed[piece], x, y
                        )
                        if d < best:
                            best, pick, entry = d, up, e
                        up = above[up]
                    while down >= first:
                        piece = rank[down]
                        if here >= 0 and (across[piece] - q) ** 2 > best:
                            break
                        d, e = _nearest_entry(
                            points, offsets[piece], offsets[piece + 1], closed[piece], fixed[piece], x, y
                        )
                        if d < best:
                            best, pick, entry = d, down, e
                        down = below[down]
                    # Unlink the chosen piece.
                    if not free:
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
                        out_height[used] = 0.0
                        out_feature[used] = _TRAVEL
                        out_layer[used] = this_layer
                        out_inside[used] = hops and best <= reach[piece] ** 2
                        used += 1
                        x, y = points[entry, 0], points[entry, 1]
                    low, high = offsets[piece], offsets[piece + 1]
                    size = high - low
                    steps = size if closed[piece] else size - 1
                    last_p = entry
                    for k in range(1, steps + 1):
                        if closed[piece]:
                            p = low + (entry - low + k) % size
                        elif entry == low:
                            p = low + k
                        else:
                            p = high - 1 - k
                        xy[used, 0], xy[used, 1] = x, y
                        xy[used, 2], xy[used, 3] = points[p, 0], points[p, 1]
                        out_width[used] = (width[p] + width[last_p]) / 2
                        out_height[used] = height[piece]
                        out_feature[used] = feature[piece]
                        out_layer[used] = this_layer
                        used += 1
                        x, y = points[p, 0], points[p, 1]
                        last_p = p
                first = last
        group_at = layer_end
    return xy[:used], out_width[:used], out_height[:used], out_feature[:used], out_layer[:used], out_inside[:used]
