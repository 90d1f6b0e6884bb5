"""The core from a shell. Bad input ends with exit code 2 and one clear line on standard error."""

from __future__ import annotations

import gc
import sys
from importlib import import_module

__all__ = ["main"]

_COMMANDS = "meanbead.cli.commands"


def main(argv: list[str] | None = None) -> int:
    """Entry point of the ``meanbead`` command; returns the exit code."""
    if _COMMANDS not in sys.modules:
        # What is imported stays for good: to look through it for garbage again and again took a tenth of a short command.
        gc.disable()
        import_module(_COMMANDS)
        gc.freeze()
        gc.enable()
    from meanbead.cli.commands import run

    return run(argv)
