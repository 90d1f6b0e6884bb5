"""Durations as people read them, in one way everywhere; ui/src/lib/format.ts writes them alike."""

from __future__ import annotations

__all__ = ["duration", "duration_difference"]


def duration(seconds: float) -> str:
    """``48 s``, ``4 min 48 s``, ``18 min``, ``1 h 05``: as exact as is of use."""
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    if whole < 600:
        return f"{whole // 60} min" if whole % 60 == 0 else f"{whole // 60} min {whole % 60} s"
    minutes = round(seconds / 60)
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d}"


def duration_difference(seconds: float) -> str:
    """A difference with its sign: ``−18 min``, ``+4 min 48 s``; ``same`` where it is none."""
    if abs(seconds) < 0.5:
        return "same"
    return ("−" if seconds < 0 else "+") + duration(abs(seconds))
