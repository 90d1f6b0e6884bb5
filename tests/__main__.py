"""Run all tests: ``python -m tests [--counts FILE] [NAME ...]``. The last line counts them, from the real result."""

from __future__ import annotations

import argparse
import sys
import unittest
from pathlib import Path

from hypothesis import settings

from tests.support.server import stop_servers

ROOT = Path(__file__).resolve().parents[1]


def main() -> int:
    """Discover, run, count; 0 only when something ran and nothing failed."""
    parser = argparse.ArgumentParser(prog="python -m tests")
    parser.add_argument("--counts", type=Path, help="also write 'PASSED FAILED' into this file")
    parser.add_argument("names", nargs="*", help="dotted names of tests; left out, all")
    arguments = parser.parse_args()
    # Random cases are the same in every run, and slow machines are no failures.
    settings.register_profile("repeatable", deadline=None, derandomize=True, print_blob=False)
    settings.load_profile("repeatable")
    loader = unittest.TestLoader()
    if arguments.names:
        suite = loader.loadTestsFromNames(arguments.names)
    else:
        suite = loader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    stop_servers()  # before the interpreter goes, or a late request would stumble over its end
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    if arguments.counts:
        arguments.counts.write_text(f"{max(passed, 0)} {failed}")
    print(f"{max(passed, 0)} passed, {failed} failed", flush=True)
    return 0 if result.wasSuccessful() and passed > 0 else 1


if __name__ == "__main__":
    sys.exit(main())
