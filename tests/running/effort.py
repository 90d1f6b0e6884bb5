"""How much a test looks at: a small, fixed share of its cases in every check, all of them in ``./check --long``."""

from __future__ import annotations

import os

from hypothesis import settings

LONG = "MEANBEAD_TESTS_LONG"
"""Set in the environment of whoever runs the long check."""


def is_long() -> bool:
    """Whether this is the long check."""
    return os.environ.get(LONG) == "1"


def cases(short: int, long: int) -> int:
    """How many cases a test tries."""
    return long if is_long() else short


def repeatable() -> None:
    """Random cases are the same in every run, and slow machines are no failures; the long check tries ten times as many."""
    settings.register_profile(
        "repeatable", deadline=None, derandomize=True, print_blob=False, max_examples=cases(60, 1000)
    )
    settings.load_profile("repeatable")
