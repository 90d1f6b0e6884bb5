"""First stage of planning: slices and walls, which depend only on the solid, the layers and the walls' choices."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from meanbead.core.bead import SIDE_LOSS
from meanbead.core.errors import RecipeError
from meanbead.core.parallel import Objects
from meanbead.core.part.heights import slope_layers
from meanbead.core.part.slices import Layers, layer_stack, slice_solid
from meanbead.core.part.sound import Solid
from meanbead.core.plan import Shape
from meanbead.core.strokes.choices import LayerChoices, layer_choices
from meanbead.core.strokes.features import Feature
from meanbead.core.strokes.pieces import Curves, Islands, Pieces, curve_pieces, join_pieces, loop_pieces, no_pieces
from meanbead.core.strokes.thin import strips_of, thin_strokes
from meanbead.core.strokes.walls import grown, inset, loops_of, spacings

Floats = NDArray[np.float64]

MAX_LAYERS = 20_000
_SPECK_SPACINGS2 = 0.4
"""Strips smaller than this many squared spacings in all are corners, not thin walls."""

PHASES = {
    "inside_out": {Feature.INNER_WALL: 1, Feature.OUTER_WALL: 2, Feature.THIN_WALL: 3},
    "outside_in": {Feature.OUTER_WALL: 1, Feature.THIN_WALL: 2, Feature.INNER_WALL: 3},
}


@dataclass(frozen=True)
class Cut:
    """Sections of a solid, one a layer, and the layers that could not be cut and stand in from a neighbour."""

    layers: Layers
    sections: Objects
    substituted: tuple[int, ...]

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates."""
        return 32 * int(shapely.get_num_coordinates(self.sections).sum())


@dataclass(frozen=True)
class Outline:
    """``sections`` per layer; per island ``inside``, what the walls leave to be filled, ``asked_mm2``, the area that
    walls have to fill, and of it ``lost_mm2``; ``overfilled_mm2`` is laid beyond it. ``substituted`` are layers whose section could not be taken and
    stands in from a neighbour."""

    layers: Layers
    sections: Objects
    islands: Islands
    walls: Pieces
    inside: Objects
    asked_mm2: Floats
    lost_mm2: Floats
    overfilled_mm2: Floats
    substituted: tuple[int, ...]

    @property
    def nbytes(self) -> int:
        """Memory held, bytes, estimated from the coordinates (16 bytes each, and as much again for the library)."""
        corners = sum(
            int(shapely.get_num_coordinates(r).sum()) for r in (self.sections, self.islands.region, self.inside)
        )
        return corners * 32 + self.walls.points.nbytes * 2


def make_outline(cut: Cut, shape: Shape, chosen: NDArray[np.bool_] | None = None) -> Outline:
    """Lay the walls of sections, of all layers or of chosen ones, bool (layers,)."""
    layers, sections = cut.layers, cut.sections
    choices = layer_choices(shape, layers)
    region, layer = shapely.get_parts(sections, return_index=True)
    if chosen is not None:
        region, layer = region[chosen[layer]], layer[chosen[layer]]
    islands = Islands(np.asarray(region, dtype=object), layer.astype(np.int64), layers.height_mm[layer])
    if not len(islands):
        raise RecipeError(
            "No layer meets the part: the first layer is higher than the part.",
            field="first_layer_height_mm",
            remedy="Use a lower first layer.",
        )
    if shape.spiral:
        _refuse_several_rings(islands, shape, np.ones(len(layers), bool) if chosen is None else chosen)
    walls, inside, asked, balance = _walls(islands, choices, shape)
    return Outline(
        layers,
        sections,
        islands,
        walls,
        inside,
        asked,
        np.maximum(-balance, 0.0).sum(axis=0),
        np.maximum(balance, 0.0).sum(axis=0),
        cut.substituted,
    )


def cut_solid(solid: Solid, shape: Shape) -> Cut:
    """Layers and sections of a solid. Raises :class:`RecipeError` where the layers would be absurdly many."""
    part_height = float(solid.vertices[:, 2].max())
    lowest = shape.slope_heights.min_mm if shape.slope_heights else shape.layer_height_mm
    if part_height / lowest > MAX_LAYERS:
        raise RecipeError(
            f"The part would have more than {MAX_LAYERS:,} layers.",
            field="layer_height_mm",
            remedy="Use a higher layer.",
        )
    if shape.slope_heights:
        layers = slope_layers(solid, shape.first_layer_height_mm, shape.slope_heights)
    else:
        layers = layer_stack(part_height, shape.layer_height_mm, shape.first_layer_height_mm)
    sections, substituted = slice_solid(solid, layers)
    return Cut(layers, sections, substituted)


def _refuse_several_rings(islands: Islands, shape: Shape, looked_at: NDArray[np.bool_]) -> None:
    rings = 1 + shapely.get_num_interior_rings(islands.region)
    per_layer = np.bincount(islands.layer, weights=rings, minlength=len(looked_at))
    above_floor = np.arange(len(looked_at)) >= shape.bottom_layers
    several = np.flatnonzero((per_layer != 1) & above_floor & looked_at)
    if len(several):
        raise RecipeError(
            f"Spiral mode needs a single outline on each layer above the floor; layer {several[0] + 1} has "
            f"{int(per_layer[several[0]])}.",
            field="spiral",
            remedy="Turn spiral mode off for this part, or model it as a solid body without its hollow.",
        )


def wall_widths_mm(islands: Islands, shape: Shape) -> tuple[Floats, Floats]:
    """Widths of the outer and the inner walls by island, mm."""
    first, widths = islands.layer == 0, shape.width_mm
    return (
        np.where(first, widths.first_layer, widths.outer_wall),
        np.where(first, widths.first_layer, widths.inner_wall),
    )


def _walls(islands: Islands, choices: LayerChoices, shape: Shape) -> tuple[Pieces, Objects, Floats, Floats]:
    """Pieces, the regions left inside, the area to fill by island, and by wall and island laid less asked.

    Each wall has a band of the region to fill: from where the wall outside it ends to one spacing deeper. Of the
    outermost bead the band begins where its rounded side is half full.
    """
    outer, inner = wall_widths_mm(islands, shape)
    loss = islands.height_mm * SIDE_LOSS
    region = inset(islands.region, loss / 2)
    count = choices.walls[islands.layer]
    whole_mm2 = shapely.area(region)
    most = int(count.max(initial=0))
    balance = np.zeros((max(most, 1), len(islands)))
    parts = [no_pieces()]
    phase = PHASES[shape.wall_order]
    for index in range(most):
        at = np.flatnonzero((count > index) & ~shapely.is_empty(region))
        if not len(at):
            break
        feature = Feature.OUTER_WALL if index == 0 else Feature.INNER_WALL
        width = outer if index == 0 else inner
        spacing = width - loss
        band, deeper = region[at], inset(region[at], spacing[at])
        thin = np.empty(0, np.int64)
        if shape.thin_walls == "variable":
            strips, thin = _strips(band, deeper, spacing[at])
        middle = inset(band, spacing[at] / 2)
        # Where strips get strokes of their own, loops go round the rest only.
        middle[thin] = grown(deeper[thin], spacing[at[thin]] / 2)
        loops = loops_of(middle)
        loops.source[:] = at[loops.source]
        laid = shapely.length(middle) * spacing[at]
        parts.append(loop_pieces(loops, islands, feature, phase[feature], width[loops.source]))
        if len(thin):
            made = thin_strokes(strips[thin], band[thin], spacing[at[thin]])
            source = at[thin][made.source]
            of_point = np.repeat(source, np.diff(made.offsets))
            piece = curve_pieces(
                Curves(made.points, made.offsets, source),
                islands,
                Feature.THIN_WALL,
                phase[Feature.THIN_WALL],
                np.maximum(made.width_mm + loss[of_point], islands.height_mm[of_point]),
                closed=made.closed,
            )
            parts.append(piece)
            strips_mm2 = np.bincount(source, weights=piece.area_mm2(SIDE_LOSS), minlength=len(islands))
            laid = laid + strips_mm2[at]
        balance[index, at] = laid - (shapely.area(band) - shapely.area(deeper))
        region = region.copy()
        region[at] = deeper
    if not most:
        region, whole_mm2 = islands.region, shapely.area(islands.region)
    return join_pieces(parts), region, whole_mm2 - shapely.area(region), balance


def _strips(band: Objects, deeper: Objects, spacing: Floats) -> tuple[Objects, NDArray[np.int64]]:
    """Thin strips, and the indices of the regions that have any."""
    speck = _SPECK_SPACINGS2 * spacing**2
    missing = shapely.area(band) - shapely.area(grown(deeper, spacing))
    suspect = np.flatnonzero(missing > speck)
    strips = np.full(len(band), shapely.MultiPolygon(), dtype=object)
    strips[suspect] = strips_of(band[suspect], spacing[suspect], deeper[suspect])
    return strips, np.flatnonzero(shapely.area(strips) > speck)


def wall_depth_mm(islands: Islands, choices: LayerChoices, shape: Shape) -> Floats:
    """How deep the walls reach below the outline, mm, by island."""
    outer, inner = wall_widths_mm(islands, shape)
    outer_s, inner_s = spacings(outer, islands.height_mm), spacings(inner, islands.height_mm)
    count = choices.walls[islands.layer]
    depth: Floats = np.where(count > 0, outer_s + np.maximum(count - 1, 0) * inner_s, 0.0)
    return depth
