"""How quick and how honest calibration is: ``.venv/bin/python -m benchmarks.calibration [WORKSHOPS]``.

Coverage of the 90 % interval over simulated workshops by kind; a fit of 500 runs against plain least squares; limits of
thirty runs against computing each of these runs once.
"""

from __future__ import annotations

import sys

import numpy as np

from benchmarks.run import report, seconds
from meanbead.core.estimate import Engine
from meanbead.core.estimate.job import PrintJob
from meanbead.core.learn.calibration import TimedRun, fit_times
from meanbead.core.learn.calibration.design import CANDIDATES, candidate_solid
from meanbead.core.learn.calibration.limits import LimitRun, infer_limits, limit_factors, weaker
from meanbead.core.model import Printer, Recipe
from tests.support.simulated_workshop import simulate


def coverage(workshops: int) -> None:
    """One line for each kind of workshop: share of the third to thirteenth next runs inside, of all and of those without a
    pause, and the median width."""
    for kind in ("close", "usual", "far"):
        for drift in (0.0, 0.003):
            for pauses in (0.0, 0.05):
                inside, clean, width = [], [], []
                for seed in range(workshops):
                    told = simulate(seed, kind, 14, pauses=pauses, drift=drift)
                    for count in range(3, 14):
                        middle, low, high = fit_times(told.runs(count))[0].expected(told.seconds[count])[0]
                        hit = bool(low <= told.real_s[count] <= high)
                        inside.append(hit)
                        if not told.paused[count]:
                            clean.append(hit)
                        width.append((high - low) / middle)
                print(
                    f"{kind:6} drift {drift:5.3f} pauses {pauses:4.2f}:  covered {100 * np.mean(inside):5.1f} %, "
                    f"without pauses {100 * np.mean(clean):5.1f} %, width {100 * np.median(width):4.1f} %  ({len(inside)} runs)"
                )


def pace() -> None:
    """A fit of 500 runs against least squares on the same figures."""
    told = simulate(1, "far", 500)
    runs = told.runs()
    plain = seconds(lambda: np.linalg.lstsq(told.seconds, told.real_s, rcond=None), 9)
    report("calibration of 500 runs", seconds(lambda: fit_times(runs), 5), "least squares, no interval", plain)


def limits() -> None:
    """Limits of thirty runs, all of different recipes, against planning and timing each of these once."""
    printer = Printer.model_validate({"acceleration_mm_s2": {"print": 1000, "travel": 1500}})
    solids = [candidate_solid(candidate) for candidate in CANDIDATES]
    jobs = [
        PrintJob(
            solids[k % len(solids)],
            Recipe.model_validate({"walls": 2 + k // 6, "layer_height_mm": 0.16 + 0.02 * (k // 6)}),
            printer,
        )
        for k in range(30)
    ]
    engine = Engine()
    hidden = weaker(printer, "print", 0.6)
    runs = [
        LimitRun(
            job, TimedRun(limit_factors(engine, job, printer), float(limit_factors(engine, job, hidden).sum()) + 30)
        )
        for job in jobs
    ]
    once = Engine()
    planned = seconds(lambda: [once.sampled(job, None) for job in jobs], 1)
    cold = Engine()
    report("limits of thirty runs", seconds(lambda: infer_limits(cold, runs), 1), "each computed once", planned)


if __name__ == "__main__":
    coverage(int(sys.argv[1]) if len(sys.argv) > 1 else 30)
    pace()
    limits()
