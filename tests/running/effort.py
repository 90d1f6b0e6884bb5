"""How much a test looks at: a small, fixed share of its cases in every check, all of them in ``./check --long``."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any, TypeVar

from hypothesis import settings

Test = TypeVar("Test", bound=Callable[..., Any])

LONG = "MEANBEAD_TESTS_LONG"
"""Set in the environment of whoever runs the long check."""


def is_long() -> bool:
    """Whether this is the long check."""
    return os.environ.get(LONG) == "1"


def cases(short: int, long: int) -> int:
    """How many cases a test tries."""
    return long if is_long() else short


def only_long(test: Test) -> Test:
    """A test that only the long check runs: what it holds in small, another test holds in every check."""
    test.only_long = True  # type: ignore[attr-defined]
    return test


def repeatable() -> None:
    """Random cases are the same in every run, and slow machines are no failures; the long check tries ten times as many."""
    settings.register_profile(
        "repeatable", deadline=None, derandomize=True, print_blob=False, max_examples=cases(60, 1000)
    )
    settings.load_profile("repeatable")
