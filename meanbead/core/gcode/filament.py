"""What a file's moves do with the filament, and how often its walls go round: kept from move to move."""

from __future__ import annotations

from dataclasses import dataclass, field

import numba
import numpy as np
from numpy.typing import NDArray

__all__ = ["FilamentAccount", "Turns"]

Floats = NDArray[np.float64]


@dataclass
class FilamentAccount:
    """Filament through a file, mm: ``laid`` while the nozzle moves across, ``retracted`` pulled back, ``primed`` pushed
    forward to make up for that, ``purged`` pushed out in one place beyond it. What leaves the nozzle is laid or purged."""

    laid: float = 0.0
    retracted: float = 0.0
    primed: float = 0.0
    purged: float = 0.0
    owed: float = 0.0

    def take(self, delta: Floats, plastic: NDArray[np.bool_]) -> tuple[Floats, Floats]:
        """Account for moves, ``delta`` (n, 4) in mm; what each lays and what each purges, (n,) both."""
        laid, purged, retracted, primed, self.owed = _split(np.ascontiguousarray(delta[:, 3]), plastic, self.owed)
        self.laid += float(laid.sum())
        self.purged += float(purged.sum())
        self.retracted += retracted
        self.primed += primed
        return laid, purged


@numba.njit(cache=True, nogil=True)
def _split(e, plastic, owed):  # type: ignore[no-untyped-def]
    laid, purged = np.zeros(len(e)), np.zeros(len(e))
    retracted = primed = 0.0
    for k in range(len(e)):
        if e[k] < 0:
            retracted -= e[k]
            owed -= e[k]
        elif e[k] > 0:
            paid = min(owed, e[k])
            owed -= paid
            primed += paid
            if plastic[k]:
                laid[k] = e[k] - paid
            else:
                purged[k] = e[k] - paid
    return laid, purged, retracted, primed, owed


@dataclass
class Turns:
    """Layers of a file. A level one is a height at which plastic is laid; of walls that climb as they go each turn is one.

    A turn is counted by how much the way bends in all: once round any outline is 360 degrees.
    """

    heights: set[float] = field(default_factory=set)
    climbed: int = 0
    heading: float = np.nan
    bent: float = 0.0

    def take(self, delta: Floats, z_mm: Floats, plastic: NDArray[np.bool_]) -> None:
        """Count moves, ``delta`` (n, 4); ``z_mm`` (n,) is where each ends."""
        level = plastic & (np.abs(delta[:, 2]) < 1e-9)
        self.heights.update(np.unique(np.round(z_mm[level], 3)).tolist())
        climbs = plastic & (delta[:, 2] >= 1e-9)
        turns, self.heading, self.bent = _turns(delta, climbs, plastic, self.heading, self.bent)
        self.climbed += turns

    @property
    def layers(self) -> int:
        """Layers so far."""
        return len(self.heights) + self.climbed + _whole(self.bent)


@numba.njit(cache=True, nogil=True)
def _whole(bent: float) -> int:
    return int(abs(bent) / (2 * np.pi) + 0.5)


@numba.njit(cache=True, nogil=True)
def _turns(delta, climbs, plastic, heading, bent):  # type: ignore[no-untyped-def]
    turns = 0
    for k in range(len(delta)):
        if not climbs[k]:
            if plastic[k]:  # a level stroke ends the climb; a travel may only step over
                turns += _whole(bent)
                heading, bent = np.nan, 0.0
            continue
        way = np.arctan2(delta[k, 1], delta[k, 0])
        if not np.isnan(heading):
            turn = way - heading
            bent += turn - 2 * np.pi * np.round(turn / (2 * np.pi))
        heading = way
    return turns, heading, bent
