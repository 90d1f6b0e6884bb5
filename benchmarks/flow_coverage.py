"""How often the flow test's intervals cover, over thousands of simulated tests: ``.venv/bin/python -m benchmarks.flow_coverage [TESTS]``.

Also how long a fit of 100 strands takes against a plain least-squares broken stick, and how many strands the proposals save.
"""

from __future__ import annotations

import itertools
import math
import sys
import time

import numpy as np
from scipy.optimize import curve_fit

from benchmarks.run import report, seconds
from meanbead.core.learn.flow.fit import fit_flow_test
from tests.support.flow_tests import Truth, ladder


def coverage(tests: int) -> None:
    """One line for each way in which a test can be off; the sum last."""
    total = [0, 0, 0]
    ways = itertools.product((0.1, 0.01, 0.001), (0.5, 2.0), (0.0, 0.05), (8, 12))
    for number, (scale, cut, gross, count) in enumerate(ways):
        rng = np.random.default_rng(number)
        seen, inside, off = 0, 0, []
        for _ in range(tests):
            truth = Truth(
                knee=math.exp(rng.uniform(math.log(5), math.log(32))),
                drive=rng.normal(1, 0.04),
                fall=rng.uniform(0.25, 1.2),
            )
            guess = truth.knee * math.exp(0.25 * rng.normal())
            test = ladder(rng, truth, 0.5 * guess, 1.75 * guess, count, scale, cut_mm=cut, gross=gross)
            knee = fit_flow_test(test).by_temp[0].knee_mm3_s
            if knee is not None:
                seen += 1
                inside += knee.low <= truth.knee <= knee.high
                off.append((knee.value - truth.knee) / (knee.high - knee.low))
        print(
            f"scale {scale:5g} g  cut {cut:3g} mm  gross {100 * gross:2.0f} %  strands {count:2}:  knee told {100 * seen / tests:3.0f} %, "
            f"covered {100 * inside / seen:5.1f} %, bias {np.median(off):+.3f} of the interval"
        )
        total = [total[0] + tests, total[1] + seen, total[2] + inside]
    print(f"{total[0]:,} tests: knee told in {total[1]:,}, covered {100 * total[2] / total[1]:.1f} %")


def pace() -> None:
    """A fit of 100 strands against least squares on the same points."""
    test = ladder(np.random.default_rng(1), Truth(), 6, 24, 100)
    flow = np.array([point.flow_mm3_s for point in test.points])
    ratio = np.array([point.mass_g or 0 for point in test.points])

    def stick(q: np.ndarray, top: float, knee: float, fall: float) -> np.ndarray:
        return np.asarray(top * (1 - fall * np.maximum(0, q / knee - 1)))

    fit_flow_test(test)
    plain = seconds(lambda: curve_fit(stick, flow, ratio, p0=(1, 14, 0.5)), 9)
    report("fit of 100 strands", seconds(lambda: fit_flow_test(test), 9), "least squares, no interval", plain)


if __name__ == "__main__":
    pace()
    start = time.perf_counter()
    coverage(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
    print(f"{time.perf_counter() - start:.0f} s")
