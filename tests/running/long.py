"""``./check --long``: everything, at full length and with coverage, for before a release and by night."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from tests.running.queue import Queue, Report
from tests.running.tasks import ROOT, STATIC, Task, test_modules

COVERED_AT_LEAST = 90
"""Per cent of the core's lines that tests have to go through."""

SPAN = "about three hours on two cores"

_PYTHON = sys.executable
ALONE = (
    Task("mutants", (_PYTHON, "-m", "benchmarks.mutants", "--least", "85"), guess_s=5400),
    Task("coverage of flow tests' intervals", (_PYTHON, "-m", "benchmarks.flow_coverage"), guess_s=600),
    Task("coverage of calibrations' intervals", (_PYTHON, "-m", "benchmarks.calibration"), guess_s=600),
)
"""Commands that are too long for any other check."""


def run() -> Report:
    """All of it."""
    print(f"The long check takes {SPAN}.", flush=True)
    for old in ROOT.glob(".coverage*"):
        old.unlink()
    queue = Queue([*STATIC, *ALONE, *test_modules()], wrapped=("-m", "coverage", "run"))
    report = queue.run()
    coverage = Path(_PYTHON).with_name("coverage")
    subprocess.run([coverage, "combine", "--quiet"], cwd=ROOT, check=False)
    words = ["report", f"--fail-under={COVERED_AT_LEAST}", "--format=total"]
    done = subprocess.run([coverage, *words], cwd=ROOT, capture_output=True, text=True, check=False)
    print(f"lines of the core that tests went through: {done.stdout.strip()} %")
    if done.returncode == 0:
        report.passed += 1
    else:
        report.failed += 1
        print(f"FAIL: coverage of the core: {done.stdout}{done.stderr}")
    return report
