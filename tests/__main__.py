"""Run all tests: ``python -m tests [--counts FILE] [NAME ...]``. The last line counts them, from the real result.

Without names, the pages' tests, which mostly wait for a browser, run beside all the others in a process of their own.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from typing import ClassVar

from hypothesis import settings

from tests.support.server import stop_servers

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
    parser.add_argument("names", nargs="*", help="dotted names of tests; left out, all")
    arguments = parser.parse_args()
    if not arguments.names:
        return _side_by_side(arguments.counts)
    # Random cases are the same in every run, and slow machines are no failures.
    settings.register_profile("repeatable", deadline=None, derandomize=True, print_blob=False)
    settings.load_profile("repeatable")
    loader = unittest.TestLoader()
    suite = loader.loadTestsFromNames(arguments.names)
    result = unittest.TextTestRunner(verbosity=1, resultclass=Timed).run(suite)
    slowest = sorted(Timed.seconds.items(), key=lambda item: -item[1])[:8]
    print("slowest:", ", ".join(f"{name.split('.', 2)[-1]} {seconds:.1f} s" for name, seconds in slowest))
    stop_servers()  # before the interpreter goes, or a late request would stumble over its end
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    if arguments.counts:
        arguments.counts.write_text(f"{max(passed, 0)} {failed}")
    print(f"{max(passed, 0)} passed, {failed} failed", flush=True)
    return 0 if result.wasSuccessful() and passed > 0 else 1


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
        for process, output, count in runs:
            status = process.wait()
            print(output.read_text(), flush=True)
            one, other = (int(number) for number in count.read_text().split()) if count.exists() else (0, 0)
            passed, failed = passed + one, failed + max(other, int(status != 0))
    if counts:
        counts.write_text(f"{passed} {failed}")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 0 if failed == 0 and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
