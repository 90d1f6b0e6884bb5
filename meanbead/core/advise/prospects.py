"""What recipes known from a sample of layers may still turn out to be, and which of them could beat a line."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.advise.context import AdviceContext
from meanbead.core.advise.measures import Measures, measures
from meanbead.core.advise.space import Point
from meanbead.core.estimate.engine import Sampled
from meanbead.core.estimate.job import Prepared
from meanbead.core.schedule.attendance import plates_per_day

__all__ = ["Prospect", "ProspectTable", "Shares", "promises", "wider"]

Floats = NDArray[np.float64]

TOLERANCE = 0.01
"""A recipe that could be better by at most this share is no reason to go on."""


_MARGIN = 1.5
"""The worst of a dozen is exceeded by about one in thirteen more: so much of it is reckoned with."""


@dataclass(frozen=True)
class Shares:
    """How far samples may be off, as shares of a piece's print time and of its filament."""

    time: float = 0.0
    grams: float = 0.0


class Prospect:
    """A recipe of a search, known from a sample of layers until it is computed in full.

    ``allowed`` and ``doubtful`` are for whoever knows the limits: within them, or broken only by what the sample may be
    off. ``was_off`` says how far the sample was off, once both are known.
    """

    def __init__(self, point: Point, prepared: Prepared, found: Sampled, context: AdviceContext) -> None:
        self.point, self.prepared = point, prepared
        self.allowed = self.doubtful = False
        self.full = found.sample is None
        self.was_off: Shares | None = None
        self.measures: Measures = measures(prepared, found.estimate, context)
        self._context = context
        self._own_share = Shares(found.estimate.sampling_error, found.estimate.filament_error)

    def settle(self, whole: Sampled | None) -> None:
        """Take in all layers; None where they could not be printed."""
        self.full, self.allowed, self.doubtful = True, False, False
        if whole is None:
            return
        before = self.measures
        self.measures = found = measures(self.prepared, whole.estimate, self._context)
        self.was_off = Shares(
            abs(found.piece_time_s / max(before.piece_time_s, 1e-9) - 1),
            abs(found.filament_g / max(before.filament_g, 1e-9) - 1),
        )

    def shares(self, seen: Shares) -> Shares:
        """How far its figures may be off: what its own sample says, and at least what others of the search ``seen`` in
        full were off by."""
        if self.full:
            return Shares()
        own = self._own_share
        return Shares(max(own.time, seen.time), max(own.grams, seen.grams))

    def bounds(
        self, against: Literal["filament_g", "expected_cost", "ridge_mm", "bend"], seen: Shares
    ) -> tuple[float, float]:
        """How far a piece's print time, s, and what it is held against, in its own unit, may be off."""
        share = self.shares(seen)
        time_s = share.time * self.measures.piece_time_s
        if against == "filament_g":
            return time_s, share.grams * self.measures.filament_g
        if against == "expected_cost":
            # Cost over the chance to succeed, which falls with the hours.
            risk = self._context.shop.fault_rate_per_h * self.measures.whole_time_s / 3600
            return time_s, (max(share.time, share.grams) + risk * share.time) * self.measures.expected_cost
        return time_s, 0.0  # known from the plan alone

    def at_best(self, seen: Shares) -> Measures:
        """The measures if the sample was off to the worse by as much as it may be."""
        found, share = self.measures, self.shares(seen)
        shop = self._context.shop
        saved_s = share.time * found.time_s
        whole_time_s = found.whole_time_s - saved_s
        return found.model_copy(
            update={
                "whole_time_s": whole_time_s,
                "filament_g": found.filament_g * (1 - share.grams),
                "cost": found.cost * (1 - max(share.time, share.grams)),
                "success": min(1.0, found.success * float(np.exp(shop.fault_rate_per_h * saved_s / 3600))),
                # A staircase: a minute less may win a whole plate.
                "plates_per_day": max(found.plates_per_day, plates_per_day(whole_time_s, shop.attended)),
                "lost_share": found.lost_share * (1 - share.grams),
            }
        )


def wider(seen: Shares, was_off: Shares | None) -> Shares:
    """What samples are reckoned to be off by at most, after one more was computed in full as well: the most that any was,
    and half as much again."""
    if was_off is None:
        return seen
    return Shares(max(seen.time, _MARGIN * was_off.time), max(seen.grams, _MARGIN * was_off.grams))


def promises(line: Floats, points: Floats, bounds: Floats) -> Floats:
    """How much each point (n, 2), both figures to be small, may be better than a line's (m, 2), as a share; 0 where it
    cannot be by more than :data:`TOLERANCE`, nor is by more than its bound (n, 2).

    A point is of no interest where one of the line's is at least as good as it could be in both figures.
    """
    if not len(points) or not len(line):
        return np.ones(len(points))
    best = points - bounds
    reach = np.minimum(points + bounds, best + TOLERANCE * np.abs(points))
    size = np.maximum(np.abs(points), 1e-12)
    short, far = _nearest(line, reach, size), _nearest(line, best, size)
    promise: Floats = np.where(short > 1e-9, np.maximum(far, 1e-9), 0.0)
    return promise


@numba.njit(cache=True, nogil=True)
def _nearest(line: Floats, points: Floats, size: Floats) -> Floats:
    """By how much the line's nearest point would have to move to be as good as each point: the worse figure counts."""
    found = np.empty(len(points))
    for k in range(len(points)):
        nearest = np.inf
        for m in range(len(line)):
            by = max((line[m, 0] - points[k, 0]) / size[k, 0], (line[m, 1] - points[k, 1]) / size[k, 1])
            nearest = min(nearest, by)
        found[k] = nearest
    return found


@dataclass(frozen=True)
class ProspectTable:
    """What is kept, in figures, a row each: ``points`` and ``bounds`` (n, 2), whether it is computed in full and may be on the
    line, and whether it is not and may be."""

    points: NDArray[np.float64]
    bounds: NDArray[np.float64]
    whole: NDArray[np.bool_]
    asked: NDArray[np.bool_]

    @classmethod
    def of(cls, count: int) -> ProspectTable:
        return cls(np.zeros((count, 2)), np.zeros((count, 2)), np.zeros(count, bool), np.zeros(count, bool))
