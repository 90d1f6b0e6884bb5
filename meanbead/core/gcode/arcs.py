"""Arcs where many short strokes lie on one: fewer lines for the same way."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.motion.lookahead import trapezoid

__all__ = ["LEAST_STROKES", "fit_arcs"]

LEAST_STROKES = 4
"""Fewer strokes are left as they are."""

_MOST_STROKES = 400
_LARGEST_RADIUS_MM = 500.0
_LEAST_RADIUS_MM = 0.2
_MOST_TURN = 1.9 * np.pi

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


def fit_arcs(
    xy: Floats,
    group: Ints,
    filament: Floats,
    speed: Floats,
    entry: Floats,
    leave: Floats,
    acceleration: Floats,
    time_s: Floats,
    tolerance: Floats,
) -> tuple[Ints, Floats, Floats]:
    """Arcs over runs of strokes. ``xy`` (n + 1, 2) are the places between n strokes, mm; strokes of one ``group``, positive, may
    join, those of 0 never; ``filament`` is what each lays; ``speed``, ``entry``, ``leave``, ``acceleration`` and ``time_s`` are how
    they run; ``tolerance`` how far an arc may leave its strokes, mm: corners and chords' middles both.

    Returns for each stroke how many it begins an arc of (0 where none), the centre (n, 2), with the turn's sign as that of the
    count (positive against the clock), and the speed at which the arc takes as long as its strokes did, mm/s.
    """
    n = len(group)
    count, centre, pace = np.zeros(n, np.int64), np.zeros((n, 2)), np.zeros(n)
    _fit(xy, group, filament, speed, entry, leave, acceleration, time_s, tolerance, count, centre, pace)
    return count, centre, pace


@numba.njit(cache=True, nogil=True)
def _circle(ax, ay, bx, by, cx, cy):  # type: ignore[no-untyped-def]
    """Centre of the circle through three points; the last says whether there is one."""
    d = 2 * ((bx - ax) * (cy - ay) - (by - ay) * (cx - ax))
    if abs(d) < 1e-12:
        return 0.0, 0.0, False
    b2 = (bx - ax) ** 2 + (by - ay) ** 2
    c2 = (cx - ax) ** 2 + (cy - ay) ** 2
    return ax + ((cy - ay) * b2 - (by - ay) * c2) / d, ay + ((bx - ax) * c2 - (cx - ax) * b2) / d, True


@numba.njit(cache=True, nogil=True)
def _on_circle(xy, first, last, ux, uy, radius, tolerance):  # type: ignore[no-untyped-def]
    """Turn from one place to another if everything between stays near the circle and turns one way, else 0."""
    turn = 0.0
    sign = 0.0
    for k in range(first, last):
        px, py = xy[k, 0] - ux, xy[k, 1] - uy
        qx, qy = xy[k + 1, 0] - ux, xy[k + 1, 1] - uy
        if abs(np.sqrt(qx * qx + qy * qy) - radius) > tolerance:
            return 0.0
        mx, my = (px + qx) / 2, (py + qy) / 2
        if abs(np.sqrt(mx * mx + my * my) - radius) > tolerance:
            return 0.0
        step = np.arctan2(px * qy - py * qx, px * qx + py * qy)
        if step == 0 or (sign != 0 and step * sign < 0):
            return 0.0
        sign = 1.0 if step > 0 else -1.0
        turn += step
    return turn


@numba.njit(cache=True, nogil=True)
def _fit(xy, group, filament, speed, entry, leave, acceleration, time_s, tolerance, count, centre, pace):  # type: ignore[no-untyped-def]
    n = len(group)
    k = 0
    while k < n:
        if group[k] == 0:
            k += 1
            continue
        end = k
        best, best_x, best_y, best_turn = 0, 0.0, 0.0, 0.0
        first_length = np.sqrt((xy[k + 1, 0] - xy[k, 0]) ** 2 + (xy[k + 1, 1] - xy[k, 1]) ** 2)
        per_mm = filament[k] / first_length if first_length > 0 else -1.0
        while end < n and end - k < _MOST_STROKES and group[end] == group[k]:
            length = np.sqrt((xy[end + 1, 0] - xy[end, 0]) ** 2 + (xy[end + 1, 1] - xy[end, 1]) ** 2)
            # One arc lays evenly: a stroke that lays otherwise ends it.
            if length <= 0 or abs(filament[end] / length - per_mm) > 1e-3 * per_mm or speed[end] != speed[k]:
                break
            end += 1
            strokes = end - k
            if strokes < LEAST_STROKES:
                continue
            middle = k + strokes // 2
            ux, uy, there = _circle(xy[k, 0], xy[k, 1], xy[middle, 0], xy[middle, 1], xy[end, 0], xy[end, 1])
            if not there:
                break
            radius = np.sqrt((xy[k, 0] - ux) ** 2 + (xy[k, 1] - uy) ** 2)
            if radius > _LARGEST_RADIUS_MM or radius < _LEAST_RADIUS_MM:
                break
            turn = _on_circle(xy, k, end, ux, uy, radius, tolerance[k])
            if turn == 0.0 or abs(turn) > _MOST_TURN:
                break
            best, best_x, best_y, best_turn = strokes, ux, uy, turn
        if best:
            count[k] = best if best_turn > 0 else -best
            centre[k, 0], centre[k, 1] = best_x, best_y
            radius = np.sqrt((xy[k, 0] - best_x) ** 2 + (xy[k, 1] - best_y) ** 2)
            took, slowest = 0.0, acceleration[k]
            for place in range(k, k + best):
                took += time_s[place]
                slowest = min(slowest, acceleration[place])
            pace[k] = _even_pace(entry[k], leave[k + best - 1], slowest, radius * abs(best_turn), took, speed[k])
            k += best
        else:
            k += 1


@numba.njit(cache=True, nogil=True)
def _even_pace(v0, v1, a, length, took, most):  # type: ignore[no-untyped-def]
    """The speed at which one move takes so long, no more than ``most``."""
    low, high = 1e-3, most
    for _ in range(40):
        speed = (low + high) / 2
        _, seconds = trapezoid(min(v0, speed), min(v1, speed), speed, a, length)
        if seconds > took:
            low = speed
        else:
            high = speed
    return high
