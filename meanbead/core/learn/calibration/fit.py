"""Real times against predicted ones: factors by cause, a start offset, scatter, drift, and pauses told apart.

The model of a run's real printing time ``y`` with predicted seconds ``x`` by factor (:mod:`~meanbead.core.estimate.factors`), ``P`` their sum::

    y = sum_k f_k x_k + o + P d(i) + P e,   e ~ N(0, s^2)

``f`` the machine's factors, ``o`` its start offset, ``d`` a slow drift (a random walk along the runs, as a line between a
few knots), ``s`` the scatter as a share. Divided by ``P`` it is linear in all but ``s``, the drift's pace ``q`` and how wide
the priors are, ``k``: for each point of a small grid of these three the posterior is Gaussian in closed form (C. M. Bishop,
Pattern Recognition and Machine Learning, 2006, 3.3 and 3.5), and the points are weighed by their evidence. So intervals are
wide after one run, because nothing rules out a large scatter, and narrow after ten.

Some runs stood still in between: a door, a filament change. Each is plain with probability ``1 - p``, else its time has an
exponentially distributed pause on top, or is simply wrong; how much each run counts follows from how it fits all *others*
(its leave-one-out density), a few times over (variational mixture, Bishop 10.2).

A changed machine ends an *era*: factors, offset and drift start anew, scatter and pace are of the machine as before.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import erfcx, ndtr

from meanbead.core.estimate.factors import FACTORS, OFFSET_MEAN_S, OFFSET_SD_S

__all__ = ["COVERAGE", "Posterior", "TimedRun", "fit_times"]

Floats = NDArray[np.float64]

COVERAGE = 0.90
"""Share of real times that an interval holds."""

_SCATTERS = np.array([0.003, 0.005, 0.008, 0.012, 0.018, 0.026, 0.038, 0.056, 0.085])
_SCATTER_USUAL, _SCATTER_SPREAD = 0.018, 0.95
_PACES = np.array([0.0, 0.0015, 0.004])
_PACE_PRIOR = np.array([0.6, 0.25, 0.15])
_WIDTHS = np.array([0.5, 1.0, 1.8])
_WIDTH_PRIOR = np.array([0.3, 0.5, 0.2])
_KNOTS = 10
_PAUSE_MEAN_S = 1500.0
_PAUSED, _PAUSED_RUNS = 0.5, 20.0
"""Before any run: half a paused one in twenty."""
_WRONG = 0.15
"""Of the runs that do not fit, the share whose time is simply wrong (typed for another, misread)."""
_WRONG_SD = 0.7
_ROUNDS = 5
_KEPT = 1e-4
"""Grid points of less weight are dropped from a posterior."""
_CLEAN_AT_MOST = 0.93


@dataclass(frozen=True)
class TimedRun:
    """A run with its predicted seconds by factor, (factors,), and the real printing time of one plate, s. ``era`` counts
    what the machine was: runs of one era share its factors. ``reading_s`` is the step in which its time was read."""

    seconds: Floats
    real_s: float
    era: int = 0
    reading_s: float = 1.0

    @property
    def predicted_s(self) -> float:
        """The sum of all predicted seconds."""
        return float(np.sum(self.seconds))


@dataclass(frozen=True)
class Posterior:
    """What runs have taught of a machine as it is now.

    Over the kept points of the grid, (g,): ``weight`` (sums to 1) and ``scatter``; of all coefficients (factors, offset,
    drift now) ``mean`` (g, c) and ``covariance`` (g, c, c). ``paused`` is how often a run does not fit, ``reading_s`` the
    step in which times are read. ``runs`` counts those of the present era, ``before`` those of earlier ones. Of every run,
    in their order: ``fits`` how much it counted, 0 to 1, and what was expected of it from all others: ``left_out`` (n, 3),
    middle, low and high of the 90 % interval, s.
    """

    weight: Floats
    scatter: Floats
    mean: Floats
    covariance: Floats
    paused: float
    reading_s: float
    runs: int
    before: int
    fits: Floats
    left_out: Floats

    def factor(self, number: int) -> tuple[float, float, float]:
        """Middle, low and high of a factor, or of the offset in s (the number after the last factor), with 90 %."""
        sd = np.sqrt(self.covariance[:, number, number])
        value, low, high = _quantiles(self.weight, self.mean[:, number][None], sd[None], COVERAGE)
        return float(value[0]), float(low[0]), float(high[0])

    def expected(self, seconds: Floats, error: Floats | float = 0.0) -> Floats:
        """What predictions (m, factors) will really take: middle, low and high with 90 %, s, (m, 3). ``error`` is by which
        share the predictions themselves may be off (one standard error), as those of a sample of layers."""
        seconds = np.atleast_2d(seconds)
        total = np.maximum(seconds.sum(axis=1), 1e-9)
        rows = np.column_stack([seconds / total[:, None], 1.0 / total, np.ones(len(total))])
        middle = np.einsum("mc,gc->mg", rows, self.mean)
        known = np.einsum("mc,gcd,md->mg", rows, self.covariance, rows, optimize=True)
        reading = (self.reading_s**2 / 12) / total**2
        variance = known + (self.scatter * middle) ** 2 + reading[:, None] + np.square(error)[..., None] * middle**2
        found: Floats = np.column_stack(_quantiles(self.weight, middle, np.sqrt(variance), _clean_share(self.paused)))
        scaled: Floats = found * total[:, None]
        return scaled

    def difference(self, before: Floats, after: Floats, error_s: float = 0.0) -> tuple[float, float, float]:
        """What ``after`` takes longer than ``before`` on average over many prints: middle, low and high with 90 %, s. What
        both are off by falls out. ``error_s`` is how far the predicted difference itself may be off."""
        row = np.concatenate([after - before, [0.0], [after.sum() - before.sum()]])
        middle = self.mean @ row
        sd = np.sqrt(np.einsum("c,gcd,d->g", row, self.covariance, row) + error_s**2)
        value, low, high = _quantiles(self.weight, middle[None], sd[None], COVERAGE)
        return float(value[0]), float(low[0]), float(high[0])


def fit_times(
    runs: Sequence[TimedRun],
    *,
    means: Floats | None = None,
    widths: Floats | None = None,
    era: int | None = None,
) -> tuple[Posterior, float]:
    """What real times teach of a machine; without any, what is known before. Returns the posterior and the log of the
    evidence, by which descriptions of the machine are compared.

    Runs stand in the order in which they were made. ``means`` and ``widths`` replace those of :data:`~meanbead.core.estimate.factors.FACTORS` and
    the offset, (factors + 1,). ``era`` is the machine's present one; left out, that of the last run. Raises ValueError for
    times and predictions that are not above zero.
    """
    mean0 = np.array([*(factor.mean for factor in FACTORS), OFFSET_MEAN_S]) if means is None else means
    sd0 = np.array([*(factor.sd for factor in FACTORS), OFFSET_SD_S]) if widths is None else widths
    if any(run.predicted_s <= 0 or run.real_s <= 0 for run in runs):
        raise ValueError("real times and predictions have to be above zero")
    now = era if era is not None else runs[-1].era if runs else 0
    grid = _Grid.make()
    reading = _reading_s(runs)
    eras = [_Era.of([run for run in runs if run.era == number], mean0) for number in _in_order(runs)]
    fits = [np.full((len(grid.scatter), era.count), 0.97) for era in eras]
    paused = _PAUSED / _PAUSED_RUNS
    solved: list[_Solved] = []
    for _ in range(_ROUNDS):
        solved = [_solve(era, grid, sd0, fit, reading) for era, fit in zip(eras, fits, strict=True)]
        fits = [_fit(era, found, paused) for era, found in zip(eras, solved, strict=True)]
        log_weight = grid.log_prior + sum(
            (_evidence(era, found, fit, paused) for era, found, fit in zip(eras, solved, fits, strict=True)),
            np.zeros(len(grid.scatter)),
        )
        weight = np.exp(log_weight - log_weight.max())
        weight /= weight.sum()
        odd = sum(float(weight @ (1 - fit).sum(axis=1)) for fit in fits)
        paused = min(0.3, (_PAUSED + odd) / (_PAUSED_RUNS + len(runs)))
    evidence = float(np.log(np.sum(np.exp(log_weight - log_weight.max()))) + log_weight.max())
    kept = weight > _KEPT * weight.max()
    mean, covariance = _now(eras, solved, _in_order(runs), now, grid, mean0, sd0)
    fit_of = np.concatenate([weight @ fit for fit in fits]) if fits else np.zeros(0)
    left_out = [_left_out(era, found, weight, paused) for era, found in zip(eras, solved, strict=True)]
    order = np.argsort(
        np.concatenate([np.flatnonzero([run.era == number for run in runs]) for number in _in_order(runs)])
        if runs
        else np.zeros(0),
        kind="stable",
    )
    return (
        Posterior(
            weight=weight[kept] / weight[kept].sum(),
            scatter=grid.scatter[kept],
            mean=mean[kept],
            covariance=covariance[kept],
            paused=paused,
            reading_s=reading,
            runs=sum(run.era == now for run in runs),
            before=sum(run.era != now for run in runs),
            fits=fit_of[order],
            left_out=np.concatenate(left_out)[order] if left_out else np.zeros((0, 3)),
        ),
        evidence,
    )


@dataclass(frozen=True)
class _Grid:
    scatter: Floats
    pace: Floats
    width: Floats
    log_prior: Floats

    @classmethod
    def make(cls) -> _Grid:
        scatter, pace, width = (a.ravel() for a in np.meshgrid(_SCATTERS, _PACES, _WIDTHS, indexing="ij"))
        usual = -0.5 * (np.log(scatter / _SCATTER_USUAL) / _SCATTER_SPREAD) ** 2
        prior = usual + np.log(_PACE_PRIOR[np.searchsorted(_PACES, pace)])
        return cls(scatter, pace, width, prior + np.log(_WIDTH_PRIOR[np.searchsorted(_WIDTHS, width)]))


@dataclass(frozen=True)
class _Era:
    """An era's runs: ``rows`` (n, c + knots) and what is left of the ratio real / predicted once the priors' means are taken
    off, ``off`` (n,); ``steps`` is how many runs each knot's step spans."""

    rows: Floats
    off: Floats
    middle: Floats
    predicted_s: Floats
    steps: Floats

    @property
    def count(self) -> int:
        return len(self.off)

    @classmethod
    def of(cls, runs: Sequence[TimedRun], mean0: Floats) -> _Era:
        seconds = np.array([run.seconds for run in runs])
        total = seconds.sum(axis=1)
        own = np.column_stack([seconds / total[:, None], 1.0 / total])
        knots = np.unique(np.linspace(0, len(runs) - 1, min(_KNOTS, len(runs))))
        steps = np.diff(knots)
        at = np.arange(len(runs))[:, None]
        drift = np.clip((at - knots[None, :-1]) / steps[None, :], 0.0, 1.0)
        middle = own @ mean0
        ratio = np.array([run.real_s for run in runs]) / total
        return cls(np.concatenate([own, drift], axis=1), ratio - middle, middle, total, steps)


@dataclass(frozen=True)
class _Solved:
    """Over the grid: ``mean`` (g, c) and ``covariance`` of what is added to the priors' means; left out of each run,
    the error of what was expected, ``miss`` (g, n), and its variance; ``log_fit``, the evidence's Gaussian part (g,)."""

    mean: Floats
    covariance: Floats
    miss: Floats
    variance: Floats
    log_fit: Floats
    noise: Floats


def _in_order(runs: Sequence[TimedRun]) -> list[int]:
    return list(dict.fromkeys(run.era for run in runs))


def _reading_s(runs: Sequence[TimedRun]) -> float:
    """Times that are all whole minutes were read to the minute."""
    if len(runs) >= 2 and all(abs(run.real_s / 60 - round(run.real_s / 60)) < 1e-6 for run in runs):
        return 60.0
    return max((run.reading_s for run in runs), default=60.0)


def _prior_precision(era: _Era, grid: _Grid, sd0: Floats) -> Floats:
    """Inverse prior variances, (g, c + knots)."""
    own = 1.0 / np.square(grid.width[:, None] * sd0[None, :])
    # A machine without drift has steps that are as good as none.
    drift = 1.0 / (np.square(np.maximum(grid.pace, 1e-6))[:, None] * era.steps[None, :])
    return np.concatenate([own, drift], axis=1)


def _solve(era: _Era, grid: _Grid, sd0: Floats, fit: Floats, reading_s: float) -> _Solved:
    z = era.rows
    noise = np.square(grid.scatter[:, None] * era.middle[None, :]) + (reading_s**2 / 12) / era.predicted_s**2
    held = fit / noise
    prior = _prior_precision(era, grid, sd0)
    precision = np.einsum("gn,nc,nd->gcd", held, z, z, optimize=True)
    at = np.arange(z.shape[1])
    precision[:, at, at] += prior
    covariance = np.linalg.inv(precision)
    pull = np.einsum("gn,nc->gc", held * era.off, z)
    mean = np.einsum("gcd,gd->gc", covariance, pull)
    spread = np.einsum("nc,gcd,nd->gn", z, covariance, z, optimize=True)
    leverage = np.minimum(held * spread, 1 - 1e-9)
    residual = era.off[None, :] - mean @ z.T
    miss = residual / (1 - leverage)
    variance = noise + spread / (1 - leverage)
    _, log_det = np.linalg.slogdet(precision)
    log_fit = 0.5 * (
        np.log(prior).sum(axis=1)
        - log_det
        + np.einsum("gc,gc->g", pull, mean)
        - np.sum(held * np.square(era.off)[None, :] + fit * np.log(2 * np.pi * noise), axis=1)
    )
    return _Solved(mean, covariance, miss, variance, log_fit, noise)


def _odd_density(era: _Era, miss: Floats, variance: Floats) -> Floats:
    """How likely an error is of a run with a pause in it, or with a wrong time: density of the error, (g, n).

    A normal error with an exponential pause on top, as a share of the prediction (the exponentially modified Gaussian).
    """
    sd = np.sqrt(variance)
    rate = era.predicted_s[None, :] / _PAUSE_MEAN_S
    u = (rate * sd - miss / sd) / np.sqrt(2)
    # erfcx keeps the product of a tiny and a huge figure in range; far below zero it is the plain exponential.
    safe = np.maximum(u, -25.0)
    paused = np.where(
        u > -25.0,
        0.5 * rate * np.exp(-0.5 * np.square(miss / sd)) * erfcx(safe),
        rate * np.exp(np.minimum(0.5 * np.square(rate * sd) - rate * miss, 50.0)),
    )
    wrong = np.exp(-0.5 * np.square(miss / _WRONG_SD)) / (np.sqrt(2 * np.pi) * _WRONG_SD)
    density: Floats = np.maximum((1 - _WRONG) * paused + _WRONG * wrong, 1e-300)
    return density


def _fit(era: _Era, found: _Solved, paused: float) -> Floats:
    plain = np.exp(-0.5 * found.miss**2 / found.variance) / np.sqrt(2 * np.pi * found.variance)
    odd = _odd_density(era, found.miss, found.variance)
    share: Floats = (1 - paused) * plain / ((1 - paused) * plain + paused * odd)
    return np.clip(share, 1e-6, 1.0)


def _evidence(era: _Era, found: _Solved, fit: Floats, paused: float) -> Floats:
    """Lower bound of the log evidence, (g,): plain runs by the Gaussian's, the others by their odd density."""
    odd = _odd_density(era, found.miss, found.variance)
    out = np.clip(1 - fit, 1e-9, 1.0)
    mixed = fit * np.log((1 - paused) / np.maximum(fit, 1e-9)) + out * np.log(paused / out) + out * np.log(odd)
    total: Floats = found.log_fit + mixed.sum(axis=1)
    return total


def _now(
    eras: Sequence[_Era],
    solved: Sequence[_Solved],
    order: Sequence[int],
    now: int,
    grid: _Grid,
    mean0: Floats,
    sd0: Floats,
) -> tuple[Floats, Floats]:
    """Mean and covariance of factors, offset and drift at the next run, over the grid, of the present era."""
    count, size = len(sd0), len(grid.scatter)
    if now not in order:
        mean = np.tile(np.append(mean0, 0.0), (size, 1))
        covariance = np.zeros((size, count + 1, count + 1))
        at = np.arange(count)
        covariance[:, at, at] = np.square(grid.width[:, None] * sd0[None, :])
        covariance[:, count, count] = grid.pace**2
        return mean, covariance
    found = solved[order.index(now)]
    knots = found.mean.shape[1] - count
    # The drift now is the sum of its steps.
    to_now = np.zeros((count + 1, count + knots))
    to_now[np.arange(count), np.arange(count)] = 1.0
    to_now[count, count:] = 1.0
    mean = found.mean @ to_now.T
    mean[:, :count] += mean0
    covariance = np.einsum("ac,gcd,bd->gab", to_now, found.covariance, to_now, optimize=True)
    covariance[:, count, count] += grid.pace**2
    return mean, covariance


def _left_out(era: _Era, found: _Solved, weight: Floats, paused: float) -> Floats:
    middle = era.middle[None, :] + era.off[None, :] - found.miss
    ends: Floats = np.column_stack(_quantiles(weight, middle.T, np.sqrt(found.variance).T, _clean_share(paused)))
    scaled: Floats = ends * era.predicted_s[:, None]
    return scaled


def _clean_share(paused: float) -> float:
    """How much of the runs without a pause an interval has to hold so that it holds nine tenths of all; no interval is
    stretched for those that stood still for long."""
    return min(COVERAGE / (1 - paused), _CLEAN_AT_MOST)


def _quantiles(weight: Floats, middle: Floats, sd: Floats, share: float) -> tuple[Floats, Floats, Floats]:
    """Median and ends of mixtures of normal distributions, (m,) each: ``middle`` and ``sd`` are (m, g)."""
    found = []
    sd = np.maximum(sd, 1e-12)
    for wanted in (0.5, (1 - share) / 2, (1 + share) / 2):
        low, high = (middle - 8 * sd).min(axis=1), (middle + 8 * sd).max(axis=1)
        for _ in range(45):
            at = (low + high) / 2
            below = ndtr((at[:, None] - middle) / sd) @ weight < wanted
            low, high = np.where(below, at, low), np.where(below, high, at)
        found.append((low + high) / 2)
    return found[0], found[1], found[2]
