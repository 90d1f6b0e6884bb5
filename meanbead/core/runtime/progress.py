"""How work tells how far it is, and is ended."""

from __future__ import annotations

from collections.abc import Callable

__all__ = ["ProgressCallback", "no_progress"]

ProgressCallback = Callable[[float, str], None]
"""Told how far some work is, from 0 to 1, and what comes next; it may raise to end the work."""


def no_progress(fraction: float, message: str) -> None:
    """Tells nobody."""
