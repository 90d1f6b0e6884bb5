"""How probable each knee is, given what was weighed at one temperature.

Model. Output over input is ``r = r0 (1 - s u((Q - k) / k))``: flat up to the knee ``k``, then falling, with ``u(x) = max(0, x)``
for a broken stick, or a soft plus of width 8 % for a smooth elbow. ``r0`` (the drive's calibration) and ``b = -r0 s`` enter
linearly and are integrated out in closed form under normal priors, ``b`` cut off at 0. What is left is a sum over grids: the
knee (even in its logarithm: no flow is preferred), the elbows, the scatter ``tau`` of a strand (cut, filament that
varies), and which one weighing, if any, is a gross error. Further gross errors are found one at a time and left out.

Variance of a ratio: ``(step^2 / 12) / expected^2`` for the scale's step, as of a uniform error, and ``tau^2``, half of it the
same for every strand and half growing as the strand gets shorter.

Reference: A. Gelman et al., *Bayesian Data Analysis*, 3rd ed., chapters 3 and 14 (linear regression with normal priors,
marginal likelihood); D. A. Stephens, *Bayesian retrospective multiple-changepoint identification*, Applied Statistics 43
(1994) for the broken line. Valid for at least three weighings; the coverage of its intervals is held by tests.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray
from scipy.special import log_ndtr, logsumexp

__all__ = ["KneePosterior", "Weighings", "knee_posterior", "mean_shape", "shape"]

Floats = NDArray[np.float64]

ELBOWS = (0.0, 0.08)
_ELBOW_PRIOR = (0.75, 0.25)
DRIVE_SD = 0.08
"""Prior scatter of ``r0`` around 1: drives are off by several per cent, seldom by over 15."""

FALL_MEAN, FALL_SD = 0.6, 0.7
"""Prior of the fall per knee's worth of flow: 1 would be an output that does not grow at all beyond the knee."""

TAUS = np.geomspace(0.0006, 0.06, 9)
_TAU_MEDIAN, _TAU_SPREAD = 0.0045, 0.9
GROSS_CHANCE, GROSS_WIDTH = 0.03, 1.5
"""A gross error is thought to come once in 33 weighings, and to lie anywhere within a ratio of 1.5."""

GRID = 150


@dataclass(frozen=True)
class Weighings:
    """Of each strand, (n,): flow, mm3/s; output over input; standard deviation by the scale's step alone; and the factor of
    ``tau^2``. ``number`` is its place in the test."""

    flow_mm3_s: Floats
    ratio: Floats
    scale_sd: Floats
    spread: Floats
    number: NDArray[np.int64]

    def without(self, keep: NDArray[np.bool_]) -> Weighings:
        """Only those kept."""
        return Weighings(*(getattr(self, name)[keep] for name in self.__dataclass_fields__))


@dataclass(frozen=True)
class KneePosterior:
    """Probabilities over a grid of knees.

    ``log_knee`` (g,) and ``mass`` (g,), which sums to 1, with ``inside`` where the knee lies within the flows that were
    weighed. ``drive`` and ``fall`` are mean and standard deviation; ``drive_at`` and ``fall_at`` (g,) are means given the knee,
    and ``elbow`` (g, elbows) how probable each elbow is there. ``tau`` is the scatter's mean. ``gross`` are numbers left out.
    """

    weighings: Weighings
    log_knee: Floats
    mass: Floats
    inside: float
    drive: tuple[float, float]
    drive_at: Floats
    fall_at: Floats
    line_cov: Floats
    elbow: Floats
    tau: float
    gross: list[int]

    def quantile(self, share: float) -> float:
        """The knee below which ``share`` of the probability lies, mm3/s."""
        return float(np.exp(np.interp(share, *_cumulative(self.log_knee, self.mass))))

    def with_mass(self, mass: Floats) -> KneePosterior:
        """The same with other probabilities of the knee."""
        values = {name: getattr(self, name) for name in self.__dataclass_fields__}
        inside = float(mass[self.log_knee < np.log(self.weighings.flow_mm3_s.max())].sum())
        return KneePosterior(**(values | {"mass": mass, "inside": inside}))


def shape(flow_mm3_s: Floats, knee_mm3_s: Floats, elbow: float) -> Floats:
    """``u((Q - k) / k)`` for each knee and flow, (knees, flows)."""
    beyond = flow_mm3_s[None, :] / knee_mm3_s[:, None] - 1.0
    if elbow == 0:
        return np.maximum(beyond, 0.0)
    soft: Floats = elbow * np.logaddexp(0.0, beyond / elbow)
    return soft


def mean_shape(flow_mm3_s: Floats, knee_mm3_s: Floats, elbow: Floats) -> Floats:
    """``u`` with each elbow as probable as it is, (knees, flows)."""
    mixed: Floats = sum(elbow[:, [e]] * shape(flow_mm3_s, knee_mm3_s, width) for e, width in enumerate(ELBOWS))  # type: ignore[assignment]
    return mixed


def knee_posterior(weighings: Weighings, drive_prior: tuple[float, float] = (1.0, DRIVE_SD)) -> KneePosterior:
    """Probabilities of the knee from at least three weighings; gross errors are left out one after another."""
    gross: list[int] = []
    while True:
        found, chance = _posterior(weighings, drive_prior)
        worst = int(np.argmax(chance))
        if chance[worst] < 0.9 or len(weighings.ratio) <= max(4, 2 * len(gross)):
            break
        gross.append(int(weighings.number[worst]))
        weighings = weighings.without(np.arange(len(weighings.ratio)) != worst)
    values = {name: getattr(found, name) for name in found.__dataclass_fields__}
    return KneePosterior(**(values | {"gross": sorted(gross)}))


def _posterior(data: Weighings, drive_prior: tuple[float, float]) -> tuple[KneePosterior, Floats]:
    """On an even grid first, then on one that is fine where the probability lies."""
    low, high = np.log(0.5 * data.flow_mm3_s.min()), np.log(2.5 * data.flow_mm3_s.max())
    even = np.linspace(low, high, 80)
    first, _ = _on_grid(data, even, drive_prior)
    share, place = _cumulative(even, 0.8 * first.mass + 0.2 * _widths(even) / (high - low))
    fine = np.interp(np.linspace(0, 1, GRID), share, place)
    # Places where the likelihood bends: a knee just below a flow and one just above it are not alike.
    return _on_grid(data, np.unique(fine), drive_prior)


def _on_grid(data: Weighings, log_knee: Floats, drive_prior: tuple[float, float]) -> tuple[KneePosterior, Floats]:
    knees = np.exp(log_knee)
    shapes = np.stack([shape(data.flow_mm3_s, knees, elbow) for elbow in ELBOWS])
    log_tau = -0.5 * ((np.log(TAUS) - np.log(_TAU_MEDIAN)) / _TAU_SPREAD) ** 2
    variance = data.scale_sd[None, :] ** 2 + TAUS[:, None] ** 2 * data.spread[None, :]
    told = _likelihood(
        shapes, data.ratio, variance, drive_prior[0], drive_prior[1], FALL_MEAN, FALL_SD, GROSS_CHANCE, GROSS_WIDTH
    )
    log_like, drive, fall, cov, z = told  # (elbows, knees, taus, 1 + n)
    log_like = log_like + log_ndtr(z) + log_tau[None, None, :, None]
    log_like += np.log(_ELBOW_PRIOR)[:, None, None, None] + np.log(_widths(log_knee))[None, :, None, None]
    weight = np.exp(log_like - logsumexp(log_like))
    mass = weight.sum(axis=(0, 2, 3))
    there = mass > 1e-12
    safe = np.where(there, mass, 1.0)
    drive_mean = float((weight * drive).sum())
    drive_sd = float(np.sqrt(max((weight * (drive**2 + cov[..., 0])).sum() - drive_mean**2, 1e-12)))
    scattered = (weight.sum(axis=(0, 1, 3)) * TAUS).sum()
    found = KneePosterior(
        weighings=data,
        log_knee=log_knee,
        mass=mass,
        inside=float(mass[log_knee < np.log(data.flow_mm3_s.max())].sum()),
        drive=(drive_mean, drive_sd),
        drive_at=np.where(there, (weight * drive).sum(axis=(0, 2, 3)) / safe, drive_mean),
        fall_at=np.where(there, (weight * fall).sum(axis=(0, 2, 3)) / safe, FALL_MEAN),
        line_cov=(weight[..., None] * cov).sum(axis=(0, 2, 3)) / safe[:, None],
        elbow=np.where(there, weight.sum(axis=(2, 3)) / safe, np.array(_ELBOW_PRIOR)[:, None]).T,
        tau=float(scattered),
        gross=[],
    )
    return found, weight.sum(axis=(0, 1, 2))[1:]


@numba.njit(cache=True, nogil=True)
def _likelihood(shapes, ratio, variance, mean, sd, fall, fall_sd, gross, width):  # type: ignore[no-untyped-def]
    """Log likelihood with ``r0`` and ``b`` integrated out, for no gross error and for each weighing as one; with the line's
    mean and covariance (var r0, cov, var b) given the hypothesis, and how many deviations ``b`` lies below 0."""
    elbows, knees, n = shapes.shape
    taus = len(variance)
    out = np.empty((elbows, knees, taus, n + 1))
    drives, falls, z = np.empty_like(out), np.empty_like(out), np.empty_like(out)
    cov = np.empty((elbows, knees, taus, n + 1, 3))
    p0, pb = 1.0 / sd**2, 1.0 / fall_sd**2
    good, bad = np.log(1.0 - gross), np.log(gross / width)
    for t in range(taus):
        v = variance[t]
        log_v = np.sum(np.log(2 * np.pi * v))
        for e in range(elbows):
            for k in range(knees):
                # r = r0 - b u with b >= 0
                a00, a01, a11, y0, y1, yy = p0, 0.0, pb, p0 * mean, pb * fall, p0 * mean**2 + pb * fall**2
                for i in range(n):
                    w, u = 1.0 / v[i], -shapes[e, k, i]
                    a00 += w
                    a01 += w * u
                    a11 += w * u * u
                    y0 += w * ratio[i]
                    y1 += w * u * ratio[i]
                    yy += w * ratio[i] ** 2
                for h in range(n + 1):
                    b00, b01, b11, c0, c1, cc, lv, prior = a00, a01, a11, y0, y1, yy, log_v, n * good
                    if h > 0:
                        i = h - 1
                        w, u = 1.0 / v[i], -shapes[e, k, i]
                        b00 -= w
                        b01 -= w * u
                        b11 -= w * u * u
                        c0 -= w * ratio[i]
                        c1 -= w * u * ratio[i]
                        cc -= w * ratio[i] ** 2
                        lv -= np.log(2 * np.pi * v[i])
                        prior += bad - good
                    det = b00 * b11 - b01 * b01
                    r0 = (b11 * c0 - b01 * c1) / det
                    b = (b00 * c1 - b01 * c0) / det
                    rest = cc - r0 * c0 - b * c1
                    out[e, k, t, h] = prior - 0.5 * (lv + rest + np.log(det / (p0 * pb)))
                    drives[e, k, t, h] = r0
                    falls[e, k, t, h] = max(b, 0.0)
                    cov[e, k, t, h, 0] = b11 / det
                    cov[e, k, t, h, 1] = -b01 / det
                    cov[e, k, t, h, 2] = b00 / det
                    z[e, k, t, h] = b / np.sqrt(b00 / det)
    return out, drives, falls, cov, z


def _widths(grid: Floats) -> Floats:
    """Width that each place of a grid stands for, (g,)."""
    edges = np.concatenate([grid[:1], (grid[1:] + grid[:-1]) / 2, grid[-1:]])
    return np.diff(edges)


def _cumulative(grid: Floats, mass: Floats) -> tuple[Floats, Floats]:
    """Shares of probability, rising from 0 to 1, and the places up to which they lie."""
    edges = np.concatenate([grid[:1], (grid[1:] + grid[:-1]) / 2, grid[-1:]])
    share = np.concatenate([[0.0], np.cumsum(mass)])
    return share / share[-1], edges
