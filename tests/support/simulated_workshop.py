"""Workshops with hidden truths: machines whose factors nobody knows, runs that scatter, pauses, and a slow drift."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.factors import FACTORS
from meanbead.core.learn.calibration import TimedRun

Floats = NDArray[np.float64]

SHARES = np.array([8.4, 3.6, 2.4, 1.0, 0.5, 0.6])
"""About how seconds are shared out by factor on made-up parts (a Dirichlet distribution's parameters)."""


@dataclass(frozen=True)
class Simulated:
    """Predicted seconds by factor (n, factors), real ones (n,), and which runs were interrupted; ``factors`` and ``offset_s``
    are what the machine hides."""

    seconds: Floats
    real_s: Floats
    paused: NDArray[np.bool_]
    factors: Floats
    offset_s: float

    def runs(self, count: int | None = None) -> list[TimedRun]:
        pairs = list(zip(self.seconds, self.real_s, strict=True))[:count]
        return [TimedRun(seconds, float(real)) for seconds, real in pairs]


def hidden(rng: np.random.Generator, kind: str) -> tuple[Floats, float]:
    """A machine's hidden factors and offset: ``close`` to its description, ``far`` from it, or as ``usual``."""
    if kind == "close":
        ends = [(0.99, 1.03), (0.95, 1.2), (0.97, 1.08), (1.0, 1.3), (1.0, 1.1), (1.0, 1.0)]
        return np.array([rng.uniform(*pair) for pair in ends]), float(rng.uniform(0, 40))
    if kind == "far":
        ends = [(0.97, 1.07), (0.8, 1.8), (0.9, 1.5), (0.8, 2.0), (0.8, 1.5), (0.97, 1.03)]
        return np.array([rng.uniform(*pair) for pair in ends]), float(rng.uniform(0, 150))
    drawn = np.array([rng.normal(factor.mean, factor.sd) for factor in FACTORS])
    return np.maximum(drawn, 0.4), max(0.0, float(rng.normal(20, 50)))


def simulate(
    seed: int, kind: str, count: int, scatter: float | None = None, pauses: float = 0.05, drift: float = 0.0
) -> Simulated:
    """A machine's runs; ``scatter`` left out, one that differs from machine to machine."""
    rng = np.random.default_rng([seed, count])
    factors, offset = hidden(rng, kind)
    total = np.exp(rng.normal(np.log(5400), 0.9, count)).clip(600, 60_000)
    seconds = rng.dirichlet(SHARES, count) * total[:, None]
    share = float(np.exp(rng.normal(np.log(0.015), 0.5))) if scatter is None else scatter
    wander = np.cumsum(rng.normal(0, drift, count)) if drift else np.zeros(count)
    real = (seconds @ factors + offset) * np.exp(share * rng.standard_normal(count) + wander)
    paused = rng.random(count) < pauses
    return Simulated(seconds, real + paused * rng.exponential(1500, count), paused, factors, offset)
