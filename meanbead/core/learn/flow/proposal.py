"""Which flow to try next, and when enough is known."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from meanbead.core.learn.flow.posterior import KneePosterior, mean_shape

__all__ = ["ENOUGH", "expected_width", "next_flow"]

ENOUGH = 0.07
"""Enough is known once knowing more could raise the limit by no more than this share."""

Floats = NDArray[np.float64]

_NODES, _WEIGHTS = np.polynomial.hermite_e.hermegauss(7)
_WEIGHTS = _WEIGHTS / _WEIGHTS.sum()


def next_flow(found: KneePosterior, low_mm3_s: float, high_mm3_s: float, scale_sd: float) -> float:
    """The flow between two bounds whose weighing is expected to leave the least scatter of the knee's logarithm, mm3/s.

    ``scale_sd`` is what the scale's step makes of a ratio. Expected over what could be weighed there (Bayesian experimental
    design, D. V. Lindley, *Annals of Mathematical Statistics* 27, 1956).
    """
    flows = np.geomspace(low_mm3_s, high_mm3_s, 36)
    widths = expected_width(found, flows, scale_sd)
    return round(float(flows[int(np.argmin(widths))]), 1)


def expected_width(found: KneePosterior, flows_mm3_s: Floats, scale_sd: float) -> Floats:
    """Expected standard deviation of the knee's logarithm after one more weighing at each flow, (flows,)."""
    at = np.linspace(0.002, 0.998, 90)
    share = np.cumsum(found.mass)
    picked = np.unique(np.searchsorted(share, at).clip(max=len(share) - 1))
    log_knee = found.log_knee[picked]
    mass = np.add.reduceat(found.mass, picked)
    mass /= mass.sum()
    knees = np.exp(log_knee)
    bend = mean_shape(flows_mm3_s, knees, found.elbow[picked])
    mean = found.drive_at[picked][:, None] - found.fall_at[picked][:, None] * bend
    cov = found.line_cov[picked]
    variance = cov[:, :1] - 2 * cov[:, 1:2] * bend + cov[:, 2:3] * bend**2 + scale_sd**2 + found.tau**2
    out = np.empty(len(flows_mm3_s))
    for q in range(len(flows_mm3_s)):
        sd = np.sqrt(variance[:, q])
        weighed = (mean[:, q][:, None] + sd[:, None] * _NODES[None, :]).ravel()
        chance = (mass[:, None] * _WEIGHTS[None, :]).ravel()
        off = (weighed[:, None] - mean[:, q][None, :]) / sd[None, :]
        after = mass[None, :] * np.exp(-0.5 * off**2) / sd[None, :]
        after /= after.sum(axis=1, keepdims=True)
        centre = after @ log_knee
        spread = after @ log_knee**2 - centre**2
        out[q] = np.sqrt(max(float(chance @ np.maximum(spread, 0)), 0.0))
    return out
