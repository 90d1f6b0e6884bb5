"""The table of strokes: one row a straight move of the nozzle, in the order in which it is made."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numba
import numpy as np
from numpy.typing import NDArray

from meanbead.core.part.slices import Layers
from meanbead.core.strokes.features import Feature

__all__ = ["Hanging", "Ignored", "LayerAreas", "Strokes"]


@dataclass(frozen=True)
class LayerAreas:
    """Areas by layer, mm2, arrays of shape (layers,): what the recipe asks to be filled (sparse filling by its
    density), what strokes fill, what is lost, what is laid twice or beyond; what stays ``void`` because no bead fits, and
    is not asked for; of what is asked, and where infill reaches into the walls, the ``sparse`` infill."""

    asked_mm2: NDArray[np.float64]
    laid_mm2: NDArray[np.float64]
    lost_mm2: NDArray[np.float64]
    overfilled_mm2: NDArray[np.float64]
    void_mm2: NDArray[np.float64]
    sparse_mm2: NDArray[np.float64]

    def times(self, count: int) -> LayerAreas:
        """Those of several copies that share their layers."""
        return LayerAreas(*(values * count for values in self._all()))

    def repeated(self, count: int) -> LayerAreas:
        """Those of several copies one after the other."""
        return LayerAreas(*(np.tile(values, count) for values in self._all()))

    def raised(self, layers: int) -> LayerAreas:
        """The same above so many layers that hold nothing of the part."""
        return LayerAreas(*(np.concatenate([np.zeros(layers), values]) for values in self._all()))

    def _all(self) -> tuple[NDArray[np.float64], ...]:
        return (
            self.asked_mm2,
            self.laid_mm2,
            self.lost_mm2,
            self.overfilled_mm2,
            self.void_mm2,
            self.sparse_mm2,
        )


@dataclass(frozen=True)
class Hanging:
    """Floors that nothing holds: their area, the widest circle in them, and the layer where that is."""

    area_mm2: float = 0.0
    width_mm: float = 0.0
    layer: int = 0


@dataclass(frozen=True)
class Ignored:
    """The inside of a hollow part, which a spiral does not follow: its area, and from where to where it reaches, mm."""

    area_mm2: float
    from_mm: float
    to_mm: float


@dataclass(frozen=True)
class Strokes:
    """Strokes in flat arrays, all of length n; lengths in mm.

    ``start_xy``, ``end_xy`` float64 (n, 2); ``width_mm``, ``height_mm`` float64 (n,), 0 for travel; ``feature`` uint8
    (:class:`Feature`); ``layer`` int32; ``inside`` bool, True for a hop between neighbouring strokes of one filling,
    which needs no retraction, or travel that stays inside the part. ``substituted`` are layers whose section stands in
    from a neighbour; above layer ``spiral_from`` a spiral climbs, if the recipe asks for one; ``hanging`` are floors of one
    copy that nothing holds; ``left_out_mm2`` of its overhangs asked for support and got none; ``ignored`` is what
    a spiral of one copy does not follow. Each row starts where the one before it ends, in x and y.
    """

    start_xy: NDArray[np.float64]
    end_xy: NDArray[np.float64]
    width_mm: NDArray[np.float64]
    height_mm: NDArray[np.float64]
    feature: NDArray[np.uint8]
    layer: NDArray[np.int32]
    inside: NDArray[np.bool_]
    layers: Layers
    areas: LayerAreas
    substituted: tuple[int, ...] = ()
    spiral_from: int = 0
    hanging: Hanging = Hanging()
    left_out_mm2: float = 0.0
    ignored: Ignored | None = None

    def __len__(self) -> int:
        return len(self.feature)

    @cached_property
    def length_mm(self) -> NDArray[np.float64]:
        """Length of each stroke, mm, shape (n,)."""
        delta = self.end_xy - self.start_xy
        length: NDArray[np.float64] = np.hypot(delta[:, 0], delta[:, 1])
        return length

    @cached_property
    def area_mm2(self) -> NDArray[np.float64]:
        """Bead section of each stroke, mm2, shape (n,): ``h (w - h) + pi h^2 / 4``; 0 for travel."""
        h = self.height_mm
        area: NDArray[np.float64] = h * (self.width_mm - h) + np.pi * h**2 / 4
        return area

    @cached_property
    def is_travel(self) -> NDArray[np.bool_]:
        """True for moves without plastic, shape (n,)."""
        travel: NDArray[np.bool_] = self.feature == Feature.TRAVEL
        return travel

    @cached_property
    def extent_mm(self) -> tuple[float, float]:
        """Size of the ground that plastic covers, x and y, mm: to the beads' outer edges."""
        x, y = _extent(self.start_xy, self.end_xy, self.width_mm, self.is_travel)
        return float(x), float(y)

    def of_layers(self, chosen: NDArray[np.bool_]) -> Strokes:
        """The strokes of some layers only; ``chosen`` bool (layers,). Layers keep their numbers."""
        rows = np.flatnonzero(chosen[self.layer])
        arrays = ("start_xy", "end_xy", "width_mm", "height_mm", "feature", "layer", "inside")
        return replace(self, **{name: getattr(self, name)[rows] for name in arrays})

    @property
    def nbytes(self) -> int:
        """Memory that the arrays take, derived ones included, bytes."""
        return len(self) * (2 * 16 + 2 * 8 + 1 + 4 + 1 + 2 * 8 + 1)


@numba.njit(cache=True, nogil=True)
def _extent(start, end, width, travels):  # type: ignore[no-untyped-def]
    """Size of the ground that beads cover, x and y."""
    low, high = np.full(2, np.inf), np.full(2, -np.inf)
    for k in range(len(width)):
        if travels[k]:
            continue
        for axis in range(2):
            low[axis] = min(low[axis], min(start[k, axis], end[k, axis]) - width[k] / 2)
            high[axis] = max(high[axis], max(start[k, axis], end[k, axis]) + width[k] / 2)
    return high[0] - low[0], high[1] - low[1]
