"""Look-ahead over a whole path twice in one pass: as it is, and with some corners taken at full speed.

What corners cost is the difference of the two. See :mod:`meanbead.core.motion.lookahead` for the law.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.motion.limits import PathLimits
from meanbead.core.motion.lookahead import entry_bound_mm_s, reached_mm_s, trapezoid
from meanbead.core.runtime.parallel import halves, parallel_map

__all__ = ["TwoProfiles", "plan_with_and_without"]

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class TwoProfiles:
    """Times of moves with and without some corners, s, and the peak speeds with them, mm/s; arrays of shape (n,)."""

    time_s: Floats
    free_time_s: Floats
    peak_mm_s: Floats


def plan_with_and_without(limits: PathLimits, speed_mm_s: Floats, loose: NDArray[np.bool_]) -> TwoProfiles:
    """:func:`plan_speeds` twice in one pass over a whole path: as it is, and without the corners before ``loose`` moves.

    The path is cut where the speed is certain from the moves next to the cut alone, so that its pieces can be planned
    side by side; the figures are those of the whole, to the last bit.
    """
    n = len(speed_mm_s)
    planned = TwoProfiles(np.empty(n), np.empty(n), np.empty(n))
    corner, halt = limits.corner_mm_s, limits.halt
    length, acceleration = limits.length_mm, limits.acceleration_mm_s2

    def run(part: tuple[int, int]) -> None:
        _plan_both(
            part[0],
            part[1],
            length,
            speed_mm_s,
            acceleration,
            halt,
            corner,
            limits.stop_mm_s,
            loose,
            planned.time_s,
            planned.free_time_s,
            planned.peak_mm_s,
        )

    cuts = [0]
    for _, end in halves(n)[:-1]:
        cut = _certain(end, length, speed_mm_s, acceleration, halt, corner, loose)
        if cuts[-1] < cut < n:
            cuts.append(int(cut))
    parallel_map(run, list(zip(cuts, [*cuts[1:], n], strict=True)))
    return planned


@numba.njit(cache=True, nogil=True)
def _certain(start, length, speed, acceleration, halt, corner, loose):  # type: ignore[no-untyped-def]
    """The first move from ``start`` on whose entry speed is its bound, whatever comes before and after: the move before
    reaches it from rest, and the move itself can come to rest from it."""
    for k in range(max(start, 1), len(length)):
        if halt[k] or halt[k - 1] or loose[k]:
            continue
        bound = entry_bound_mm_s(k, speed, corner)
        if bound * bound <= 2 * min(acceleration[k] * length[k], acceleration[k - 1] * length[k - 1]):
            return k
    return len(length)


@numba.njit(cache=True, nogil=True)
def _plan_both(  # type: ignore[no-untyped-def]
    low, high, length, speed, acceleration, halt, corner, stop, loose, out_time, out_free, out_peak
):
    count = high - low
    entry, leave = np.empty(count), np.empty(count)
    free_entry, free_leave = np.empty(count), np.empty(count)
    after = free_after = 0.0
    if high < len(length):
        after = free_after = entry_bound_mm_s(high, speed, corner)
    for k in range(high - 1, low - 1, -1):
        if k == len(length) - 1 or halt[k + 1]:
            end = free_end = min(stop[k], speed[k])
        else:
            end, free_end = after, free_after
        bound = free_bound = speed[k]
        if k > 0 and not halt[k]:
            bound = free_bound = min(bound, speed[k - 1])
        bound = min(bound, corner[k])
        if not loose[k]:
            free_bound = bound
        after = min(bound, reached_mm_s(end, acceleration[k], length[k]))
        free_after = min(free_bound, reached_mm_s(free_end, acceleration[k], length[k]))
        entry[k - low], leave[k - low] = after, end
        free_entry[k - low], free_leave[k - low] = free_after, free_end
    for k in range(low, high):
        at = k - low
        v0, f0 = entry[at], free_entry[at]
        a, s, v = acceleration[k], length[k], speed[k]
        v1 = min(leave[at], reached_mm_s(v0, a, s))
        f1 = min(free_leave[at], reached_mm_s(f0, a, s))
        if at + 1 < count and not halt[k + 1]:
            entry[at + 1], free_entry[at + 1] = v1, f1
        out_peak[k], out_time[k] = trapezoid(v0, v1, v, a, s)
        if v0 == f0 and v1 == f1:
            out_free[k] = out_time[k]
        else:
            _, out_free[k] = trapezoid(f0, f1, v, a, s)
