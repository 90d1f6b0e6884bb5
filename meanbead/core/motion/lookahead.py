"""Look-ahead over straight moves: the fastest speeds that accelerations and corners allow.

Each move has one acceleration and one speed limit. Speed at the joint of two moves is bounded by the corner law and by
what the moves around it can reach; a backward pass bounds it by braking, a forward pass by speeding up. Within a move
speed follows a trapezoid, or a triangle when the move is too short to reach its limit. This is the planner that most
hobby firmware runs with a look-ahead longer than the braking distance; the assumption is that its buffer never starves.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Moves:
    """Straight moves, arrays of length n.

    ``length_mm`` > 0; ``unit`` (n, 4) is the change of x, y, z and filament per mm of path; ``speed_mm_s`` and
    ``acceleration_mm_s2`` are the limits along the path; ``halt`` is True where the machine stands still before the
    move (a retraction, a Z move, the start).
    """

    length_mm: Floats
    unit: Floats
    speed_mm_s: Floats
    acceleration_mm_s2: Floats
    halt: NDArray[np.bool_]


@dataclass(frozen=True)
class Profile:
    """Speeds that a planner gives to moves, arrays of length n: at entry, exit and at most, mm/s; and the time, s."""

    entry_mm_s: Floats
    exit_mm_s: Floats
    peak_mm_s: Floats
    time_s: Floats
    settled: int
    """Nothing that follows the path can change the profile before this index."""


@numba.njit(cache=True, nogil=True)
def limit_by_axis(unit: Floats, limits: Floats) -> Floats:
    """Largest speed (or acceleration) along the path that keeps every axis within its own, shape (n,).

    ``unit`` (n, 4), ``limits`` (4,): ``min over axes of limit / |unit|``; infinite for a move of no axis.
    """
    bound = np.full(len(unit), np.inf)
    for k in range(len(unit)):
        for axis in range(4):
            share = abs(unit[k, axis])
            if share > 0:
                bound[k] = min(bound[k], limits[axis] / share)
    return bound


@numba.njit(cache=True, nogil=True)
def corner_speeds_jerk(unit: Floats, jerk_mm_s: Floats, halt: NDArray[np.bool_]) -> Floats:
    """Speed at the start of each move by the jerk law, shape (n,).

    At one common speed ``v`` no axis may step by more than its jerk: ``v |u_next - u_last| <= jerk``. After a halt the
    step is from rest, ``v |u| <= jerk``. Infinite where the path goes straight on.
    """
    speeds = np.full(len(unit), np.inf)
    for k in range(len(unit)):
        from_rest = k == 0 or halt[k]
        for axis in range(4):
            step = abs(unit[k, axis] - (0.0 if from_rest else unit[k - 1, axis]))
            if step > 0:
                speeds[k] = min(speeds[k], jerk_mm_s[axis] / step)
    return speeds


@numba.njit(cache=True, nogil=True)
def deviation_corner_mm_s(cosine, acceleration, deviation, before_mm, after_mm, curve_limit):  # type: ignore[no-untyped-def]
    """Speed of one corner by the junction-deviation law, mm/s; ``cosine`` is that of the turn, 1 straight on.

    The corner is taken as if on a circle that touches both moves and passes the corner at ``deviation``. With ``t`` the
    turn its radius is ``d cos(t/2) / (1 - cos(t/2))`` and ``v^2 = a r``. Finer chords of one arc have smaller turns, so
    this alone lets them be taken ever faster. With ``curve_limit`` the two moves also count as chords of the curve that
    they stand for, ``r = c / (2 sin(t/2))`` with their mean length ``c`` (the circle through the ends of equal chords);
    a long move counts for at most twice the short one, so that a straight line before an arc does not hide it.
    """
    half_cosine = np.sqrt(max(0.0, min(1.0, (1 + cosine) / 2)))
    if half_cosine > 1 - 1e-12:
        return np.inf
    radius = deviation * half_cosine / (1 - half_cosine)
    if curve_limit:
        chord = (min(before_mm, 2 * after_mm) + min(after_mm, 2 * before_mm)) / 2
        radius = min(radius, chord / (2 * np.sqrt(max(1e-30, (1 - cosine) / 2))))
    return np.sqrt(acceleration * radius)


@numba.njit(cache=True, nogil=True)
def corner_speeds_deviation(
    unit: Floats,
    length_mm: Floats,
    acceleration_mm_s2: Floats,
    deviation_mm: float,
    curve_limit: bool,
    halt: NDArray[np.bool_],
) -> Floats:
    """Speed at the start of each move by :func:`deviation_corner_mm_s`, shape (n,), ``a`` being the lesser acceleration.

    0 after a halt. Only x, y and z count.
    """
    speeds = np.zeros(len(unit))
    for k in range(1, len(unit)):
        if halt[k]:
            continue
        cosine = 0.0
        for axis in range(3):
            cosine += unit[k, axis] * unit[k - 1, axis]
        acceleration = min(acceleration_mm_s2[k], acceleration_mm_s2[k - 1])
        speeds[k] = deviation_corner_mm_s(
            cosine, acceleration, deviation_mm, length_mm[k - 1], length_mm[k], curve_limit
        )
    return speeds


def plan_speeds(moves: Moves, corner_mm_s: Floats, stop_mm_s: Floats, start_mm_s: float = -1.0) -> Profile:
    """Fastest profile under the limits.

    ``corner_mm_s`` (n,) bounds the speed at each move's start (see the corner laws); ``stop_mm_s`` (n,) the speed from
    which a move may stop where a halt follows it. ``start_mm_s``, if not negative, is the speed at which the first
    move is entered: for a path that is planned in pieces, from a place that an earlier piece has settled.
    """
    entry, leave, peak, time, settled = _plan(
        moves.length_mm, moves.speed_mm_s, moves.acceleration_mm_s2, moves.halt, corner_mm_s, stop_mm_s, start_mm_s
    )
    return Profile(entry, leave, peak, time, settled)


@numba.njit(cache=True, nogil=True)
def trapezoid(v0, v1, speed, a, s):  # type: ignore[no-untyped-def]
    """Peak speed and time of one move; a move of nothing takes no time."""
    if s <= 0:
        return max(v0, v1), 0.0
    top = min(speed, np.sqrt(a * s + (v0 * v0 + v1 * v1) / 2))
    top = max(top, v0, v1)
    ramps = (2 * top * top - v0 * v0 - v1 * v1) / (2 * a)
    return top, (2 * top - v0 - v1) / a + max(0.0, s - ramps) / top


@numba.njit(cache=True, nogil=True)
def _plan(length, speed, acceleration, halt, corner, stop, start):  # type: ignore[no-untyped-def]
    n = len(length)
    entry = np.empty(n)
    leave = np.empty(n)
    peak = np.empty(n)
    time = np.empty(n)
    # Backward: what each move may enter with and still brake to what follows.
    after = 0.0
    settled = 0
    for k in range(n - 1, -1, -1):
        end = min(stop[k], speed[k]) if k == n - 1 or halt[k + 1] else after
        bound = min(corner[k], speed[k])
        if k > 0 and not halt[k]:
            bound = min(bound, speed[k - 1])
        reach = np.sqrt(end * end + 2 * acceleration[k] * length[k])
        after = min(bound, reach)
        if settled == 0 and (bound <= reach or halt[k]):
            settled = k
        entry[k] = after
        leave[k] = end
    if n and start >= 0 and not halt[0]:  # after a halt the entry follows from what comes, as everywhere
        entry[0] = start
    # Forward: what is really reached, and how long it takes.
    for k in range(n):
        v0 = entry[k]
        a = acceleration[k]
        s = length[k]
        v1 = min(leave[k], np.sqrt(v0 * v0 + 2 * a * s))
        leave[k] = v1
        if k + 1 < n and not halt[k + 1]:
            entry[k + 1] = v1
        peak[k], time[k] = trapezoid(v0, v1, speed[k], a, s)
    return entry, leave, peak, time, settled


def straight_move_time_s(distance_mm: float, speed_mm_s: float, acceleration_mm_s2: float) -> float:
    """Time of a single move from rest to rest, s: a trapezoid, or a triangle when the speed is never reached."""
    if distance_mm <= 0:
        return 0.0
    ramp = speed_mm_s**2 / acceleration_mm_s2
    if distance_mm >= ramp:
        return distance_mm / speed_mm_s + speed_mm_s / acceleration_mm_s2
    return 2.0 * float(np.sqrt(distance_mm / acceleration_mm_s2))
