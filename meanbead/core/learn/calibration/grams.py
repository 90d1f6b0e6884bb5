"""Weighed prints against predicted grams: what the drive gives more or less than told, and each plastic's density.

The logarithm of weighed over predicted is the machine's deviation plus the plastic's plus scatter. The machine's is its
flow ratio, the plastic's its density (or its filament's diameter): told apart by plastics that share a machine and machines
that share a plastic, by their priors where neither is so. Gaussian in closed form over a small grid of the scatter, as in
:mod:`.fit`; a run that does not fit counts as a Student distribution's does (C. M. Bishop, Pattern Recognition and Machine
Learning, 2006, 2.3.7).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.interval import Z_90

__all__ = ["GramPosterior", "WeighedRun", "fit_grams"]

Floats = NDArray[np.float64]

FLOW_SD = 0.03
"""How far drives give more or less than they are told, before any print was weighed."""
DENSITY_SD = 0.02
"""How far a plastic's density and its filament's section are from what is typed."""
_SCATTERS = np.array([0.003, 0.006, 0.010, 0.016, 0.025, 0.04, 0.065, 0.1])
_USUAL, _SPREAD = 0.012, 0.8
_FREEDOM = 4.0


@dataclass(frozen=True)
class WeighedRun:
    """A weighed print: on which machine and of which plastic (by any names), predicted and real grams, and the scale's step."""

    machine: str
    material: str
    predicted_g: float
    weighed_g: float
    reading_g: float = 0.1


@dataclass(frozen=True)
class GramPosterior:
    """What weighed prints say of one machine with one plastic: weighed over predicted, ``ratio`` with its standard error as a
    share, and the share by which prints ``scatter``. ``flow`` and ``density`` share it out: middle, low and high with 90 %.
    ``weighed`` counts prints on this machine."""

    ratio: float
    error: float
    scatter: float
    flow: tuple[float, float, float]
    density: tuple[float, float, float]
    weighed: int

    def expected(self, grams: float, error: float = 0.0) -> tuple[float, float, float]:
        """What predicted grams will really weigh: middle, low, high with 90 %."""
        middle = grams * self.ratio
        off = Z_90 * middle * float(np.sqrt(self.error**2 + self.scatter**2 + error**2))
        return middle, middle - off, middle + off


def fit_grams(runs: Sequence[WeighedRun], machine: str, material: str) -> GramPosterior:
    """What weighed prints of a workshop say of a machine with a plastic. Raises ValueError for grams that are not above zero."""
    if any(run.predicted_g <= 0 or run.weighed_g <= 0 for run in runs):
        raise ValueError("predicted and weighed grams have to be above zero")
    machines = list(dict.fromkeys([machine, *(run.machine for run in runs)]))
    materials = list(dict.fromkeys([material, *(run.material for run in runs)]))
    z = np.zeros((len(runs), len(machines) + len(materials)))
    for row, run in zip(z, runs, strict=True):
        row[machines.index(run.machine)] = 1.0
        row[len(machines) + materials.index(run.material)] = 1.0
    y = np.array([np.log(run.weighed_g / run.predicted_g) for run in runs])
    reading = np.array([run.reading_g / run.predicted_g for run in runs]) ** 2 / 12
    prior = np.concatenate([np.full(len(machines), FLOW_SD**-2), np.full(len(materials), DENSITY_SD**-2)])
    ours = np.zeros(z.shape[1])
    ours[0] = ours[len(machines)] = 1.0
    picked = np.stack([ours, np.eye(len(ours))[0], np.eye(len(ours))[len(machines)]])
    middles, variances, logs = [], [], []
    for scatter in _SCATTERS:
        noise = scatter**2 + reading
        held = np.ones(len(y))
        for _ in range(12):
            precision = z.T @ (z * (held / noise)[:, None]) + np.diag(prior)
            covariance = np.linalg.inv(precision)
            mean = covariance @ (z.T @ (held * y / noise))
            miss = (y - z @ mean) ** 2 / noise + np.einsum("nc,cd,nd->n", z, covariance, z) / noise
            held = (_FREEDOM + 1) / (_FREEDOM + miss)
        # Of a Student distribution of this freedom: how likely the errors are, the coefficients being known only so well.
        likely = (
            -0.5 * np.log(noise).sum() - 0.5 * (_FREEDOM + 1) * np.log1p((y - z @ mean) ** 2 / noise / _FREEDOM).sum()
        )
        known = 0.5 * (np.log(prior).sum() - np.linalg.slogdet(precision)[1]) - 0.5 * float(mean**2 @ prior)
        logs.append(likely + known - 0.5 * (np.log(scatter / _USUAL) / _SPREAD) ** 2)
        middles.append(picked @ mean)
        variances.append(np.einsum("pc,cd,pd->p", picked, covariance, picked))
    weight = np.exp(np.array(logs) - max(logs))
    weight /= weight.sum()
    middle = weight @ np.array(middles)
    variance = weight @ (np.array(variances) + (np.array(middles) - middle) ** 2)
    spread = float(np.sqrt(weight @ _SCATTERS**2))

    def ends(place: int) -> tuple[float, float, float]:
        off = Z_90 * float(np.sqrt(variance[place]))
        return tuple(float(np.exp(middle[place] + step)) for step in (0.0, -off, off))  # type: ignore[return-value]

    return GramPosterior(
        ratio=float(np.exp(middle[0])),
        error=float(np.sqrt(variance[0])),
        scatter=spread,
        flow=ends(1),
        density=ends(2),
        weighed=sum(run.machine == machine for run in runs),
    )
