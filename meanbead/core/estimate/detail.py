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

CELL_MM = 0.1
"""Beads are looked for on a grid this fine."""

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

    Beads of the layer below are drawn on a grid of :data:`CELL_MM`, and each bead is felt for them along its length and
    across its width.
    """
    low, high = layers
    first = np.searchsorted(strokes.layer, np.arange(low - 1, high + 1), side="left")
    lies = strokes.is_travel
    parts = []
    for number, layer in enumerate(range(low, high)):
        rows = slice(int(first[number + 1]), int(first[number + 2]))
        share = np.ones(rows.stop - rows.start)
        if layer > 0 and rows.stop > rows.start:
            under = slice(int(first[number]), int(first[number + 1]))
            ends = np.concatenate([strokes.start_xy[under], strokes.end_xy[under]])
            if len(ends):
                share = _felt(
                    strokes.start_xy[rows],
                    strokes.end_xy[rows],
                    strokes.width_mm[rows],
                    lies[rows],
                    strokes.start_xy[under],
                    strokes.end_xy[under],
                    strokes.width_mm[under],
                    lies[under],
                    ends.min(axis=0) - 2.0,
                    ends.max(axis=0) + 2.0,
                )
        parts.append(share)
    return np.concatenate(parts) if parts else np.zeros(0)


@numba.njit(cache=True, nogil=True)
def _felt(start, end, width, travels, under_start, under_end, under_width, under_travels, low, high):  # type: ignore[no-untyped-def]
    across, along = int((high[0] - low[0]) / CELL_MM) + 2, int((high[1] - low[1]) / CELL_MM) + 2
    grid = np.zeros((across, along), np.bool_)
    step = 0.8 * CELL_MM
    for k in range(len(under_start)):
        if under_travels[k]:
            continue
        dx, dy = under_end[k, 0] - under_start[k, 0], under_end[k, 1] - under_start[k, 1]
        length = np.sqrt(dx * dx + dy * dy)
        if length == 0:
            continue
        ux, uy = dx / length, dy / length
        half = under_width[k] / 2
        for i in range(int(length / step) + 2):
            s = min(length, i * step)
            for j in range(-int(half / step) - 1, int(half / step) + 2):
                t = max(-half, min(half, j * step))
                x = under_start[k, 0] + ux * s - uy * t
                y = under_start[k, 1] + uy * s + ux * t
                grid[int((x - low[0]) / CELL_MM), int((y - low[1]) / CELL_MM)] = True
    share = np.ones(len(start))
    for k in range(len(start)):
        if travels[k]:
            continue
        dx, dy = end[k, 0] - start[k, 0], end[k, 1] - start[k, 1]
        length = np.sqrt(dx * dx + dy * dy)
        if length == 0:
            continue
        ux, uy = dx / length, dy / length
        points, met = 0, 0
        stops = max(1, min(64, int(length / 0.4)))
        for i in range(stops):
            s = (i + 0.5) / stops * length
            for j in range(-2, 3):
                t = j * 0.225 * width[k]
                x = int((start[k, 0] + ux * s - uy * t - low[0]) / CELL_MM)
                y = int((start[k, 1] + uy * s + ux * t - low[1]) / CELL_MM)
                points += 1
                if 0 <= x < across and 0 <= y < along and grid[x, y]:
                    met += 1
        share[k] = met / points
    return share
