"""A machine's calibration: what its logged runs teach, and what estimates of it may therefore be off by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from meanbead.core.estimate.factors import FACTOR_OF, FACTORS, by_factor
from meanbead.core.estimate.interval import Z_90, cause_seconds, whole_interval
from meanbead.core.estimate.ledger import CAUSES
from meanbead.core.learn.calibration.fit import Posterior, TimedRun, fit_times
from meanbead.core.learn.calibration.grams import GramPosterior
from meanbead.core.model.base import Result
from meanbead.core.model.estimate import Estimate, Interval

__all__ = ["Calibration", "CalibrationReport", "LearntFactor", "Ranged", "Teaching", "TimeDifference"]

Floats = NDArray[np.float64]

_OFFSET = len(FACTORS)
_FELT_DRIFT = 0.01
"""A drift by less than this share is not spoken of."""
_LEARNT = 0.75
"""A factor whose interval is narrower than this share of what it was before any run has been learnt about."""


class Ranged(Result):
    """A figure with the ends of its 90 % interval."""

    value: float
    low: float
    high: float


class LearntFactor(Ranged):
    """A factor on predicted seconds: ``name`` of :data:`~meanbead.core.estimate.factors.FACTORS`, ``words`` for people, and
    what it comes to as a sentence. ``learnt`` where runs say more than was known before."""

    name: str
    words: str
    why: str
    says: str
    learnt: bool


class CalibrationReport(Result):
    """What runs have taught. ``time_factors`` are by the ledger's causes, those that cannot be told apart alike;
    ``scatter`` is how far like runs differ, as a share; ``coverage_loo`` the share of runs that lay in the interval made from all others (None
    without runs); ``outliers`` the places of runs that do not fit: a pause in them, or a wrong time."""

    runs: int
    before: int
    time_factors: dict[str, Ranged]
    offset_s: Ranged
    scatter: float
    coverage_loo: float | None
    outliers: list[int]


class TimeDifference(Result):
    """What one print takes longer than another on average, s, with 90 %; ``runs`` it rests on. ``real`` where the interval
    leaves out none."""

    value_s: float
    low_s: float
    high_s: float
    runs: int
    real: bool


class Teaching(Result):
    """What one more run of something would teach: the workshop's intervals would be ``narrower`` by this share."""

    place: int
    narrower: float


@dataclass(frozen=True)
class Calibration:
    """Made of a machine's runs in the order in which they were made; ``of`` names the machine for people. ``waiting`` is how
    many of its runs are still to be computed anew, as its limits are described now."""

    posterior: Posterior
    runs: tuple[TimedRun, ...] = ()
    of: str = "this machine"
    grams: GramPosterior | None = None
    waiting: int = 0

    @classmethod
    def from_runs(
        cls,
        runs: Sequence[TimedRun],
        of: str = "this machine",
        era: int | None = None,
        grams: GramPosterior | None = None,
    ) -> Calibration:
        """What runs teach. Raises ValueError for times and predictions that are not above zero."""
        return cls(fit_times(runs, era=era)[0], tuple(runs), of, grams)

    @property
    def told(self) -> bool:
        """Whether any run has taught something of times."""
        return self.posterior.runs > 0

    @cached_property
    def report(self) -> CalibrationReport:
        """The figures, as plain values."""
        found = self.posterior
        real = np.array([run.real_s for run in self.runs])
        inside = (found.left_out[:, 1] <= real) & (real <= found.left_out[:, 2])
        return CalibrationReport(
            runs=found.runs,
            before=found.before,
            time_factors={cause: self._factor(FACTOR_OF[cause]) for cause in CAUSES},
            offset_s=self._factor(_OFFSET),
            scatter=float(found.weight @ found.scatter),
            coverage_loo=float(inside.mean()) if len(real) else None,
            outliers=self.outliers,
        )

    @property
    def outliers(self) -> list[int]:
        """Places of runs that do not fit the others."""
        return [int(place) for place in np.flatnonzero(self.posterior.fits < 0.5)]

    def _factor(self, number: int) -> Ranged:
        value, low, high = self.posterior.factor(number)
        return Ranged(value=value, low=low, high=high)

    @cached_property
    def factors(self) -> list[LearntFactor]:
        """Each factor in words, then the start offset, and a drift where there is one."""
        found = []
        for number, factor in enumerate(FACTORS):
            value, low, high = self.posterior.factor(number)
            learnt = high - low < _LEARNT * 2 * Z_90 * factor.sd
            found.append(
                LearntFactor(
                    name=factor.name,
                    words=factor.words,
                    why=factor.why,
                    says=_in_words(value, low, high, learnt),
                    learnt=learnt,
                    value=value,
                    low=low,
                    high=high,
                )
            )
        value, low, high = self.posterior.factor(_OFFSET)
        found.append(
            LearntFactor(
                name="offset_s",
                words="each start",
                why="wiping, priming, probing that nobody described",
                says=f"{value:+.0f} s beyond what is described ({low:+.0f} to {high:+.0f} s)".replace("-", "−"),
                learnt=self.posterior.runs > 1,
                value=value,
                low=low,
                high=high,
            )
        )
        value, low, high = self.posterior.factor(_OFFSET + 1)
        if not low <= 0.0 <= high and abs(value) > _FELT_DRIFT:
            way = "longer" if value > 0 else "shorter"
            found.append(
                LearntFactor(
                    name="drift",
                    words="lately",
                    why="belts, bearings and plastics change slowly; estimates follow",
                    says=f"all of it takes {100 * abs(value):.1f} % {way} than at this era's beginning",
                    learnt=True,
                    value=1 + value,
                    low=1 + low,
                    high=1 + high,
                )
            )
        return found

    def interval(self, estimate: Estimate) -> Interval:
        """The interval of an estimate: from this machine's runs where there are any, else the one that it came with."""
        return self.intervals([estimate])[0]

    def intervals(self, estimates: Sequence[Estimate]) -> list[Interval]:
        """:meth:`interval` of many at once."""
        if not estimates:
            return []
        found = [self._with_grams(estimate) for estimate in estimates]
        if not self.told:
            return found
        causes = np.array([cause_seconds(estimate.by_cause) for estimate in estimates])
        error = np.array([estimate.sampling_error / Z_90 for estimate in estimates])
        expected = self.posterior.expected(by_factor(causes), error)
        basis = self.basis
        return [
            interval.model_copy(
                update={
                    "expected_s": float(row[0]),
                    "low_s": float(max(row[1], 0.0)),
                    "high_s": float(row[2]),
                    "source": "measured",
                    "basis": basis + (", and it is a sample of layers" if estimate.sampling_error > 0 else ""),
                    "runs": self.posterior.runs,
                }
            )
            for interval, row, estimate in zip(found, expected, estimates, strict=True)
        ]

    @property
    def basis(self) -> str:
        """What its intervals rest on, in words."""
        runs = self.posterior.runs
        said = f"from {runs} {'run' if runs == 1 else 'runs'} of {self.of}"
        return said if self.posterior.before == 0 else f"{said} since it was changed"

    @property
    def _why_untold(self) -> str:
        if self.waiting:
            return f"{self.waiting} of its runs are still to be computed with the limits that are described now"
        if self.posterior.before:
            return "no run is logged since it was changed"
        return "no run of this machine is logged yet"

    def _with_grams(self, estimate: Estimate) -> Interval:
        whole = whole_interval(estimate, self._why_untold)
        if self.grams is None or self.grams.weighed == 0:
            return whole
        value, low, high = self.grams.expected(estimate.filament_g, estimate.filament_error / Z_90)
        return whole.model_copy(
            update={"expected_g": value, "low_g": low, "high_g": high, "weighed": self.grams.weighed}
        )

    def difference(self, before: Estimate, after: Estimate, error_s: float = 0.0) -> TimeDifference:
        """What ``after`` takes longer than ``before`` on this machine; ``error_s`` (90 %) is how far the computed difference
        may be off."""
        was, becomes = (by_factor(cause_seconds(estimate.by_cause)) for estimate in (before, after))
        return self.between(was, becomes, error_s)

    def between(self, was: Floats, becomes: Floats, error_s: float = 0.0) -> TimeDifference:
        """:meth:`difference` of seconds by factor, (factors,) each."""
        value, low, high = self.posterior.difference(was, becomes, error_s / Z_90)
        return TimeDifference(
            value_s=value, low_s=low, high_s=high, runs=self.posterior.runs, real=not low <= 0.0 <= high
        )

    def most_teaching(self, candidates: Floats, wanted: Floats) -> list[Teaching]:
        """What one more run of each candidate would teach, best first: by which share the intervals of the ``wanted`` prints
        would be narrower on average. Both are seconds by factor, (m, factors).

        A Gaussian posterior's covariance after one more run does not depend on what the run shows: ``C - C z z'C / (z'Cz +
        s^2)`` (Bishop, Pattern Recognition and Machine Learning, 2006, 3.3).
        """
        found = self.posterior

        def rows(seconds: Floats) -> Floats:
            total = np.maximum(seconds.sum(axis=1), 1e-9)
            return np.column_stack([seconds / total[:, None], 1.0 / total, np.ones(len(total))])

        z, w = rows(candidates), rows(wanted)
        noise = np.square(found.scatter)
        of_wanted = np.einsum("mc,gcd,md->gm", w, found.covariance, w, optimize=True)
        of_candidate = np.einsum("kc,gcd,kd->gk", z, found.covariance, z, optimize=True)
        across = np.einsum("mc,gcd,kd->gmk", w, found.covariance, z, optimize=True)
        after = of_wanted[:, :, None] - np.square(across) / (of_candidate + noise[:, None])[:, None, :]
        now = np.sqrt(of_wanted + noise[:, None])
        then = np.sqrt(np.maximum(after, 0.0) + noise[:, None, None])
        narrower = found.weight @ (1 - then / now[:, :, None]).mean(axis=1)
        order = np.argsort(-narrower, kind="stable")
        return [Teaching(place=int(k), narrower=float(narrower[k])) for k in order]


def _in_words(value: float, low: float, high: float, learnt: bool) -> str:
    span = f"{100 * (low - 1):+.0f} to {100 * (high - 1):+.0f} %".replace("-", "−")
    if not learnt:
        return f"not told apart by these runs yet ({span})"
    if low <= 1.0 <= high:
        return f"as computed ({span})"
    return f"{100 * abs(value - 1):.0f} % {'longer' if value > 1 else 'shorter'} than computed ({span})"
