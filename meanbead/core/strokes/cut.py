"""First stage of planning: the sections of a solid, one a layer."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.errors import RecipeError
from meanbead.core.model.plan import Shape, SlopeHeights
from meanbead.core.part.heights import slope_layers
from meanbead.core.part.slices import Layers, layer_stack, slice_solid
from meanbead.core.part.solid import Solid
from meanbead.core.runtime.alike import alike, parts_of
from meanbead.core.runtime.parallel import Objects
from meanbead.core.strokes.stage import StageInputs

__all__ = ["MAX_LAYERS", "Cut", "CutInputs", "cut_solid"]

MAX_LAYERS = 20_000


@dataclass(frozen=True)
class CutInputs(StageInputs):
    """The solid, and the heights of its layers, mm."""

    solid: Solid
    layer_height_mm: float
    first_layer_height_mm: float
    slope_heights: SlopeHeights | None

    @classmethod
    def of(cls, solid: Solid, shape: Shape) -> CutInputs:
        """What cutting reads of a plan."""
        return cls(solid, shape.layer_height_mm, shape.first_layer_height_mm, shape.slope_heights)


@dataclass(frozen=True)
class Cut:
    """Sections of a solid, one a layer, and the layers that could not be cut and stand in from a neighbour."""

    layers: Layers
    sections: Objects
    substituted: tuple[int, ...]

    @cached_property
    def islands(self) -> tuple[Objects, NDArray[np.int64]]:
        """The separate outlines of all layers, (n,), and the layer of each; equal ones are one object, and always the same."""
        return parts_of(self.sections)

    @cached_property
    def outsides(self) -> Objects:
        """The islands without their hollows, in their order; always the same objects."""
        region, _ = self.islands
        first, which = alike(region)
        whole: Objects = shapely.polygons(shapely.get_exterior_ring(region[first]))[which]
        return whole

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        different, _ = alike(self.sections)
        return 64 * int(shapely.get_num_coordinates(self.sections[different]).sum())


def cut_solid(inputs: CutInputs) -> Cut:
    """Layers and sections of a solid. Raises :class:`RecipeError` where the layers would be absurdly many."""
    solid, heights = inputs.solid, inputs.slope_heights
    part_height = float(solid.vertices[:, 2].max())
    if inputs.first_layer_height_mm / 2 >= part_height:
        raise RecipeError(
            f"No layer meets the part: it is {part_height:.3g} mm high, and the middle of a first layer of "
            f"{inputs.first_layer_height_mm:g} mm lies above that.",
            field="first_layer_height_mm",
            remedy="Use a lower first layer.",
        )
    lowest = heights.min_mm if heights else inputs.layer_height_mm
    if part_height / lowest > MAX_LAYERS:
        raise RecipeError(
            f"The part would have more than {MAX_LAYERS:,} layers.",
            field="layer_height_mm",
            remedy="Use a higher layer.",
            code="over_limit",
        )
    if heights:
        layers = slope_layers(solid, inputs.first_layer_height_mm, heights)
    else:
        layers = layer_stack(part_height, inputs.layer_height_mm, inputs.first_layer_height_mm)
    sections, substituted = slice_solid(solid, layers)
    return Cut(layers, sections, substituted)
