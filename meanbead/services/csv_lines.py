"""Lines of a CSV file that goes to a table program."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from meanbead.core.recipe.settings_sheet import harmless

__all__ = ["csv_line", "minutes"]


def csv_line(cells: Sequence[object]) -> str:
    """A line with its end; None is an empty cell, and what a table program would take for a formula is made harmless."""
    out = io.StringIO()
    csv.writer(out).writerow(["" if cell is None else harmless(str(cell)) for cell in cells])
    return out.getvalue()


def minutes(seconds: float | None) -> float | None:
    """Seconds as minutes, to a hundredth."""
    return None if seconds is None else round(seconds / 60, 2)
