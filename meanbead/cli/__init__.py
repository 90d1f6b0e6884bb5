"""The core from a shell. Bad input ends with exit code 2 and one clear line on standard error."""

from __future__ import annotations

import sys

from meanbead.loading import load

__all__ = ["main"]

_COMMANDS = "meanbead.cli.commands"


def main(argv: list[str] | None = None) -> int:
    """Entry point of the ``meanbead`` command; returns the exit code."""
    if _COMMANDS not in sys.modules:
        load(_COMMANDS)
    from meanbead.cli.commands import run

    return run(argv)
