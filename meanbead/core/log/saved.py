"""What better recipes of a part have saved since its first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from meanbead.core.model.base import Result

__all__ = ["Printed", "Saved", "saved"]


@dataclass(frozen=True)
class Printed:
    """A run of a part that was kept: what one plate with so many copies was predicted to take, and how many plates."""

    print_s: float
    filament_g: float
    copies: int
    plates: int


class Saved(Result):
    """Hours of printing and grams that were saved in all, against every piece having been printed like the first; negative
    where later recipes took more."""

    hours: float
    grams: float
    pieces: int


def saved(runs: Sequence[Printed]) -> Saved:
    """Runs in the order in which they were started; the first of them is what the others are held against.

    A piece of a run saves ``first / copies of the first - its own / its copies``; predictions are compared with
    predictions, so that what the engine is off by on this machine falls out.
    """
    if not runs:
        return Saved(hours=0.0, grams=0.0, pieces=0)
    first = runs[0]
    hours = grams = 0.0
    pieces = 0
    for run in runs[1:]:
        count = run.copies * run.plates
        hours += count * (first.print_s / first.copies - run.print_s / run.copies) / 3600
        grams += count * (first.filament_g / first.copies - run.filament_g / run.copies)
        pieces += count
    return Saved(hours=hours, grams=grams, pieces=pieces)
