"""Run all tests: ``python -m tests [--counts FILE] [NAME ...]``. The last line counts them, from the real result.

Without names, the pages' tests, which mostly wait for a browser, run beside all the others in a process of their own.
One that fails is tried once more in a fresh browser; if it then passes, it is named as unsteady.
"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import ClassVar, NoReturn

from hypothesis import settings

from tests.support.server import stop_servers

UNSTEADY = "unsteady: "
ROOT = Path(__file__).resolve().parents[1]


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
    parser.add_argument("--once", action="store_true", help="try no page's test a second time")
    parser.add_argument("names", nargs="*", help="dotted names of tests; left out, all")
    arguments = parser.parse_args()
    if not arguments.names:
        return _side_by_side(arguments.counts)
    # Random cases are the same in every run, and slow machines are no failures.
    settings.register_profile("repeatable", deadline=None, derandomize=True, print_blob=False)
    settings.load_profile("repeatable")
    loader = unittest.TestLoader()
    suite = loader.loadTestsFromNames(arguments.names)
    result = unittest.TextTestRunner(verbosity=1, resultclass=Timed).run(suite)  # type: ignore[arg-type]
    slowest = sorted(Timed.seconds.items(), key=lambda item: -item[1])[:8]
    print("slowest:", ", ".join(f"{name.split('.', 2)[-1]} {seconds:.1f} s" for name, seconds in slowest))
    stop_servers()  # before the interpreter goes, or a late request would stumble over its end
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    for name in [] if arguments.once else _pages_that_failed(result):
        if subprocess.run([sys.executable, "-m", "tests", "--once", name], cwd=ROOT).returncode == 0:
            print(f"{UNSTEADY}{name}", flush=True)
            passed, failed = passed + 1, failed - 1
    if arguments.counts:
        arguments.counts.write_text(f"{max(passed, 0)} {failed}")
    print(f"{max(passed, 0)} passed, {failed} failed", flush=True)
    _leave(0 if failed == 0 and passed > 0 else 1)


def _pages_that_failed(result: unittest.TestResult) -> list[str]:
    """Pages' tests that failed; they are tried once more, in a fresh browser against a fresh server."""
    names = {getattr(test, "test_case", test).id() for test, _ in (*result.failures, *result.errors)}
    return sorted(name for name in names if name.startswith("tests.ui."))


def _leave(status: int) -> NoReturn:
    """End, even where a thread that a failed test left behind never does."""
    stuck = threading.Timer(60, lambda: os._exit(status or 1))
    stuck.daemon = True
    stuck.start()
    sys.exit(status)


def _side_by_side(counts: Path | None) -> int:
    """All tests in two processes; their output comes one after the other, and their counts together."""
    modules = sorted(
        ".".join(file.relative_to(ROOT).with_suffix("").parts) for file in (ROOT / "tests").rglob("test_*.py")
    )
    pages = [name for name in modules if name.startswith("tests.ui.")]
    others = [name for name in modules if name not in pages]
    with tempfile.TemporaryDirectory() as folder:
        runs = []
        for number, names in enumerate((others, pages)):
            output, count = Path(folder, f"{number}.log"), Path(folder, f"{number}.count")
            command = [sys.executable, "-m", "tests", "--counts", str(count), *names]
            with output.open("w") as log:
                runs.append((subprocess.Popen(command, cwd=ROOT, stdout=log, stderr=log), output, count))
        passed = failed = 0
        unsteady: list[str] = []
        for process, output, count in runs:
            status = process.wait()
            said = output.read_text()
            unsteady += [line for line in said.splitlines() if line.startswith(UNSTEADY)]
            print(said, flush=True)
            one, other = (int(number) for number in count.read_text().split()) if count.exists() else (0, 0)
            passed, failed = passed + one, failed + max(other, int(status != 0))
    for line in unsteady:
        print(line)
    if counts:
        counts.write_text(f"{passed} {failed}")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 0 if failed == 0 and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
