"""What a machine's description allows along a path: axes, corners, and motors that share two axes."""

from __future__ import annotations

from dataclasses import dataclass, fields

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.printer import Printer
from meanbead.core.motion.corners import axis_bound, deviation_corner_mm_s, jerk_corner_mm_s
from meanbead.core.runtime.parallel import halves, parallel_map

__all__ = ["PathLimits", "path_limits"]

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class PathLimits:
    """What the machine allows along a whole path, arrays of shape (n,): ``length_mm``, the ``speed_mm_s`` asked for
    within what axes allow, ``acceleration_mm_s2`` likewise, speed at each ``corner_mm_s`` and to ``stop_mm_s`` from, and
    where the machine comes to a ``halt``."""

    length_mm: Floats
    speed_mm_s: Floats
    acceleration_mm_s2: Floats
    corner_mm_s: Floats
    stop_mm_s: Floats
    halt: NDArray[np.bool_]

    def after_first(self) -> PathLimits:
        """Without the first move, which was only there for the corner that follows it."""
        return PathLimits(*(getattr(self, field.name)[1:] for field in fields(self)))


def path_limits(delta: Floats, asked_mm_s: Floats, requested_mm_s2: Floats, printer: Printer) -> PathLimits:
    """Limits of a path from rest, ``delta`` (n, 4) the change of x, y, z and filament of each move, mm; speeds and
    accelerations asked for, (n,), may be infinite.

    On a gantry whose two motors share x and y, the first turns by ``x + y`` and the second by ``x - y`` (elementary
    geometry of the crossed belt); everywhere else a motor is an axis. Limits count for motors. By the junction-deviation
    law the machine also stands still around moves of the filament alone, for which that law knows no angle.

    A move of filament alone is as long as its filament. A move of nothing takes no time, and no direction from it.
    """
    n = len(delta)
    corner, top, most = printer.corner, printer.max_speed_mm_s, printer.max_acceleration_mm_s2
    deviation = corner.deviation_mm if corner.law == "junction_deviation" and corner.deviation_mm is not None else -1.0
    limits = PathLimits(np.empty(n), np.empty(n), np.empty(n), np.empty(n), np.empty(n), np.zeros(n, dtype=bool))

    def run(part: tuple[int, int]) -> None:
        _path_limits(
            part[0],
            part[1],
            delta,
            asked_mm_s,
            requested_mm_s2,
            printer.kinematics == "coupled_gantry",
            np.array([top.x, top.y, top.z, top.e]),
            np.array([most.x, most.y, most.z, most.e]),
            np.array([corner.jerk.x, corner.jerk.y, corner.jerk.z, corner.jerk.e]),
            deviation,
            corner.curve_limit,
            limits.length_mm,
            limits.speed_mm_s,
            limits.acceleration_mm_s2,
            limits.corner_mm_s,
            limits.stop_mm_s,
            limits.halt,
        )

    parallel_map(run, halves(n))
    return limits


@numba.njit(cache=True, nogil=True)
def _share(delta, k, coupled, share):  # type: ignore[no-untyped-def]
    """Fills in a move's motor shares and returns its length and whether it is one of filament alone."""
    x, y, z, e = delta[k, 0], delta[k, 1], delta[k, 2], delta[k, 3]
    path = np.sqrt(x * x + y * y + z * z)
    length = path if path > 0 else abs(e)
    if length == 0:
        share[:] = 0.0
        return length, True
    share[0], share[1], share[2], share[3] = x / length, y / length, z / length, e / length
    if coupled:
        share[0], share[1] = share[0] + share[1], share[0] - share[1]
    return length, path == 0


@numba.njit(cache=True, nogil=True)
def _acceleration(share, requested, most):  # type: ignore[no-untyped-def]
    return min(axis_bound(share, most, requested), 1e12)  # a move of nothing has no axis that bounds it


@numba.njit(cache=True, nogil=True)
def _path_limits(  # type: ignore[no-untyped-def]
    low,
    high,
    delta,
    asked,
    requested,
    coupled,
    top,
    most,
    jerk,
    deviation,
    curve_limit,
    length,
    speed,
    acceleration,
    corner,
    stop,
    halt,
):
    share, before = np.zeros(4), np.zeros(4)
    alone_before, acceleration_before, length_before = True, 0.0, 0.0
    if low > 0:
        length_before, alone_before = _share(delta, low - 1, coupled, before)
        acceleration_before = _acceleration(before, requested[low - 1], most)
    for k in range(low, high):
        length[k], alone = _share(delta, k, coupled, share)
        speed[k] = axis_bound(share, top, asked[k])
        acceleration[k] = _acceleration(share, requested[k], most)
        if deviation > 0:
            halt[k] = k == 0 or alone or alone_before
            corner[k], stop[k] = 0.0, 0.0
            if not halt[k]:
                cosine = 0.0
                for axis in range(3):
                    cosine += delta[k, axis] * delta[k - 1, axis]
                cosine /= length[k] * length_before
                lesser = min(acceleration[k], acceleration_before)
                corner[k] = deviation_corner_mm_s(cosine, lesser, deviation, length_before, length[k], curve_limit)
        else:
            halt[k] = k == 0
            stop[k] = axis_bound(share, jerk, np.inf)
            corner[k] = jerk_corner_mm_s(before, share, jerk)
        alone_before, acceleration_before, length_before = alone, acceleration[k], length[k]
        before[0], before[1], before[2], before[3] = share[0], share[1], share[2], share[3]
