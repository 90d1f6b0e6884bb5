"""How far an estimate may be off on a machine without logged runs: limits, other constants, and the sample."""

from __future__ import annotations

import math

import numpy as np

from meanbead.core.estimate.factors import FACTORS, OFFSET_SD_S, by_factor
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.model import Causes, Estimate, Interval

__all__ = ["Z_90", "cause_seconds", "typical_share", "whole_ends", "whole_interval"]

Z_90 = 1.645
"""Standard errors from the middle to either end of a 90 % interval."""


def cause_seconds(causes: Causes) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """A ledger by cause as an array, (causes,)."""
    return np.array([getattr(causes, f"{cause}_s") for cause in CAUSES])


def typical_share(causes: Causes) -> float:
    """By which share a print time may be off (one standard error) through everything but accelerations and corners: set
    speeds, pulls, lifts, waiting, and what a start takes, each as far as :mod:`.factors` has it."""
    mine = by_factor(cause_seconds(causes))
    total = max(float(mine.sum()), 1e-9)
    parts = [
        factor.sd * float(mine[k]) / total
        for k, factor in enumerate(FACTORS)
        if factor.name not in ("ramps_and_corners", "travelling")
    ]
    return math.hypot(*parts, OFFSET_SD_S / total)


def whole_ends(
    print_time_s: float, low_s: float, high_s: float, causes: Causes, sampling_error: float = 0.0
) -> tuple[float, float]:
    """The ends of a whole interval, s, from those that unknown limits of the machine make of a print time."""
    time_s = max(print_time_s, 1e-9)
    others = math.hypot(Z_90 * typical_share(causes), sampling_error)
    low = math.hypot(min(low_s / time_s - 1, 0.0), others)
    high = math.hypot(max(high_s / time_s - 1, 0.0), others)
    return time_s * max(0.0, 1 - low), time_s * (1 + high)


def whole_interval(estimate: Estimate, why: str = "no run of this machine is logged yet") -> Interval:
    """The interval of an estimate that no logged run stands behind, with 90 %; ``why`` says the reason.

    To what unknown limits of the machine make of it (:func:`~meanbead.core.estimate.summary.interval`) come other constants
    and a sample's own error, as independent errors do: the root of the sum of their squares. An interval that is whole
    already stays as it is.
    """
    held = estimate.interval
    if held.expected_s is not None or held.source == "measured":
        return held
    low_s, high_s = whole_ends(
        estimate.print_time_s, held.low_s, held.high_s, estimate.by_cause, estimate.sampling_error
    )
    guess = ""
    if estimate.melt_capped and estimate.melt_ceiling_source == "typical":
        guess = "; the flow limit that holds it back is itself a guess within two fifths, which a flow test replaces"
    sampled = ", and it is a sample of layers" if estimate.sampling_error > 0 else ""
    return held.model_copy(
        update={
            "low_s": low_s,
            "high_s": high_s,
            "expected_s": estimate.print_time_s,
            "basis": f"{held.basis}, other constants as typical{sampled}; {why}{guess}",
        }
    )
