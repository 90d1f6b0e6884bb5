"""Corner laws: how fast the joint of two moves may be passed. One place for each law, compiled; all planning uses these."""

from __future__ import annotations

import numba
import numpy as np

__all__ = ["axis_bound", "deviation_corner_mm_s", "jerk_corner_mm_s"]


@numba.njit(cache=True, nogil=True)
def axis_bound(share, limits, bound):  # type: ignore[no-untyped-def]
    """The largest speed (or acceleration) along a move, at most ``bound``, that keeps every axis within its own.

    ``share`` (4,) is the change of each motor's axis per mm of path, ``limits`` (4,): ``min of limit / |share|``.
    """
    for axis in range(4):
        part = abs(share[axis])
        if part > 0:
            bound = min(bound, limits[axis] / part)
    return bound


@numba.njit(cache=True, nogil=True)
def jerk_corner_mm_s(before, share, jerk):  # type: ignore[no-untyped-def]
    """Speed of one corner by the jerk law, mm/s; ``before`` and ``share`` (4,) are the moves' changes of each motor's
    axis per mm of path, ``before`` zero from rest.

    At one common speed ``v`` no axis may step by more than its jerk: ``v |share - before| <= jerk``. Infinite where the
    path goes straight on.
    """
    allowed = np.inf
    for axis in range(4):
        step = abs(share[axis] - before[axis])
        if step > 0:
            allowed = min(allowed, jerk[axis] / step)
    return allowed


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
