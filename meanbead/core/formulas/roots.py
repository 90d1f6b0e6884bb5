"""A root of a function between two bounds, by Brent's method.

SciPy's, step by step, so that answers stay what they were to the last bit: loading ``scipy.optimize`` takes half a second of
every command, and this needs forty lines of it.
"""

from __future__ import annotations

from collections.abc import Callable

__all__ = ["root_between"]

_RTOL = 4 * 2.220446049250313e-16
_MOST_STEPS = 100


def root_between(function: Callable[[float], float], low: float, high: float, tolerance: float = 2e-12) -> float:
    """Where a continuous function is zero between two bounds at which its signs differ.

    Inverse quadratic interpolation, guarded by bisection (Brent 1973, *Algorithms for Minimization without Derivatives*,
    ch. 4); off by at most ``tolerance`` and four units in the last place. Raises :class:`ValueError` where the signs at
    the bounds agree.
    """
    before, now = low, high
    at_before, at_now = function(before), function(now)
    if at_before == 0:
        return before
    if at_now == 0:
        return now
    if (at_before < 0) == (at_now < 0):
        raise ValueError(f"the function has the same sign at {low:g} and {high:g}")
    across = at_across = step = last_step = 0.0
    for _ in range(_MOST_STEPS):
        if at_before != 0 and at_now != 0 and (at_before < 0) != (at_now < 0):
            across, at_across = before, at_before
            last_step = step = now - before
        if abs(at_across) < abs(at_now):
            before, now, across = now, across, now
            at_before, at_now, at_across = at_now, at_across, at_now
        enough = (tolerance + _RTOL * abs(now)) / 2
        half = (across - now) / 2
        if at_now == 0 or abs(half) < enough:
            return now
        tried = _interpolated(before, now, across, at_before, at_now, at_across)
        if (
            tried is not None
            and abs(last_step) > enough
            and abs(at_now) < abs(at_before)
            and 2 * abs(tried) < min(abs(last_step), 3 * abs(half) - enough)
        ):
            last_step, step = step, tried
        else:
            last_step = step = half
        before, at_before = now, at_now
        if abs(step) > enough:
            now += step
        else:
            now += enough if half > 0 else -enough
        at_now = function(now)
    return now


def _interpolated(
    before: float, now: float, across: float, at_before: float, at_now: float, at_across: float
) -> float | None:
    """The step to where a line through two points, or an inverse parabola through three, is zero."""
    try:
        if before == across:
            return -at_now * (now - before) / (at_now - at_before)
        to_before = (at_before - at_now) / (before - now)
        to_across = (at_across - at_now) / (across - now)
        return (
            -at_now
            * (at_across * to_across - at_before * to_before)
            / (to_across * to_before * (at_across - at_before))
        )
    except ZeroDivisionError:
        return None
