"""When plastics lie in the dryer: before their first run, put in and taken out while someone is there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.day import Day, DayJob

__all__ = ["Dried", "dry", "next_open"]


@dataclass(frozen=True)
class Dried:
    """A plastic's time in the dryer, s from now; out of it at ``end_s``, which is attended."""

    material: str
    start_s: float
    end_s: float
    temp_c: float


def next_open(moment: float, windows: Sequence[tuple[float, float]]) -> float | None:
    """The first attended moment from one on; None where there is none."""
    return next((max(moment, low) for low, high in windows if moment <= high), None)


def dry(
    day: Day, jobs: Sequence[DayJob], due: NDArray[np.float64], windows: Sequence[tuple[float, float]]
) -> list[Dried]:
    """Drying of the plastics that jobs need, the one that is due first first; each once, as many at a time as the dryer takes.

    One after the other by due date is the rule that keeps the largest lateness least where each batch is one machine's
    work (Jackson 1955); with several places it is a usual good rule, no proof. A plastic that would come out after the
    last attended hour is left out.
    """
    first: dict[str, float] = {}
    for job, by in zip(jobs, due, strict=True):
        if job.material is not None:
            first[job.material] = min(first.get(job.material, np.inf), float(by))
    needs = sorted(
        (need for need in day.dry_first if need.material in first), key=lambda need: (first[need.material], need.hours)
    )
    places = [0.0] * day.dryer_spools
    found = []
    for need in needs:
        place = places.index(min(places))
        start = next_open(places[place], windows)
        end = None if start is None else next_open(start + need.hours * 3600, windows)
        if start is None or end is None:
            continue
        places[place] = end
        found.append(Dried(need.material, start, end, need.temp_c))
    return found
