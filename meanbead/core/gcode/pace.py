"""Speeds as a file has to say them, so that it takes what the estimate promises: the slowing for the least layer time is
written into them.

The estimate slows a short layer's plastic by a factor on its seconds, ramps included. A file can only set speeds, which ramps
hardly notice; so for each such layer the factor on its speeds is sought that makes it last as long.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.moves import Kind
from meanbead.core.estimate.timing import Requests, Timing
from meanbead.core.model.plan import Plan
from meanbead.core.model.printer import Printer
from meanbead.core.motion.limits import PathLimits, path_limits
from meanbead.core.motion.lookahead import Moves, Profile, plan_speeds

__all__ = ["Pace", "pace_of"]

Floats = NDArray[np.float64]

_STEPS = 40
_NEAR = 2e-4
"""A layer's seconds are met to this share."""


@dataclass(frozen=True)
class Pace:
    """The speed of each move as the file sets it, within axes and melt, mm/s, (m,); how the machine then runs it, and the
    limits that it runs within."""

    speed_mm_s: Floats
    profile: Profile
    limits: PathLimits


def pace_of(timing: Timing, requests: Requests, plan: Plan, printer: Printer) -> Pace:
    """Speeds of all moves. The slowing of ``timing`` is turned into speeds, layer by layer, never below the least speed."""
    table, layer = timing.moves, timing.strokes.layer[timing.moves.stroke]
    limits = path_limits(table.delta, requests.speed_mm_s, requests.acceleration_mm_s2, printer)
    base = np.minimum(limits.speed_mm_s, requests.melt_mm_s)
    moves = Moves(limits.length_mm, table.delta, base, limits.acceleration_mm_s2, limits.halt)

    def run(speed: Floats) -> Profile:
        # What the look-ahead reads of moves is their length, speed, acceleration and halts.
        return plan_speeds(
            Moves(moves.length_mm, moves.unit, speed, moves.acceleration_mm_s2, moves.halt),
            limits.corner_mm_s,
            limits.stop_mm_s,
        )

    count = len(timing.strokes.layers)
    added = np.bincount(layer, weights=timing.cooling.slowing_s, minlength=count)
    profile = run(base)
    if not (added > 1e-6).any():
        return Pace(base, profile, limits)
    planned = np.bincount(layer, weights=timing.move_s, minlength=count) + added
    plastic = table.kind == Kind.PLASTIC
    slowed = (added > 1e-6)[layer] & plastic
    floor = np.minimum(base, plan.min_speed_mm_s)
    low, high = np.zeros(count), np.ones(count)
    # Time is about A + B / factor: the next try by that, held within what is known.
    at_high = np.bincount(layer, weights=profile.time_s, minlength=count)
    factor = np.clip(at_high / np.maximum(planned, 1e-9), 0.02, 1.0)
    speed = base
    for step in range(_STEPS):
        speed = np.where(slowed, np.maximum(floor, base * factor[layer]), base)
        profile = run(speed)
        took = np.bincount(layer, weights=profile.time_s, minlength=count)
        off = took / np.maximum(planned, 1e-9) - 1
        if np.all(np.abs(off[added > 1e-6]) < _NEAR):
            break
        low = np.where(off > 0, np.maximum(low, factor), low)
        high = np.where(off <= 0, np.minimum(high, factor), high)
        guess = factor * (1 + off)
        inside = (guess > np.where(off > 0, factor, low)) & (guess < np.where(off > 0, high, factor))
        half = np.where(off > 0, (factor + high) / 2, (factor + low) / 2)
        factor = np.where(inside & (step % 2 == 0), guess, half)
    return Pace(speed, profile, limits)
