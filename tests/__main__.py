"""Run all tests: ``python -m tests [--counts FILE] [NAME ...]``. The last line counts them, from the real result.

Without names, all run in a few processes side by side: those of the pages, which mostly wait for a browser, in two of their
own; what of the core the others went through is measured. A test of pages or of processes that fails is tried once more on
its own, against a fresh server; if it then passes, it is named as unsteady.
"""

from __future__ import annotations

import argparse
import itertools
import json
import os
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar, NoReturn

from hypothesis import settings

from tests.support.server import stop_servers

UNSTEADY = "unsteady: "
ROOT = Path(__file__).resolve().parents[1]
AT_ONCE = 3
"""Processes side by side on two cores: those of the pages leave some of theirs to others. With more of them, each stands
still for seconds now and then, and no test is sure to see what passes quickly."""


class Timed(unittest.TextTestResult):
    """Remembers how long each test took."""

    seconds: ClassVar[dict[str, float]] = {}
    _begun = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        """A test begins."""
        self._begun = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        """A test has ended."""
        Timed.seconds[test.id()] = time.monotonic() - self._begun
        super().stopTest(test)


def main() -> int:
    """Discover, run, count; 0 only when something ran and nothing failed."""
    parser = argparse.ArgumentParser(prog="python -m tests")
    parser.add_argument("--counts", type=Path, help="also write 'PASSED FAILED' into this file")
    parser.add_argument("--seconds", type=Path, help="also write how long each test took into this file, as JSON")
    parser.add_argument("--once", action="store_true", help="try no test a second time")
    parser.add_argument("names", nargs="*", help="dotted names of tests; left out, all")
    arguments = parser.parse_args()
    if not arguments.names:
        return _side_by_side(arguments.counts, arguments.seconds)
    # Random cases are the same in every run, and slow machines are no failures.
    settings.register_profile("repeatable", deadline=None, derandomize=True, print_blob=False)
    settings.load_profile("repeatable")
    loader = unittest.TestLoader()
    suite = loader.loadTestsFromNames(arguments.names)
    result = unittest.TextTestRunner(verbosity=1, resultclass=Timed).run(suite)  # type: ignore[arg-type]
    if arguments.seconds:
        arguments.seconds.write_text(json.dumps(Timed.seconds))
    else:
        _print_slowest(Timed.seconds)
    stop_servers()  # before the interpreter goes, or a late request would stumble over its end
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    for name in [] if arguments.once else _worth_a_second_try(result):
        if subprocess.run([sys.executable, "-m", "tests", "--once", name], cwd=ROOT).returncode == 0:
            print(f"{UNSTEADY}{name}", flush=True)
            passed, failed = passed + 1, failed - 1
    if arguments.counts:
        arguments.counts.write_text(f"{max(passed, 0)} {failed}")
    print(f"{max(passed, 0)} passed, {failed} failed", flush=True)
    _leave(0 if failed == 0 and passed > 0 else 1)


def _worth_a_second_try(result: unittest.TestResult) -> list[str]:
    """Tests that failed where several processes meet, so that a stalled machine may be to blame; never one of the core."""
    names = {getattr(test, "test_case", test).id() for test, _ in (*result.failures, *result.errors)}
    return sorted(name for name in names if name.startswith("tests.") and not name.startswith("tests.core."))


def _leave(status: int) -> NoReturn:
    """End, even where a thread that a failed test left behind never does."""
    stuck = threading.Timer(60, lambda: os._exit(status or 1))
    stuck.daemon = True
    stuck.start()
    sys.exit(status)


def _print_slowest(seconds: dict[str, float]) -> None:
    print("the ten slowest:")
    for name, took in sorted(seconds.items(), key=lambda item: -item[1])[:10]:
        print(f"  {took:6.1f} s  {name.removeprefix('tests.')}")


@dataclass(frozen=True)
class Group:
    """Modules that one process runs; ``measured``: whether what of the core they go through is noted, which costs half
    as much time again; ``threads`` for the engine, None for its own choice."""

    modules: list[str]
    measured: bool = False
    threads: int | None = 1


RANDOM = (
    "test_any_recipe",
    "test_any_sheet",
    "test_confirm",
    "test_flow_fit",
    "test_fuzz",
    "test_invariance",
    "test_motion",
    "test_sample",
    "test_search",
)
"""Tests of the core that try many cases, or beside a slow reference: what they go through others do, too."""


def _groups() -> list[Group]:
    """What each process runs, in the order in which they begin."""
    files = sorted((ROOT / "tests").rglob("test_*.py"))
    names = {file: ".".join(file.relative_to(ROOT).with_suffix("").parts) for file in files}
    pages: list[list[str]] = [[], []]
    counts = [0, 0]
    tests = {file: file.read_text().count("    def test_") for file in files if file.parent.name == "ui"}
    for file in sorted(tests, key=lambda file: -tests[file]):
        least = counts.index(min(counts))
        pages[least].append(names[file])
        counts[least] += tests[file]
    of_core = [file for file in files if file.is_relative_to(ROOT / "tests" / "core")]
    threaded = [names[file] for file in of_core if file.stem == "test_parallel"]
    many = [names[file] for file in of_core if file.stem in RANDOM]
    core = [names[file] for file in of_core if names[file] not in (*threaded, *many)]
    rest = [file for file in files if file not in tests and file not in of_core]
    of_api = [names[file] for file in rest if file.parent.name == "api"]
    others = [names[file] for file in rest if file.parent.name != "api"]
    measured = Group(core, measured=True)
    # The others wait for processes to start and end most of their time, and so go beside what computes.
    return [*map(Group, pages), Group(others), measured, Group(of_api), Group(many), Group(threaded, threads=None)]


def _side_by_side(counts: Path | None, seconds_file: Path | None) -> int:
    """All tests, a few processes at a time; their output comes one after the other, and their counts together."""
    passed = failed = 0
    unsteady: list[str] = []
    seconds: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as folder, ThreadPoolExecutor(AT_ONCE) as pool:

        def run(number: int, group: Group) -> tuple[int, Path, Path, Path]:
            output, count, took = (Path(folder, f"{number}.{kind}") for kind in ("log", "count", "json"))
            measured = ["-m", "coverage", "run"] if group.measured else []
            told = ["--counts", str(count), "--seconds", str(took)]
            command = [sys.executable, *measured, "-m", "tests", *told, *group.modules]
            threads = {} if group.threads is None else {"MEANBEAD_THREADS": str(group.threads)}
            with output.open("w") as log:
                done = subprocess.run(command, cwd=ROOT, stdout=log, stderr=log, env=os.environ | threads)
                return done.returncode, output, count, took

        for status, output, count, took in pool.map(run, itertools.count(), _groups()):
            said = output.read_text()
            unsteady += [line for line in said.splitlines() if line.startswith(UNSTEADY)]
            print(said, flush=True)
            one, other = (int(number) for number in count.read_text().split()) if count.exists() else (0, 0)
            passed, failed = passed + one, failed + max(other, int(status != 0))
            seconds |= json.loads(took.read_text()) if took.exists() else {}
    _print_slowest(seconds)
    if seconds_file:
        seconds_file.write_text(json.dumps(seconds))
    for line in unsteady:
        print(line)
    if counts:
        counts.write_text(f"{passed} {failed}")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 0 if failed == 0 and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
