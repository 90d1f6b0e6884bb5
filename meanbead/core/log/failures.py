"""How often prints fail on a machine, from its own log, and how sure that is.

Failures are taken to come as a Poisson process, so many an hour printed. The house's figure is the prior: a Gamma
distribution with that mean, worth :data:`PRIOR_FAILURES` failure seen. After ``k`` failures in ``t`` hours the rate is
Gamma with shape ``a + k`` and rate ``a / house + t`` (Gelman and others, Bayesian Data Analysis, 3rd ed., 2.6).
"""

from __future__ import annotations

from scipy.special import gammaincinv

from meanbead.core.model.base import Result

__all__ = ["PRIOR_FAILURES", "FaultRate", "fault_rate"]

PRIOR_FAILURES = 1.0
"""Worth of the house's figure, in failures seen: small enough that a machine's own first dozen runs weigh more."""

_LEAST_RATE = 1e-6


class FaultRate(Result):
    """Failures an hour printed: the mean, and the interval that holds it with 90 %. ``says`` what it rests on."""

    per_hour: float
    low: float
    high: float
    failed: int
    runs: int
    hours: float
    says: str


def fault_rate(house_per_hour: float, failed: int, runs: int, hours: float, where: str) -> FaultRate:
    """The rate of a machine named ``where`` that failed so often in so many hours.

    Raises ValueError for counts or hours below zero.
    """
    if failed < 0 or runs < failed or hours < 0:
        raise ValueError("failures, runs and hours have to be counts, and no more failures than runs")
    house = max(house_per_hour, _LEAST_RATE)
    shape, rate = PRIOR_FAILURES + failed, PRIOR_FAILURES / house + hours
    low, high = (float(gammaincinv(shape, share)) / rate for share in (0.05, 0.95))
    mean = shape / rate
    if runs == 0:
        says = f"the house's figure: no run of {where} is logged yet"
    else:
        says = f"{failed} of {runs} runs failed in {hours:.0f} h on {where}, over the house's {house_per_hour:g}"
    return FaultRate(per_hour=mean, low=low, high=high, failed=failed, runs=runs, hours=hours, says=says)
