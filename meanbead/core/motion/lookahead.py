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

__all__ = ["Moves", "Profile", "entry_bound_mm_s", "plan_speeds", "reached_mm_s", "straight_move_time_s", "trapezoid"]

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
def entry_bound_mm_s(k, speed, corner):  # type: ignore[no-untyped-def]
    """What the two moves at a joint allow there, mm/s, whatever comes before and after them; ``k`` > 0."""
    return min(min(corner[k], speed[k]), speed[k - 1])


@numba.njit(cache=True, nogil=True)
def reached_mm_s(speed, acceleration, length):  # type: ignore[no-untyped-def]
    """The speed that speeding up (or, backward, braking) over a whole move reaches: ``sqrt(v^2 + 2 a s)``."""
    return np.sqrt(speed * speed + 2 * acceleration * length)


@numba.njit(cache=True, nogil=True)
def _plan(length, speed, acceleration, halt, corner, stop, start):  # type: ignore[no-untyped-def]
    n = len(length)
    entry = np.empty(n)
    leave = np.empty(n)
    peak = np.empty(n)
    time = np.empty(n)
    # Backward: what each move may enter with and still brake to what follows.
    # ``least`` is the same if what follows the path begins from rest: a move that is slower than a stop may be.
    after = least = 0.0
    settled = 0
    for k in range(n - 1, -1, -1):
        end = min(stop[k], speed[k]) if k == n - 1 or halt[k + 1] else after
        bound = entry_bound_mm_s(k, speed, corner) if k > 0 and not halt[k] else min(corner[k], speed[k])
        reach = reached_mm_s(end, acceleration[k], length[k])
        after = min(bound, reach)
        from_rest = end if k < n - 1 and halt[k + 1] else least
        least = min(bound, reached_mm_s(from_rest, acceleration[k], length[k]))
        if settled == 0 and (bound <= least or halt[k]):
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
        v1 = min(leave[k], reached_mm_s(v0, a, s))
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
