"""Run checks and tests: ``python -m tests [--check | --quick | --long] [--times N] [NAME ...]``. The last line counts them, from
the real result.

Names are dotted ones of modules, classes or single tests, and run in this process; without names all test modules run in
several. ``--check`` adds the static checks, ``--quick`` runs those and what the changes since the last commit reach, ``--long``
everything there is, at full length and with coverage.
"""

from __future__ import annotations

import argparse
import os
import sys
import time

from tests.running import changed, long
from tests.running.effort import LONG, repeatable
from tests.running.queue import Queue, Report, busy_s, keep_times
from tests.running.tasks import STATIC, Task, test_modules


def main() -> int:
    """Run what is asked for; 0 only when something ran and nothing failed."""
    parser = argparse.ArgumentParser(prog="python -m tests", description=__doc__)
    kinds = parser.add_mutually_exclusive_group()
    kinds.add_argument("--check", action="store_true", help="all static checks and all tests")
    kinds.add_argument(
        "--quick", action="store_true", help="static checks, and tests that the changes reach: some minutes"
    )
    kinds.add_argument("--long", action="store_true", help="everything, at full length, with coverage: hours")
    parser.add_argument("names", nargs="*", help="dotted names of tests; left out, all")
    asked = parser.parse_args()
    if asked.names:
        return _here(asked.names)
    begun = time.monotonic()
    if asked.long:
        os.environ[LONG] = "1"
        report = long.run()
    else:
        tasks = changed.quick_tasks() if asked.quick else [*(STATIC if asked.check else ()), *test_modules()]
        report = _queued(tasks)
    return _told(report, time.monotonic() - begun)


def _queued(tasks: list[Task]) -> Report:
    report = Queue(tasks).run()
    keep_times(report)
    return report


def _told(report: Report, took_s: float) -> int:
    """Say what was slow, and the counts."""
    print("the twenty slowest tests:")
    for name, seconds in sorted(report.tests_s.items(), key=lambda item: -item[1])[:20]:
        print(f"  {seconds:6.1f} s  {name.removeprefix('tests.')}")
    print(f"{len(report.tasks_s)} tasks in {took_s / 60:.1f} minutes, {report.cores_s:.0f} s of a core")
    print(f"{report.passed} passed, {report.failed} failed", flush=True)
    return 0 if report.failed == 0 and report.passed > 0 else 1


def _here(names: list[str]) -> int:
    """Run a few tests in this process."""
    from tests.running.worker import leave, run
    from tests.support.server import stop_servers

    repeatable()
    report = Report()
    for name in names:
        outcome = run(name)
        print(outcome.said, end="")
        report.take(Task(name), outcome, sum(outcome.seconds.values()))
    report.cores_s = busy_s(os.getpid())
    status = _told(report, sum(report.tasks_s.values()))
    stop_servers()
    leave(status)


if __name__ == "__main__":
    sys.exit(main())
