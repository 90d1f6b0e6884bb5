"""Choices that may differ by layer: walls, skins and density, with the height ranges applied."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from meanbead.core.model.plan import Shape
from meanbead.core.part.slices import Layers

__all__ = ["LayerChoices", "layer_choices"]

SOLID_DENSITY = 0.99
"""From this density on the inside is filled like a skin."""


@dataclass(frozen=True)
class LayerChoices:
    """Arrays of shape (layers,): counts of ``walls``, ``top`` and ``bottom`` layers, and the infill's ``density``."""

    walls: NDArray[np.int64]
    top: NDArray[np.int64]
    bottom: NDArray[np.int64]
    density: NDArray[np.float64]

    @property
    def solid(self) -> NDArray[np.bool_]:
        """Where the inside is filled like a skin, bool (layers,)."""
        solid: NDArray[np.bool_] = self.density >= SOLID_DENSITY
        return solid


def layer_choices(shape: Shape, layers: Layers) -> LayerChoices:
    """The recipe's choices layer by layer. A layer belongs to a range by its middle; of two ranges the later counts.

    Spiral mode leaves walls above the floor, one at least, and neither tops nor infill.
    """
    count = len(layers)
    walls = np.full(count, shape.walls)
    top = np.full(count, shape.top_layers)
    bottom = np.full(count, shape.bottom_layers)
    density = np.full(count, shape.infill_density)
    for height_range in shape.height_ranges:
        within = (layers.middle_mm >= height_range.from_mm) & (layers.middle_mm < height_range.to_mm)
        for values, asked in (
            (walls, height_range.walls),
            (top, height_range.top_layers),
            (bottom, height_range.bottom_layers),
            (density, height_range.infill_density),
        ):
            if asked is not None:
                values[within] = asked
    if shape.skins.extra_top:
        top[top > 0] += 1
    if shape.spiral:
        above = np.arange(count) >= shape.bottom_layers
        walls[above], top[:], density[:] = np.maximum(walls[above], 1), 0, 0.0
        bottom[above] = 0
    return LayerChoices(walls, top, bottom, density)
