"""Every stroke with what happens on it: seconds, speed, flow, what held it, and how much of it rests on something."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.ledger import dominant_cause
from meanbead.core.estimate.moves import Kind
from meanbead.core.estimate.timing import Timing
from meanbead.core.strokes.table import Strokes

__all__ = ["StrokeDetail", "resting_share", "stroke_detail"]

CELL_MM = 1.0
"""Beads below are looked for on a grid this coarse."""

STOP_MM = 0.2
"""How far places along a bead are apart at which it is looked what is below."""

_TRAVEL = int(Kind.TRAVEL)

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class StrokeDetail:
    """Strokes, and arrays of the same length: ``time_s``, everything that belongs to the stroke; ``speed_mm_s``, its
    length over the seconds of its own move; ``flow_mm3_s``, the most that the nozzle reaches on it; ``cause`` uint8, the
    one of :class:`~meanbead.core.estimate.ledger.Cause` that took most of its time; ``pulled``, True for travels with a
    retraction. ``wait_s`` is waiting at the end of each layer, (layers,).
    """

    strokes: Strokes
    time_s: Floats
    speed_mm_s: Floats
    flow_mm3_s: Floats
    cause: NDArray[np.uint8]
    pulled: NDArray[np.bool_]
    wait_s: Floats
    ceiling_mm3_s: float

    @property
    def nbytes(self) -> int:
        """Memory that the arrays take beside the strokes', bytes."""
        return len(self.strokes) * (3 * 8 + 2)


def stroke_detail(timing: Timing, ceiling_mm3_s: float) -> StrokeDetail:
    """Sum the moves of a timing up over their strokes."""
    strokes = timing.strokes
    moves, slowing_s = timing.moves, timing.cooling.slowing_s
    cause, most = dominant_cause(
        moves.kind,
        timing.length_mm,
        timing.asked_mm_s,
        timing.melt_mm_s,
        timing.move_s,
        timing.free_s,
        slowing_s,
    )
    time, own, causes = _by_stroke(moves.kind, moves.stroke, timing.move_s, slowing_s, cause, most, len(strokes))
    pulled = np.zeros(len(strokes), dtype=bool)
    pulled[timing.pulled_strokes] = True
    return StrokeDetail(
        strokes=strokes,
        time_s=time,
        speed_mm_s=np.divide(strokes.length_mm, own, out=np.zeros(len(strokes)), where=own > 0),
        flow_mm3_s=timing.peak_flow_mm3_s,
        cause=causes,
        pulled=pulled,
        wait_s=timing.cooling.wait_s + timing.cooling.aside_s.sum(axis=1),
        ceiling_mm3_s=ceiling_mm3_s,
    )


@numba.njit(cache=True, nogil=True)
def _by_stroke(kind, stroke, move_s, cooling_s, cause, most, count):  # type: ignore[no-untyped-def]
    """Of each stroke: all its seconds, those of its own move, and the cause with most of them."""
    time, own = np.zeros(count), np.zeros(count)
    found = np.zeros(count, np.uint8)
    best = np.zeros(count)
    for k in range(len(kind)):
        at = stroke[k]
        seconds = move_s[k] + cooling_s[k]
        time[at] += seconds
        if kind[k] <= _TRAVEL:
            own[at] += seconds
        if most[k] > best[at]:
            best[at], found[at] = most[k], cause[k]
    return time, own, found


def resting_share(strokes: Strokes, layers: tuple[int, int]) -> Floats:
    """Share of each bead of some layers, from ``layers[0]`` up to below ``layers[1]``, that rests on plastic of the
    layer below; float64 (strokes of those layers,), in their order. 1 on the lowest layer and for travel.

    At places every :data:`STOP_MM` along a bead the line across it is cut with all beads below, each a strip with round ends;
    what they cover of it together is exact. So the share is that of the areas, but for what changes between two places.
    """
    low, high = layers
    first = np.searchsorted(strokes.layer, np.arange(low - 1, high + 1), side="left")
    lies = strokes.is_travel
    parts = []
    for number, layer in enumerate(range(low, high)):
        rows = slice(int(first[number + 1]), int(first[number + 2]))
        share = np.ones(rows.stop - rows.start)
        if layer > 0 and rows.stop > rows.start:
            under = np.arange(int(first[number]), int(first[number + 1]))
            under = under[~lies[under]]
            if len(under):
                share = _covered(
                    strokes.start_xy[rows],
                    strokes.end_xy[rows],
                    strokes.width_mm[rows],
                    lies[rows],
                    strokes.start_xy[under],
                    strokes.end_xy[under],
                    strokes.width_mm[under],
                )
        parts.append(share)
    return np.concatenate(parts) if parts else np.zeros(0)


@numba.njit(cache=True, nogil=True)
def _across_capsule(cx, cy, nx, ny, ax, ay, bx, by, half):  # type: ignore[no-untyped-def]
    """From where to where the line ``c + t n`` runs within a strip from a to b with round ends: (1, -1) if nowhere.

    The strip is convex, so the part is the hull of what its two discs and its rectangle cut out.
    """
    low, high = np.inf, -np.inf
    for end in range(2):
        px, py = (ax, ay) if end == 0 else (bx, by)
        along = (px - cx) * nx + (py - cy) * ny
        away = (px - cx) ** 2 + (py - cy) ** 2 - along * along
        if away <= half * half:
            reach = np.sqrt(max(half * half - away, 0.0))
            low, high = min(low, along - reach), max(high, along + reach)
    dx, dy = bx - ax, by - ay
    length = np.sqrt(dx * dx + dy * dy)
    if length > 1e-9:
        ux, uy = dx / length, dy / length
        # Within the rectangle: 0 <= s0 + t su <= length and -half <= d0 + t du <= half.
        s0, su = (cx - ax) * ux + (cy - ay) * uy, nx * ux + ny * uy
        d0, du = (cy - ay) * ux - (cx - ax) * uy, ny * ux - nx * uy
        t0, t1 = -np.inf, np.inf
        for offset, slope, least, most in ((s0, su, 0.0, length), (d0, du, -half, half)):
            if abs(slope) < 1e-12:
                if offset < least or offset > most:
                    t0, t1 = 1.0, -1.0
            else:
                one, other = (least - offset) / slope, (most - offset) / slope
                t0, t1 = max(t0, min(one, other)), min(t1, max(one, other))
        if t0 <= t1:
            low, high = min(low, t0), max(high, t1)
    return low, high


@numba.njit(cache=True, nogil=True)
def _covered(start, end, width, travels, under_start, under_end, under_width):  # type: ignore[no-untyped-def]
    # Beads below by cells that they may touch, each widened by half its width.
    count = len(under_start)
    low_x = low_y = np.inf
    high_x = high_y = -np.inf
    for k in range(count):
        half = under_width[k] / 2
        low_x = min(low_x, under_start[k, 0] - half, under_end[k, 0] - half)
        low_y = min(low_y, under_start[k, 1] - half, under_end[k, 1] - half)
        high_x = max(high_x, under_start[k, 0] + half, under_end[k, 0] + half)
        high_y = max(high_y, under_start[k, 1] + half, under_end[k, 1] + half)
    cell = max(CELL_MM, max(high_x - low_x, high_y - low_y) / 1000)
    columns, rows = int((high_x - low_x) / cell) + 1, int((high_y - low_y) / cell) + 1
    size = np.zeros(columns * rows + 1, np.int64)
    member = np.empty(0, np.int64)
    for turn in range(2):
        if turn == 1:
            for c in range(1, columns * rows + 1):
                size[c] += size[c - 1]
            member = np.empty(size[columns * rows], np.int64)
        place = size[:-1].copy()
        for k in range(count):
            half = under_width[k] / 2
            y0 = int((min(under_start[k, 1], under_end[k, 1]) - half - low_y) / cell)
            y1 = int((max(under_start[k, 1], under_end[k, 1]) + half - low_y) / cell)
            dx, dy = under_end[k, 0] - under_start[k, 0], under_end[k, 1] - under_start[k, 1]
            for row in range(max(0, y0), min(rows - 1, y1) + 1):
                # Only the stretch of the bead that comes near this row of cells.
                t0, t1 = 0.0, 1.0
                if abs(dy) > 1e-9:
                    one = (low_y + row * cell - half - under_start[k, 1]) / dy
                    other = (low_y + (row + 1) * cell + half - under_start[k, 1]) / dy
                    t0, t1 = max(0.0, min(one, other)), min(1.0, max(one, other))
                one, other = under_start[k, 0] + t0 * dx, under_start[k, 0] + t1 * dx
                x0, x1 = int((min(one, other) - half - low_x) / cell), int((max(one, other) + half - low_x) / cell)
                for column in range(max(0, x0), min(columns - 1, x1) + 1):
                    c = column + columns * row
                    if turn == 0:
                        size[c + 1] += 1
                    else:
                        member[place[c]] = k
                        place[c] += 1
    stamp = np.full(count, -1, np.int64)
    near = np.empty((64, 2))
    share = np.ones(len(start))
    asked = 0
    for k in range(len(start)):
        if travels[k]:
            continue
        dx, dy = end[k, 0] - start[k, 0], end[k, 1] - start[k, 1]
        length = np.sqrt(dx * dx + dy * dy)
        if length == 0:
            continue
        nx, ny = -dy / length, dx / length
        half = width[k] / 2
        stops = max(4, min(256, int(length / STOP_MM)))
        total = 0.0
        for i in range(stops):
            part = (i + 0.5) / stops
            cx, cy = start[k, 0] + part * dx, start[k, 1] + part * dy
            asked += 1
            used = 0
            x0 = int(np.floor((cx - abs(nx) * half - low_x) / cell))
            x1 = int(np.floor((cx + abs(nx) * half - low_x) / cell))
            y0 = int(np.floor((cy - abs(ny) * half - low_y) / cell))
            y1 = int(np.floor((cy + abs(ny) * half - low_y) / cell))
            for row in range(max(0, y0), min(rows - 1, y1) + 1):
                for column in range(max(0, x0), min(columns - 1, x1) + 1):
                    c = column + columns * row
                    for m in range(size[c], size[c + 1]):
                        j = member[m]
                        if stamp[j] == asked or used == len(near):
                            continue
                        stamp[j] = asked
                        one, other = _across_capsule(
                            cx, cy, nx, ny, under_start[j, 0], under_start[j, 1], under_end[j, 0], under_end[j, 1],
                            under_width[j] / 2,
                        )  # fmt: skip
                        one, other = max(one, -half), min(other, half)
                        if other > one:
                            # Kept in order of where they begin.
                            at = used
                            while at > 0 and near[at - 1, 0] > one:
                                near[at, 0], near[at, 1] = near[at - 1, 0], near[at - 1, 1]
                                at -= 1
                            near[at, 0], near[at, 1] = one, other
                            used += 1
            reached = -half
            for m in range(used):
                if near[m, 1] > reached:
                    total += near[m, 1] - max(near[m, 0], reached)
                    reached = near[m, 1]
        share[k] = total / (stops * width[k]) if width[k] > 0 else 1.0
    return share
