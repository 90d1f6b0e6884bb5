"""A process that runs test modules, one after another, as it is told: names come in, one line of JSON for each goes out.

What a run needs once (the browser, the sample workshop's server, compiled code) stays from one module to the next.
"""

from __future__ import annotations

import faulthandler
import io
import json
import os
import sys
import threading
import time
import unittest
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field
from typing import Any, NoReturn, cast

from tests.running.effort import is_long, repeatable

LIMIT_S = 1500.0
"""No module takes so long: one that does hangs, and every thread's stack is printed before its process ends."""


@dataclass
class Outcome:
    """What came of a module: counts, how long each test took, and what was said where something failed."""

    name: str
    passed: int = 0
    failed: int = 0
    said: str = ""
    seconds: dict[str, float] = field(default_factory=dict)


class Timed(unittest.TextTestResult):
    """Remembers how long each test took."""

    def __init__(self, *given: Any, **more: Any) -> None:
        super().__init__(*given, **more)
        self.seconds: dict[str, float] = {}
        self._begun = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        """A test begins."""
        self._begun = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        """A test has ended."""
        self.seconds[test.id()] = time.monotonic() - self._begun
        super().stopTest(test)


def run(name: str) -> Outcome:
    """Run a module, a class or one test, by its dotted name."""
    said = io.StringIO()
    suite = unittest.TestSuite(_chosen(unittest.TestLoader().loadTestsFromName(name)))
    result = cast(Timed, unittest.TextTestRunner(said, verbosity=1, resultclass=Timed).run(suite))
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = max(result.testsRun - failed - len(result.skipped), 0)
    return Outcome(name, passed, failed, said.getvalue() if failed else "", dict(result.seconds))


def _chosen(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """The tests of a suite that this check runs."""
    for one in suite:
        if isinstance(one, unittest.TestSuite):
            yield from _chosen(one)
        elif is_long() or not hasattr(getattr(one, one._testMethodName, None), "only_long"):
            yield one


def leave(status: int) -> NoReturn:
    """End, even where a thread that a failed test left behind never does."""
    stuck = threading.Timer(30, lambda: os._exit(status))
    stuck.daemon = True
    stuck.start()
    sys.exit(status)


def main() -> None:
    """Work until no more names come."""
    from tests.support.server import stop_servers

    answers = os.fdopen(int(sys.argv[1]), "w", buffering=1)
    repeatable()
    for line in sys.stdin:
        faulthandler.dump_traceback_later(LIMIT_S, exit=True)
        outcome = run(line.strip())
        faulthandler.cancel_dump_traceback_later()
        answers.write(json.dumps(asdict(outcome)) + "\n")
    stop_servers()  # before the interpreter goes, or a late request would stumble over its end
    leave(0)


if __name__ == "__main__":
    main()
